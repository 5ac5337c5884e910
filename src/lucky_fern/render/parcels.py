"""Chunks of maps made ready for the graphics card: packed as textures hold them, mips and all.

Texture row 0 is the sheet's lowest row, as OpenGL counts v, so chunks are turned over on their way.
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
    """A chunk of a texture of a sheet of some ``size``; ``levels`` are (r, c, 4) uint8, without mips just one."""

    sheet: SheetKey
    texture: str
    size: Extent
    chunk: Chunk
    levels: tuple[U8, ...]

    @property
    def corner(self) -> tuple[int, int]:
        """Its lowest left texel in the texture."""
        rows, columns = span(self.chunk, self.size)
        return columns.start, self.size.height - rows.stop


def packed(store: MapStore, sheet: SheetKey, texture: str, size: Extent, chunk: Chunk) -> Parcel:
    """Pack what a store holds now of a chunk; maps that it does not hold are as they start."""
    rows, columns = span(chunk, size)
    pixels = np.ascontiguousarray(_texels(store, sheet, texture, size, rows, columns)[::-1])
    # Mips of other sizes do not line up with chunks.
    smaller = halvings(pixels, texture in ENCODED) if lines_up(size) else []
    return Parcel(sheet, texture, size, chunk, (pixels, *smaller))


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
