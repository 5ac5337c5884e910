"""Free room on a tile: where the shapes of islands can go without touching others.

A tile is a grid of cells, taken or free; an island takes every cell that it touches. Shapes go to the lowest
free place, leftmost first (B. Chazelle, "The Bottom-Left Bin-Packing Heuristic", 1983, here for any shape).
"""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from lucky_fern.core.arrays import F64, I16, I32, U8, Bool, box_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.sheets.raster import mark_triangles, needles
from lucky_fern.words import tr

GRID = 512  # cells across a tile
Told = Callable[[float], None]
_MANY = 200  # shapes; as many are laid less often, for a few parts in a hundred of their size
_EVERY = 16  # shapes between two words of how far it is


@dataclass(frozen=True)
class Spot:
    """Where a shape goes: scaled, turned by so many quarters, then moved by ``step`` (UV)."""

    scale: float
    quarters: int
    step: F64

    def carry(self, uv: F64) -> F64:
        """Places (..., 2) as they lie there."""
        return turned(uv * self.scale, self.quarters) + self.step


def turned(uv: F64, quarters: int) -> F64:
    """(..., 2) turned counter-clockwise about the origin by quarter turns."""
    for _ in range(quarters % 4):
        uv = np.stack([-uv[..., 1], uv[..., 0]], axis=-1)
    return uv


class Room:
    """What of one tile is taken. ``padding`` in tiles is kept between shapes, half of it to the tile's border."""

    def __init__(self, corner: F64, padding: float) -> None:
        self.corner = corner
        self.reach = int(np.ceil(padding * GRID))
        self.edge = int(np.ceil(padding * GRID / 2))
        # How many cells on, in its row, the next free one is: 0 where the cell itself is free.
        self.runs: I16 = np.zeros((GRID, GRID), np.int16)

    @property
    def free(self) -> float:
        """The share of the tile that is free."""
        return 1.0 - float(np.count_nonzero(self.runs)) / GRID**2

    def copy(self) -> Room:
        """The same room, to try things in."""
        other = copy.copy(self)
        other.runs = self.runs.copy()
        return other

    def take(self, uv: F64) -> None:
        """Take what triangles (N, 3, 2) touch, and the padding round it."""
        self._mark(*_cells(uv - self.corner))

    def _mark(self, cells: U8, low: tuple[int, int]) -> None:
        """Take cells (rows, columns) that begin at a (column, row)."""
        rows, columns = cells.shape
        top, left = max(low[1], 0), max(low[0], 0)
        bottom, right = min(low[1] + rows, GRID), min(low[0] + columns, GRID)
        if top >= bottom or left >= right:
            return
        wide = cells[top - low[1] : bottom - low[1], left - low[0] : right - low[0]]
        if self.reach:
            square = np.ones((2 * self.reach + 1, 2 * self.reach + 1), np.uint8)
            wide = cv2.dilate(np.pad(wide, self.reach), square).astype(np.uint8)
        _take(self.runs, wide, top - self.reach, left - self.reach)

    def find(self, uv: F64, scale: float = 1.0, turn: bool = False) -> Spot | None:
        """The lowest place for triangles (N, 3, 2) of any place, scaled; None if there is none."""
        found = self._lowest(uv, scale, turn)
        return None if found is None else found[0]

    def fill(self, uv: F64, scale: float, turn: bool) -> Spot | None:
        """Find the lowest place, and take it."""
        found = self._lowest(uv, scale, turn)
        if found is None:
            return None
        self._mark(*found[1:])
        return found[0]

    def _lowest(self, uv: F64, scale: float, turn: bool) -> tuple[Spot, U8, tuple[int, int]] | None:
        """The lowest place, and the cells that are taken there."""
        least, best = 0, None
        for quarters in (0, 1) if turn else (0,):
            shape = turned(uv * scale, quarters)
            low = shape.min(axis=(0, 1))
            cells, start = _cells(shape - low)
            rows, columns = cells.shape
            if rows - 2 + 2 * self.edge > GRID or columns - 2 + 2 * self.edge > GRID:
                continue
            y, x = np.nonzero(cells)
            # Far corners first: a place that is taken shows soon.
            order = np.argsort((np.arange(len(y)) * 40503) % 65536, kind="stable")
            offset = np.stack([y[order] + start[1], x[order] + start[0]], axis=1).astype(np.int32)
            row, column = _first_free(self.runs, offset, self.edge, rows - 2, columns - 2)
            height = (row + rows) * GRID + column
            if row >= 0 and (best is None or height < least):
                at = self.corner + np.array([column, row]) / GRID
                least, best = height, (Spot(scale, quarters, at - low), cells, (column + start[0], row + start[1]))
        return best


