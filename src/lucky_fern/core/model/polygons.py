"""Polygons to triangles."""

from collections.abc import Sequence

import mapbox_earcut
import numpy as np

from lucky_fern.core.arrays import F64, I32, I64


def triangulate(positions: F64, sizes: I64, vertices: I64) -> tuple[I32, I32]:
    """Cut polygons into triangles, keeping their turn.

    Parameters
    ----------
    positions : (V, 3) float64.
    sizes : (P,) int64 number of corners of each polygon, at least 3.
    vertices : (sum of sizes,) int64 rows of ``positions``, polygon after polygon.

    Returns
    -------
    corners : (T, 3) int32, indices into ``vertices``.
    polygon : (T,) int32.
    """
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]).astype(np.int64)
    pieces: list[I64] = []
    owners: list[I64] = []

    three = np.flatnonzero(sizes == 3)
    pieces.append(starts[three, None] + np.arange(3))
    owners.append(three)

    four = np.flatnonzero(sizes == 4)
    if len(four):
        corner = starts[four, None] + np.arange(4)
        point = positions[vertices[corner]]
        # The diagonal 0–2 is good unless it lies outside: then the two halves turn against each other.
        half_1 = np.cross(point[:, 1] - point[:, 0], point[:, 2] - point[:, 0])
        half_2 = np.cross(point[:, 2] - point[:, 0], point[:, 3] - point[:, 0])
        other = (half_1 * half_2).sum(axis=1) < 0
        pattern = np.where(other[:, None], [[0, 1, 3, 1, 2, 3]], [[0, 1, 2, 0, 2, 3]])
        pieces.append(np.take_along_axis(corner, pattern, axis=1).reshape(-1, 3))
        owners.append(np.repeat(four, 2))

    for index in np.flatnonzero(sizes > 4):
        corner = np.arange(starts[index], starts[index] + sizes[index])
        cut = _cut_one(positions[vertices[corner]])
        pieces.append(corner[cut])
        owners.append(np.full(len(cut), index))

    corners, polygon = np.concatenate(pieces), np.concatenate(owners)
    order = np.argsort(polygon, kind="stable")
    return corners[order].astype(np.int32), polygon[order].astype(np.int32)


def _cut_one(points: F64) -> I64:
    """(T, 3) local corner numbers of one polygon, by ear cutting in the plane it faces most."""
    normal = np.cross(points, np.roll(points, -1, axis=0)).sum(axis=0)  # Newell's method
    axis = int(np.argmax(np.abs(normal)))
    keep: Sequence[int] = [(axis + 1) % 3, (axis + 2) % 3]
    flat = np.ascontiguousarray(points[:, keep])
    cut = mapbox_earcut.triangulate_float64(flat, np.array([len(points)], np.uint32))
    triangles = np.asarray(cut, np.int64).reshape(-1, 3)
    if len(triangles) < len(points) - 2:  # the outline touches or crosses itself: a fan loses no face
        inner = np.arange(1, len(points) - 1)
        return np.stack([np.zeros_like(inner), inner, inner + 1], axis=1)
    a, b, c = (flat[triangles[:, k]] for k in range(3))
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    if turn.sum() * normal[axis] < 0:
        triangles = triangles[:, ::-1]
    return triangles
