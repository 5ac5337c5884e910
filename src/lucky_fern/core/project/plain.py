"""What all document types are made of: the base, and the words that several of them use."""

from __future__ import annotations

from typing import Literal

import msgspec

from lucky_fern.core.sheets.grid import SheetKey

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

    size: int
    maps: dict[str, dict[str, str]] = {}
