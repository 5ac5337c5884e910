"""Places that a decal or a point of a path would rather lie on: the model's middle, a selection's, others' edges."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, Bool, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import Frame, pose_frame
from lucky_fern.core.placing.pose import move_to
from lucky_fern.core.placing.way import on_surface
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import Framed, OnSurface
from lucky_fern.core.sheets.picking import SurfaceHit, pick
from lucky_fern.core.sheets.surface import Surface

_ALIKE = 0.7  # cosine between the faces of two decals whose edges can be brought in line
_STEP = 15.0  # degrees
_PAIRS = ((0.0, 0.0, "middle"), (1.0, 1.0, "edge"), (-1.0, -1.0, "edge"), (1.0, -1.0, "edge"), (-1.0, 1.0, "edge"))


@dataclass(frozen=True)
class Snapped:
    """A hit moved onto what it was near to, and what that was, in words ("" for nothing)."""

    hit: SurfaceHit
    to: str


def snapped_hit(model: Model, hit: SurfaceHit, within: float, chosen: Bool | None = None) -> Snapped:
    """A point of the surface brought onto the middle of what is ``chosen``, or a plane through the model's middle.

    ``within`` is how far, in model units, it may be moved.
    """
    if chosen is not None and chosen.any():
        middle = model.corners[chosen].reshape(-1, 3).mean(axis=0)
        moved = _onto(model, middle, hit, hit.normal)
        if moved is not None and np.linalg.norm(moved.position - hit.position) <= within:
            return Snapped(moved, "middle of the selection")
    about = model.bounds.mean(axis=0)
    # A plane that the surface runs along is no place on it.
    near = [number for number in range(3)
            if abs(hit.position[number] - about[number]) <= within and abs(hit.normal[number]) <= 0.98]  # fmt: skip
    for axes in (near, *([number] for number in near)) if near else ():
        wanted = hit.position.copy()
        wanted[axes] = about[axes]
        # Looked for within the planes, or a slanted surface would be met beside them.
        towards = hit.normal.copy()
        towards[axes] = 0.0
        if np.linalg.norm(towards) < 0.1:
            continue
        moved = _onto(model, wanted, hit, unit_rows(towards))
        if moved is not None and np.linalg.norm(moved.position - hit.position) <= 2 * within:
            return Snapped(moved, f"middle of {' and '.join('XYZ'[number] for number in axes)}")
    return Snapped(hit, "")


def _onto(model: Model, point: F64, hit: SurfaceHit, towards: F64) -> SurfaceHit | None:
    """The surface over or under a point, looked for along a direction."""
    reach = max(float(np.linalg.norm(point - hit.position)), 1e-3 * model.diagonal)
    found = pick(model, point + towards * reach, -towards)
    return found if found is not None and float(found.normal @ hit.normal) > 0 else None


def in_line(
    surface: Surface, place: OnSurface, height: float, others: Iterable[tuple[Place, float]], within: float
) -> tuple[OnSurface, list[str]]:
    """A decal moved so that a middle or an edge of it is in line with one of others near it; and with what.

    ``others`` come with their heights. Along each of its own two directions it is moved by ``within`` at most.
    """
    frame, half = pose_frame(place), np.array([place.width, height]) / 2
    best: list[tuple[float, float, str]] = [(within, 0.0, ""), (within, 0.0, "")]
    for other, tall in others:
        if not (other.framed and other.on_surface):
            continue
        there = pose_frame(on_surface(other))
        if there.towards @ frame.towards < _ALIKE:
            continue
        offset = there.origin - frame.origin
        middle = np.array([offset @ frame.right, offset @ frame.up])
        reach = _reach(there, frame, np.array([other.width, tall]) / 2)
        if (np.abs(middle) > 6 * (half + reach)).any():
            continue
        for axis in (0, 1):
            for mine, theirs, word in _PAIRS:
                shift = middle[axis] + theirs * reach[axis] - mine * half[axis]
                if abs(shift) < best[axis][0]:
                    best[axis] = (abs(shift), float(shift), word)
    words = [word for _, _, word in best if word]
    if not words:
        return place, []
    target = frame.origin + frame.right * best[0][1] + frame.up * best[1][1]
    hit = pick(surface.model, target + frame.towards * place.width, -frame.towards)
    if hit is None or float(np.linalg.norm(hit.position - target)) > place.width:
        return place, []
    moved = move_to(surface, place, hit)
    return on_surface(moved), [f"{word} of another decal" for word in dict.fromkeys(words)]


def _reach(there: Frame, frame: Frame, half: F64) -> F64:
    """Half of the box, along a frame's own two directions, of a picture in another."""
    right = abs(there.right @ frame.right) * half[0] + abs(there.up @ frame.right) * half[1]
    up = abs(there.right @ frame.up) * half[0] + abs(there.up @ frame.up) * half[1]
    return np.array([right, up])


def squared_up(place: Framed, within: float = 4.0) -> Framed:
    """A decal whose turn is within so many degrees of a multiple of 15 turned to it."""
    whole = round(place.rotate / _STEP) * _STEP
    return replace(place, rotate=whole) if 0 < abs(place.rotate - whole) <= within else place
