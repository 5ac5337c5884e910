"""The grid of chunks that every sheet is cut into, and the threads that work through it."""

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from os import cpu_count
from threading import current_thread
from typing import NamedTuple, TypeVar

from lucky_fern.core.errors import Cancelled

CHUNK = 256
SMALLEST, LARGEST = 16, 8192  # texels across a sheet

_THREADS = "fern-chunk"
_T = TypeVar("_T")
_R = TypeVar("_R")


class SheetKey(NamedTuple):
    """One sheet: a material's name and a UDIM tile."""

    material: str
    tile: int

    def __str__(self) -> str:
        return f"{self.material}:{self.tile}"


class Chunk(NamedTuple):
    """A chunk's place in the grid: row and column, counted from the top left."""

    row: int
    column: int


def chunks_across(size: int) -> int:
    """Chunks along one edge of a sheet of ``size`` texels."""
    return -(-size // CHUNK)


def all_chunks(size: int) -> list[Chunk]:
    """Every chunk of a sheet of ``size`` texels, row by row."""
    count = chunks_across(size)
    return [Chunk(row, column) for row in range(count) for column in range(count)]


@cache
def every_chunk(size: int) -> frozenset[Chunk]:
    """:func:`all_chunks` as a set, made once for each size."""
    return frozenset(all_chunks(size))


def span(chunk: Chunk, size: int) -> tuple[slice, slice]:
    """The rows and columns of a sheet that a chunk covers; edge chunks may be smaller."""
    return (
        slice(chunk.row * CHUNK, min((chunk.row + 1) * CHUNK, size)),
        slice(chunk.column * CHUNK, min((chunk.column + 1) * CHUNK, size)),
    )


def shape(chunk: Chunk, size: int) -> tuple[int, int]:
    """Rows and columns of a chunk."""
    rows, columns = span(chunk, size)
    return rows.stop - rows.start, columns.stop - columns.start


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max(1, cpu_count() or 1), thread_name_prefix=_THREADS)


def for_each(work: Callable[[_T], _R], items: Iterable[_T], cancelled: Callable[[], bool] | None = None) -> list[_R]:
    """Do ``work`` on every item on all cores; results come in the order of the items.

    Raises
    ------
    Cancelled
        As soon as ``cancelled()`` answers True; what had begun is finished first.
    """

    def guarded(item: _T) -> _R:
        if cancelled is not None and cancelled():
            raise Cancelled("stopped on request")
        return work(item)

    waiting = list(items)
    # Work that spreads work must not wait for the threads it stands on itself.
    if len(waiting) < 2 or current_thread().name.startswith(_THREADS):
        return [guarded(item) for item in waiting]
    return list(_pool().map(guarded, waiting))
