"""Where labels go on selected faces: the middle of each piece of them, in reading order."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, Bool, unit_rows
from lucky_fern.core.model.model import Model, groups, shared_edges
from lucky_fern.core.sheets.picking import SurfaceHit, hit_at, pick


def spots(model: Model, chosen: Bool) -> list[SurfaceHit]:
    """A point for each piece that chosen faces ((T,) bool) hang together in, from the upper left to the lower right.

    Up is the model's up, or its back where most of the faces lie flat. Pieces whose middles are level (within half
    of their usual height) stand in one row.
    """
    rows = np.flatnonzero(chosen)
    if not len(rows):
        return []
    first, second = shared_edges(model.triangles)[:2]
    both = chosen[first] & chosen[second]
    piece = groups(model.triangle_count, np.stack([first[both], second[both]], axis=1))[rows]
    corner = model.corners[rows]
    area = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    towards = unit_rows((model.face_normals[rows] * area[:, None]).sum(axis=0))
    up = np.array([0.0, 1.0, 0.0]) if abs(towards[1]) < 0.9 else np.array([0.0, 0.0, -1.0])
    right = np.cross(up, towards)
    found: list[tuple[float, float, SurfaceHit]] = []
    heights = []
    for number in np.unique(piece):
        mine = piece == number
        hit = _middle(model, rows[mine], area[mine])
        found.append((float(hit.position @ up), float(hit.position @ right), hit))
        heights.append(float(np.ptp(corner[mine].reshape(-1, 3) @ up)))
    level = float(np.median(heights)) / 2
    found.sort(key=lambda one: -one[0])
    ordered: list[SurfaceHit] = []
    row: list[tuple[float, float, SurfaceHit]] = []
    for one in [*found, None]:
        if one is None or (row and row[0][0] - one[0] > level):
            ordered += [hit for _, _, hit in sorted(row, key=lambda item: item[1])]
            row = []
        if one is not None:
            row.append(one)
    return ordered


def _middle(model: Model, rows: np.ndarray, area: F64) -> SurfaceHit:
    """The point of some triangles under their common middle, or else the middle of the nearest of them."""
    centres = model.corners[rows].mean(axis=1)
    weight = area + 1e-300
    middle = np.average(centres, axis=0, weights=weight)
    normal = unit_rows((model.face_normals[rows] * weight[:, None]).sum(axis=0))
    shown = np.zeros(model.triangle_count, np.bool_)
    shown[rows] = True
    hit = pick(model, middle + normal * model.diagonal, -normal, shown=shown)
    if hit is not None:
        return hit
    nearest = int(rows[((centres - middle) ** 2).sum(axis=1).argmin()])
    return hit_at(model, nearest, np.full(3, 1 / 3))
