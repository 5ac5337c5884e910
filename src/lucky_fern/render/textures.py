"""Maps on the graphics card: four textures a sheet, updated piece by piece.

A texture is as large as its sheet is on the level that is shown: it grows when a finer one comes, and becomes smaller
where the card has no room for what nobody looks at so closely.
"""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import islice

import moderngl
import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey, all_chunks, square
from lucky_fern.render.calls import calls_of
from lucky_fern.render.mips import LEVELS, halvings
from lucky_fern.render.parcels import ENCODED, HOME, PACKING, Parcel, lines_up, packed, start_texel

SRGB8_ALPHA8, _RGBA8 = 0x8C43, 0x8058
_AT_ONCE = 8  # chunks, between two looks at the clock
_BAND = 256  # rows that are filled at once
PIXEL_ART = 128  # texels; sheets up to this size are shown with square texels
UNITS = {name: unit for unit, name in enumerate(PACKING)}
MAP_NUMBERS = {name: number for number, name in enumerate(MAPS)}


def sharing_texture(key: MapKey) -> list[MapKey]:
    """The other maps of a sheet that lie in the same texture."""
    return [MapKey(key.sheet, name) for name in PACKING[HOME[key.map]] if name != key.map]


def is_software(context: moderngl.Context) -> bool:
    """Whether the processor draws in place of a graphics card; what is costly there is left out."""
    name = str(context.info.get("GL_RENDERER", "")).lower()
    return any(word in name for word in ("llvmpipe", "softpipe", "swrast", "software"))


@dataclass
class _Coming:
    """A texture that is being filled, band by band, with what was there before; ``row`` is the next one.

    ``before`` are (r, c, 4) uint8 and their mips, or the one texel that its maps start from.
    """

    texture: moderngl.Texture
    levels: int
    before: list[U8]
    row: int = 0


