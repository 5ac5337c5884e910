"""The space that a thrown picture reaches, as lines: its box (or the stump of its pyramid) and its facing limit."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.project.places import Throw

_RIB = 0.35  # of the picture's width: how long the lines are that show the facing limit
_ROUND = 24


def reach_lines(place: Throw, height: float) -> list[F64]:
    """Lines (N, 3) in the world: near and far end, the edges between them, and the cone of normals it accepts."""
    frame = pose_frame(place)
    half = np.array([place.width, height]) / 2
    square = np.array([[-1, 1], [1, 1], [1, -1], [-1, -1], [-1, 1]], np.float64)
    ends = []
    for deep in (place.depth, -place.depth):
        if place.lens is not None:
            deep = min(deep, 0.98 * place.lens)
        share = 1.0 if place.lens is None else (place.lens - deep) / place.lens
        corner = square * half * share
        ends.append(frame.origin + corner[:, :1] * frame.right + corner[:, 1:] * frame.up + deep * frame.towards)
    lines = [*ends, *(np.stack([ends[0][k], ends[1][k]]) for k in range(4))]
    limit = np.radians(min(place.angle_limit, 179.0))
    angle = np.linspace(0, 2 * np.pi, _ROUND + 1)
    around = np.cos(angle)[:, None] * frame.right + np.sin(angle)[:, None] * frame.up
    rim = frame.origin + _RIB * place.width * (np.cos(limit) * frame.towards + np.sin(limit) * around)
    lines.append(rim)
    lines += [np.stack([frame.origin, rim[k]]) for k in range(0, _ROUND, _ROUND // 4)]
    return lines
