"""The grid of chunks that every sheet is cut into."""

from functools import cache
from typing import NamedTuple

CHUNK = 256
SMALLEST, LARGEST = 16, 8192  # texels across a sheet


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
