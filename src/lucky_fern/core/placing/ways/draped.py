"""Draped pictures: along the surface, from the middle."""

from __future__ import annotations

from typing import ClassVar

from lucky_fern.core.arrays import Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.drape import drape, start_of
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.ways.thrown import OnSurfaceWay
from lucky_fern.core.project.places import Drape
from lucky_fern.core.sheets.picking import SurfaceHit


class Draped(OnSurfaceWay):
    follows: ClassVar[bool] = True

    def work(self, model: Model, place: Drape, height: float, allowed: Bool | None = None) -> PlacedPicture:
        return drape(model, place, height, allowed)

    def hit_under(self, model: Model, place: Drape) -> SurfaceHit | None:
        return start_of(model, place)
