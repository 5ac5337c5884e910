"""What layers are drawn from: surface, contents, pictures and poses, each kept while there is room."""

from __future__ import annotations

import threading
from collections.abc import Hashable
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Any, cast

import numpy as np

from lucky_fern.core.arrays import I32, U16
from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.compositing.pictures import Pictures
from lucky_fern.core.pictures.picture import SVG_LONGEST, Picture, is_drawing
from lucky_fern.core.pictures.pyramid import Flavour
from lucky_fern.core.placing.along import Stripe
from lucky_fern.core.placing.leaning import frames, turn_normals
from lucky_fern.core.placing.modes import with_warp
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.way import Drawing, Texels, Worked, way_of
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import KitPicture, Project
from lucky_fern.core.project.ground import Grounds
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.plain import Sampling, Scope
from lucky_fern.core.sheets.grid import Chunk, SheetKey, every_chunk
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface, Triangles
from lucky_fern.core.survey.shelf import own_shelf
from lucky_fern.core.survey.survey import Survey

_FINEST = 4096  # pixels, of a drawing
ROOM = 1024 * 1024 * 1024  # bytes; four 2K sheets of a rich livery draw about 700 MB


@dataclass(frozen=True)
class Stamp:
    """What a layer gives to a chunk.

    ``rgba`` (r, c, 4) uint16, straight, for pictures; ``alpha`` (r, c) uint16 says where, None meaning
    everywhere.
    """

    rgba: U16 | None
    alpha: U16 | None


@dataclass(frozen=True)
class Put:
    """A picture as it is placed: everything that its drawing depends on."""

    kit: KitPicture
    place: Place
    height: float
    sampling: Sampling
    flavour: Flavour
    chosen: Triangles | None = None
    normals: bool = False  # it holds normals, which are turned into the surface's frame


def triangles_in(project: Project, scope: Scope) -> Triangles | None:
    """What of a scope chooses triangles; None where it takes all of a sheet."""
    if scope.parts is None and scope.islands is None and scope.selections is None:
        return None
    named = None if scope.selections is None else tuple(project.selections.get(name, "") for name in scope.selections)
    return scope.parts, scope.islands, named


