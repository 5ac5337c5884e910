"""What a brush is: its size and edge, its tip, and how its samples vary along a stroke."""

from __future__ import annotations

from typing import Literal, NamedTuple

import msgspec
import numpy as np

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.errors import CommandError
from lucky_fern.words import tr

On = Literal["surface", "sheet", "screen"]


class Pen(NamedTuple):
    """How a pen is held: its pressure, 0…1, and how far it leans to the right and up, 0 upright, 1 lying flat."""

    pressure: float = 1.0
    right: float = 0.0
    up: float = 0.0


class Brush(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a brush paints; ``radius`` in model units, ``hardness`` the share of it that is covered in full.

    ``flow`` is how much one sample covers, ``opacity`` how much a whole stroke does at most; samples lie ``spacing``
    radii apart. A ``tip`` (by name, see :mod:`.tips`) stands in for the round one, turned by ``angle`` degrees, or as
    the stroke runs (``follow``); ``aspect`` is its height over its width. Samples are moved aside by up to
    ``scatter`` radii, made smaller by up to ``size_jitter``, weaker by up to ``flow_jitter``, turned by up to
    ``angle_jitter`` degrees, and their hue by up to ``hue_jitter`` degrees. ``grain`` is how far a rough ground shows
    through, ``grain_size`` how large it is, in radii. Pressure works on the flow, or with ``sizes`` on the size; with
    ``leans`` a leaning pen turns the tip and makes it narrow. Only what faces within ``facing`` degrees of a
    sample is covered. A brush is round on its ``ground``: on the surface, in UV space or on the screen.
    """

    radius: float
    hardness: float = 0.7
    flow: float = 1.0
    opacity: float = 1.0
    spacing: float = 0.15
    tip: str | None = None
    angle: float = 0.0
    follow: bool = False
    scatter: float = 0.0
    size_jitter: float = 0.0
    flow_jitter: float = 0.0
    angle_jitter: float = 0.0
    grain: float = 0.0
    grain_size: float = 1.0
    sizes: bool = False
    ground: On = "surface"
    aspect: float = 1.0
    hue_jitter: float = 0.0
    leans: bool = False
    facing: float = 90.0


_NARROW = 0.8  # of its width that a tip loses where the pen lies flat
_RANGES = (
    ("hardness", 0, 1), ("flow", 0, 1), ("opacity", 0, 1), ("spacing", 0.01, 10), ("scatter", 0, 10),
    ("size_jitter", 0, 1),
    ("flow_jitter", 0, 1), ("angle_jitter", 0, 180), ("hue_jitter", 0, 180), ("grain", 0, 1),
    ("grain_size", 0.01, 100), ("aspect", 0.05, 20), ("facing", 0, 90),
)  # fmt: skip


def check_brush(brush: Brush) -> None:
    """Refuse brushes whose numbers are out of range.

    Raises
    ------
    CommandError
        With a sentence that names the key.
    """
    for name, low, high in _RANGES:
        if not low <= getattr(brush, name) <= high:
            raise CommandError(
                tr(
                    "{name} runs from {low:g} to {high:g}, not {getattr:g}",
                    name=name,
                    low=low,
                    high=high,
                    getattr=getattr(brush, name),
                )
            )
    if not (np.isfinite(brush.radius) and brush.radius > 0):
        raise CommandError(tr("radius must be above 0, not {radius:g}", radius=brush.radius))


def rights(normals: F64) -> F64:
    """(N, 3) the direction that counts as right on surfaces with these normals: level, where there is such a one."""
    right = np.cross(np.broadcast_to([0.0, 1.0, 0.0], normals.shape), normals)
    flat = np.linalg.norm(right, axis=1) < 0.1
    right[flat] = np.cross(normals[flat], [0.0, 0.0, 1.0])
    flat = np.linalg.norm(right, axis=1) < 1e-9
    right[flat] = [1.0, 0.0, 0.0]
    return unit_rows(right)


def sample_rows(
    brush: Brush, points: F64, normals: F64, directions: F64, pens: F64, number: int
) -> F64:  # fmt: skip
    """(N, 13) what the kernel needs of each sample: point, normal, right, radius, flow, aspect, turn of hue.

    ``directions`` (N, 3) is where the stroke runs, ``pens`` (N, 3) how it is held; ``number`` counts the samples
    before these, so that chance falls alike however a stroke is cut into pieces.
    """
    count = len(points)
    chance = np.zeros((count, 6))
    if brush.scatter or brush.size_jitter or brush.flow_jitter or brush.angle_jitter or brush.hue_jitter:
        chance = np.stack([np.random.default_rng((7, number + k)).uniform(-1, 1, 6) for k in range(count)])
    pressed = np.clip(pens[:, 0], 0, 1)
    along = directions - normals * (directions * normals).sum(axis=1)[:, None]
    right = rights(normals)
    if brush.follow:
        runs = np.linalg.norm(along, axis=1) > 1e-12
        right[runs] = along[runs]
    right = unit_rows(right)
    up = np.cross(normals, right)
    lean = np.minimum(np.hypot(pens[:, 1], pens[:, 2]), 1.0) if brush.leans else np.zeros(count)
    leaning = np.where(lean > 0.02, np.degrees(np.arctan2(pens[:, 2], pens[:, 1])), 0.0)
    angle = np.radians(brush.angle + leaning + chance[:, 0] * brush.angle_jitter)[:, None]
    turned = np.cos(angle) * right + np.sin(angle) * up
    if brush.scatter:
        aside = chance[:, 1:2] * right + chance[:, 2:3] * up
        points = points + aside * brush.scatter * brush.radius
    radius = brush.radius * (1 - brush.size_jitter * (chance[:, 3] + 1) / 2)
    flow = brush.flow * (1 - brush.flow_jitter * (chance[:, 4] + 1) / 2)
    if brush.sizes:
        radius = radius * np.maximum(pressed, 0.05)
    else:
        flow = flow * pressed
    aspect = brush.aspect * (1 - _NARROW * lean)
    return np.column_stack([points, normals, turned, radius, flow, aspect, chance[:, 5] * brush.hue_jitter])
