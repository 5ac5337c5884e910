"""What a stroke is measured on: the surface itself, the UV space of a material, or the screen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F32, F64, I64, Bool, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.painting.cover import any_near
from lucky_fern.core.placing.bent import through_lens
from lucky_fern.core.placing.slide import Eye

_FAR = 1e9  # where triangles go that lie nowhere on a ground
_NEAREST = 0.02  # of the eye's distance: triangles that come nearer to the eye are left out


@dataclass(frozen=True)
class Ground:
    """Corners (T, 3, 3) and normals (T, 3, 3) of all triangles there, and balls round them.

    ``weights`` (T, 3), or (0, 3), are those of corners seen through a lens. ``curved`` says that it is the
    surface, on which samples between two points must be brought down.
    """

    corners: F64
    normals: F32
    middle: F64
    ball: F64
    weights: F64
    curved: bool = False
    eye: Eye | None = None

    def place(self, point: F64, normal: F64) -> tuple[F64, F64]:
        """A point of the surface (of UV space, there) and its normal, as they lie on this ground."""
        if self.eye is None:
            return point, unit_rows(normal)
        return _flattened(point[None], self.eye)[0][0], np.array([0.0, 0.0, 1.0])

    def near(self, points: F64, radius: float) -> I64:
        """Rows of the triangles whose ball comes within a radius of any point (N, 3)."""
        low, high = points.min(axis=0) - radius, points.max(axis=0) + radius
        ball = self.ball[:, None]
        rows = np.flatnonzero(((self.middle + ball >= low) & (self.middle - ball <= high)).all(axis=1))
        if len(points) > 1 and len(rows) > 64:
            rows = rows[any_near(self.middle[rows], self.ball[rows], points, radius)]
        return rows


def surface_ground(model: Model) -> Ground:
    """The surface itself: a brush is round in space."""
    return Ground(model.corners, model.normals, *model.balls, np.zeros((0, 3)), curved=True)


def sheet_ground(model: Model, material: str) -> Ground:
    """The UV space of a material, in tiles; other materials lie nowhere."""
    mine: Bool = np.asarray(model.material == model.materials.index(material)) & model.has_uv
    corners = np.concatenate([model.uv, np.zeros((model.triangle_count, 3, 1))], axis=2)
    return _flat(corners, mine, np.ones((model.triangle_count, 3), np.float32), np.zeros((0, 3)), None)


def screen_ground(model: Model, eye: Eye) -> Ground:
    """What an eye sees, flat, in model units at its target: a brush is round on the screen."""
    corners, weights = _flattened(model.corners, eye)
    towards = np.broadcast_to(eye.axes[2], model.corners.shape) if eye.place is None else eye.place - model.corners
    facing = (model.normals * towards).sum(axis=2).astype(np.float32)
    ahead: Bool = np.asarray((weights > _NEAREST).all(axis=1))
    return _flat(corners, ahead, facing, weights if eye.place is not None else np.zeros((0, 3)), eye)


def _flattened(points: F64, eye: Eye) -> tuple[F64, F64]:
    """Points (..., 3) as an eye sees them, flat, and their weights (...)."""
    frame = (points - eye.target) @ eye.axes.T
    weights = np.ones(points.shape[:-1])
    if not eye.parallel:
        frame, weights = through_lens(frame, eye.distance)
    frame[..., 2] = 0.0
    return frame, weights


def _flat(corners: F64, there: Bool, facing: F32, weights: F64, eye: Eye | None) -> Ground:
    corners[~there] = _FAR
    normals = np.zeros(corners.shape, np.float32)
    normals[..., 2] = facing
    middle = corners.mean(axis=1)
    ball = np.sqrt(((corners - middle[:, None]) ** 2).sum(axis=2).max(axis=1))
    return Ground(corners, normals, middle, ball, weights, eye=eye)
