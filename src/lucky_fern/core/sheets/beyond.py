"""Where the surface goes on beyond the borders of islands in UV space.

A texel beside an island stands for a place that is reached by going on over the island's border: straight on over the
surface, unfolded edge by edge into one plane, as far as the texel lies from the border. So what filters read there is
what lies there on the surface, whatever island, turn, mirroring, density, tile or material carries it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, I32, Bool
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model, shared_edges
from lucky_fern.core.once import once

_MOST_STEPS = 4096  # triangles that one way may cross


@dataclass(frozen=True)
class Places:
    """Points on the surface: triangle (N,) int32, -1 where it ends before, and barycentrics (N, 3).

    ``start`` and ``heading`` (N, 3) are the ways' directions, as they begin and as they arrive.
    """

    triangle: I32
    barycentric: F64
    start: F64
    heading: F64


class Beyond:
    """The neighbours of a model's triangles, over seams too."""

    def __init__(self, model: Model) -> None:
        self.model = model
        first, second, corner_a, corner_b = shared_edges(model.triangles)[:4]
        self.neighbour: I32 = np.full((model.triangle_count, 3), -1, np.int32)
        self.neighbour[first, corner_a], self.neighbour[second, corner_b] = second, first
        self.entry: I32 = np.zeros((model.triangle_count, 3), np.int32)  # where the edge starts over there
        self.entry[first, corner_a], self.entry[second, corner_b] = corner_b, corner_a

    @once
    def border(self) -> Bool:
        """(T, 3) bool, whether an island ends at the edge that starts at a corner."""
        model = self.model
        out = np.ones((model.triangle_count, 3), np.bool_)
        out[model.joined_edges[:, 0], model.joined_edges[:, 1]] = False
        return out & model.has_uv[:, None]

    @once
    def island_borders(self) -> dict[int, I32]:
        """Island → (E, 2) int32 rows (triangle, corner) of the edges at which it ends."""
        triangle, corner = np.nonzero(self.border)
        island = self.model.islands[triangle]
        order = np.argsort(island, kind="stable")
        edges = np.stack([triangle, corner], axis=1).astype(np.int32)[order]
        numbers, start = np.unique(island[order], return_index=True)
        return dict(zip(numbers.tolist(), np.split(edges, start[1:]), strict=True))

    def follow(self, edges: I32, points: F64, corners: F64, foots: F64) -> Places:
        """Go on over border edges.

        Parameters
        ----------
        edges : (N, 2) int32, the triangle and corner of the edge that each way begins at.
        points : (N, 2) float64, where it would end if its triangle's plane went on, in any flat coordinates.
        corners : (N, 3, 2) float64, the triangle's corners in those.
        foots : (N,) float64, 0 … 1, where on the edge it begins.
        """
        triangle = np.full(len(edges), -1, np.int32)
        barycentric, start, heading = (np.zeros((len(edges), 3)) for _ in range(3))
        if len(edges):
            model = self.model
            _follow(model.corners, model.face_normals, self.neighbour, self.entry, edges, points, corners, foots,
                    triangle, barycentric, start, heading)  # fmt: skip
        return Places(triangle, barycentric, start, heading)


@kernel
def nearest_edges(edges: F64, reach: float, top: int, left: int, owned: Bool, square: F64, which: I32) -> None:
    """Which of border edges (E, 2, 2), in texels (x, y), each texel beside an island is nearest to.

    ``square`` (r, c) gets the squared distance, ``which`` (r, c) the edge's row; both stay where ``owned`` or where
    none lies within ``reach``. The first texel is (``top``, ``left``) of the sheet.
    """
    rows, columns = owned.shape
    for n in range(len(edges)):
        ax, ay, bx, by = edges[n, 0, 0], edges[n, 0, 1], edges[n, 1, 0], edges[n, 1, 1]
        first = max(int(np.floor(min(ay, by) - reach)) - top, 0)
        last = min(int(np.ceil(max(ay, by) + reach)) - top, rows - 1)
        start = max(int(np.floor(min(ax, bx) - reach)) - left, 0)
        end = min(int(np.ceil(max(ax, bx) + reach)) - left, columns - 1)
        ux, uy = bx - ax, by - ay
        length = ux * ux + uy * uy
        for r in range(first, last + 1):
            for k in range(start, end + 1):
                if owned[r, k]:
                    continue
                x, y = k + left + 0.5 - ax, r + top + 0.5 - ay
                f = 0.0
                if length > 0.0:
                    f = min(max((x * ux + y * uy) / length, 0.0), 1.0)
                gx, gy = x - f * ux, y - f * uy
                far = gx * gx + gy * gy
                if far < square[r, k] and far <= reach * reach:
                    square[r, k] = far
                    which[r, k] = n


