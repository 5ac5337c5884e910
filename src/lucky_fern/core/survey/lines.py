"""How far points lie from the nearest of many lines, or spots, in space."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import cell_of, sort_boxes

_MOST_CELLS = 4_000_000


class Lines(NamedTuple):
    """Pieces of lines (N, 2, 3), sorted into cells; a spot is a line without length.

    ``facing`` (N, 3) are the normals of the surface that they lie on, zero where they are near to all sides.

    ``low`` (3,) is the lowest corner of the first cell, ``cell`` the length of one, ``cells`` (3,) how many.
    """

    ends: F64
    facing: F64
    starts: I64
    items: I32
    low: F64
    cell: float
    cells: I64


def sorted_lines(ends: F64, reach: float, facing: F64 | None = None) -> Lines:
    """Lines (N, 2, 3) made ready for questions within ``reach``; with normals ``facing`` (N, 3) if on a side."""
    if not len(ends):
        return Lines(np.zeros((0, 2, 3)), np.zeros((0, 3)), np.zeros(2, np.int64), np.zeros(0, np.int32),
                     np.zeros(3), 1.0, np.ones(3, np.int64))  # fmt: skip
    low, high = ends.min(axis=(0, 1)), ends.max(axis=(0, 1))
    extent = np.maximum(high - low, 1e-12)
    cell = max(reach, float((extent.prod() / _MOST_CELLS) ** (1 / 3)), float(extent.max()) / 1024)
    # Long lines are cut, so that their boxes fill few cells.
    times = np.maximum(np.ceil(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) / cell), 1).astype(np.int64)
    row = np.repeat(np.arange(len(ends)), times)
    step = np.arange(len(row)) - np.repeat(np.cumsum(times) - times, times)
    share = (np.stack([step, step + 1], axis=1) / times[row, None])[..., None]
    pieces = ends[row, :1] * (1 - share) + ends[row, 1:] * share
    count = np.maximum(np.ceil(extent / cell), 1).astype(np.int64)
    first = cell_of((pieces.min(axis=1) - low) / cell, count)
    last = cell_of((pieces.max(axis=1) - low) / cell, count)
    starts, items = sort_boxes(first, last, count)
    sides = np.zeros((len(pieces), 3)) if facing is None else np.ascontiguousarray(facing[row], np.float64)
    return Lines(np.ascontiguousarray(pieces), sides, starts, items, low, cell, count)


def distances(lines: Lines, points: F64, reach: float, normals: F64 | None = None) -> F64:
    """(N,) float64 straight distance of points (N, 3) to the nearest line, at most ``reach``.

    Lines that have a side are far from points whose ``normals`` (N, 3) face away from it.
    """
    out = np.full(len(points), reach)
    if len(lines.ends):
        sides = np.zeros((len(points), 3)) if normals is None else np.ascontiguousarray(normals)
        _distances(lines, np.ascontiguousarray(points), sides, reach, out)
    return out


@kernel
def _distances(lines: Lines, points: F64, sides: F64, reach: float, out: F64) -> None:
    low, cell, count = lines.low, lines.cell, lines.cells
    for n in range(len(points)):
        px, py, pz = points[n, 0], points[n, 1], points[n, 2]
        x0, x1 = max(int(np.floor((px - reach - low[0]) / cell)), 0), int(np.floor((px + reach - low[0]) / cell))
        y0, y1 = max(int(np.floor((py - reach - low[1]) / cell)), 0), int(np.floor((py + reach - low[1]) / cell))
        z0, z1 = max(int(np.floor((pz - reach - low[2]) / cell)), 0), int(np.floor((pz + reach - low[2]) / cell))
        best = reach * reach
        for x in range(x0, min(x1, count[0] - 1) + 1):
            for y in range(y0, min(y1, count[1] - 1) + 1):
                for z in range(z0, min(z1, count[2] - 1) + 1):
                    at = (x * count[1] + y) * count[2] + z
                    for i in range(lines.starts[at], lines.starts[at + 1]):
                        row = lines.items[i]
                        same = 0.0
                        for k in range(3):
                            same += lines.facing[row, k] * sides[n, k]
                        if same < 0.0:
                            continue
                        e = lines.ends[row]
                        ux, uy, uz = e[1, 0] - e[0, 0], e[1, 1] - e[0, 1], e[1, 2] - e[0, 2]
                        dx, dy, dz = px - e[0, 0], py - e[0, 1], pz - e[0, 2]
                        length = ux * ux + uy * uy + uz * uz
                        if length > 0.0:
                            f = min(max((dx * ux + dy * uy + dz * uz) / length, 0.0), 1.0)
                            dx, dy, dz = dx - f * ux, dy - f * uy, dz - f * uz
                        best = min(best, dx * dx + dy * dy + dz * dz)
        out[n] = np.sqrt(best)
