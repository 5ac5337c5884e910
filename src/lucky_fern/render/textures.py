"""Maps on the graphics card: four textures a sheet, updated chunk by chunk."""

from __future__ import annotations

import time
from collections.abc import Iterable
from itertools import islice

import moderngl
import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import Chunk, SheetKey, all_chunks, span
from lucky_fern.render.mips import LEVELS, halvings

SRGB8_ALPHA8 = 0x8C43
_AT_ONCE = 8  # chunks, between two looks at the clock
PIXEL_ART = 128  # texels; sheets up to this size are shown with square texels
# Which maps share a texture, component by component.
PACKING: dict[str, tuple[str, ...]] = {
    "colour_map": ("colour", "opacity"),
    "surface_map": ("occlusion", "roughness", "metallic", "height"),
    "normal_map": ("normal",),
    "emissive_map": ("emissive",),
}
UNITS = {name: unit for unit, name in enumerate(PACKING)}
MAP_NUMBERS = {name: number for number, name in enumerate(MAPS)}
_ENCODED = ("colour_map", "emissive_map")
_HOME = {map_name: texture for texture, maps in PACKING.items() for map_name in maps}


def sharing_texture(key: MapKey) -> list[MapKey]:
    """The other maps of a sheet that lie in the same texture."""
    return [MapKey(key.sheet, name) for name in PACKING[_HOME[key.map]] if name != key.map]


def is_software(context: moderngl.Context) -> bool:
    """Whether the processor draws in place of a graphics card; what is costly there is left out."""
    name = str(context.info.get("GL_RENDERER", "")).lower()
    return any(word in name for word in ("llvmpipe", "softpipe", "swrast", "software"))


