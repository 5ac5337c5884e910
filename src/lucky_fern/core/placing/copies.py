"""Copies of a placed picture: its twin on the other side, several in a row, or in a ring."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.pose import move_to
from lucky_fern.core.project.commands.checks import distance_from_axis
from lucky_fern.core.project.places import Along, Drape, Lay, OnSurface, Place, Roll, Throw
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.surface import Surface


def mirror_twin(place: OnSurface | Along, axis: str, about: float, readable: bool = True) -> OnSurface | Along:
    """The twin of a picture on the other side of the plane ``axis`` = ``about``.

    ``readable`` keeps lettering the right way round; without it the twin is a mirror image.
    """
    number = "xyz".index(axis)
    if isinstance(place, Along):
        return _mirrored_stripe(place, number, about, readable)
    if isinstance(place, Roll):
        point = _moved(place.point, number, about)
        foot = _moved(place.axis_point, number, about)
        along = np.array(place.axis)
        along[number] = -along[number]
        # Upside down along a mirrored axis would be upside down lettering.
        if np.argmax(np.abs(along)) == number:
            along = -along
        made: OnSurface = replace(place, axis_point=foot, axis=_point(along), point=point)
    else:
        normal, up = np.array(place.normal), np.array(place.up)
        normal[number], up[number] = -normal[number], -up[number]
        point = _moved(place.point, number, about)
        made = replace(place, point=point, normal=_point(normal), up=_point(up))
    return replace(made, rotate=-place.rotate, flip=place.flip if readable else not place.flip)


def _mirrored_stripe(place: Along, number: int, about: float, readable: bool) -> Along:
    """The other way round, so that what is up in the picture stays up."""
    points = tuple(_moved(point, number, about) for point in reversed(place.points))
    normals = tuple(_moved(normal, number, 0.0) for normal in reversed(place.normals))
    flip = place.flip if readable else not place.flip
    return replace(place, points=points, normals=normals, taper=place.taper[::-1], flip=flip)


def _moved(point: tuple[float, float, float], number: int, about: float) -> tuple[float, float, float]:
    out = list(point)
    out[number] = 2 * about - out[number]
    return out[0], out[1], out[2]


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
        assert not isinstance(moved, Lay)
        now = moved
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

        def carried(point: tuple[float, float, float], turn: F64 = turn) -> tuple[float, float, float]:
            return _point(turn @ (np.asarray(point) - foot) + foot)

        if isinstance(place, Throw | Drape):
            made.append(replace(place, point=carried(place.point), normal=_point(turn @ np.asarray(place.normal)),
                                up=_point(turn @ np.asarray(place.up))))  # fmt: skip
        else:
            moved = replace(place, point=carried(place.point))
            if distance_from_axis(moved) > 0:
                made.append(moved)
    return made


def _point(vector: F64) -> tuple[float, float, float]:
    x, y, z = (float(f"{value:.9g}") for value in vector)
    return x + 0.0, y + 0.0, z + 0.0
