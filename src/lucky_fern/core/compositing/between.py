"""Reading a map between its texels, as far as those belong to islands: the one bilinear reader of maps."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Bool
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent
from lucky_fern.core.sheets.sheet import Sheet

ANY = -2  # in place of an island's number: whatever island a texel belongs to


class _Places(NamedTuple):
    """Places on a sheet in texels (centres at whole numbers), and the islands that they lie on, or :data:`ANY`."""

    x: F32
    y: F32
    island: I32


def read_between(
    sources: Sources, sheet: Sheet, fetch: Callable[[Chunk], F32], x: F32 | F64, y: F32 | F64, island: I32 | None,
    components: int,
) -> tuple[F32, Bool]:  # fmt: skip
    """Values (N, n) between the four texels round each place, and (N,) which have any such texel.

    Parameters
    ----------
    fetch : gives a chunk's values (r, c, n); asked only for chunks that are needed.
    x, y : (N,) in texels, right and down from the sheet's upper left corner.
    island : (N,) the islands that texels must belong to; None for any.
    """
    wanted = np.full(len(x), ANY, np.int32) if island is None else island
    places = _Places((x - 0.5).astype(np.float32), (y - 0.5).astype(np.float32), wanted)
    out, total = np.zeros((len(x), components), np.float32), np.zeros(len(x), np.float32)
    across = sheet.size.across
    for cell in _cells_of(places.x, places.y, sheet.size).tolist():
        chunk = Chunk(cell // across, cell % across)
        numbers = chunk_numbers(sources, sheet, chunk)
        if _any_in(places, numbers, chunk.row * CHUNK, chunk.column * CHUNK):
            values = np.ascontiguousarray(fetch(chunk), np.float32)
            _add_taps(places, numbers, values, chunk.row * CHUNK, chunk.column * CHUNK, out, total)
    found: Bool = total > 1e-4
    out[found] /= total[found, None]
    return out, found


def chunk_numbers(sources: Sources, sheet: Sheet, chunk: Chunk) -> I32:
    """(r, c) int32, the model's number of the island that each texel of a chunk lies on; -1 outside."""

    def find() -> I32:
        owner = sources.owners(sheet, chunk)
        return np.where(owner >= 0, sheet.model.islands[sheet.triangle[owner]], -1).astype(np.int32)

    return sources.kept.get(("islands", sheet.key, sheet.size, chunk), find, lambda made: made.nbytes)


def _cells_of(x: F32, y: F32, size: Extent) -> I64:
    """Numbers of the chunks that hold any of the four texels round places."""
    cells = [np.zeros(0, np.int64)]
    for dx in (0, 1):
        for dy in (0, 1):
            column = np.clip(np.floor(x).astype(np.int64) + dx, 0, size.width - 1) // CHUNK
            row = np.clip(np.floor(y).astype(np.int64) + dy, 0, size.height - 1) // CHUNK
            cells.append(np.unique(row * size.across + column))
    return np.unique(np.concatenate(cells))


@kernel
def _any_in(places: _Places, numbers: I32, row0: int, column0: int) -> bool:
    """Whether any of the four texels round any place lies in a chunk and on the place's island."""
    rows, columns = numbers.shape
    for n in range(len(places.x)):
        i, j = int(np.floor(places.x[n])) - column0, int(np.floor(places.y[n])) - row0
        for k in range(4):
            a, b = i + k % 2, j + k // 2
            if 0 <= a < columns and 0 <= b < rows:
                there = numbers[b, a]
                if there == places.island[n] or (places.island[n] == ANY and there >= 0):
                    return True
    return False


@kernel
def _add_taps(places: _Places, numbers: I32, values: F32, row0: int, column0: int, out: F32, total: F32) -> None:
    """Add what a chunk gives to places: bilinear weights of those of its texels that lie on a place's own island."""
    rows, columns = numbers.shape
    for n in range(len(places.x)):
        x, y = places.x[n], places.y[n]
        i, j = int(np.floor(x)), int(np.floor(y))
        fx, fy = x - i, y - j
        for k in range(4):
            a, b = i + k % 2 - column0, j + k // 2 - row0
            if a < 0 or b < 0 or a >= columns or b >= rows:
                continue
            there = numbers[b, a]
            if there != places.island[n] and not (places.island[n] == ANY and there >= 0):
                continue
            weight = (fx if k % 2 else 1.0 - fx) * (fy if k // 2 else 1.0 - fy)
            if weight <= 1e-5:
                continue
            total[n] += weight
            for c in range(values.shape[2]):
                out[n, c] += weight * values[b, a, c]