def _cells(local: F64) -> tuple[U8, tuple[int, int]]:
    """Which cells triangles (N, 3, 2), in tiles, touch: (rows, columns) uint8, and the (column, row) it starts at."""
    scaled = np.ascontiguousarray(local * GRID)
    low = np.floor(scaled.min(axis=(0, 1))).astype(int) - 1
    high = np.ceil(scaled.max(axis=(0, 1))).astype(int) + 1
    out = np.full((max(high[1] - low[1], 1), max(high[0] - low[0], 1)), -1, np.int32)
    every = np.arange(len(scaled), dtype=np.int32)
    mark_triangles(scaled, needles(scaled), every, int(low[1]), int(low[0]), out, every)
    # Slivers hold no cell's middle: their edges are drawn as well.
    touched = (out >= 0).astype(np.uint8)
    edges = np.rint((scaled - low - 0.5) * 256).astype(np.int32)
    cv2.polylines(touched, list(edges), True, 1, 1, cv2.LINE_8, 8)
    # A cell whose middle lies outside may be touched all the same: one cell more on all sides.
    grown = cv2.dilate(touched, np.ones((3, 3), np.uint8))
    return np.asarray(grown, np.uint8), (int(low[0]), int(low[1]))


@kernel
def _take(runs: I16, cells: U8, top: int, left: int) -> None:
    """Take cells (rows, columns) that begin at a row and a column of the room."""
    side = runs.shape[0]
    for r in range(max(0, -top), min(cells.shape[0], side - top)):
        row = runs[top + r]
        run = 0
        for c in range(side - 1, -1, -1):
            here = row[c] > 0 or (0 <= c - left < cells.shape[1] and cells[r, c - left] > 0)
            run = run + 1 if here else 0
            row[c] = run


@kernel
def _first_free(runs: I16, offset: I32, edge: int, rows: int, columns: int) -> tuple[int, int]:
    """The lowest row, then column, at which none of the cells (n, 2) is taken; (-1, -1) if there is none."""
    side = runs.shape[0]
    last = 0  # the cell that was in the way: it often still is
    for row in range(edge, side - edge - rows + 1):
        column = edge
        while column <= side - edge - columns:
            skip = 0
            r, c = row + offset[last, 0], column + offset[last, 1]
            if 0 <= r < side and 0 <= c < side:
                skip = runs[r, c]
            if skip == 0:
                for n in range(len(offset)):
                    r, c = row + offset[n, 0], column + offset[n, 1]
                    if 0 <= r < side and 0 <= c < side and runs[r, c] > 0:
                        skip = runs[r, c]
                        last = n
                        break
            if skip == 0:
                return row, column
            column += skip  # at every place before, the same cell would be on the same run
    return -1, -1


def fit(
    shapes: list[F64], room: Room, scale: float, turn: bool, told: Told = lambda share: None
) -> list[Spot] | None:
    """A spot for every shape at one scale, the largest first; None if one finds none."""
    spots: list[Spot | None] = [None] * len(shapes)
    work = room.copy()
    order = np.argsort([-float(np.ptp(shape, axis=(0, 1)).prod()) for shape in shapes], kind="stable")
    for number, at in enumerate(order):
        if number % _EVERY == 0:
            told(number / len(shapes))
        spots[at] = work.fill(shapes[at], scale, turn)
        if spots[at] is None:
            return None
    return [spot for spot in spots if spot is not None]


def largest_fit(
    shapes: list[F64], room: Room, turn: bool, steps: int = 8, told: Told = lambda share: None
) -> list[Spot] | None:
    """Spots at the largest scale that halving finds; None if they do not fit even when tiny."""
    area = sum(_area(shape) for shape in shapes)
    high = float(np.sqrt(max(room.free, 1e-6) / max(area, 1e-300)))
    low, best = high / 64, None
    for step in range(steps):
        scale = high * 0.72 if best is None else float(np.sqrt(low * high))

        def of_all(share: float, step: int = step) -> None:
            told((step + share) / steps)

        found = fit(shapes, room, scale, turn, of_all)
        if found is None:
            high = scale
        else:
            low, best = scale, found
        if high / low < (1.01 if len(shapes) < _MANY else 1.03) or (best is None and high < low):
            break
    return best


