"""The grid of chunks that every sheet is cut into."""

from __future__ import annotations

import math
from functools import cache
from typing import NamedTuple

import msgspec
import numpy as np

from lucky_fern.core.arrays import F64

CHUNK = 256
SMALLEST, LARGEST = 1, 8192  # texels across a sheet, and down


class Extent(msgspec.Struct, frozen=True, array_like=True):
    """How many texels a sheet is wide and high; ``[width, height]`` in files. No tuple: it multiplies nothing."""

    width: int
    height: int

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self.height, self.width

    @property
    def across(self) -> int:
        """Chunks in a row of them."""
        return -(-self.width // CHUNK)

    @property
    def down(self) -> int:
        """Rows of chunks."""
        return -(-self.height // CHUNK)

    @property
    def longest(self) -> int:
        return max(self.width, self.height)

    @property
    def shortest(self) -> int:
        return min(self.width, self.height)

    @property
    def mean(self) -> float:
        """The edge of a square with as many texels."""
        return math.sqrt(self.texels)

    @property
    def proportions(self) -> F64:
        """(2,) what u and v are multiplied by so that squares of texels are squares; 1, 1 where it is square."""
        return np.array([self.width, self.height]) / self.mean

    @property
    def texels(self) -> int:
        return self.width * self.height

    @property
    def fits(self) -> bool:
        """Whether a sheet may be so large and so small."""
        return min(self.width, self.height) >= SMALLEST and self.longest <= LARGEST

    def as_long_as(self, longest: int) -> Extent:
        """Of the same proportions, so many texels along the longer side."""
        return self.scaled(longest / self.longest)

    @property
    def plain(self) -> int | list[int]:
        """As job files and people say it: one number where it is square."""
        return self.width if self.width == self.height else [self.width, self.height]

    def box_round(self, low: F64, high: F64) -> tuple[int, int, int, int]:
        """Left, upper, right, lower of whole texels round places (x, y) in texels, a texel at least, on the sheet."""
        left, upper = min(max(int(low[0]), 0), self.width - 1), min(max(int(low[1]), 0), self.height - 1)
        right, lower = min(math.ceil(high[0]), self.width), min(math.ceil(high[1]), self.height)
        return left, upper, max(right, left + 1), max(lower, upper + 1)

    def scaled(self, by: float) -> Extent:
        """So many times as wide and high, a texel at least."""
        return Extent(max(1, round(self.width * by)), max(1, round(self.height * by)))

    def __str__(self) -> str:
        return f"{self.width} × {self.height}"


def square(size: int) -> Extent:
    """As high as wide."""
    return Extent(size, size)


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


def to_texels(uv: F64, size: Extent) -> F64:
    """UVs (…, 2) within a tile as (…, 2) texels: x to the right, y down, from the upper left corner of the first."""
    return np.ascontiguousarray(np.stack([uv[..., 0] * size.width, (1.0 - uv[..., 1]) * size.height], axis=-1))


def all_chunks(size: Extent) -> list[Chunk]:
    """Every chunk of a sheet, row by row."""
    return [Chunk(row, column) for row in range(size.down) for column in range(size.across)]


@cache
def every_chunk(size: Extent) -> frozenset[Chunk]:
    """:func:`all_chunks` as a set, made once for each size."""
    return frozenset(all_chunks(size))


def span(chunk: Chunk, size: Extent) -> tuple[slice, slice]:
    """The rows and columns of a sheet that a chunk covers; edge chunks may be smaller."""
    return (
        slice(chunk.row * CHUNK, min((chunk.row + 1) * CHUNK, size.height)),
        slice(chunk.column * CHUNK, min((chunk.column + 1) * CHUNK, size.width)),
    )


def shape(chunk: Chunk, size: Extent) -> tuple[int, int]:
    """Rows and columns of a chunk."""
    rows, columns = span(chunk, size)
    return rows.stop - rows.start, columns.stop - columns.start
