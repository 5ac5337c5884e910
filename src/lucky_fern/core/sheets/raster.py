"""Kernels that walk over the texels of triangles.

Texel space of a sheet: x to the right, y down, in texels; the centre of (row r, column c) is at
(c + ½, r + ½). A texel belongs to a triangle if its centre is inside or on the border. A triangle so
small that it holds no centre gets the texel in which its middle lies, so that no island is lost.
"""

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, U8, Bool, box_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import flat, sort_boxes

EDGE = 1e-7  # texels; centres this close to an edge count as on it
_WELL_INSIDE = 1e-4  # texels from an edge: no neighbour has it, too


@kernel
def row_span(corners: F64, y: float) -> tuple[float, float]:
    """Lowest and highest x of a triangle (3, 2) on the line at ``y``; (inf, -inf) where it is not met."""
    low, high = np.inf, -np.inf
    for k in range(3):
        x0, y0 = corners[k, 0], corners[k, 1]
        x1, y1 = corners[(k + 1) % 3, 0], corners[(k + 1) % 3, 1]
        if (y0 < y - EDGE and y1 < y - EDGE) or (y0 > y + EDGE and y1 > y + EDGE):
            continue
        if abs(y1 - y0) < 1e-12:
            low, high = min(low, x0, x1), max(high, x0, x1)
            continue
        f = min(max((y - y0) / (y1 - y0), 0.0), 1.0)
        x = x0 + f * (x1 - x0)
        low, high = min(low, x), max(high, x)
    return low - EDGE, high + EDGE


@kernel
def texel_places(xy: F64, owner: I32, values: F64, row0: int, column0: int, out: F64) -> None:
    """What runs evenly over triangles, at texels' middles: ``values`` (N, 3, n) at corners, into ``out`` (r, c, n).

    Texels that nobody owns are left as they are.
    """
    for r in range(owner.shape[0]):
        for k in range(owner.shape[1]):
            item = owner[r, k]
            if item < 0:
                continue
            c = xy[item]
            ax, ay, bx, by = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1], c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
            area = ax * by - ay * bx
            x, y = k + column0 + 0.5 - c[0, 0], r + row0 + 0.5 - c[0, 1]
            wb, wc = 0.0, 0.0
            if area != 0.0:
                wb, wc = (x * by - y * bx) / area, (ax * y - ay * x) / area
            for i in range(values.shape[2]):
                first = values[item, 0, i]
                out[r, k, i] = first + wb * (values[item, 1, i] - first) + wc * (values[item, 2, i] - first)


@kernel
def centre_hits(corners: F64) -> bool:
    """Whether a triangle (3, 2) holds any texel's centre."""
    top = min(corners[0, 1], corners[1, 1], corners[2, 1])
    bottom = max(corners[0, 1], corners[1, 1], corners[2, 1])
    for row in range(int(np.ceil(top - 0.5 - EDGE)), int(np.floor(bottom - 0.5 + EDGE)) + 1):
        low, high = row_span(corners, row + 0.5)
        if np.ceil(low - 0.5) <= np.floor(high - 0.5):
            return True
        if row - top > 64:  # so tall a triangle without a hit is a needle; the rest would not differ
            return False
    return False


@kernel
def needles(corners: F64) -> U8:
    """(T,) 1 where a triangle of (T, 3, 2) holds no texel's centre."""
    found = np.zeros(len(corners), np.uint8)
    for t in range(len(corners)):
        if not centre_hits(corners[t]):
            found[t] = 1
    return found


def bin_triangles(corners: F64, chunk: int, across: int, down: int) -> tuple[I64, I32]:
    """Which triangles may touch which chunk.

    Returns
    -------
    starts : (across · down + 1,) int64, where each chunk's list starts in ``items``.
    items : int32 rows of ``corners`` (T, 3, 2), chunk after chunk, rising within a chunk.
    """
    low, high = box_of(corners)
    first = np.maximum(np.floor((low - 1) / chunk), 0).astype(np.int64)
    last = np.minimum(np.floor((high + 1) / chunk), (across - 1, down - 1)).astype(np.int64)
    return sort_boxes(flat(first), flat(last), np.array([down, across, 1]))


@kernel
def beaten_triangles(
    corners: F64, needle: U8, items: I32, row0: int, column0: int, owner: I32, values: I32
) -> Bool:  # fmt: skip
    """(N,) which triangles of ``items`` have a texel well inside them that ``owner`` gives to another.

    ``values[t]`` is what :func:`mark_triangles` wrote for t.
    """
    found = np.zeros(len(items), np.bool_)
    rows, columns = owner.shape
    for n in range(len(items)):
        t = items[n]
        if needle[t]:
            continue
        c = corners[t]
        top = max(int(np.ceil(c[:, 1].min() + _WELL_INSIDE - 0.5)) - row0, 0)
        bottom = min(int(np.floor(c[:, 1].max() - _WELL_INSIDE - 0.5)) - row0, rows - 1)
        for r in range(top, bottom + 1):
            low, high = row_span(c, r + row0 + 0.5)
            if low > high:
                continue
            first = max(int(np.ceil(low + _WELL_INSIDE - 0.5)) - column0, 0)
            last = min(int(np.floor(high - _WELL_INSIDE - 0.5)) - column0, columns - 1)
            for k in range(first, last + 1):
                if owner[r, k] >= 0 and owner[r, k] != values[t]:
                    found[n] = True
                    break
            if found[n]:
                break
    return found


@kernel
def mark_triangles(corners: F64, needle: U8, items: I32, row0: int, column0: int, out: I32, values: I32) -> None:
    """Write ``values[t]`` into the texels of each triangle t of ``items``; the first to come stays.

    ``out`` (rows, columns) int32 starts at texel (row0, column0) and holds -1 where nothing is yet.
    """
    rows, columns = out.shape
    for n in range(len(items)):
        t = items[n]
        c = corners[t]
        if needle[t]:
            r = int(np.floor((c[0, 1] + c[1, 1] + c[2, 1]) / 3)) - row0
            k = int(np.floor((c[0, 0] + c[1, 0] + c[2, 0]) / 3)) - column0
            if 0 <= r < rows and 0 <= k < columns and out[r, k] < 0:
                out[r, k] = values[t]
            continue
        top = max(int(np.ceil(c[:, 1].min() - 0.5 - EDGE)) - row0, 0)
        bottom = min(int(np.floor(c[:, 1].max() - 0.5 + EDGE)) - row0, rows - 1)
        for r in range(top, bottom + 1):
            low, high = row_span(c, r + row0 + 0.5)
            if low > high:
                continue
            first = max(int(np.ceil(low - 0.5)) - column0, 0)
            last = min(int(np.floor(high - 0.5)) - column0, columns - 1)
            for k in range(first, last + 1):
                if out[r, k] < 0:
                    out[r, k] = values[t]
