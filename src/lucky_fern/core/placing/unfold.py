"""Unfolding a patch of the surface round a point, triangle by triangle, nearest first.

Each triangle is laid down beside the one that it is reached from, as it is. Where the walk comes round and meets
itself elsewhere (behind a pipe, say) the patch is left open: points there have two places.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass
from typing import Any

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model, shared_edges

_SAME = 0.35  # of how far a point lies from the middle; two places of it nearer than this are one


@dataclass(frozen=True)
class Patch:
    """Triangles round a point. ``rows`` (N,) are those of the model, ``triangles`` (N, 3) number the patch's points.

    ``points`` (V, 3) lie in the world, ``flat`` (V, 2) are their first coordinates.
    """

    rows: I32
    triangles: I64
    points: F64
    flat: F64


def gather(model: Model, triangle: int, origin: F64, right: F64, up: F64, reach: float) -> Patch:
    """The patch within ``reach`` of a point of a triangle; ``right`` and ``up`` are unit vectors in its plane."""
    middle, radius = model.balls
    rows = np.flatnonzero(np.linalg.norm(middle - origin, axis=1) <= reach + radius).astype(np.int32)
    vertices = model.triangles[rows]
    first, second, corner_a, corner_b, _, _ = shared_edges(vertices)
    beside = np.full((len(rows), 3), -1, np.int64)
    beside[first, corner_a], beside[second, corner_b] = second, first
    used, local = np.unique(vertices, return_inverse=True)
    points = model.positions[used]
    start = int(np.searchsorted(rows, triangle))
    copies, flat, vertex = _grow(
        points, local.reshape(-1, 3).astype(np.int64), beside, start, origin, right, up, reach
    )
    kept = np.flatnonzero(copies[:, 0] >= 0)
    return Patch(rows[kept], copies[kept], points[vertex], flat)


@kernel
def _grow(
    points: F64, triangles: I64, beside: I64, start: int, origin: F64, right: F64, up: F64, reach: float
) -> tuple[I64, F64, I64]:
    """Copies (N, 3) of the corners, -1 where a triangle was not reached; their places (V, 2) and vertices (V,)."""
    count = len(triangles)
    copies = np.full((count, 3), np.int64(-1))
    flat = np.zeros((3 * count + 3, 2))
    vertex = np.zeros(3 * count + 3, np.int64)
    following = np.full(3 * count + 3, np.int64(-1))  # the next copy of the same vertex
    newest = np.full(len(points), np.int64(-1))
    made = 0
    for k in range(3):
        v = triangles[start, k]
        step = points[v] - origin
        flat[made, 0], flat[made, 1] = (step * right).sum(), (step * up).sum()
        vertex[made], newest[v] = v, made
        copies[start, k] = made
        made += 1
    heap: list[Any] = [(0.0, np.int64(0), np.int64(0))]
    heap.pop()
    _ask(heap, start, copies, beside, flat)
    while len(heap):
        _, source, edge = heapq.heappop(heap)
        t = beside[source, edge]
        if copies[t, 0] >= 0:
            continue
        # The common edge runs the other way in the new triangle.
        a, b = copies[source, (edge + 1) % 3], copies[source, edge]
        k = 0
        while triangles[t, k] != vertex[a]:
            k += 1
        last = (k + 2) % 3
        v = triangles[t, last]
        pa, pb, pv = points[vertex[a]], points[vertex[b]], points[v]
        ab, av = pb - pa, pv - pa
        length = np.sqrt((ab * ab).sum())
        if length < 1e-300:
            continue
        along = (ab * av).sum() / length
        off = np.sqrt(max((av * av).sum() - along * along, 0.0))
        dx, dy = flat[b, 0] - flat[a, 0], flat[b, 1] - flat[a, 1]
        size = max(np.sqrt(dx * dx + dy * dy), 1e-300)
        dx, dy = dx / size, dy / size
        x, y = flat[a, 0] + dx * along - dy * off, flat[a, 1] + dy * along + dx * off
        # The middle of the triangle says whether it is near enough.
        mx, my = (x + flat[a, 0] + flat[b, 0]) / 3, (y + flat[a, 1] + flat[b, 1]) / 3
        extent = max(np.hypot(x - mx, y - my), np.hypot(flat[a, 0] - mx, flat[a, 1] - my),
                     np.hypot(flat[b, 0] - mx, flat[b, 1] - my))  # fmt: skip
        if np.hypot(mx, my) > reach + extent:
            continue
        near = _SAME * np.hypot(x, y) + 0.5 * extent
        best = np.int64(-1)
        c = newest[v]
        while c >= 0:
            gap = np.hypot(flat[c, 0] - x, flat[c, 1] - y)
            if gap < near:
                near, best = gap, c
            c = following[c]
        if best < 0:
            best = np.int64(made)
            flat[made, 0], flat[made, 1], vertex[made] = x, y, v
            following[made], newest[v] = newest[v], made
            made += 1
        copies[t, k], copies[t, (k + 1) % 3], copies[t, last] = a, b, best
        _ask(heap, t, copies, beside, flat)
    return copies, flat[:made].copy(), vertex[:made].copy()


@kernel
def _ask(heap: list[Any], t: int, copies: I64, beside: I64, flat: F64) -> None:
    """Queue the edges of a triangle towards others that are not reached yet, by the distance of their middles."""
    for edge in range(3):
        other = beside[t, edge]
        if other >= 0 and copies[other, 0] < 0:
            a, b = copies[t, edge], copies[t, (edge + 1) % 3]
            far = np.hypot((flat[a, 0] + flat[b, 0]) / 2, (flat[a, 1] + flat[b, 1]) / 2)
            heapq.heappush(heap, (far, np.int64(t), np.int64(edge)))