def _area(uv: F64) -> float:
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    return float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2)


def room_beside(layout: Layout, material: int, corner: F64, without: Bool, padding: float) -> Room:
    """The room that the triangles of a material leave on a tile; those ``without`` (T,) bool do not count."""
    room = Room(corner, padding)
    others = (layout.model.material == material) & ~without & np.isfinite(layout.uv).all(axis=(1, 2))
    uv = layout.uv[others]
    low, high = box_of(uv)
    near = (high > corner).all(axis=1) & (low < corner + 1).all(axis=1)
    if near.any():
        room.take(uv[near])
    return room


def settle(
    layout: Layout,
    shapes: list[F64],
    rows: list[I32],
    padding: float,
    texels: float,
    told: Told = lambda share: None,
) -> None:
    """Give flattened faces of one material a place on their tile: a shape (N, 3, 2) in model units for each ``rows``.

    They get the texel density of the rest of the model, less if their tile is too small for that, and lie where
    nothing else does if there is such a place; otherwise with less padding, or in cells of a grid. ``told`` is told
    the share that is done, and may raise.
    """
    model = layout.model
    every = np.concatenate(rows)
    others = np.ones(model.triangle_count, np.bool_)
    others[every] = False
    density = _density(layout, others)
    material = int(model.material[every[0]])
    corner = layout.tile(~others)
    if not (others & (model.material == material)).any() and np.isfinite(layout.uv[every]).all():
        # All of a material goes onto the first of its tiles.
        corner = np.floor(layout.uv[every].mean(axis=1)).min(axis=0)
    room = room_beside(layout, material, corner, ~others, padding)
    spots = fit(shapes, room, density, False, lambda share: told(share / 2)) if density else None
    if spots is None:
        spots = largest_fit(shapes, room, False, told=lambda share: told((0.5 if density else 0.0) + share * 0.45))
        if spots is not None and density:
            share = spots[0].scale / density
            layout.notes.append(
                tr("the tile has room for {share:.0%} of the texel density that the rest has", share=share)
            )
    if spots is None:
        spots = _give_way(layout, shapes, corner, material, ~others, padding, texels, told)
    for spot, shape, mine in zip(spots, shapes, rows, strict=True):
        layout.uv[mine] = spot.carry(shape)


def _give_way(
    layout: Layout,
    shapes: list[F64],
    corner: F64,
    material: int,
    mine: Bool,
    padding: float,
    texels: float,
    told: Told,
) -> list[Spot]:
    """Spots for shapes for which there is no room at that padding: less of it, then none, then cells of a grid."""
    for less in (padding / 2, padding / 4, padding / 8, 0.0):
        room = room_beside(layout, material, corner, mine, less)
        spots = largest_fit(shapes, room, False, 12, lambda share: told(0.95))
        if spots is not None:
            layout.notes.append(
                tr(
                    "there are {shapes} pieces: the padding between them gave way to {less:.2g} texels; a larger "
                    "sheet has room for more",
                    shapes=len(shapes),
                    less=less * texels,
                )
            )
            return spots
    across = int(np.ceil(np.sqrt(len(shapes))))
    largest = max(float(np.ptp(shape, axis=(0, 1)).max()) for shape in shapes)
    scale = 0.98 / across / max(largest, 1e-300)
    layout.notes.append(
        tr(
            "there are {shapes} pieces and no room: each lies in a cell of its own of {texels:.2g} "
            "texels, over what else is on the tile; take a larger sheet, or several tiles",
            shapes=len(shapes),
            texels=texels / across,
        )
    )
    spots = []
    for number, shape in enumerate(shapes):
        cell = corner + np.array([number % across, number // across]) / across
        low = shape.min(axis=(0, 1)) * scale
        spots.append(Spot(scale, 0, cell + 0.01 / across - low))
    return spots


def _density(layout: Layout, others: Bool) -> float:
    """UV for one model unit on the rest of the model; 0 where there is no rest."""
    measures = layout.measures
    valid = others & np.isfinite(measures.longest)
    surface = float(measures.area[valid].sum())
    return float(np.sqrt(np.abs(measures.uv_area[valid]).sum() / surface)) if surface > 0 else 0.0