class SheetTextures:
    """The textures of all sheets, in one context."""

    def __init__(self, context: moderngl.Context, store: MapStore) -> None:
        self.context = context
        self.store = store
        self._calls = calls_of(context)
        self._textures: dict[SheetKey, dict[str, moderngl.Texture]] = {}
        self._sizes: dict[SheetKey, Extent] = {}
        self._coming: dict[tuple[SheetKey, str], _Coming] = {}
        self._turns: dict[tuple[SheetKey, str], int] = {}  # of what was put last
        self._stale: dict[moderngl.Texture, SheetKey] = {}  # whose mips are to be made anew
        self._pixel_art: frozenset[SheetKey] = frozenset()
        self.nearest: bool | None = None  # whether texels are seen as squares; None: where sheets are small
        self.mips = True
        self.unsent: dict[MapKey, set[Chunk]] = {}  # composited before there were textures, still to be uploaded
        self.fresh: set[SheetKey] = set()  # whose textures were made since somebody looked

    def of(self, key: SheetKey, size: Extent) -> dict[str, moderngl.Texture]:
        """Texture name → texture of a sheet, which has so many texels at its own size.

        As long as nothing was composited for any of its maps, a texture is a single texel of what they start from:
        a map that no layer writes to costs nothing, however large the sheet.
        """
        kept = self._textures.get(key)
        if kept is not None and self._sizes[key] == size:
            return kept
        self._drop(key)
        made = self._textures[key] = {name: self._whole(key, name, square(1)) for name in PACKING}
        self._sizes[key] = size
        self.fresh.add(key)
        for maps in PACKING.values():
            there = [piece for name in maps if self._has(piece := MapKey(key, name), size)]
            if there:
                self.unsent[there[0]] = set(all_chunks(size))
        return made

    def _has(self, key: MapKey, size: Extent) -> bool:
        kept = self.store.maps.get(key)
        return kept is not None and kept.shape[:2] == size.shape

    def _whole(self, key: SheetKey, name: str, size: Extent) -> moderngl.Texture:
        """A texture filled, mips and all, with what its maps start from."""
        begun = self._begin(key, name, size)
        while not self._fill(begun):
            pass
        return begun.texture

    def _begin(self, key: SheetKey, name: str, size: Extent, before: moderngl.Texture | None = None) -> _Coming:
        """Begin a texture; it shows what was there before until something comes."""
        kind = SRGB8_ALPHA8 if name in ENCODED else None
        texture = self.context.texture((size.width, size.height), 4, internal_format=kind)
        texture.repeat_x = texture.repeat_y = False
        texture.anisotropy = 1.0 if is_software(self.context) else 8.0
        levels = min(int(np.log2(size.width)), LEVELS) if lines_up(size) else 0
        if levels:
            self._calls.add_levels(texture, kind or _RGBA8, levels)
        self._set_filter(key, texture, mips=levels > 0)
        if before is None or max(before.size) == 1:
            return _Coming(texture, levels, [start_texel(name).reshape(1, 1, 4)])
        by = max(before.width // size.width, 1).bit_length() - 1
        if by:
            before.build_mipmaps(0, by)
        shape = (before.height >> by, before.width >> by, 4)
        shown = np.frombuffer(before.read(level=by), np.uint8).reshape(shape).copy()
        return _Coming(texture, levels, [shown, *(halvings(shown, name in ENCODED) if levels else [])])

    def _fill(self, coming: _Coming) -> bool:
        """Fill the next band of a texture; whether it was the last one."""
        wide, high, row = coming.texture.width, coming.texture.height, coming.row
        rows = min(_BAND, high - row)
        for level in range(coming.levels + 1):
            part = _enlarged(coming.before, wide, level, row, rows)
            self._calls.write(coming.texture, level, 0, row >> level, part)
        coming.row += rows
        return coming.row >= high

    def _set_filter(self, key: SheetKey, texture: moderngl.Texture, mips: bool) -> None:
        # Sheets this small are pixel art, too: their texels are meant to be seen.
        art = key in self._pixel_art
        squares = art or (max(texture.size) <= PIXEL_ART if self.nearest is None else self.nearest)
        near = moderngl.NEAREST if squares else moderngl.LINEAR
        far = moderngl.NEAREST_MIPMAP_LINEAR if self.nearest else moderngl.LINEAR_MIPMAP_LINEAR
        # The halvings of pixel art mix what must not be mixed.
        texture.filter = (far if mips and self.mips and not art else near, near)

    def set_filtering(self, nearest: bool | None, mips: bool) -> None:
        """How texels are read between each other, from now on."""
        self.nearest, self.mips = nearest, mips
        self._set_all()

    def set_pixel_art(self, keys: frozenset[SheetKey]) -> None:
        """Which sheets' texels are meant to be seen, however large the sheets are."""
        if keys != self._pixel_art:
            self._pixel_art = keys
            self._set_all()

    def _set_all(self) -> None:
        for key, kept in self._textures.items():
            for texture in kept.values():
                self._set_filter(key, texture, max(texture.size) > 1)

    # --- what comes in ----------------------------------------------------------------------------------------

    def put(self, parcel: Parcel) -> bool:
        """Write a parcel into its texture; False if there was time only to go on making the texture.

        Parcels for sheets that are gone, have another size by now, or are shown on another level, are dropped.
        """
        key, name, size = parcel.sheet, parcel.texture, parcel.size
        if not _is_level(size, self._sizes.get(key)):
            return True
        kept, coming = self._textures[key], self._coming.get((key, name))
        turn, last = self._turns.get((key, name), 0), kept[name] if coming is None else coming.texture
        if last.width > 1 and last.size != (size.width, size.height):
            coarser = parcel.turn == turn and size.width < last.width
            if parcel.turn < turn or coarser:
                return True  # of another level than is shown by now
        self._turns[key, name] = max(turn, parcel.turn)
        if kept[name].size != (size.width, size.height):
            if coming is None or coming.texture.size != (size.width, size.height):
                if coming is not None:
                    coming.texture.release()
                coming = self._coming[key, name] = self._begin(key, name, size, kept[name])
            if not self._fill(coming):
                return False
            self._stale.pop(kept[name], None)
            kept[name].release()
            kept[name] = self._coming.pop((key, name)).texture
        elif coming is not None:  # what was begun is not wanted any more
            self._coming.pop((key, name)).texture.release()
        x, y = parcel.corner
        for level, pixels in enumerate(parcel.levels):
            self._calls.write(kept[name], level, x >> level, y >> level, pixels)
        if not lines_up(size):
            self._stale[kept[name]] = key
        return True

    def upload(self, key: MapKey, size: Extent, chunks: Iterable[Chunk]) -> None:
        """Send the given chunks of one map to its texture."""
        self.of(key.sheet, size)
        inside = set(all_chunks(size))
        for chunk in chunks:
            if chunk in inside:  # else of a larger sheet that is gone by now
                parcel = packed(self.store, key.sheet, HOME[key.map], size, chunk)
                while not self.put(parcel):
                    pass

    def send(self, pending: dict[MapKey, set[Chunk]], sizes: dict[SheetKey, Extent], seconds: float = np.inf) -> None:
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
        for texture, key in self._stale.items():
            texture.build_mipmaps(0, LEVELS)
            self._set_filter(key, texture, mips=True)  # making mips resets the filter
        self._stale.clear()

    def _drop(self, key: SheetKey) -> None:
        for texture in self._textures.pop(key, {}).values():
            self._stale.pop(texture, None)
            texture.release()
        for place in [place for place in self._coming if place[0] == key]:
            self._coming.pop(place).texture.release()
        for place in [place for place in self._turns if place[0] == key]:
            del self._turns[place]

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        for key in list(self._textures):
            self._drop(key)


def _is_level(size: Extent, of: Extent | None) -> bool:
    """Whether a sheet has that size on one of its levels."""
    if of is None or not of.width >= size.width > 0:
        return False
    by = (of.width // size.width).bit_length() - 1
    return size == Extent(of.width >> by, of.height >> by)


def _enlarged(before: list[U8], wide: int, level: int, row: int, rows: int) -> U8:
    """The texels of a band of a texture ``wide`` texels across on one of its mips, out of what was there before.

    ``row`` and ``rows`` are the band's on the texture itself.
    """
    across, down = max(wide >> level, 1), max(rows >> level, 1)
    if before[0].shape[:2] == (1, 1):
        band = np.empty((down, across), np.uint32)
        band[:] = before[0].view(np.uint32)[0, 0]
        return band.view(np.uint8).reshape(down, across, 4)
    grown = (wide // before[0].shape[1]).bit_length() - 1  # levels between the two
    some, by = before[min(max(level - grown, 0), len(before) - 1)], max(grown - level, 0)
    first = (row >> level) >> by
    part = some[first : first + max(down >> by, 1)]
    return np.ascontiguousarray(part.repeat(1 << by, axis=0).repeat(1 << by, axis=1)[:down, :across])
