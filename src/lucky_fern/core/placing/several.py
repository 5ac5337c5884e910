"""Several decals put in order: in line, evenly apart, or evenly round an axis."""

from __future__ import annotations

from typing import Literal

import numpy as np

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.errors import CommandError
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.pose import cylinder_middle, hit_under, move_to
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.places import OnSurface
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

Order = Literal["line", "apart", "round"]


def in_order(surface: Surface, places: list[OnSurface], order: Order) -> list[OnSurface]:
    """Places of decals put in order; the outermost two stay.

    ``line`` moves those between them onto the line that joins them, ``apart`` spaces them evenly along it as well,
    ``round`` spreads all evenly round the axis of the part under the first.

    Raises
    ------
    CommandError
        If there are too few, or one of them would leave the surface.
    """
    if len(places) < (2 if order == "round" else 3):
        raise CommandError(tr("select three decals or more: the outermost stay, those between are moved"))
    origins = np.array([pose_frame(place).origin for place in places])
    if order == "round":
        return _round(surface, places, origins)
    # The two that lie farthest apart are the ends.
    far = np.linalg.norm(origins[:, None] - origins[None], axis=2)
    first, last = np.unravel_index(int(far.argmax()), far.shape)
    start, way = origins[first], origins[last] - origins[first]
    share = (origins - start) @ way / max(float(way @ way), 1e-300)
    order_ = np.argsort(share)
    made = list(places)
    for rank, number in enumerate(order_):
        if number in (first, last):
            continue
        at = rank / (len(places) - 1) if order == "apart" else share[number]
        made[number] = _at(surface, places[number], start + at * way)
    return made


def _at(surface: Surface, place: OnSurface, target: F64) -> OnSurface:
    """A place with its middle over or under a point."""
    frame = pose_frame(place)
    reach = float(np.linalg.norm(target - frame.origin)) + place.width
    hit = pick(surface.model, target + frame.towards * reach, -frame.towards)
    if hit is None:
        raise CommandError(tr("one of them would lie beside the model; nothing was moved"))
    moved = move_to(surface, place, hit)
    return on_surface(moved)


def _round(surface: Surface, places: list[OnSurface], origins: F64) -> list[OnSurface]:
    model = surface.model
    hit = hit_under(model, places[0])
    if hit is None:
        raise CommandError(tr("the first of them lies on nothing"))
    part = model.part == model.part[hit.triangle]
    # The axis that their places lie flattest across.
    spread = np.linalg.svd(origins - origins.mean(axis=0))[2]
    number = int(np.abs(spread[-1]).argmax()) if len(places) > 2 else 1
    axis = np.eye(3)[number]
    foot = cylinder_middle(model.corners[part], model.face_normals[part], axis)
    offset = origins - foot
    offset -= np.outer(offset @ axis, axis)
    radius = np.linalg.norm(offset, axis=1)
    if radius.min() <= 1e-9 * model.diagonal:
        raise CommandError(tr("one of them lies on the axis; move it off first"))
    x = unit_rows(offset[0])
    y = np.cross(axis, x)
    angle = np.arctan2(offset @ y, offset @ x) % (2 * np.pi)
    made = list(places)
    height = (origins - foot) @ axis
    for rank, at in enumerate(np.argsort(angle)):
        if rank == 0:
            continue
        turn = 2 * np.pi * rank / len(places)
        out = np.cos(turn) * x + np.sin(turn) * y
        target = foot + axis * height[at] + out * radius[at]
        hit = pick(model, target + out * radius[at], -out)
        if hit is None:
            raise CommandError(tr("one of them would lie beside the model; nothing was moved"))
        moved = move_to(surface, places[at], hit)
        made[at] = on_surface(moved)
    return made
