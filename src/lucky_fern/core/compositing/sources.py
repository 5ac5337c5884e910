"""What a layer's content gives to a chunk, drawn once and kept while there is room."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from lucky_fern.core.arrays import I32, U16, Bool
from lucky_fern.core.compositing.brushwork import draw_painted, painted_chunks
from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import SVG_LONGEST, Picture, is_drawing, read_picture
from lucky_fern.core.pictures.pyramid import Flavour, Pyramid, build_pyramid, premultiplied, pyramid_of
from lucky_fern.core.placing.along import Stripe, draw_stripe, run_along, stripe_chunks
from lucky_fern.core.placing.lay import draw_laid, laid_chunks, lay_on_sheet, repeat_on_sheet, whole_tile
from lucky_fern.core.placing.modes import put_on, with_warp
from lucky_fern.core.placing.placed import PlacedPicture, draw_placed, touched_chunks
from lucky_fern.core.placing.pose import sheet_pose
from lucky_fern.core.placing.triplanar import draw_triplanar
from lucky_fern.core.placing.vertices import draw_vertex_colours
from lucky_fern.core.placing.warp import warped
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import (
    Brushwork,
    Channel,
    Decal,
    Group,
    KitPicture,
    Layer,
    Project,
    Wash,
)
from lucky_fern.core.project.places import Along, Lay, OnSurface, Place, Warp, place_height
from lucky_fern.core.project.plain import Sampling, Scope
from lucky_fern.core.sheets.grid import Chunk, SheetKey, every_chunk
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface, Triangles

DRAWN = ("picture", "painted", "vertices")  # sources of channels that are drawn, not a value
_FINEST = 4096  # pixels, of a drawing
ROOM = 1024 * 1024 * 1024  # bytes; four 2K sheets of a rich livery draw about 700 MB


def flavour_of(map_name: str, taken: Taken) -> Flavour:
    """Colours on colour maps are filtered as light, all else as plain numbers."""
    return "colour" if MAPS[map_name].kind == "colour" and taken == "colour" else "data"


def triangles_in(project: Project, scope: Scope) -> Triangles | None:
    """What of a scope chooses triangles; None where it takes all of a sheet."""
    if scope.parts is None and scope.islands is None and scope.selections is None:
        return None
    named = None if scope.selections is None else tuple(project.selections.get(name, "") for name in scope.selections)
    return scope.parts, scope.islands, named


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

    def __init__(self, surface: Surface, blobs: Blobs, room: int = ROOM, pictures: Sources | None = None) -> None:
        """``pictures`` hands over the pictures that were read for another surface."""
        self.surface = surface
        self.blobs = blobs
        self.kept = Kept(room)
        self.below = Kept(room // 2)  # what lies below the layer being edited, composited
        self.blended = 0  # layers put onto chunks since the start: tests read it
        self._pyramids: Kept = Kept(room // 2) if pictures is None else pictures._pyramids
        self._placed: OrderedDict[Hashable, PlacedPicture | Stripe] = OrderedDict()
        self._lock = threading.Lock()

    def count_blend(self) -> None:
        """One layer more was put onto a chunk (by any of the threads)."""
        with self._lock:
            self.blended += 1

    # --- pictures -------------------------------------------------------------------------------------------

    def picture(self, kit: KitPicture) -> Picture:
        """A kit picture, read from its bytes."""
        return self._pyramids.get(
            ("picture", kit.digest, kit.taken),
            lambda: read_picture(self.blobs[kit.digest], kit.name, kit.taken),
            lambda made: made.rgba.nbytes,
        )

    def _finest(self, kit: KitPicture, place: Place, height: float, sheet: Sheet) -> int:
        """The longer side at which a drawing is rendered for a sheet, so that it stays sharp: a power of two."""
        if not is_drawing(kit.name):
            return SVG_LONGEST

        if isinstance(place, Along):
            return SVG_LONGEST

        def find() -> int:
            pose = sheet_pose(self.surface, place, height)
            if pose is None:
                return SVG_LONGEST
            needed = 2 * sheet.size * max(float(np.linalg.norm(pose.half_x)), float(np.linalg.norm(pose.half_y)))
            finest = SVG_LONGEST
            while finest < needed and finest < _FINEST:
                finest *= 2
            return finest

        return self.kept.get(("finest", place, height, sheet.size), find, lambda _: 64)

    def _pyramid(
        self, kit: KitPicture, flavour: Flavour, flip: bool = False, longest: int = SVG_LONGEST,
        warp: Warp | None = None,
    ) -> Pyramid:  # fmt: skip
        def make() -> Pyramid:
            picture = self.picture(kit)
            if longest != SVG_LONGEST:
                picture = read_picture(self.blobs[kit.digest], kit.name, kit.taken, longest)
            if flip:
                flipped: Any = np.ascontiguousarray(picture.rgba[:, ::-1])
                picture = replace(picture, rgba=flipped)
            if warp is None:
                return build_pyramid(picture, flavour)
            return pyramid_of(warped(premultiplied(picture.rgba, flavour), warp))

        return self._pyramids.get(
            ("pyramid", kit.digest, kit.taken, flavour, flip, longest, warp),
            make,
            lambda made: made.texels.nbytes,
        )

    def pose(self, place: OnSurface, height: float, chosen: Triangles | None) -> PlacedPicture:
        """A pose on the surface, worked out against the model; kept for a while."""
        placed = self._worked_out(
            (place, height, chosen), lambda allowed: put_on(self.surface.model, place, height, allowed)
        )
        assert isinstance(placed, PlacedPicture)
        return placed

    def stripe(self, place: Along, height: float, chosen: Triangles | None) -> Stripe:
        """A stripe, worked out against the model; kept for a while."""
        placed = self._worked_out(
            (place, height, chosen), lambda allowed: run_along(self.surface.model, place, height, allowed)
        )
        assert isinstance(placed, Stripe)
        return placed

    def _worked_out(
        self,
        key: tuple[OnSurface | Along, float, Triangles | None],
        work: Callable[[Bool | None], PlacedPicture | Stripe],
    ) -> PlacedPicture | Stripe:
        with self._lock:
            if key in self._placed:
                self._placed.move_to_end(key)
                return self._placed[key]
        placed = work(None if key[2] is None else self.surface.triangles_of(key[2]))
        with self._lock:
            self._placed[key] = placed
            while len(self._placed) > 32:
                self._placed.popitem(last=False)
        return placed

    # --- which chunks -----------------------------------------------------------------------------------------

    def chunks(self, project: Project, layer: Layer, map_name: str, sheet: Sheet) -> AbstractSet[Chunk]:
        """The chunks of a sheet's map that a layer may touch; for a group, those of all that it holds."""
        if not layer.scope.holds_sheet(sheet.key):
            return set()
        content = layer.content
        chosen = triangles_in(project, layer.scope)
        if isinstance(content, Group):
            inside = [self.chunks(project, child, map_name, sheet) for child in content.layers
                      if isinstance(child.content, Group) or map_name in child.active_channels()]  # fmt: skip
            return set[Chunk]().union(*inside)
        if isinstance(content, Brushwork):
            painted = content.sheets.get(str(sheet.key))
            return set() if painted is None else painted_chunks(painted, map_name, sheet.size)
        if isinstance(content, Decal):
            height = place_height(content.place, project.picture_size(content.picture))
            return self.place_chunks(content.place, height, chosen, sheet)
        if isinstance(content, Wash) and map_name in layer.channels:
            kit = self._kit(project, layer.channels[map_name], layer, sheet.key)
            if content.by == "tiles" and kit is None and layer.channels[map_name].picture is not None:
                return set()
        return self.scope_chunks(chosen, sheet)

    def place_chunks(self, place: Place, height: float, chosen: Triangles | None, sheet: Sheet) -> AbstractSet[Chunk]:
        """The chunks that a placed picture may touch."""

        def find() -> AbstractSet[Chunk]:
            if isinstance(place, Along):
                return stripe_chunks(self.stripe(place, height, chosen), sheet)
            box, tall = with_warp(place, height)
            if not isinstance(box, Lay):
                return touched_chunks(self.pose(box, tall, chosen), sheet)
            affine = lay_on_sheet(box, tall, sheet.key, sheet.size)
            if affine is not None and box.repeat:
                return every_chunk(sheet.size)
            return set() if affine is None else laid_chunks(affine, sheet.size)

        return self.kept.get(("chunks", place, height, chosen, sheet.key, sheet.size), find, lambda _: 1024)

    def scope_chunks(self, chosen: Triangles | None, sheet: Sheet) -> AbstractSet[Chunk]:
        """The chunks that chosen triangles may touch."""
        if chosen is None:
            return every_chunk(sheet.size)

        def find() -> AbstractSet[Chunk]:
            triangles = self.surface.triangles_of(chosen)
            assert triangles is not None
            return sheet.chunks_of(triangles[sheet.triangle])

        return self.kept.get(("part chunks", chosen, sheet.key, sheet.size), find, lambda _: 1024)

    # --- what is drawn ----------------------------------------------------------------------------------------

    def _kit(self, project: Project, channel: Channel, layer: Layer, key: SheetKey) -> KitPicture | None:
        """The picture that a layer takes for a map of a sheet; None if it takes none there."""
        own = layer.content.picture if isinstance(layer.content, Decal) else None
        name = channel.picture or own
        if name is None:
            return None
        if name in project.sequences:
            name = project.sequences[name].get(key.tile)
        return None if name is None else project.pictures[name]

    def stamp(self, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk) -> Stamp | None:
        """What a leaf layer gives to a chunk of a map; None for nothing."""
        channel, content = layer.channels[map_name], layer.content
        if isinstance(content, Brushwork):
            return self._painted_stamp(project, content, layer.scope, map_name, sheet, chunk)
        assert isinstance(content, Wash | Decal)
        chosen = triangles_in(project, layer.scope)
        if channel.source == "vertices":
            rgba = self._vertex_colours(chosen, sheet, chunk)
            return Stamp(rgba, rgba[..., 3])
        kit = self._kit(project, channel, layer, sheet.key)
        if kit is None:
            if channel.picture is not None or isinstance(content, Decal):
                return None  # a sequence without a picture for this tile
            return Stamp(None, self.scope_mask(chosen, sheet, chunk))
        # Where a value follows the alpha, the drawing that the colour map needs anyway will do.
        flavour = flavour_of(map_name if channel.source == "picture" else "colour", kit.taken)
        if isinstance(content, Decal):
            height = place_height(content.place, project.picture_size(content.picture))
            rgba = self.placed(kit, content.place, height, content.sampling, flavour, chosen, sheet, chunk)
        else:
            rgba = self._washed(kit, content, flavour, chosen, sheet, chunk)
        return Stamp(rgba, rgba[..., 3])

    def placed(
        self, kit: KitPicture, place: Place, height: float, sampling: Sampling, flavour: Flavour,
        chosen: Triangles | None, sheet: Sheet, chunk: Chunk,
    ) -> U16:  # fmt: skip
        """(r, c, 4) uint16 straight RGBA of a placed picture on a chunk."""

        def draw() -> U16:
            nearest, encode = sampling == "nearest", flavour == "colour"
            finest = self._finest(kit, place, height, sheet)
            if isinstance(place, Along):
                stripe = self.stripe(place, height, chosen)
                pyramid = self._pyramid(kit, flavour, longest=finest)
                return draw_stripe(stripe, sheet, chunk, pyramid, nearest, encode, place.flip)
            pyramid = self._pyramid(kit, flavour, place.flip, finest, place.warp)
            box, tall = with_warp(place, height)
            if not isinstance(box, Lay):
                return draw_placed(self.pose(box, tall, chosen), sheet, chunk, pyramid, nearest, encode)
            affine = lay_on_sheet(box, tall, sheet.key, sheet.size)
            assert affine is not None
            laid = draw_laid(affine, sheet.size, chunk, pyramid, nearest, encode, repeat=box.repeat)
            return self._cut(laid, chosen, sheet, chunk)

        key = (place, sampling, kit.digest, kit.taken, height, flavour, chosen, sheet.key, sheet.size, chunk)
        return self.kept.get(key, draw, lambda made: made.nbytes)

    def _washed(
        self, kit: KitPicture, wash: Wash, flavour: Flavour, chosen: Triangles | None, sheet: Sheet, chunk: Chunk
    ) -> U16:
        """(r, c, 4) uint16 straight RGBA of a wash's picture on a chunk."""

        def draw() -> U16:
            pyramid, nearest, encode = self._pyramid(kit, flavour), wash.sampling == "nearest", flavour == "colour"
            if wash.by == "triplanar":
                drawn = draw_triplanar(wash, sheet, chunk, pyramid, nearest, encode)
            else:
                repeat = wash.by != "tiles"  # a tile's own picture ends at the tile's border
                affine = repeat_on_sheet(wash, sheet.key, sheet.size) if repeat else whole_tile(sheet.size)
                drawn = draw_laid(affine, sheet.size, chunk, pyramid, nearest, encode, repeat=repeat)
            return self._cut(drawn, chosen, sheet, chunk)

        key = (wash, kit.digest, kit.taken, flavour, chosen, sheet.key, sheet.size, chunk)
        return self.kept.get(key, draw, lambda made: made.nbytes)

    def _vertex_colours(self, chosen: Triangles | None, sheet: Sheet, chunk: Chunk) -> U16:
        """(r, c, 4) uint16 straight RGBA of the colours that the model's points carry."""
        return self.kept.get(
            ("vertices", chosen, sheet.key, sheet.size, chunk),
            lambda: self._cut(draw_vertex_colours(sheet, chunk), chosen, sheet, chunk),
            lambda made: made.nbytes,
        )

    def _painted_stamp(
        self, project: Project, content: Brushwork, scope: Scope, map_name: str, sheet: Sheet, chunk: Chunk
    ) -> Stamp | None:
        painted = content.sheets.get(str(sheet.key))
        if painted is None:
            return None
        rgba = draw_painted(painted, map_name, sheet.size, chunk, self.blobs, self.kept)
        if rgba is None:
            return None
        mask = self.scope_mask(triangles_in(project, scope), sheet, chunk)
        if mask is not None:
            rgba = np.where(mask[..., None] == 0, np.uint16(0), rgba)
        return Stamp(rgba, rgba[..., 3])

    def _cut(self, rgba: U16, chosen: Triangles | None, sheet: Sheet, chunk: Chunk) -> U16:
        mask = self.scope_mask(chosen, sheet, chunk)
        if mask is not None:
            rgba[mask == 0] = 0
        return rgba

    def scope_mask(self, chosen: Triangles | None, sheet: Sheet, chunk: Chunk) -> U16 | None:
        """(r, c) uint16, 65535 on texels of chosen triangles; None for all."""
        if chosen is None:
            return None

        def draw() -> U16:
            triangles = self.surface.triangles_of(chosen)
            assert triangles is not None
            inside = sheet.owners(chunk, triangles[sheet.triangle]) >= 0
            return inside.astype(np.uint16) * np.uint16(65535)

        return self.kept.get(("part mask", chosen, sheet.key, sheet.size, chunk), draw, lambda made: made.nbytes)

    def owners(self, sheet: Sheet, chunk: Chunk) -> I32:
        """(r, c) int32, the row of ``sheet.xy`` that owns each texel of a chunk; -1 outside."""
        return self.kept.get(
            ("owners", sheet.key, sheet.size, chunk), lambda: sheet.owners(chunk), lambda made: made.nbytes
        )
