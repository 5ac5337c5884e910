"""Rolled pictures: round an axis."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, Bool, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.roll import roll
from lucky_fern.core.placing.way import Texels, as_point, mirrored_point
from lucky_fern.core.placing.ways.thrown import OnSurfaceWay
from lucky_fern.core.project.places import Roll, distance_from_axis
from lucky_fern.core.sheets.picking import SurfaceHit, pick
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface


class Rolled(OnSurfaceWay):
    def work(self, model: Model, place: Roll, height: float, allowed: Bool | None = None) -> PlacedPicture:
        return roll(model, place, height, allowed)

    def axes(self, worked: PlacedPicture, place: Roll, sheet: Sheet, texels: Texels) -> tuple[F64, F64]:
        """Right and up of the picture at each texel, slid along the rays from the axis onto the face."""
        frame = pose_frame(replace(place, rotate=0.0))
        ray = texels.position - np.asarray(place.axis_point, np.float64)
        ray = unit_rows(ray - frame.up * (ray @ frame.up)[:, None])
        round_ = np.cross(frame.up, ray)
        normal = sheet.model.face_normals[texels.triangle]
        facing = (ray * normal).sum(axis=1, keepdims=True)
        facing = np.where(np.abs(facing) < 1e-12, np.inf, facing)
        right = round_ - ray * (normal * round_).sum(axis=1, keepdims=True) / facing
        up = frame.up - ray * (normal @ frame.up)[:, None] / facing
        cos, sin = np.cos(np.radians(place.rotate)), np.sin(np.radians(place.rotate))
        return right * cos + up * sin, up * cos - right * sin

    def hit_under(self, model: Model, place: Roll) -> SurfaceHit | None:
        frame = pose_frame(place)
        hit = pick(model, frame.origin + frame.towards * model.diagonal, -frame.towards)
        far = distance_from_axis(place)
        return hit if hit is not None and float((hit.position - frame.origin) @ frame.towards) > -far else None

    def moved(self, surface: Surface, place: Roll, hit: SurfaceHit) -> Roll:
        moved = replace(place, point=as_point(hit.position))
        return moved if distance_from_axis(moved) > 0 else place

    def mirrored(self, place: Roll, number: int, about: float, readable: bool) -> Roll:
        along = np.array(place.axis)
        along[number] = -along[number]
        # Upside down along a mirrored axis would be upside down lettering.
        if np.argmax(np.abs(along)) == number:
            along = -along
        foot, point = (mirrored_point(one, number, about) for one in (place.axis_point, place.point))
        made = replace(place, axis_point=foot, axis=as_point(along), point=point)
        return replace(made, rotate=-place.rotate, flip=place.flip if readable else not place.flip)

    def turned(self, place: Roll, turn: F64, foot: F64) -> Roll | None:
        axis_point, point = (
            as_point(turn @ (np.asarray(one) - foot) + foot) for one in (place.axis_point, place.point)
        )
        moved = replace(place, axis_point=axis_point, axis=as_point(turn @ np.asarray(place.axis)), point=point)
        return moved if distance_from_axis(moved) > 0 else None

    def standing(self, place: Roll) -> None:
        return None
