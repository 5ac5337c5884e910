"""Chunks of maps made ready for the graphics card: packed as textures hold them, mips and all.

Texture row 0 is the sheet's lowest row, as OpenGL counts v, so chunks are turned over on their way. A texture holds a
sheet on the level that is shown: what is packed of a finer one is halved, of a coarser one enlarged.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

import numpy as np

from lucky_fern.core.arrays import U8, U16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey, span
from lucky_fern.render.mips import halvings

# Which maps share a texture, component by component.
PACKING: dict[str, tuple[str, ...]] = {
    "colour_map": ("colour", "opacity"),
    "surface_map": ("occlusion", "roughness", "metallic", "height"),
    "normal_map": ("normal",),
    "emissive_map": ("emissive",),
}
ENCODED = ("colour_map", "emissive_map")
HOME = {map_name: texture for texture, maps in PACKING.items() for map_name in maps}


@dataclass(frozen=True)
class Parcel:
    """A piece of a texture of some ``size``; ``corner`` (x, y) is its lowest left texel there.

    ``levels`` are (r, c, 4) uint8, the piece and its mips, without mips just one. ``turn`` rises whenever the sheet
    is shown on another level.
    """

    sheet: SheetKey
    texture: str
    size: Extent
    corner: tuple[int, int]
    levels: tuple[U8, ...]
    turn: int = 0


def packed(
    store: MapStore, sheet: SheetKey, texture: str, size: Extent, chunk: Chunk, level: int = 0, shown: int = 0,
    turn: int = 0,
) -> Parcel:  # fmt: skip
    """Pack what a store holds now of a chunk of a level; maps that it does not hold are as they start.

    ``size`` is how large the sheet is on that ``level``, ``shown`` the level that its texture holds.
    """
    rows, columns = span(chunk, size)
    pixels = np.ascontiguousarray(_texels(store, sheet, texture, size, rows, columns)[::-1])
    corner, by = (columns.start, size.height - rows.stop), shown - level
    if by <= 0:  # each texel is several there
        pixels = pixels if not by else pixels.repeat(1 << -by, axis=0).repeat(1 << -by, axis=1)
        size = Extent(size.width << -by, size.height << -by)
        corner = corner[0] << -by, corner[1] << -by
        # Mips of other sizes do not line up with chunks.
        smaller = halvings(pixels, texture in ENCODED) if lines_up(size) else []
        return Parcel(sheet, texture, size, corner, (pixels, *smaller), turn)
    size = Extent(size.width >> by, size.height >> by)
    smaller = halvings(pixels, texture in ENCODED)[by - 1 :]
    kept = smaller if lines_up(size) else smaller[:1]
    return Parcel(sheet, texture, size, (corner[0] >> by, corner[1] >> by), tuple(kept), turn)


def lines_up(size: Extent) -> bool:
    """Whether the mips of a sheet are made of the mips of its chunks."""
    return size.width == size.height and size.width & (size.width - 1) == 0


def start_texel(texture: str) -> U8:
    """(4,) uint8 what the maps of a texture start from."""
    start = [value for name in PACKING[texture] for value in MAPS[name].start]
    return (np.array([*start, 1.0][:4]) * 255 + 0.5).astype(np.uint8)


def _texels(store: MapStore, sheet: SheetKey, texture: str, size: Extent, rows: slice, columns: slice) -> U8:
    """(rows, columns, 4) uint8: the maps that share a texture, component by component."""
    out = np.empty((rows.stop - rows.start, columns.stop - columns.start, 4), np.uint8)
    at = 0
    for name in PACKING[texture]:
        kept = store.maps.get(MapKey(sheet, name))
        spec = MAPS[name]
        into = out[..., at : at + spec.components]
        at += spec.components
        if kept is None or kept.shape[:2] != size.shape:
            into[:] = (np.array(spec.start) * 255 + 0.5).astype(np.uint8)
        elif kept.dtype == np.uint8:
            into[:] = kept[rows, columns]
        else:
            _put_16(cast(U16, kept[rows, columns]), into)
    out[..., at:] = 255
    return out


@kernel
def _put_16(values: U16, into: U8) -> None:
    """Rounded to the nearest of 255 steps."""
    rows, columns, count = into.shape
    for r in range(rows):
        for c in range(columns):
            for k in range(count):
                into[r, c, k] = (np.uint32(values[r, c, k]) * np.uint32(255) + np.uint32(32895)) >> np.uint32(16)
