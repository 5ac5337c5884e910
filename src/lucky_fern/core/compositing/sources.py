"""What a layer's content gives to a chunk, drawn once and kept while there is room."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import U16
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.pictures.pyramid import Flavour, Pyramid, build_pyramid
from lucky_fern.core.placing.lay import draw_laid, laid_chunks, lay_on_sheet, repeat_on_sheet
from lucky_fern.core.placing.throw import ThrownPicture, draw_thrown, throw, touched_chunks
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import Decal, KitPicture, Lay, Layer, Project, Throw, place_height
from lucky_fern.core.sheets.grid import Chunk, all_chunks
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface

ROOM = 512 * 1024 * 1024


def flavour_of(map_name: str) -> Flavour:
    """Colour maps are filtered as light, all others as plain numbers."""
    return "colour" if MAPS[map_name].kind == "colour" else "data"


class Kept:
    """A store of computed values that drops the ones longest unused when it grows beyond ``room`` bytes."""

    def __init__(self, room: int) -> None:
        self.room = room
        self.size = 0
        self._values: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], object], size: Callable[[object], int]) -> object:
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key][0]
        value = make()  # outside the lock: another thread may make it too, and the same
        with self._lock:
            if key not in self._values:
                self._values[key] = (value, size(value))
                self.size += self._values[key][1]
                while self.size > self.room and len(self._values) > 1:
                    self.size -= self._values.popitem(last=False)[1][1]
        return value


@dataclass(frozen=True)
class Stamp:
    """What a layer gives to a chunk.

    ``rgba`` (r, c, 4) uint16, straight, for pictures; ``alpha`` (r, c) uint16 says where, None meaning
    everywhere.
    """

    rgba: U16 | None
    alpha: U16 | None


class Sources:
    """Draws layers onto chunks of a surface."""

    def __init__(self, surface: Surface, blobs: Blobs) -> None:
        self.surface = surface
        self.blobs = blobs
        self._chunks = Kept(ROOM)
        self._pyramids = Kept(ROOM)
        self._thrown: OrderedDict[Hashable, ThrownPicture] = OrderedDict()
        self._lock = threading.Lock()

    def picture(self, kit: KitPicture) -> Picture:
        """A kit picture, read from its bytes."""
        value = self._pyramids.get(
            ("picture", kit.digest),
            lambda: read_picture(self.blobs[kit.digest], kit.name),
            lambda made: made.rgba.nbytes,  # type: ignore[attr-defined]
        )
        assert isinstance(value, Picture)
        return value

    def _pyramid(self, kit: KitPicture, flavour: Flavour) -> Pyramid:
        value = self._pyramids.get(
            ("pyramid", kit.digest, flavour),
            lambda: build_pyramid(self.picture(kit), flavour),
            lambda made: made.texels.nbytes,  # type: ignore[attr-defined]
        )
        assert isinstance(value, Pyramid)
        return value

    def _throw(self, layer: Layer, place: Throw, height: float) -> ThrownPicture:
        key = (place, height, layer.scope.parts)
        with self._lock:
            if key in self._thrown:
                self._thrown.move_to_end(key)
                return self._thrown[key]
        allowed = self.surface.triangles_of_parts(layer.scope.parts)
        thrown = throw(self.surface.model, place, height, allowed)
        with self._lock:
            self._thrown[key] = thrown
            while len(self._thrown) > 32:
                self._thrown.popitem(last=False)
        return thrown

    def chunks(self, project: Project, layer: Layer, sheet: Sheet) -> set[Chunk]:
        """The chunks of a sheet that a layer may touch."""
        if not layer.scope.holds_sheet(sheet.key):
            return set()
        content = layer.content
        if not isinstance(content, Decal):
            if layer.scope.parts is None:
                return set(all_chunks(sheet.size))
            return self._part_chunks(layer.scope.parts, sheet)
        height = place_height(content.place, project.pictures[content.picture])
        key = ("chunks", content.place, height, layer.scope.parts, sheet.key, sheet.size)
        value = self._chunks.get(key, lambda: self._find_chunks(layer, content.place, height, sheet), lambda _: 1024)
        assert isinstance(value, set)
        return value

    def _find_chunks(self, layer: Layer, place: Throw | Lay, height: float, sheet: Sheet) -> set[Chunk]:
        if isinstance(place, Throw):
            return touched_chunks(self._throw(layer, place, height), sheet)
        affine = lay_on_sheet(place, height, sheet.key, sheet.size)
        return set() if affine is None else laid_chunks(affine, sheet.size)

    def stamp(self, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk) -> Stamp:
        """What a layer gives to a chunk of a map; the chunk is one of :meth:`chunks`."""
        channel = layer.channels[map_name]
        content = layer.content
        if isinstance(content, Decal):
            kit = project.pictures[channel.picture or content.picture]
            height = place_height(content.place, project.pictures[content.picture])
        elif channel.source != "picture":
            return Stamp(None, self._part_mask(layer.scope.parts, sheet, chunk))
        else:
            assert channel.picture is not None
            kit, height = project.pictures[channel.picture], 0.0
        flavour = flavour_of(map_name) if channel.source == "picture" else "colour"
        key = (content, kit.digest, height, flavour, layer.scope.parts, sheet.key, sheet.size, chunk)
        value = self._chunks.get(
            key,
            lambda: self._draw(layer, kit, height, flavour, sheet, chunk),
            lambda made: made.nbytes,  # type: ignore[attr-defined]
        )
        assert isinstance(value, np.ndarray)
        return Stamp(value, value[..., 3])

    def _draw(
        self, layer: Layer, kit: KitPicture, height: float, flavour: Flavour, sheet: Sheet, chunk: Chunk
    ) -> U16:
        content, encode = layer.content, flavour == "colour"
        nearest = content.sampling == "nearest"
        pyramid = self._pyramid(kit, flavour)
        if isinstance(content, Decal) and isinstance(content.place, Throw):
            return draw_thrown(self._throw(layer, content.place, height), sheet, chunk, pyramid, nearest, encode)
        if isinstance(content, Decal) and isinstance(content.place, Lay):
            affine = lay_on_sheet(content.place, height, sheet.key, sheet.size)
            assert affine is not None
            rgba = draw_laid(affine, sheet.size, chunk, pyramid, nearest, encode, repeat=False)
        else:
            assert not isinstance(content, Decal)
            affine = repeat_on_sheet(content, sheet.key, sheet.size)
            rgba = draw_laid(affine, sheet.size, chunk, pyramid, nearest, encode, repeat=True)
        mask = self._part_mask(layer.scope.parts, sheet, chunk)
        if mask is not None:
            rgba[mask == 0] = 0
        return rgba

    def _part_chunks(self, parts: tuple[str, ...], sheet: Sheet) -> set[Chunk]:
        """The chunks that triangles of the named parts may touch."""

        def find() -> set[Chunk]:
            chosen = self.surface.triangles_of_parts(parts)
            assert chosen is not None
            return sheet.chunks_of(chosen[sheet.triangle])

        value = self._chunks.get(("part chunks", parts, sheet.key, sheet.size), find, lambda _: 1024)
        assert isinstance(value, set)
        return value

    def _part_mask(self, parts: tuple[str, ...] | None, sheet: Sheet, chunk: Chunk) -> U16 | None:
        """(r, c) uint16, 65535 on texels of the named parts; None for all parts."""
        if parts is None:
            return None

        def draw() -> U16:
            chosen = self.surface.triangles_of_parts(parts)
            assert chosen is not None
            inside = sheet.owners(chunk, chosen[sheet.triangle]) >= 0
            return inside.astype(np.uint16) * np.uint16(65535)

        key = ("part mask", parts, sheet.key, sheet.size, chunk)
        value = self._chunks.get(key, draw, lambda made: made.nbytes)  # type: ignore[attr-defined]
        assert isinstance(value, np.ndarray)
        return value
