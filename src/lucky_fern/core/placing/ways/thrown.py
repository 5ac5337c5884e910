"""Thrown pictures: straight through the air."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import Any

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, I64, U16, Bool
from lucky_fern.core.model.gradients import axes_of
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.placed import PlacedPicture, draw_placed, touched_chunks
from lucky_fern.core.placing.throw import rows_near, throw
from lucky_fern.core.placing.way import Drawing, Texels, Way, under_throw, unit
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.core.sheets.sheet import Sheet


class OnSurfaceWay(Way):
    """Poses that are :class:`.placed.PlacedPicture` when they are worked out."""

    def chunks(self, worked: PlacedPicture, place: object, height: float, sheet: Sheet) -> AbstractSet[Chunk]:
        return touched_chunks(worked, sheet)

    def draw(
        self, worked: PlacedPicture, place: object, height: float, sheet: Sheet, chunk: Chunk, how: Drawing
    ) -> U16:
        return draw_placed(worked, sheet, chunk, how.pyramid, how.nearest, how.encode)

    def axes(self, worked: PlacedPicture, place: Any, sheet: Sheet, texels: Texels) -> tuple[F64, F64]:
        at = worked.find(texels.triangle)
        right, up = axes_of(sheet.model.corners[texels.triangle], worked.corners[np.maximum(at, 0)][..., :2])
        if worked.beyond is not None and (at < 0).any():
            more = self.axes(worked.beyond, place, sheet, Texels(texels.triangle[at < 0], texels.position[at < 0]))
            right[at < 0], up[at < 0] = more
        return right, up


class Thrown(OnSurfaceWay):
    def work(self, model: Model, place: Throw, height: float, allowed: Bool | None = None) -> PlacedPicture:
        return throw(model, place, height, allowed)

    def near(self, model: Model, place: Throw, height: float) -> I64 | None:
        return rows_near(model, place, height)

    def axes(self, worked: PlacedPicture, place: Throw, sheet: Sheet, texels: Texels) -> tuple[F64, F64]:
        """Right and up of the picture, slid along the rays onto the face: those are the lines it shows there."""
        frame = pose_frame(place)
        normal = sheet.model.face_normals[texels.triangle]
        ray = np.broadcast_to(frame.towards, normal.shape)
        if place.lens is not None:
            ray = frame.origin + frame.towards * place.lens - texels.position
        facing = (ray * normal).sum(axis=1, keepdims=True)
        facing = np.where(np.abs(facing) < 1e-12, np.inf, facing)
        right = frame.right - ray * (normal @ frame.right)[:, None] / facing
        return right, frame.up - ray * (normal @ frame.up)[:, None] / facing

    def hit_under(self, model: Model, place: Throw) -> SurfaceHit | None:
        return under_throw(model, np.asarray(place.point, np.float64), unit(place.normal), place.depth)

    def scaled(self, place: Throw, grown: float) -> Throw:
        stand = None if place.stand_off is None else place.stand_off * grown
        return replace(place, depth=place.depth * grown, stand_off=stand)

    def depth(self, place: Throw) -> float:
        return np.inf if place.lens is not None or place.repeat else place.depth
