"""Blocks of texels: taken from a layer or a picture, turned, flipped, and put down elsewhere, exact."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import U8, Array, Bool
from lucky_fern.core.maps import LOOK
from lucky_fern.core.project.commands import PaintPixels
from lucky_fern.core.project.commands.painting import painted_on
from lucky_fern.core.project.painted import chunk_layout
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.setting import block_texels, put_texels, read_texels


@dataclass(frozen=True)
class Block:
    """Painted texels of some maps, (rows, columns, n) each: components, then the coverage (0: not set)."""

    maps: Mapping[str, Array]

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        rows, columns = next(iter(self.maps.values())).shape[:2]
        return int(rows), int(columns)

    def turned(self, quarters: int) -> Block:
        """Turned counter-clockwise."""
        return Block({name: np.ascontiguousarray(np.rot90(one, quarters)) for name, one in self.maps.items()})

    def flipped(self, down: bool = False) -> Block:
        """Mirrored left to right, or top to bottom."""
        return Block(
            {name: np.ascontiguousarray(one[::-1] if down else one[:, ::-1]) for name, one in self.maps.items()}
        )

    def rgba(self) -> U8:
        """(rows, columns, 4) as a picture: of its colour, or of the first map that it has."""
        name = LOOK if LOOK in self.maps else next(iter(self.maps))
        texels = self.maps[name]
        if texels.dtype == np.uint16:
            texels = ((texels.astype(np.uint32) + 128) // 257).astype(np.uint8)
        wide = texels[..., [0, 0, 0, 1]] if texels.shape[2] == 2 else texels
        return np.ascontiguousarray(wide, np.uint8)

    def of(self, map_name: str) -> Array:
        """What it sets on a map; another map's texels made into those where it has none of that one.

        Colours become their luminance, numbers greys.
        """
        return self.maps[map_name] if map_name in self.maps else block_texels(self.rgba(), map_name)


def of_picture(rgba: Array) -> Block:
    """A picture (rows, columns, 4), straight, 8 or 16 bits, as a block of colour."""
    return Block({"colour": block_texels(rgba, "colour")})


def bounds(area: Bool) -> Rect | None:
    """The rectangle round some texels (rows, columns); None if there are none."""
    rows, columns = np.flatnonzero(area.any(axis=1)), np.flatnonzero(area.any(axis=0))
    if not len(rows):
        return None
    return Rect(int(rows[0]), int(rows[-1]) + 1, int(columns[0]), int(columns[-1]) + 1)


def taken(studio: Studio, layer_id: int, key: SheetKey, area: Bool) -> Block | None:
    """What a layer has painted on chosen texels (rows, columns) of a sheet; None where that is nothing.

    Raises
    ------
    CommandError
        If it is no layer that is painted on.
    """
    rect, painted = bounds(area), painted_on(studio.project.layer(layer_id)).get(str(key))
    if rect is None or painted is None or painted.size != studio.project.size_of(key):
        return None
    maps = {}
    for name in painted.maps:
        texels = read_texels(studio, painted, name, rect)
        texels[~area[rect.top : rect.bottom, rect.left : rect.right]] = 0
        if texels[..., -1].any():
            maps[name] = texels
    return Block(maps) if maps else None


def seen(maps: Mapping[str, Array], area: Bool) -> Block | None:
    """Chosen texels of maps (rows, columns, n) as they are seen; None where none is chosen."""
    rect = bounds(area)
    if rect is None:
        return None
    inside = area[rect.top : rect.bottom, rect.left : rect.right]
    found = {}
    for name, values in maps.items():
        dtype, count = chunk_layout(name)
        texels = np.zeros((*inside.shape, count), dtype)
        texels[..., :-1] = values[rect.top : rect.bottom, rect.left : rect.right]
        texels[..., -1] = np.where(inside, 65535 if dtype == np.uint16 else 255, 0)
        texels[~inside] = 0
        found[name] = texels
    return Block(found)


def stamped(
    studio: Studio, layer_id: int, key: SheetKey, at: tuple[int, int], block: Block, maps: Iterable[str]
) -> list[PaintPixels]:
    """The edits that put a block down with its upper left texel at a column and row, as far as it is on the sheet."""
    size, (column, row), (high, wide) = studio.project.size_of(key), at, block.shape
    rect = Rect(max(row, 0), min(row + high, size.height), max(column, 0), min(column + wide, size.width))
    if rect.top >= rect.bottom or rect.left >= rect.right:
        return []
    part = slice(rect.top - row, rect.bottom - row), slice(rect.left - column, rect.right - column)
    edits = []
    for name in maps:
        texels = block.of(name)[part]
        edit = put_texels(studio, layer_id, key, name, rect, texels, texels[..., -1] > 0)
        if edit is not None:
            edits.append(edit)
    return edits


def cleared(studio: Studio, layer_id: int, key: SheetKey, area: Bool) -> list[PaintPixels]:
    """The edits that take away what a layer has painted on chosen texels, of all its maps."""
    painted = painted_on(studio.project.layer(layer_id)).get(str(key), PaintedSheet(studio.project.size_of(key)))
    rect = bounds(area)
    if rect is None:
        return []
    edits = []
    for name in painted.maps:
        dtype, count = chunk_layout(name)
        nothing, inside = np.zeros((*rect.shape, count), dtype), area[rect.top : rect.bottom, rect.left : rect.right]
        edit = put_texels(studio, layer_id, key, name, rect, nothing, inside)
        if edit is not None:
            edits.append(edit)
    return edits
