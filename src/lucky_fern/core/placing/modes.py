"""The ways of placing a picture on the surface, behind one door."""

from __future__ import annotations

from msgspec.structs import replace

from lucky_fern.core.arrays import Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.drape import drape
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.roll import roll
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.placing.warp import reach_of
from lucky_fern.core.project.places import Drape, Framed, OnSurface, Roll


def put_on(model: Model, place: OnSurface, height: float, allowed: Bool | None = None) -> PlacedPicture:
    """Work out any pose on the surface. ``allowed`` (T,) bool leaves out triangles (a scope by parts)."""
    if isinstance(place, Drape):
        return drape(model, place, height, allowed)
    if isinstance(place, Roll):
        return roll(model, place, height, allowed)
    return throw(model, place, height, allowed)


def with_warp(place: Framed, height: float) -> tuple[Framed, float]:
    """The place and height of the box that a pulled picture fills; as they are where nothing is pulled."""
    if place.warp is None:
        return place, height
    reach = reach_of(place.warp)
    tall = height * reach
    return replace(place, width=place.width * reach, height=tall), tall
