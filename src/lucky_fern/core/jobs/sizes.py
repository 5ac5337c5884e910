"""Sizes of sheets as jobs write them: one number for a square, two for width and height."""

from __future__ import annotations

from lucky_fern.core.errors import CommandError
from lucky_fern.core.sheets.grid import LARGEST, Extent, square
from lucky_fern.words import tr

_SMALLEST_SQUARE = 16
Sizing = int | tuple[int, int]


def sized(value: Sizing) -> Extent:
    """The size that is meant.

    Raises
    ------
    CommandError
        If one number is no sensible edge of a square; two are checked by whoever takes the size.
    """
    if isinstance(value, tuple):
        return Extent(*value)
    if not _SMALLEST_SQUARE <= value <= LARGEST:
        raise CommandError(
            tr("a sheet is {low} to {high} texels wide, not {size}; smaller ones are written [width, height]",
               low=_SMALLEST_SQUARE, high=LARGEST, size=value)
        )  # fmt: skip
    return square(value)
