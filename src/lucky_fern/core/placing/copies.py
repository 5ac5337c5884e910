"""Copies of a placed picture: its twin on the other side, several in a row, or in a ring."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.pose import move_to
from lucky_fern.core.placing.way import on_surface, way_of
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import OnSurface
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.surface import Surface


def mirror_twin(place: Place, axis: str, about: float, readable: bool = True) -> Place:
    """The twin of a picture on the other side of the plane ``axis`` = ``about``.

    ``readable`` keeps lettering the right way round; without it the twin is a mirror image.
    """
    number = "xyz".index(axis)
    made: Place = way_of(place).mirrored(place, number, about, readable)
    return made


def row(surface: Surface, place: OnSurface, count: int, gap: float) -> list[Place]:
    """``count`` copies to the right of a picture, each on the surface, ``gap`` widths from middle to middle."""
    made: list[Place] = []
    now = place
    for _ in range(count):
        frame = pose_frame(now)
        target = frame.origin + frame.right * place.width * gap
        reach = place.width * max(gap, 1.0)
        hit = pick(surface.model, target + frame.towards * reach, -frame.towards)
        if hit is None or float((target - hit.position) @ frame.towards) > 2 * reach:
            break  # the surface ends here
        moved = move_to(surface, now, hit)
        now = on_surface(moved)
        made.append(now)
    return made


def ring(place: OnSurface, count: int, axis: F64, foot: F64) -> list[Place]:
    """``count`` - 1 copies that make a full ring with the picture round an axis through ``foot``."""
    axis = unit_rows(np.asarray(axis, np.float64))
    made: list[Place] = []
    for number in range(1, count):
        angle = 2 * np.pi * number / count
        cos, sin = np.cos(angle), np.sin(angle)
        cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
        turn = np.eye(3) + sin * cross + (1 - cos) * cross @ cross

        turned = way_of(place).turned(place, turn, foot)
        if turned is not None:
            made.append(turned)
    return made
