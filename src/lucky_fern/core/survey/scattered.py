"""Points strewn evenly over a surface, sorted into cells: the same ones whatever the layout is."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Bool, triangle_areas, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.cells import cell_of, sort_boxes

MOST_POINTS = 4_000_000
_MOST_CELLS = 4_000_000


class Scattered(NamedTuple):
    """Points of a surface, cell after cell.

    ``triangle`` (N,) int32, ``barycentric`` (N, 3) float64, ``middle`` and ``normal`` (N, 3) float32, ``piece`` (N,)
    int32 what hangs together, ``chance`` (N, 4) float32 numbers 0…1 of their own; ``starts`` (cells + 1,) int64,
    ``low`` (3,) the lowest corner of the first cell, ``cell`` the length of one, ``cells`` (3,) how many.
    """

    triangle: I32
    barycentric: F64
    middle: F32
    normal: F32
    piece: I32
    chance: F32
    starts: I64
    low: F64
    cell: float
    cells: I64

    @property
    def nbytes(self) -> int:
        return sum(one.nbytes for one in self if isinstance(one, np.ndarray))


def scatter(model: Model, per_area: float, cell: float, seed: int, wanted: Bool) -> Scattered:
    """So many points a square unit on wanted triangles ((T,) bool), a point in each of as many equal shares of area.

    ``cell`` is the least length of a cell. Fewer where that would be over :data:`MOST_POINTS`.
    """
    area = np.where(wanted, triangle_areas(model.corners), 0.0)
    ends = np.cumsum(area)
    whole = float(ends[-1]) if len(ends) else 0.0
    count = int(min(np.ceil(whole * per_area), MOST_POINTS)) if whole > 0 else 0
    chance = np.random.Generator(np.random.PCG64(seed)).random((count, 7))
    at = (np.arange(count) + chance[:, 0]) / max(count, 1) * whole
    triangle = np.minimum(np.searchsorted(ends, at, side="right"), max(len(ends) - 1, 0)).astype(np.int32)
    root = np.sqrt(chance[:, 1])
    barycentric = np.stack([1 - root, root * (1 - chance[:, 2]), root * chance[:, 2]], axis=1)
    middle = np.einsum("nk,nkd->nd", barycentric, model.corners[triangle])
    normal = unit_rows(np.einsum("nk,nkd->nd", barycentric, model.normals[triangle].astype(np.float64)))
    low, high = model.bounds
    while True:
        cells = np.maximum(np.ceil((high - low) / cell), 1).astype(np.int64)
        if float(cells.astype(np.float64).prod()) <= _MOST_CELLS:
            break
        cell *= 1.5
    place = cell_of((middle - low) / cell, cells)
    starts, items = sort_boxes(place, place, cells)
    return Scattered(
        triangle[items], barycentric[items], middle[items].astype(np.float32), normal[items].astype(np.float32),
        np.ascontiguousarray(model.pieces[triangle[items]], np.int32), chance[items, 3:].astype(np.float32), starts,
        np.asarray(low, np.float64), cell, cells,
    )  # fmt: skip


@kernel
def near_box(scattered: Scattered, low: F64, high: F64) -> I64:
    """Numbers of the points in a box (3,), (3,), in their order."""
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    for i in range(3):
        most = scattered.cells[i] - 1
        first[i] = min(max(int(np.floor((low[i] - scattered.low[i]) / scattered.cell)), 0), most)
        last[i] = min(max(int(np.floor((high[i] - scattered.low[i]) / scattered.cell)), 0), most)
    starts, middle = scattered.starts, scattered.middle  # once: each look in the loop would count references
    out = np.empty(0, np.int64)
    for turn in range(2):
        count = 0
        for x in range(first[0], last[0] + 1):
            for y in range(first[1], last[1] + 1):
                row = (x * scattered.cells[1] + y) * scattered.cells[2]
                for s in range(starts[row + first[2]], starts[row + last[2] + 1]):
                    inside = True
                    for i in range(3):
                        inside = inside and low[i] <= middle[s, i] <= high[i]
                    if inside:
                        if turn == 1:
                            out[count] = s
                        count += 1
        if turn == 0:
            out = np.empty(count, np.int64)
    return out