@kernel
def _follow(
    corners: F64, normals: F64, neighbour: I32, entry: I32, edges: I32, points: F64, flat: F64, foots: F64,
    triangle: I32, barycentric: F64, start: F64, heading: F64,
) -> None:  # fmt: skip
    d, p, u = np.zeros(3), np.zeros(3), np.zeros(3)
    weight, change = np.zeros(3), np.zeros(3)
    for n in range(len(edges)):
        t, e = edges[n, 0], edges[n, 1]
        c = flat[n]
        ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
        bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
        area = ax * by - ay * bx
        if abs(area) < 1e-12:
            continue
        f, g = foots[n], (e + 1) % 3
        dx = points[n, 0] - (c[e, 0] * (1 - f) + c[g, 0] * f)
        dy = points[n, 1] - (c[e, 1] * (1 - f) + c[g, 1] * f)
        wb, wc = (dx * by - dy * bx) / area, (ax * dy - ay * dx) / area
        for i in range(3):
            d[i] = wb * (corners[t, 1, i] - corners[t, 0, i]) + wc * (corners[t, 2, i] - corners[t, 0, i])
            p[i] = corners[t, e, i] * (1 - f) + corners[t, g, i] * f
            start[n, i] = d[i]
        out = e  # the edge that is crossed next
        for _ in range(_MOST_STEPS):
            after = neighbour[t, out]
            if after < 0:
                break
            length = 0.0
            for i in range(3):
                u[i] = corners[t, (out + 1) % 3, i] - corners[t, out, i]
                length += u[i] * u[i]
            length = np.sqrt(length)
            along = outwards = 0.0
            for i in range(3):
                u[i] /= length
            for i in range(3):
                j, k = (i + 1) % 3, (i + 2) % 3
                along += d[i] * u[i]
                outwards += d[i] * (u[j] * normals[t, k] - u[k] * normals[t, j])
            outwards = max(outwards, 0.0)
            # Unfolded: the same way along the edge and away from it, now in the next triangle's plane.
            for i in range(3):
                j, k = (i + 1) % 3, (i + 2) % 3
                d[i] = along * u[i] + outwards * (u[j] * normals[after, k] - u[k] * normals[after, j])
            came = entry[t, out]
            t = after
            _weights(corners[t], p, weight)
            _changes(corners[t], d, change)
            weight[(came + 2) % 3] = max(weight[(came + 2) % 3], 0.0)
            share, out = 1.0, -1
            for k in range(3):
                if (k + 1) % 3 == came or change[k] >= 0.0:
                    continue  # the edge opposite to corner k starts at the next one
                at = max(-weight[k] / change[k], 0.0)
                if at < share:
                    share, out = at, (k + 1) % 3
            if out < 0:
                triangle[n] = t
                total = 0.0
                for k in range(3):
                    barycentric[n, k] = max(weight[k] + change[k], 0.0)
                    total += barycentric[n, k]
                for k in range(3):
                    barycentric[n, k] /= total
                    heading[n, k] = d[k]
                break
            for i in range(3):
                p[i] += d[i] * share
                d[i] *= 1.0 - share


@kernel
def _weights(c: F64, p: F64, out: F64) -> None:
    """Barycentrics of a point in a triangle's plane."""
    _changes(c, p - c[0], out)
    out[0] += 1.0


@kernel
def _changes(c: F64, d: F64, out: F64) -> None:
    """How barycentrics change along a vector in a triangle's plane."""
    aa = ab = bb = da = db = 0.0
    for i in range(3):
        a, b = c[1, i] - c[0, i], c[2, i] - c[0, i]
        aa, ab, bb = aa + a * a, ab + a * b, bb + b * b
        da, db = da + d[i] * a, db + d[i] * b
    det = aa * bb - ab * ab
    if det <= 0.0:
        out[:] = 0.0
        return
    out[1] = (da * bb - db * ab) / det
    out[2] = (db * aa - da * ab) / det
    out[0] = -out[1] - out[2]
