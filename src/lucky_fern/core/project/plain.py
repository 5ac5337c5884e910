"""What all document types are made of: the base, and the words that several of them use."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any, Literal

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.sheets.grid import LARGEST, SMALLEST, Extent, SheetKey
from lucky_fern.words import tr

_PLACE = re.compile(r"[0-9]{1,3},[0-9]{1,3}")  # of a chunk: row, column

BLEND_MODES = (
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "add", "subtract", "min", "max",
)  # fmt: skip
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "add", "subtract", "min", "max",
]  # fmt: skip
COLOUR_BLENDS = BLEND_MODES[:-2]
SCALAR_BLENDS = ("normal", "add", "subtract", "multiply", "min", "max")
Sampling = Literal["smooth", "nearest"]


class Plain(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Base of all document types: immutable, strict about unknown keys."""


class Scope(Plain, frozen=True):
    """Where a layer may show; None means everywhere.

    Islands are numbered as the model numbers them; ``selections`` are named ones of the project.
    """

    materials: tuple[str, ...] | None = None
    tiles: tuple[int, ...] | None = None
    parts: tuple[str, ...] | None = None
    islands: tuple[int, ...] | None = None
    selections: tuple[str, ...] | None = None

    def holds_sheet(self, key: SheetKey) -> bool:
        return (self.materials is None or key.material in self.materials) and (
            self.tiles is None or key.tile in self.tiles
        )


class PaintedSheet(Plain, frozen=True):
    """Painted pixels of one sheet: at which size they were painted, and map → ``row,column`` → digest."""

    size: Extent
    maps: dict[str, dict[str, str]] = {}

    def check(self, known: Collection[str]) -> None:
        """Refuse a size, a map or a chunk that cannot be (CommandError)."""
        check_size(self.size)
        for name, chunks in self.maps.items():
            if name not in known:
                raise CommandError(
                    tr("nothing is painted on a map {name!r}; there are {known}", name=name, known=", ".join(known))
                )
            for place in chunks:
                row, column = map(int, place.split(",")) if _PLACE.fullmatch(place) else (-1, -1)
                if not (0 <= row < self.size.down and 0 <= column < self.size.across):
                    raise CommandError(
                        tr(
                            "there is no chunk {place!r} on a sheet of {size} texels",
                            place=place[:40],
                            size=self.size,
                        )
                    )


def check_size(size: Extent) -> None:
    """Refuse a sheet that is too small or too large (CommandError)."""
    if not size.fits:
        raise CommandError(
            tr("a sheet is {SMALLEST} to {LARGEST} texels wide and high, not {size}", SMALLEST=SMALLEST,
               LARGEST=LARGEST, size=size)
        )  # fmt: skip


def check_picture(project: Any, name: str) -> None:
    """Refuse a picture that is not in a project's kit (CommandError)."""
    if name not in project.pictures and name not in project.sequences:
        raise CommandError(tr("picture {name!r} is not in the kit; add it first", name=name))
