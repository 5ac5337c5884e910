"""How far points lie from the nearest of many lines, or spots, in space."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.compiled import kernel
from lucky_fern.core.survey.cut import cut, reached


class Lines(NamedTuple):
    """Pieces of lines (N, 2, 3), sorted into cells (see :class:`~.cut.Cut`); a spot is a line without length.

    ``facing`` (N, 3) are the normals of the surface that they lie on, zero where they are near to all sides.
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
    made = cut(ends, reach)
    sides = np.zeros((len(made.row), 3)) if facing is None else np.ascontiguousarray(facing[made.row], np.float64)
    return Lines(made.pieces, sides, made.starts, made.items, made.low, made.cell, made.cells)


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
    # Out of the tuple once: within the loop each look would count references, between threads.
    starts, items, facing, ends = lines.starts, lines.items, lines.facing, lines.ends
    low, cell, cells = lines.low, lines.cell, lines.cells
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    for n in range(len(points)):
        px, py, pz = points[n, 0], points[n, 1], points[n, 2]
        reached(points[n], reach, low, cell, cells, first, last)
        best = reach * reach
        for x in range(first[0], last[0] + 1):
            for y in range(first[1], last[1] + 1):
                for z in range(first[2], last[2] + 1):
                    at = (x * cells[1] + y) * cells[2] + z
                    for i in range(starts[at], starts[at + 1]):
                        row = items[i]
                        same = 0.0
                        for k in range(3):
                            same += facing[row, k] * sides[n, k]
                        if same < 0.0:
                            continue
                        e = ends[row]
                        ux, uy, uz = e[1, 0] - e[0, 0], e[1, 1] - e[0, 1], e[1, 2] - e[0, 2]
                        dx, dy, dz = px - e[0, 0], py - e[0, 1], pz - e[0, 2]
                        length = ux * ux + uy * uy + uz * uz
                        if length > 0.0:
                            f = min(max((dx * ux + dy * uy + dz * uz) / length, 0.0), 1.0)
                            dx, dy, dz = dx - f * ux, dy - f * uy, dz - f * uz
                        best = min(best, dx * dx + dy * dy + dz * dz)
        out[n] = np.sqrt(best)
