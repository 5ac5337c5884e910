"""Copies of a placed picture: its twin on the other side, several in a row, or in a ring."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.placing.frame import Frame, pose_frame
from lucky_fern.core.placing.pose import move_to
from lucky_fern.core.placing.way import on_surface, way_of
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import OnSurface
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.surface import Surface


@dataclass(frozen=True)
class Move:
    """How what lies at a picture comes to its copy: p becomes ``turn`` @ p + ``shift``.

    ``mirror`` is the number of the coordinate and the place of the plane that it is mirrored across first, if any.
    """

    turn: F64
    shift: F64
    mirror: tuple[int, float] | None = None

    def back(self, points: F64, normals: F64) -> tuple[F64, F64]:
        """Where points (N, 3), and normals (N, 3) there, come from."""
        points, normals = (points - self.shift) @ self.turn, normals @ self.turn
        if self.mirror is not None:
            number, about = self.mirror
            points[:, number] = 2 * about - points[:, number]
            normals[:, number] = -normals[:, number]
        return points, normals

    def of(self, place: Place) -> Place | None:
        """A place moved along, as a mirror image where this mirrors; None for those that lie in UV space."""
        if not place.on_surface:
            return None
        way = way_of(place)
        if self.mirror is not None:
            place = way.mirrored(place, *self.mirror, False)
        turned = way.turned(place, self.turn, np.zeros(3))
        return None if turned is None else _shifted(turned, self.shift)


@dataclass(frozen=True)
class Copy:
    """Where a copy of a picture lies, and how it came there."""

    place: Place
    move: Move


def twin(one: Copy, axis: str, about: float, readable: bool = True) -> Copy:
    """The twin of a copy (or of a picture that has not moved) on the other side of the plane ``axis`` = ``about``."""
    number = "xyz".index(axis)
    mirrored = mirror_twin(one.place, axis, about, readable)
    if one.move.mirror is not None:
        raise ValueError("a twin has no twin")
    # Mirrored after it moved is moved, the other way round, after it was mirrored.
    flip = np.ones(3)
    flip[number] = -1
    there = np.zeros(3)
    there[number] = 2 * about
    turn = flip[:, None] * one.move.turn * flip
    shift = flip * one.move.shift + there - turn @ there
    return Copy(mirrored, Move(turn, shift, (number, about)))


def unmoved(place: Place) -> Copy:
    """A picture where it is."""
    return Copy(place, Move(np.eye(3), np.zeros(3)))


def mirror_twin(place: Place, axis: str, about: float, readable: bool = True) -> Place:
    """The twin of a picture on the other side of the plane ``axis`` = ``about``.

    ``readable`` keeps lettering the right way round; without it the twin is a mirror image.
    """
    number = "xyz".index(axis)
    made: Place = way_of(place).mirrored(place, number, about, readable)
    return made


def row(surface: Surface, place: OnSurface, count: int, gap: float) -> list[Copy]:
    """``count`` copies to the right of a picture, each on the surface, ``gap`` widths from middle to middle."""
    made: list[Copy] = []
    now, first = place, pose_frame(place)
    for _ in range(count):
        frame = pose_frame(now)
        target = frame.origin + frame.right * place.width * gap
        reach = place.width * max(gap, 1.0)
        hit = pick(surface.model, target + frame.towards * reach, -frame.towards)
        if hit is None or float((target - hit.position) @ frame.towards) > 2 * reach:
            break  # the surface ends here
        moved = move_to(surface, now, hit)
        now = on_surface(moved)
        made.append(Copy(now, _between(first, pose_frame(now))))
    return made


def ring(place: OnSurface, count: int, axis: F64, foot: F64) -> list[Copy]:
    """``count`` - 1 copies that make a full ring with the picture round an axis through ``foot``."""
    axis = unit_rows(np.asarray(axis, np.float64))
    made: list[Copy] = []
    for number in range(1, count):
        angle = 2 * np.pi * number / count
        cos, sin = np.cos(angle), np.sin(angle)
        cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
        turn = np.eye(3) + sin * cross + (1 - cos) * cross @ cross

        turned = way_of(place).turned(place, turn, foot)
        if turned is not None:
            made.append(Copy(turned, Move(turn, np.asarray(foot, np.float64) - turn @ foot)))
    return made


def _between(before: Frame, after: Frame) -> Move:
    turn = after.matrix.T @ before.matrix
    return Move(turn, after.origin - turn @ before.origin)


def _shifted(place: Place, shift: F64) -> Place | None:
    """A place moved through space: turned by half, twice, about two axes that are half as far apart."""
    if not shift.any():
        return place
    beside = np.cross(shift, np.eye(3)[int(np.abs(shift).argmin())])
    axis = unit_rows(beside)
    half = 2 * np.outer(axis, axis) - np.eye(3)
    way = way_of(place)
    once = way.turned(place, half, np.zeros(3))
    turned: Place | None = None if once is None else way.turned(once, half, shift / 2)
    return turned
