"""Which triangles share a place in UV space: exact for every pair, found by a grid.

Two triangles overlap where the polygon that they have in common has an area; sharing an edge or a corner is
no overlap. The common polygon is cut by the edges of the second triangle (I. Sutherland and G. Hodgman,
"Reentrant Polygon Clipping", 1974).
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, box_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import cell_of, flat, sort_boxes

_SHARE = 1e-6  # of the smaller triangle; less is rounding


def overlapping_pairs(uv: F64) -> tuple[I32, I32, F64]:
    """Pairs of triangles (T, 3, 2) that share an area.

    Returns
    -------
    first, second : (P,) int32 rows of ``uv``, first < second, in rising order.
    area : (P,) float64, the area that they share.
    """
    uv = np.ascontiguousarray(uv, np.float64)
    if not len(uv):
        return np.empty(0, np.int32), np.empty(0, np.int32), np.empty(0)
    low, high = box_of(uv)
    origin, extent = low.min(axis=0), np.maximum(high.max(axis=0) - low.min(axis=0), 1e-12)
    # Cells about as large as a usual triangle, so that each holds few.
    usual = np.maximum(np.median(high - low, axis=0), extent / 1024)
    cells = np.clip(np.ceil(extent / usual), 1, 1024).astype(np.int64)
    step = extent / cells
    first_cell, last_cell = (flat(cell_of((corner - origin) / step, cells)) for corner in (low, high))
    starts, items = sort_boxes(first_cell, last_cell, np.array([cells[1], cells[0], 1]))
    first, second, area = _pairs(uv, low, high, origin, step, cells, starts, items)
    order = np.lexsort((second, first))
    return first[order], second[order], area[order]


@kernel
def _pairs(
    uv: F64, low: F64, high: F64, origin: F64, step: F64, cells: I64, starts: I64, items: I32
) -> tuple[I32, I32, F64]:
    count, room = 0, 1024
    first, second, area = np.empty(room, np.int32), np.empty(room, np.int32), np.empty(room)
    work, other = np.empty((12, 2)), np.empty((12, 2))
    for cell in range(cells[0] * cells[1]):
        ci, cj = cell % cells[0], cell // cells[0]
        for m in range(starts[cell], starts[cell + 1]):
            a = items[m]
            for n in range(m + 1, starts[cell + 1]):
                b = items[n]
                x, y = max(low[a, 0], low[b, 0]), max(low[a, 1], low[b, 1])
                if x >= min(high[a, 0], high[b, 0]) or y >= min(high[a, 1], high[b, 1]):
                    continue
                # A pair is answered by the one cell that holds the corner of what their boxes share.
                i = min(int((x - origin[0]) / step[0]), cells[0] - 1)
                j = min(int((y - origin[1]) / step[1]), cells[1] - 1)
                if i != ci or j != cj:
                    continue
                shared = shared_area(uv[a], uv[b], work, other)
                if shared <= 0.0:
                    continue
                if count == room:
                    room *= 2
                    wider = np.empty(room, np.int32)
                    wider[:count] = first
                    first = wider
                    wider = np.empty(room, np.int32)
                    wider[:count] = second
                    second = wider
                    longer = np.empty(room)
                    longer[:count] = area
                    area = longer
                first[count], second[count], area[count] = min(a, b), max(a, b), shared
                count += 1
    return first[:count].copy(), second[:count].copy(), area[:count].copy()


@kernel
def shared_area(a: F64, b: F64, work: F64, other: F64) -> float:
    """The area that two triangles (3, 2) share; 0 where it is no more than rounding.

    ``work`` and ``other`` (12, 2) are scratch.
    """
    size_a = (a[1, 0] - a[0, 0]) * (a[2, 1] - a[0, 1]) - (a[1, 1] - a[0, 1]) * (a[2, 0] - a[0, 0])
    size_b = (b[1, 0] - b[0, 0]) * (b[2, 1] - b[0, 1]) - (b[1, 1] - b[0, 1]) * (b[2, 0] - b[0, 0])
    if size_a == 0.0 or size_b == 0.0:
        return 0.0
    count = 3
    for k in range(3):
        work[k, 0], work[k, 1] = a[k, 0], a[k, 1]
    turn = 1.0 if size_b > 0 else -1.0
    for k in range(3):
        px, py = b[k, 0], b[k, 1]
        qx, qy = b[(k + 1) % 3, 0], b[(k + 1) % 3, 1]
        kept = 0
        for n in range(count):
            x0, y0 = work[n, 0], work[n, 1]
            x1, y1 = work[(n + 1) % count, 0], work[(n + 1) % count, 1]
            d0 = turn * ((qx - px) * (y0 - py) - (qy - py) * (x0 - px))
            d1 = turn * ((qx - px) * (y1 - py) - (qy - py) * (x1 - px))
            if d0 >= 0:
                other[kept, 0], other[kept, 1] = x0, y0
                kept += 1
            if (d0 > 0 and d1 < 0) or (d0 < 0 and d1 > 0):
                f = d0 / (d0 - d1)
                other[kept, 0], other[kept, 1] = x0 + f * (x1 - x0), y0 + f * (y1 - y0)
                kept += 1
        count = kept
        if count < 3:
            return 0.0
        for n in range(count):
            work[n, 0], work[n, 1] = other[n, 0], other[n, 1]
    total = 0.0
    for n in range(count):
        m = (n + 1) % count
        total += work[n, 0] * work[m, 1] - work[n, 1] * work[m, 0]
    share = abs(total) / 2
    return share if share > _SHARE * min(abs(size_a), abs(size_b)) / 2 else 0.0