class SheetTextures:
    """The textures of all sheets. Owned by the context they were made in; other contexts may share them.

    Texture row 0 is the sheet's lowest row, as OpenGL counts v, so chunks are turned over on their way.
    """

    def __init__(self, context: moderngl.Context, store: MapStore) -> None:
        self.context = context
        self.store = store
        self._textures: dict[SheetKey, dict[str, moderngl.Texture]] = {}
        self._sizes: dict[SheetKey, int] = {}
        self._stale: set[moderngl.Texture] = set()
        self.nearest: bool | None = None  # whether texels are seen as squares; None: where sheets are small
        self.mips = True
        self.unsent: dict[MapKey, set[Chunk]] = {}  # composited before there were textures, still to be uploaded

    def of(self, key: SheetKey, size: int) -> dict[str, moderngl.Texture]:
        """Texture name → texture of a sheet.

        As long as nothing was composited for any of its maps, a texture is a single texel of what they start from:
        a map that no layer writes to costs nothing, however large the sheet.
        """
        kept = self._textures.get(key)
        if kept is not None and self._sizes[key] == size:
            return kept
        self._drop(key)
        made = self._textures[key] = {name: self._made(name, 1) for name in PACKING}
        self._sizes[key] = size
        for maps in PACKING.values():
            there = [piece for name in maps if self._has(piece := MapKey(key, name), size)]
            if there:
                self.unsent[there[0]] = set(all_chunks(size))
        return made

    def _has(self, key: MapKey, size: int) -> bool:
        kept = self.store.maps.get(key)
        return kept is not None and kept.shape[0] == size

    def _made(self, name: str, size: int) -> moderngl.Texture:
        """A texture filled, mips and all, with what its maps start from."""
        kind = SRGB8_ALPHA8 if name in _ENCODED else None
        start = [value for map_name in PACKING[name] for value in MAPS[map_name].start]
        texel = np.array([*start, 1.0][:4] if len(start) < 4 else start) * 255 + 0.5
        texture = self.context.texture((size, size), 4, internal_format=kind)
        texture.repeat_x = texture.repeat_y = False
        texture.anisotropy = 1.0 if is_software(self.context) else 8.0
        levels = min(int(np.log2(size)), LEVELS) if size & (size - 1) == 0 else 0
        texture.write(np.full((size, size), texel.astype(np.uint8).view(np.uint32)[0]))
        if levels:
            texture.build_mipmaps(0, levels)
        self._set_filter(texture, mips=levels > 0)
        return texture

    def _set_filter(self, texture: moderngl.Texture, mips: bool) -> None:
        # Sheets this small are pixel art: their texels are meant to be seen.
        squares = texture.width <= PIXEL_ART if self.nearest is None else self.nearest
        near = moderngl.NEAREST if squares else moderngl.LINEAR
        far = moderngl.NEAREST_MIPMAP_LINEAR if self.nearest else moderngl.LINEAR_MIPMAP_LINEAR
        texture.filter = (far if mips and self.mips else near, near)

    def set_filtering(self, nearest: bool | None, mips: bool) -> None:
        """How texels are read between each other, from now on."""
        self.nearest, self.mips = nearest, mips
        for kept in self._textures.values():
            for texture in kept.values():
                self._set_filter(texture, texture.width > 1)

    def upload(self, key: MapKey, size: int, chunks: Iterable[Chunk]) -> None:
        """Send the given chunks of one map to its texture."""
        name = _HOME[key.map]
        kept = self.of(key.sheet, size)
        if kept[name].width != size:
            kept[name].release()
            kept[name] = self._made(name, size)
        texture = kept[name]
        encoded = name in _ENCODED
        for chunk in chunks:
            rows, columns = span(chunk, size)
            if rows.start >= size or columns.start >= size:
                continue  # of a larger sheet that is gone by now
            pixels = np.ascontiguousarray(self._pack(key.sheet, name, size, rows, columns)[::-1])
            x, y = columns.start, size - rows.stop
            texture.write(pixels, viewport=(x, y, pixels.shape[1], pixels.shape[0]))
            if size & (size - 1) == 0:
                for level, smaller in enumerate(halvings(pixels, encoded), 1):
                    place = (x >> level, y >> level, smaller.shape[1], smaller.shape[0])
                    texture.write(smaller, viewport=place, level=level)
        if size & (size - 1):
            self._stale.add(texture)  # mips of other sizes do not line up with chunks

    def send(self, pending: dict[MapKey, set[Chunk]], sizes: dict[SheetKey, int], seconds: float = np.inf) -> None:
        """Upload chunks out of ``pending``, no longer than about ``seconds``; what is left stays in it."""
        end = time.perf_counter() + seconds
        while pending and time.perf_counter() < end:
            piece = next(iter(pending))
            chunks = pending.pop(piece)
            now = set(islice(chunks, _AT_ONCE))
            if chunks - now:
                pending[piece] = chunks - now
            if piece.sheet in sizes:
                self.upload(piece, sizes[piece.sheet], now)
            for fellow in sharing_texture(piece):  # their values went along
                if fellow in pending:
                    pending[fellow] -= now
                    if not pending[fellow]:
                        del pending[fellow]

    def finish(self) -> None:
        """Remake the mips of what has changed; call once before drawing."""
        for texture in self._stale:
            texture.build_mipmaps(0, LEVELS)
            self._set_filter(texture, mips=True)  # making mips resets the filter
        self._stale.clear()

    def _pack(self, key: SheetKey, name: str, size: int, rows: slice, columns: slice) -> U8:
        """(rows, columns, 4) uint8: the maps that share a texture, component by component."""
        out = np.empty((rows.stop - rows.start, columns.stop - columns.start, 4), np.uint8)
        at = 0
        for map_name in PACKING[name]:
            kept = self.store.maps.get(MapKey(key, map_name))
            spec = MAPS[map_name]
            into = out[..., at : at + spec.components]
            at += spec.components
            if kept is None or kept.shape[0] != size:
                into[:] = np.array(spec.start) * 255 + 0.5
            elif kept.dtype == np.uint8:
                into[:] = kept[rows, columns]
            else:  # the same as rounding to the nearest of 255 steps
                into[:] = (kept[rows, columns].astype(np.uint32) * 255 + 32895) >> 16
        out[..., at:] = 255
        return out

    def _drop(self, key: SheetKey) -> None:
        for texture in self._textures.pop(key, {}).values():
            self._stale.discard(texture)
            texture.release()

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        for key in list(self._textures):
            self._drop(key)
