"""Laying faces flat by a formula: straight along an axis, unrolled round one, or as the sides of a box.

Every function answers with places (N, 3, 2) in model units, counter-clockwise as seen by who looks; where on
which tile they go is :mod:`.room`'s matter.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, triangle_areas, unit_rows
from lucky_fern.core.model.model import Model, groups, shared_edges

AXES = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]], np.float64)


def frame_of(direction: F64, up: F64 | None = None) -> F64:
    """(3, 3) rows right, up and towards, for who looks against ``direction``.

    Without ``up``, what is up in the model is up in the picture; seen from above or below, its back is.
    """
    towards = direction / np.linalg.norm(direction)
    for candidate in (up, np.array([0.0, 1.0, 0.0]), np.array([0.0, 0.0, -np.sign(towards[1]) or -1.0])):
        if candidate is None:
            continue
        right = np.cross(candidate, towards)
        if np.linalg.norm(right) > 1e-6 * max(float(np.linalg.norm(candidate)), 1e-300):
            right /= np.linalg.norm(right)
            return np.stack([right, np.cross(towards, right), towards])
    raise AssertionError("one of two axes is never parallel")


def best_direction(corners: F64) -> F64:
    """The direction that triangles (N, 3, 3) face as a whole.

    An axis of the model where that is nearly as good (within 10 degrees), since that is what was meant then.
    """
    total = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).sum(axis=0)
    if np.linalg.norm(total) < 1e-9 * max(float(triangle_areas(corners).sum()), 1e-300):
        # They face all ways alike: look along the direction in which they are thinnest.
        points = corners.reshape(-1, 3) - corners.reshape(-1, 3).mean(axis=0)
        total = np.linalg.svd(points, full_matrices=False)[2][2]
    total = total / np.linalg.norm(total)
    near = AXES @ total
    return np.asarray(AXES[near.argmax()] if near.max() > np.cos(np.radians(10)) else total, np.float64)


def along_axis(corners: F64, direction: F64, up: F64 | None = None) -> F64:
    """Triangles (N, 3, 3) seen from far away along ``direction``."""
    right, top, _ = frame_of(direction, up)
    return np.stack([corners @ right, corners @ top], axis=-1)


def best_cylinder(corners: F64) -> tuple[F64, F64]:
    """Axis (3,) and a point of it (3,) for triangles that lie round something like a cylinder.

    The axis is the direction that the normals have least of; the point the centre of the circle that fits
    the corners seen along it best (I. Kåsa, "A Circle Fitting Procedure and Its Error Analysis", 1976).
    """
    normals = unit_rows(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    weight = triangle_areas(corners)
    values, vectors = np.linalg.eigh((normals * weight[:, None]).T @ normals)
    axis = vectors[:, 0] if values[0] < 0.5 * values[1] else np.array([0.0, 1.0, 0.0])
    near = AXES @ axis
    axis = AXES[near.argmax()] if near.max() > np.cos(np.radians(5)) else axis
    if axis[np.abs(axis).argmax()] < 0:
        axis = -axis
    right, top, _ = frame_of(axis)
    points = corners.reshape(-1, 3)
    x, y = points @ right, points @ top
    system = np.stack([x, y, np.ones_like(x)], axis=1)
    a, b, _ = np.linalg.lstsq(system, x * x + y * y, rcond=None)[0]
    return axis, right * a / 2 + top * b / 2


def round_axis(corners: F64, axis: F64, point: F64) -> F64:
    """Triangles (N, 3, 3) unrolled: u the arc at their mean distance from the axis, v along it.

    The roll is cut where the faces leave the widest gap, or opposite to where most of them face.
    """
    axis = axis / np.linalg.norm(axis)
    right, top, _ = frame_of(axis)
    offset = corners - point
    x, y = offset @ right, offset @ top
    along = offset @ axis
    radius = np.hypot(x, y)
    turn = np.arctan2(y, x)  # grows counter-clockwise seen against the axis: to the right, seen from outside
    middle = np.arctan2(y.mean(axis=1), x.mean(axis=1))
    turn = middle[:, None] + np.angle(np.exp(1j * (turn - middle[:, None])))  # no triangle is torn apart
    cut = _widest_gap(np.sort(np.mod(middle, 2 * np.pi)))
    turn = turn - 2 * np.pi * np.floor((middle - cut) / (2 * np.pi))[:, None]
    on_axis = radius < 1e-9 * max(float(radius.max()), 1e-300)
    turn = np.where(on_axis, middle[:, None] - 2 * np.pi * np.floor((middle - cut) / (2 * np.pi))[:, None], turn)
    mean = float(
        (radius.mean(axis=1) * triangle_areas(corners)).sum() / max(float(triangle_areas(corners).sum()), 1e-300)
    )
    return np.stack([turn * mean, along], axis=-1)


def _widest_gap(angles: F64) -> float:
    """Where in a sorted ring of angles (0 to 2π) the roll is best cut."""
    gaps = np.diff(np.append(angles, angles[0] + 2 * np.pi))
    widest = int(gaps.argmax())
    if gaps[widest] < 2 * np.median(gaps) + 1e-9:
        return -np.pi / 2  # a closed ring: at the back of a model that looks along +Z
    return float(angles[widest] + gaps[widest] / 2)


def sides(model: Model, chosen: I32 | I64, turn: F64 | None = None) -> I64:
    """(N,) which of ``AXES`` some faces face most; those of one polygon face the same way.

    ``turn`` (3, 3): the axes are those of something that stands aslant.
    """
    normals = model.face_normals[chosen]
    side = ((normals if turn is None else normals @ turn.T) @ AXES.T + np.linspace(5e-9, 0, 6)).argmax(axis=1)
    _, first, number = np.unique(model.polygon[chosen], return_index=True, return_inverse=True)
    return np.asarray(side[first][number.ravel()], np.int64)


def as_box(model: Model, chosen: I32) -> tuple[list[F64], list[I32]]:
    """Faces along the axis direction they face most.

    A shape (N, 3, 2) for each piece that hangs together and faces one way, and its rows of ``chosen``.
    """
    corners, side = model.corners[chosen], sides(model, chosen)
    one, other = shared_edges(model.triangles[chosen])[:2]
    same = side[one] == side[other]
    piece = groups(len(chosen), np.stack([one[same], other[same]], axis=1))
    rows = [np.flatnonzero(piece == k).astype(np.int32) for k in range(int(piece.max()) + 1)]
    return [along_axis(corners[mine], AXES[side[mine[0]]]) for mine in rows], rows
