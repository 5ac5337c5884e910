"""How the surface bends: where the middle of the surface round a point lies, in front of it or behind."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I64, box_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import cell_of, sort_boxes

RIGHT_ANGLE = 0.2122  # how far the middle lies behind a right-angled edge, in shares of the reach: 2 / 3π
_FINE = 8  # pieces of the surface along a reach
_PIECE = 1.2  # of that: how long they are at the most
_CELLS = 2  # cells along a reach
_FARTHEST = -0.5  # cosine of 120°: surface that faces further away is another side of something
_MOST_CELLS = 4_000_000
_MOST_PIECES = 6_000_000


class Surfels(NamedTuple):
    """Small pieces of a surface, sorted into cells.

    ``middle`` and ``normal`` (N, 3) float64, ``area`` (N,) float64, cell after cell; ``starts`` (cells + 1,) int64.
    ``low`` (3,) is the lowest corner of the first cell, ``cell`` the length of one, ``cells`` (3,) how many;
    ``size`` is the length of a piece.
    """

    middle: F64
    normal: F64
    area: F64
    starts: I64
    low: F64
    cell: float
    cells: I64
    size: float


def too_many(area: float, bounds: F64, reach: float) -> bool:
    """Whether the pieces of a whole surface, or its cells, are more than are made at once."""
    cells = np.maximum(np.ceil(np.ptp(bounds, axis=0) / (reach / _CELLS)), 1)
    return float(cells.prod()) > _MOST_CELLS or area / (reach / _FINE) ** 2 * 2.5 > _MOST_PIECES


def surfels_of(corners: F64, normals: F64, reach: float, within: F64 | None = None) -> Surfels:
    """Cut triangles (T, 3, 3) with normals (T, 3) into pieces an eighth of ``reach`` long.

    Only pieces that lie no further than ``reach`` from the box ``within`` (2, 3) are kept, all if there is none.
    Pieces that are much smaller (of fine meshes) are put together.
    """
    size = reach / _FINE
    if within is None:
        within = np.stack([corners.min(axis=(0, 1)), corners.max(axis=(0, 1))])
    low, high = within[0] - reach, within[1] + reach
    lowest, highest = box_of(corners)
    rows = np.flatnonzero(((lowest <= high) & (highest >= low)).all(axis=1))
    corners = np.ascontiguousarray(corners[rows], np.float64)
    normals = np.ascontiguousarray(normals[rows], np.float64)
    middle, normal, area = _cut(corners, normals, size, low, high)
    if len(area) and float(area.mean()) < 0.1 * size * size:
        middle, normal, area = _together(middle, normal, area, size)
    cell = reach / _CELLS
    count = np.maximum(np.ceil((high - low) / cell), 1).astype(np.int64)
    at = cell_of((middle - low) / cell, count)
    starts, items = sort_boxes(at, at, count)
    return Surfels(middle[items], normal[items], area[items], starts, low, cell, count, size)


def lean(surfels: Surfels, points: F64, normals: F64, reach: float) -> F64:
    """(N,) float64 how far the middle of the surface round points (N, 3) lies behind them, in shares of ``reach``.

    The surface within ``reach`` (straight) of a point p whose normal is within 120° of the normal n there has its
    area's middle at c: n · (p − c) / reach. 0 on flat ground, 0.2122 on a right-angled edge, −0.2122 in a
    right-angled inner corner. Pieces of the surface that lie across the rim of the ball count in part.
    """
    out = np.zeros(len(points))
    _lean(surfels, np.ascontiguousarray(points), np.ascontiguousarray(normals), reach, out)
    return out


def _together(middle: F64, normal: F64, area: F64, size: float) -> tuple[F64, F64, F64]:
    """Pieces that share a cell a piece long and face more or less the same way, as one each."""
    place = np.floor((middle - middle.min(axis=0)) / size).astype(np.int64)
    axis = np.abs(normal).argmax(axis=1)
    facing = axis * 2 + (normal[np.arange(len(normal)), axis] > 0)
    wide = place.max(axis=0) + 1
    key = ((place[:, 0] * wide[1] + place[:, 1]) * wide[2] + place[:, 2]) * 6 + facing
    _, number = np.unique(key, return_inverse=True)
    count = int(number.max()) + 1
    whole = np.asarray(np.bincount(number, area, count), np.float64)
    mean: F64 = np.stack([np.bincount(number, area * middle[:, k], count) for k in range(3)], axis=1) / whole[:, None]
    facing_mean: F64 = np.stack([np.bincount(number, area * normal[:, k], count) for k in range(3)], axis=1)
    return mean, facing_mean / np.maximum(np.linalg.norm(facing_mean, axis=1, keepdims=True), 1e-300), whole


@kernel
def _cut(corners: F64, normals: F64, size: float, low: F64, high: F64) -> tuple[F64, F64, F64]:
    """Middles, normals and areas of the pieces of triangles that lie in a box.

    Each triangle is cut into rows along its longest side, and each row into pieces: slender ones make few.
    """
    middle = np.empty((0, 3))
    normal = np.empty((0, 3))
    area = np.empty(0)
    step = size * _PIECE
    left, right, p = np.empty(3), np.empty(3), np.empty(3)
    for turn in range(2):
        at = 0
        for t in range(len(corners)):
            longest, first = 0.0, 0
            for k in range(3):
                far = 0.0
                for i in range(3):
                    far += (corners[t, (k + 1) % 3, i] - corners[t, k, i]) ** 2
                if far > longest:
                    longest, first = far, k
            longest = np.sqrt(longest)
            a, b, c = corners[t, first], corners[t, (first + 1) % 3], corners[t, (first + 2) % 3]
            crossed = 0.0
            for i in range(3):
                j, h = (i + 1) % 3, (i + 2) % 3
                crossed += ((b[j] - a[j]) * (c[h] - a[h]) - (b[h] - a[h]) * (c[j] - a[j])) ** 2
            crossed = np.sqrt(crossed)
            if crossed == 0.0:
                continue
            rows = max(int(np.ceil(crossed / longest / step)), 1)
            for row in range(rows):
                below, above = 1.0 - row / rows, 1.0 - (row + 1) / rows  # shares of the longest side
                share = (row + (below + 2 * above) / (3 * (below + above))) / rows  # up to the row's centre
                own = crossed / 2 * (below * below - above * above)
                for i in range(3):
                    left[i] = a[i] + (c[i] - a[i]) * share
                    right[i] = b[i] + (c[i] - b[i]) * share
                count = max(int(np.ceil(longest * (1.0 - share) / step)), 1)
                for piece in range(count):
                    inside = True
                    for i in range(3):
                        p[i] = left[i] + (right[i] - left[i]) * (piece + 0.5) / count
                        inside = inside and low[i] <= p[i] <= high[i]
                    if not inside:
                        continue
                    if turn == 1:
                        for i in range(3):
                            middle[at, i], normal[at, i] = p[i], normals[t, i]
                        area[at] = own / count
                    at += 1
        if turn == 0:
            middle = np.empty((at, 3))
            normal = np.empty((at, 3))
            area = np.empty(at)
    return middle, normal, area


@kernel
def _lean(surfels: Surfels, points: F64, normals: F64, reach: float, out: F64) -> None:
    # Taken out of the tuple once: within the loop each look would count references, between threads.
    middle, normal, area, starts = surfels.middle, surfels.normal, surfels.area, surfels.starts
    low, cell, count, size = surfels.low, surfels.cell, surfels.cells, surfels.size
    square = (reach + size / 2) ** 2
    for n in range(len(points)):
        px, py, pz = points[n, 0], points[n, 1], points[n, 2]
        nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
        x0 = max(int(np.floor((px - reach - size - low[0]) / cell)), 0)
        x1 = min(int(np.floor((px + reach + size - low[0]) / cell)), count[0] - 1)
        y0 = max(int(np.floor((py - reach - size - low[1]) / cell)), 0)
        y1 = min(int(np.floor((py + reach + size - low[1]) / cell)), count[1] - 1)
        z0 = max(int(np.floor((pz - reach - size - low[2]) / cell)), 0)
        z1 = min(int(np.floor((pz + reach + size - low[2]) / cell)), count[2] - 1)
        whole = behind = 0.0
        for x in range(x0, x1 + 1):
            for y in range(y0, y1 + 1):
                row = (x * count[1] + y) * count[2]
                for s in range(starts[row + z0], starts[row + z1 + 1]):  # cells along z are neighbours
                    dx, dy, dz = px - middle[s, 0], py - middle[s, 1], pz - middle[s, 2]
                    far = dx * dx + dy * dy + dz * dz
                    if far >= square:
                        continue
                    same = nx * normal[s, 0] + ny * normal[s, 1] + nz * normal[s, 2]
                    if same < _FARTHEST:
                        continue
                    weight = area[s] * min((reach - np.sqrt(far)) / size + 0.5, 1.0)
                    whole += weight
                    behind += weight * (nx * dx + ny * dy + nz * dz)
        if whole > 0.0:
            out[n] = behind / whole / reach
