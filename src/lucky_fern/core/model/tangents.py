"""Normals and tangents that files leave out.

References
----------
M. S. Mikkelsen, "Simulation of Wrinkled Surfaces Revisited", 2008 (MikkTSpace), the convention that
glTF 2.0 names: corners with equal position, normal and UV that hang together over edges and agree in
orientation share one tangent, the angle-weighted sum of their triangles' tangents in the normal's plane.
"""

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, Bool, equal_rows, unit_rows
from lucky_fern.core.model.model import corner_angles, corner_groups, shared_edges


def smooth_normals(positions: F64, triangles: I32, crease_deg: float = 40.0) -> F32:
    """Corner normals for a model without any: smooth but across creases.

    Returns
    -------
    (T, 3, 3) float32 unit normals. Neighbouring faces that bend by less than ``crease_deg`` are smoothed
    together, weighted by their angle at the corner.
    """
    corners = positions[triangles]
    face = unit_rows(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    pairs = shared_edges(triangles)
    linked = (face[pairs[0]] * face[pairs[1]]).sum(axis=1) > np.cos(np.radians(crease_deg))
    groups = corner_groups(triangles, pairs, linked)
    weighted = face[:, None, :] * corner_angles(corners)[..., None]
    normals = unit_rows(_sum_groups(groups, weighted))[groups]
    # A corner of no area takes part in no sum: any unit vector will do there.
    normals[np.linalg.norm(normals, axis=2) < 0.5] = (0.0, 1.0, 0.0)
    return normals.astype(np.float32)


def mikk_tangents(positions: F64, triangles: I32, uv: F64, normals: F32) -> F32:
    """MikkTSpace-compatible corner tangents.

    Parameters
    ----------
    uv : (T, 3, 2) float64, v up; triangles with NaN or without area in UV get an arbitrary tangent.
    normals : (T, 3, 3) float32 unit normals.

    Returns
    -------
    (T, 3, 4) float32: unit tangent along +u, and w = ±1 so that bitangent = w · cross(normal, tangent).
    """
    count = len(triangles)
    if count == 0:
        return np.zeros((0, 3, 4), np.float32)
    corners, flat = positions[triangles], np.nan_to_num(uv)
    edge_1, edge_2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    d_1, d_2 = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    area = d_1[:, 0] * d_2[:, 1] - d_1[:, 1] * d_2[:, 0]
    # Corners are one where all of them is equal, as a game's own arrays hold it: 32-bit floats, no tolerance.
    wide = normals.astype(np.float64)
    same = np.concatenate(
        [triangles[..., None], wide, flat.astype(np.float32).astype(np.float64)], axis=2
    ).reshape(-1, 6)  # fmt: skip
    welded = equal_rows(same)[1].reshape(count, 3)
    even = area.astype(np.float32) == 0  # no area in UV space: it leans to no side, and goes along with any
    positive = _sides(welded, area > 0, even)
    along_u = (edge_1 * d_2[:, 1:] - edge_2 * d_1[:, 1:]) * np.where(positive, 1.0, -1.0)[:, None]
    pairs = shared_edges(welded)
    groups = corner_groups(welded, pairs, positive[pairs[0]] == positive[pairs[1]])

    in_plane = along_u[:, None, :] - wide * (along_u[:, None, :] * wide).sum(axis=2, keepdims=True)
    angle = _angles_in_plane(corners, wide)
    weighted = unit_rows(in_plane) * angle[..., None] * ~even[:, None, None]
    tangent = unit_rows(_sum_groups(groups, weighted))[groups]
    lost = np.linalg.norm(tangent, axis=2) < 0.5
    if lost.any():
        tangent[lost] = _any_perpendicular(wide[lost])
    sign = np.broadcast_to(np.where(positive, 1.0, -1.0)[:, None, None], (count, 3, 1))
    return np.concatenate([tangent, sign], axis=2).astype(np.float32)


def _sides(welded: I32, positive: Bool, even: Bool) -> Bool:
    """(T,) bool, whether triangles lie the right way round in UV space; those without area as a neighbour does.

    MikkTSpace has them join whichever fan reaches them first; here the neighbours are gone through in their order,
    so that the result is the same on every machine.
    """
    if not even.any():
        return positive
    side, open_ = positive.copy(), even.copy()
    side[even] = True  # those that touch nothing else
    first, second = shared_edges(welded)[:2]
    while open_.any():
        told = np.concatenate([np.stack([first, second], axis=1), np.stack([second, first], axis=1)])
        told = told[~open_[told[:, 0]] & open_[told[:, 1]]]
        if not len(told):
            break
        told = told[np.lexsort((told[:, 0], told[:, 1]))]
        reached, at = np.unique(told[:, 1], return_index=True)
        side[reached], open_[reached] = side[told[at, 0]], False
    return side


def _sum_groups(groups: I32, values: F64) -> F64:
    """Sum (T, 3, 3) corner vectors over (T, 3) group numbers; (G, 3)."""
    flat, size = groups.ravel(), int(groups.max(initial=-1)) + 1
    return np.stack([np.bincount(flat, values[..., axis].ravel(), size) for axis in range(3)], axis=1)


def _angles_in_plane(corners: F64, normals: F64) -> F64:
    """Corner angles measured between the edges as projected into each corner normal's plane."""
    forward = np.roll(corners, -1, axis=1) - corners
    backward = np.roll(corners, 1, axis=1) - corners
    forward = unit_rows(forward - normals * (forward * normals).sum(axis=2, keepdims=True))
    backward = unit_rows(backward - normals * (backward * normals).sum(axis=2, keepdims=True))
    result: F64 = np.arccos(np.clip((forward * backward).sum(axis=2), -1.0, 1.0))
    return result


def _any_perpendicular(normals: F64) -> F64:
    """A unit vector at right angles to each of (N, 3) normals."""
    axis = np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    return unit_rows(np.cross(np.cross(normals, axis), normals))