class Sources:
    """Draws what layers are made of onto chunks of a surface."""

    def __init__(self, surface: Surface, blobs: Blobs, room: int = ROOM, pictures: Sources | None = None) -> None:
        """``pictures`` hands over the pictures that were read for another surface."""
        self.surface = surface
        self.blobs = blobs
        self.kept = Kept(room)
        self.below = Kept(room // 2)  # what lies below layers, composited
        self.pictures: Pictures = Pictures(blobs, room // 2) if pictures is None else pictures.pictures
        self.blended = 0  # layers put onto chunks since the start: tests read it
        self.posed = 0  # poses worked out since the start: tests read it
        self._poses = Kept(room // 4)
        self.survey = Survey(surface, own_shelf())
        self.grounds = Grounds()  # what layers depend on
        self.rims_lock = threading.RLock()
        self._lock = threading.Lock()

    def count_blend(self) -> None:
        """One layer more was put onto a chunk (by any of the threads)."""
        with self._lock:
            self.blended += 1

    def picture(self, kit: KitPicture) -> Picture:
        """A kit picture, read from its bytes."""
        return self.pictures.read(kit)

    # --- poses ------------------------------------------------------------------------------------------------

    def pose(self, place: Place, height: float, chosen: Triangles | None) -> PlacedPicture:
        """A pose on the surface, worked out against the model."""
        return cast(PlacedPicture, self.worked(place, height, chosen))

    def stripe(self, place: Place, height: float, chosen: Triangles | None) -> Stripe:
        """A stripe, worked out against the model."""
        return cast(Stripe, self.worked(place, height, chosen))

    def worked(self, place: Place, height: float, chosen: Triangles | None) -> Worked | None:
        """Any pose, worked out against the model; kept as long as there is room."""

        def work() -> tuple[Worked | None]:
            with self._lock:
                self.posed += 1
            allowed = None if chosen is None else self.surface.triangles_of(chosen)
            return (way_of(place).work(self.surface.model, place, height, allowed),)

        key: Hashable = (place, height, chosen)
        return self._poses.get(key, work, lambda made: 64 if made[0] is None else made[0].nbytes)[0]

    # --- which chunks -----------------------------------------------------------------------------------------

    def place_chunks(self, place: Place, height: float, chosen: Triangles | None, sheet: Sheet) -> AbstractSet[Chunk]:
        """The chunks that a placed picture may touch."""

        def find() -> AbstractSet[Chunk]:
            box, tall = with_warp(place, height)
            if sheet.key not in self._sheets_near(box, tall):
                return set()
            return way_of(box).chunks(self.worked(box, tall, chosen), box, tall, sheet)

        return self.kept.get(("chunks", place, height, chosen, sheet.key, sheet.size), find, lambda _: 1024)

    def _sheets_near(self, place: Place, height: float) -> AbstractSet[SheetKey]:
        """The sheets on which it may show: those of other decals need not be worked out."""

        def find() -> AbstractSet[SheetKey]:
            rows = way_of(place).near(self.surface.model, place, height)
            return set(self.surface.keys) if rows is None else self.surface.sheets_of(rows)

        return self.kept.get(("sheets near", place, height), find, lambda _: 1024)

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

    def placed(self, put: Put, sheet: Sheet, chunk: Chunk) -> U16:
        """(r, c, 4) uint16 straight RGBA of a placed picture on a chunk."""

        def draw() -> U16:
            place, way = put.place, way_of(put.place)
            box, tall = with_warp(place, put.height)
            flip, warp = getattr(place, "flip", False) and place.framed, getattr(place, "warp", None)
            leaning = place.width / put.height * put.kit.height / put.kit.width if put.normals else 0.0
            pyramid = self.pictures.pyramid(
                put.kit, put.flavour, flip, self._finest(put.kit, place, put.height, sheet), warp, leaning
            )
            worked = self.worked(box, tall, put.chosen)
            how = Drawing(pyramid, put.sampling == "nearest", put.flavour == "colour")
            rgba = way.draw(worked, box, tall, sheet, chunk, how)
            if not way.scoped:
                rgba = self.cut(rgba, put.chosen, sheet, chunk)
            if put.normals:
                turned = flip and warp is None

                def axes(texels: Texels) -> tuple[Any, Any]:
                    right, up = way.axes(worked, box, sheet, texels)
                    return (-right if turned else right), up

                self.turn(rgba, sheet, chunk, axes)
            return rgba

        return self.kept.get((put, sheet.key, sheet.size, chunk), draw, lambda made: made.nbytes)

    def turn(self, rgba: U16, sheet: Sheet, chunk: Chunk, axes: Any) -> None:
        """Turn normals that run along a picture's ``axes`` (of :class:`.way.Texels`) into the surface's frame."""
        rows, columns = (one.astype(np.int64) for one in np.nonzero(rgba[..., 3]))
        owner = self.owners(sheet, chunk)[rows, columns]
        inside = owner >= 0
        rows, columns, owner = rows[inside], columns[inside], owner[inside]
        if len(rows):
            position = sheet.positions(chunk, self.owners(sheet, chunk))[rows, columns]
            frame = frames(sheet, chunk, rows, columns, owner)
            turn_normals(rgba, (rows, columns), axes(Texels(sheet.triangle[owner], position)), frame)

    def _finest(self, kit: KitPicture, place: Place, height: float, sheet: Sheet) -> int:
        """The longer side at which a drawing is rendered for a sheet, so that it stays sharp: a power of two."""
        if not is_drawing(kit.name) or not place.framed:
            return SVG_LONGEST

        def find() -> int:
            pose = way_of(place).sheet_pose(self.surface, place, height)
            if pose is None:
                return SVG_LONGEST
            texels = np.array([sheet.size.width, sheet.size.height])
            needed = 2 * max(float(np.linalg.norm(half * texels)) for half in (pose.half_x, pose.half_y))
            finest = SVG_LONGEST
            while finest < needed and finest < _FINEST:
                finest *= 2
            return finest

        return self.kept.get(("finest", place, height, sheet.size), find, lambda _: 64)

    def cut(self, rgba: U16, chosen: Triangles | None, sheet: Sheet, chunk: Chunk) -> U16:
        """What is drawn on a chunk, without what lies outside the chosen triangles; changed in place."""
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
