"""Slides: pictures held before the eye, as throws from where the eye is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.project.places import Point, Throw


@dataclass(frozen=True)
class Eye:
    """Who looks: ``axes`` (3, 3) right, up and back; the ``target`` looked at; how far the eye is from it.

    ``half`` is half of what is seen from top to bottom at the target, in model units; with ``parallel`` all rays
    run alike.
    """

    axes: F64
    target: F64
    distance: float
    half: float
    parallel: bool

    @property
    def place(self) -> F64 | None:
        """(3,) where it is; None where all rays run alike."""
        return None if self.parallel else self.target + self.axes[2] * self.distance


@dataclass(frozen=True)
class Held:
    """Where a slide is held: ``offset`` (2,) of its middle and its ``width``, in halves of the view's height."""

    offset: tuple[float, float]
    width: float
    rotate: float


def held_throw(eye: Eye, held: Held, like: Throw | None = None) -> Throw:
    """The throw that a slide held before an eye is; whatever else is taken over from ``like``."""
    right, up, back = eye.axes
    point = eye.target + (right * held.offset[0] + up * held.offset[1]) * eye.half
    towards = back if eye.place is None else eye.place - point
    base = like or Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 1.0)
    lens = None if eye.parallel else float(np.linalg.norm(towards))
    changes = {"point": _point(point), "normal": _point(towards / np.linalg.norm(towards)), "up": _point(up)}
    return replace(base, width=held.width * eye.half, rotate=held.rotate, lens=lens, **changes)


def held_of(eye: Eye, place: Throw) -> Held:
    """Where before an eye a throw's picture is held, as well as its middle, width and turn tell."""
    right, up, back = eye.axes
    frame = pose_frame(place)
    offset = frame.origin - eye.target
    deep = float(offset @ back)
    share = 1.0 if eye.parallel else eye.distance / max(eye.distance - deep, 1e-9)
    x, y = float(offset @ right) * share / eye.half, float(offset @ up) * share / eye.half
    return Held((x, y), place.width * share / eye.half, place.rotate)


def corners_of(place: Throw, height: float) -> F64:
    """(4, 3) corners of a throw's picture in the air: upper left first, clockwise as seen from the lens."""
    frame = pose_frame(place)
    x, y = frame.right * place.width / 2, frame.up * height / 2
    return np.array([frame.origin - x + y, frame.origin + x + y, frame.origin + x - y, frame.origin - x - y])


def printed(place: Throw, reach: float) -> Throw:
    """A slide's throw as a decal has it: it reaches through the whole model, and fades where faces turn away."""
    return replace(place, depth=reach, angle_limit=86.0, fade=14.0)


def _point(vector: F64) -> Point:
    x, y, z = (float(f"{value:.9g}") for value in vector)
    return x + 0.0, y + 0.0, z + 0.0
