"""Lines cut into pieces and sorted into cells, and the cells that a place can reach."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import cell_of, sort_boxes

_MOST_CELLS = 4_000_000


@dataclass(frozen=True)
class Cut:
    """Pieces (N, 2, 3) of lines, of which line each is (``row``), and between which shares of it (N, 2) it lies.

    ``low`` (3,) is the lowest corner of the first cell, ``cell`` the length of one, ``cells`` (3,) how many;
    ``starts`` and ``items`` as :func:`~lucky_fern.core.sheets.cells.sort_boxes` gives them.
    """

    pieces: F64
    row: I64
    share: F64
    low: F64
    cell: float
    cells: I64
    starts: I64
    items: I32


def cut(ends: F64, reach: float) -> Cut:
    """Lines (N, 2, 3) for questions within ``reach``; long ones are cut, so that their boxes fill few cells."""
    if not len(ends):
        nothing = np.zeros(0, np.int64)
        return Cut(np.zeros((0, 2, 3)), nothing, np.zeros((0, 2)), np.zeros(3), 1.0, np.ones(3, np.int64),
                   np.zeros(2, np.int64), np.zeros(0, np.int32))  # fmt: skip
    low, extent = ends.min(axis=(0, 1)), np.maximum(np.ptp(ends.reshape(-1, 3), axis=0), 1e-12)
    cell = max(reach, float((extent.prod() / _MOST_CELLS) ** (1 / 3)), float(extent.max()) / 1024)
    times = np.maximum(np.ceil(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) / cell), 1).astype(np.int64)
    row = np.repeat(np.arange(len(ends)), times)
    step = np.arange(len(row)) - np.repeat(np.cumsum(times) - times, times)
    share = np.stack([step, step + 1], axis=1) / times[row, None]
    pieces = np.ascontiguousarray(ends[row, :1] * (1 - share[..., None]) + ends[row, 1:] * share[..., None])
    cells = np.maximum(np.ceil(extent / cell), 1).astype(np.int64)
    first = cell_of((pieces.min(axis=1) - low) / cell, cells)
    last = cell_of((pieces.max(axis=1) - low) / cell, cells)
    starts, items = sort_boxes(first, last, cells)
    return Cut(pieces, row, share, low, cell, cells, starts, items)


@kernel
def reached(p: F64, reach: float, low: F64, cell: float, cells: I64, first: I64, last: I64) -> None:
    """The cells that a ball touches, ``first`` to ``last`` (3,) along each axis; none where last is below first."""
    for k in range(3):
        first[k] = max(int(np.floor((p[k] - reach - low[k]) / cell)), 0)
        last[k] = min(int(np.floor((p[k] + reach - low[k]) / cell)), cells[k] - 1)
