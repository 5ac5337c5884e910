"""Free room on a sheet counted in whole texels: where rectangles go without touching what lies there."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Bool
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.sheets.raster import mark_triangles, needles

Box = tuple[int, int, int, int]  # left, upper, right, lower (not included), from the upper left


class TexelRoom:
    """Which texels of one sheet are taken."""

    def __init__(self, size: Extent) -> None:
        self.size = size
        self.taken: Bool = np.zeros(size.shape, np.bool_)

    def take_triangles(self, uv: F64) -> None:
        """Take the texels of triangles (N, 3, 2), their UVs counted from the tile's corner."""
        if not len(uv):
            return
        corners = np.stack([uv[..., 0] * self.size.width, (1 - uv[..., 1]) * self.size.height], axis=-1)
        out: I32 = np.full(self.size.shape, -1, np.int32)
        items = np.arange(len(uv), dtype=np.int32)
        mark_triangles(np.ascontiguousarray(corners), needles(corners), items, 0, 0, out, items)
        self.taken |= out >= 0

    def take(self, boxes: list[Box], at: tuple[int, int]) -> None:
        """Take boxes moved to a column and row."""
        column, row = at
        for left, upper, right, lower in boxes:
            self.taken[row + upper : row + lower, column + left : column + right] = True

    def find(self, boxes: list[Box]) -> tuple[int, int] | None:
        """The uppermost column and row, leftmost of those, where boxes that start at 0, 0 are free; None if none."""
        wide, high = max(box[2] for box in boxes), max(box[3] for box in boxes)
        rows, columns = self.size.height - high + 1, self.size.width - wide + 1
        if rows <= 0 or columns <= 0:
            return None
        sums = np.zeros((self.size.height + 1, self.size.width + 1), np.int64)
        sums[1:, 1:] = self.taken.cumsum(axis=0).cumsum(axis=1)
        free = np.ones((rows, columns), np.bool_)
        for left, upper, right, lower in boxes:
            free &= _within(sums, left, upper, right, lower, rows, columns) == 0
        at = np.flatnonzero(free)
        return None if not len(at) else (int(at[0] % columns), int(at[0] // columns))

    def fill(self, boxes: list[Box]) -> tuple[int, int] | None:
        """Find such a place, and take it."""
        at = self.find(boxes)
        if at is not None:
            self.take(boxes, at)
        return at


def _within(sums: I64, left: int, upper: int, right: int, lower: int, rows: int, columns: int) -> I64:
    """(rows, columns) how many texels a box has taken, for every place it may start at."""

    def at(row: int, column: int) -> I64:
        return sums[row : row + rows, column : column + columns]

    return at(lower, right) - at(upper, right) - at(lower, left) + at(upper, left)
