"""Rolled pictures: round an axis."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.roll import roll
from lucky_fern.core.placing.way import as_point, mirrored_point
from lucky_fern.core.placing.ways.thrown import OnSurfaceWay
from lucky_fern.core.project.places import Roll, distance_from_axis
from lucky_fern.core.sheets.picking import SurfaceHit, pick
from lucky_fern.core.sheets.surface import Surface


class Rolled(OnSurfaceWay):
    def work(self, model: Model, place: Roll, height: float, allowed: Bool | None = None) -> PlacedPicture:
        return roll(model, place, height, allowed)

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
