"""Boxes sorted into the cells of a grid, so that whoever asks about a place looks at few of them."""

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.compiled import kernel


@kernel
def sort_boxes(first: I64, last: I64, cells: I64) -> tuple[I64, I32]:
    """Which boxes touch which cell.

    Parameters
    ----------
    first, last : (N, 3) int64, the first and the last cell of each box along three axes; a box whose last comes
        before its first touches none.
    cells : (3,) int64, how many there are; one of two axes has 1 along the third.

    Returns
    -------
    starts : (cells + 1,) int64, where the list of cell ``(i · cells[1] + j) · cells[2] + k`` starts in ``items``.
    items : int32 rows of the boxes, cell after cell, rising within one.
    """
    starts = np.zeros(cells[0] * cells[1] * cells[2] + 1, np.int64)
    items = np.empty(0, np.int32)
    fill = np.empty(0, np.int64)
    for turn in range(2):
        if turn == 1:
            starts = np.cumsum(starts)
            items = np.empty(starts[-1], np.int32)
            fill = starts.copy()
        for n in range(len(first)):
            for i in range(first[n, 0], last[n, 0] + 1):
                for j in range(first[n, 1], last[n, 1] + 1):
                    for k in range(first[n, 2], last[n, 2] + 1):
                        cell = (i * cells[1] + j) * cells[2] + k
                        if turn == 0:
                            starts[cell + 1] += 1
                        else:
                            items[fill[cell]] = n
                            fill[cell] += 1
    return starts, items


def cell_of(places: F64, count: I64) -> I64:
    """Places counted in cells (…, d) as whole numbers from 0 to ``count`` − 1."""
    return np.clip(np.floor(places), 0, np.asarray(count) - 1).astype(np.int64)


def flat(boxes: I64) -> I64:
    """(N, 3) of boxes (N, 2) in a grid of two axes (x, y), rows of cells first, as :func:`sort_boxes` counts."""
    return np.stack([boxes[:, 1], boxes[:, 0], np.zeros(len(boxes), np.int64)], axis=1)
