"""Rectangles of a sheet, and gathering them from chunks."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import Array
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, span


class Rect(NamedTuple):
    """Rows ``top`` … ``bottom`` and columns ``left`` … ``right`` of a sheet, the ends not included."""

    top: int
    bottom: int
    left: int
    right: int

    @property
    def shape(self) -> tuple[int, int]:
        return self.bottom - self.top, self.right - self.left

    def grown(self, texels: int, size: Extent) -> Rect:
        """The rectangle with so many texels more on each side, as far as the sheet goes."""
        return Rect(
            max(self.top - texels, 0), min(self.bottom + texels, size.height),
            max(self.left - texels, 0), min(self.right + texels, size.width),
        )  # fmt: skip

    def within(self, outer: Rect) -> tuple[slice, slice]:
        """Where this rectangle lies in an array that covers ``outer``."""
        return (
            slice(self.top - outer.top, self.bottom - outer.top),
            slice(self.left - outer.left, self.right - outer.left),
        )


def rect_of(chunk: Chunk, size: Extent) -> Rect:
    """The rectangle of a chunk."""
    rows, columns = span(chunk, size)
    return Rect(rows.start, rows.stop, columns.start, columns.stop)


def chunks_in(rect: Rect) -> Iterator[Chunk]:
    """The chunks that a rectangle touches."""
    for row in range(rect.top // CHUNK, (rect.bottom - 1) // CHUNK + 1):
        for column in range(rect.left // CHUNK, (rect.right - 1) // CHUNK + 1):
            yield Chunk(row, column)


def gathered(rect: Rect, size: Extent, empty: Array, piece: Callable[[Chunk], Array | None]) -> Array | None:
    """A rectangle put together from pieces the size of chunks.

    ``piece`` answers with a chunk's array, or None where it holds nothing; ``empty`` (a scalar or a row of
    components) stands there instead. A rectangle that is one chunk gets that chunk's own array. None if
    no piece holds anything.
    """
    places = list(chunks_in(rect))
    if len(places) == 1 and rect_of(places[0], size) == rect:
        return piece(places[0])
    out: Array | None = None
    for chunk in places:
        part = piece(chunk)
        if part is None:
            continue
        if out is None:
            out = np.empty((*rect.shape, *empty.shape), part.dtype)
            out[...] = empty
        own = rect_of(chunk, size)
        both = Rect(
            max(own.top, rect.top), min(own.bottom, rect.bottom), max(own.left, rect.left), min(own.right, rect.right)
        )
        out[both.within(rect)] = part[both.within(own)]
    return out
