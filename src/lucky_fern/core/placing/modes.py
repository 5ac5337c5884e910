"""The ways of placing a picture on the surface, behind one door."""

from __future__ import annotations

from lucky_fern.core.arrays import Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.warp import reach_of
from lucky_fern.core.placing.way import way_of
from lucky_fern.core.project.kinds import Place, altered
from lucky_fern.core.project.places import OnSurface


def put_on(model: Model, place: OnSurface, height: float, allowed: Bool | None = None) -> PlacedPicture:
    """Work out any pose on the surface. ``allowed`` (T,) bool leaves out triangles (a scope by parts)."""
    worked = way_of(place).work(model, place, height, allowed)
    assert isinstance(worked, PlacedPicture)
    return worked


def with_warp(place: Place, height: float) -> tuple[Place, float]:
    """The place and height of the box that a pulled picture fills; as they are where nothing is pulled."""
    warp = getattr(place, "warp", None)
    if warp is None:
        return place, height
    reach = reach_of(warp)
    tall = height * reach
    return altered(place, width=place.width * reach, height=tall), tall
