"""Which points a projector cannot see, exactly: parallel rays against triangles sorted into a grid.

All rays of a thrown picture are parallel, so a ray is one point of the picture's plane and the question
"does any triangle lie in front of it" needs only the triangles whose shadow falls on that point. The
grid keeps those lists short; no depth image is drawn, so there is nothing to be off by a pixel.
"""

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, box_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import cell_of, flat, sort_boxes


class Occluders(NamedTuple):
    """Triangles in frame coordinates ((N, 3, 3): right, up, towards), in a grid over right × up.

    ``owner`` (N,) int32 is each one's row in the model; ``starts`` and ``items`` list the triangles of
    each of ``cells[0]`` × ``cells[1]`` cells; ``top`` is the highest "towards" in each cell.
    """

    corners: F64
    owner: I32
    starts: I64
    items: I32
    top: F64
    cells: I64
    low: F64
    step: F64
    tolerance: float


# Stands in where nothing hides anything.
NOTHING = Occluders(
    np.zeros((0, 3, 3)), np.zeros(0, np.int32), np.zeros(2, np.int64), np.zeros(0, np.int32),
    np.full(1, -np.inf), np.ones(2, np.int64), np.zeros(2), np.ones(2), 0.0,
)  # fmt: skip


def gather_occluders(
    corners: F64, names: I64, low: F64, high: F64, half: F64, depth: float, diagonal: float
) -> Occluders:
    """Sort the triangles that can hide something from a thrown picture.

    Parameters
    ----------
    corners : (N, 3, 3) float64, the triangles that may lie there, in frame coordinates.
    names : (N,) their rows in the model. low, high : (N, 3) their :func:`box_of`.
    half : (2,) half width and half height of the picture.
    depth : what lies deeper than this behind the frame's origin hides nothing.
    diagonal : size of the model, for tolerances.
    """
    near = (low[:, 0] <= half[0]) & (low[:, 1] <= half[1]) & (high[:, 0] >= -half[0]) & (high[:, 1] >= -half[1])
    near &= high[:, 2] >= -depth
    rows = np.flatnonzero(near)
    a, b, c = (corners[rows, k, :2] for k in range(3))
    shadow = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    rows = rows[np.abs(shadow) > 1e-14 * diagonal * diagonal]
    owner = names[rows].astype(np.int32)
    count = max(1, min(512, int(np.sqrt(len(owner)) * 1.5)))
    cells = np.array([count, count], np.int64)
    step = 2 * half / count
    kept = np.ascontiguousarray(corners[rows])
    lowest, highest = box_of(kept)
    first = cell_of((lowest[:, :2] + half) / step - 1, cells)
    last = cell_of((highest[:, :2] + half) / step + 1, cells)
    starts, items = sort_boxes(flat(first), flat(last), np.array([count, count, 1]))
    top = np.full(count * count, -np.inf)
    filled = np.diff(starts) > 0
    top[filled] = np.maximum.reduceat(highest[items, 2], starts[:-1][filled]) if filled.any() else []
    return Occluders(kept, owner, starts, items, top, cells, -half, step, 1e-6 * diagonal)


@kernel
def is_hidden(
    x: float, y: float, z: float, self_row: int, cell: int,
    corners: F64, owner: I32, starts: I64, items: I32, tolerance: float, limit: float,
) -> bool:  # fmt: skip
    """Whether a triangle other than ``self_row`` crosses the ray from (x, y, z) towards the projector.

    ``cell`` is the grid's cell that holds (x, y). What lies at ``limit`` or beyond (the projector's place)
    does not count.
    """
    for n in range(starts[cell], starts[cell + 1]):
        k = items[n]
        if owner[k] == self_row:
            continue
        x0, y0, x1, y1 = corners[k, 0, 0], corners[k, 0, 1], corners[k, 1, 0], corners[k, 1, 1]
        x2, y2 = corners[k, 2, 0], corners[k, 2, 1]
        area = (x1 - x0) * (y2 - y0) - (y1 - y0) * (x2 - x0)
        wb = ((x - x0) * (y2 - y0) - (y - y0) * (x2 - x0)) / area
        wc = ((x1 - x0) * (y - y0) - (y1 - y0) * (x - x0)) / area
        if wb < 0.0 or wc < 0.0 or wb + wc > 1.0:
            continue
        at = corners[k, 0, 2] + wb * (corners[k, 1, 2] - corners[k, 0, 2])
        at += wc * (corners[k, 2, 2] - corners[k, 0, 2])
        if z + tolerance < at < limit:
            return True
    return False
