"""Which texels a pencil, a line, a frame, an ellipse or a fill covers: whole ones, without soft edges.

Places are (N, 2) int64, row and column; each comes once, in the order in which it is drawn.
"""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np

from lucky_fern.core.arrays import I64, Array, Bool

Place = tuple[int, int]  # row, column


def line(start: Place, end: Place) -> I64:
    """The texels of a line, one thick: as many as the longer way counts (J. E. Bresenham, 1965)."""
    (r0, c0), (r1, c1) = start, end
    count = max(abs(r1 - r0), abs(c1 - c0))
    if count == 0:
        return np.array([start], np.int64)
    steps = np.arange(count + 1)
    # Whole numbers alone: halves go the way that the line goes.
    rows, columns = (
        a + np.sign(b - a) * ((2 * steps * abs(b - a) + count) // (2 * count)) for a, b in ((r0, r1), (c0, c1))
    )
    return np.stack([rows, columns], axis=1).astype(np.int64)


def trail(points: list[Place]) -> I64:
    """The texels that a hand goes over, one thick: joined by lines, without doubled corners."""
    every: list[Place] = [points[0]]
    for before, after in pairwise(points):
        every += [(int(r), int(c)) for r, c in line(before, after)[1:]]
    kept: list[Place] = []
    for place in every:
        if kept and place == kept[-1]:
            continue
        # Round a corner just the two ends are kept: they touch at their own corners.
        if len(kept) >= 2 and abs(place[0] - kept[-2][0]) == 1 and abs(place[1] - kept[-2][1]) == 1:
            kept.pop()
        kept.append(place)
    return once(np.array(kept, np.int64))


def dab(size: int, round_: bool) -> I64:
    """The texels of a pencil about its middle: a square so many across, or a disc."""
    at = np.arange(size) - (size - 1) // 2
    rows, columns = np.meshgrid(at, at, indexing="ij")
    offset = (size - 1) / 2 - (size - 1) // 2
    inside = np.ones(rows.shape, np.bool_)
    if round_ and size > 2:
        inside = (rows - offset) ** 2 + (columns - offset) ** 2 <= (size / 2) ** 2 - 0.1
    return np.stack([rows[inside], columns[inside]], axis=1).astype(np.int64)


def thick(places: I64, size: int, round_: bool) -> I64:
    """Places drawn with a pencil of a size."""
    return places if size == 1 else once((places[:, None] + dab(size, round_)[None]).reshape(-1, 2))


def frame(start: Place, end: Place, filled: bool = False) -> I64:
    """A rectangle between two corners: all of it, or its border, one thick."""
    (top, left), (bottom, right) = (min(start[0], end[0]), min(start[1], end[1])), (
        max(start[0], end[0]), max(start[1], end[1]))  # fmt: skip
    area = np.ones((bottom - top + 1, right - left + 1), np.bool_)
    if not filled:
        area[1:-1, 1:-1] = False
    return np.asarray(np.argwhere(area) + np.array([top, left]), np.int64)


def ellipse(start: Place, end: Place, filled: bool = False) -> I64:
    """The ellipse in the box between two corners: texels whose middles lie in it, or those of its border."""
    top, left = min(start[0], end[0]), min(start[1], end[1])
    high, wide = abs(start[0] - end[0]) + 1, abs(start[1] - end[1]) + 1
    rows, columns = np.mgrid[0:high, 0:wide]
    inside = (((rows + 0.5) * 2 / high - 1) ** 2 + ((columns + 0.5) * 2 / wide - 1) ** 2) <= 1 + 1e-9
    if not filled:
        padded = np.pad(inside, 1)
        within = padded[:-2, 1:-1] & padded[2:, 1:-1] & padded[1:-1, :-2] & padded[1:-1, 2:]
        inside &= ~within
    return np.asarray(np.argwhere(inside) + np.array([top, left]), np.int64)


def area(values: Array, at: Place, joined: bool) -> Bool:
    """(r, c) texels of a map (r, c, n) that are what one of them is: all, or those that hang together with it."""
    same = np.asarray((values == values[at]).all(axis=2))
    if not joined:
        return same
    labels = cv2.connectedComponents(same.astype(np.uint8), connectivity=4)[1]
    return np.asarray(labels == labels[at])


def in_turn(places: I64, one: Array, other: Array | None) -> tuple[Array, I64]:
    """Two painted texels (n,) in turn, like a board of squares: those of each place (N, n), and the places (N, 2).

    Where there is no other one, just every second place is drawn.
    """
    even = places.sum(axis=1) % 2 == 0
    if other is None:
        return one, places[even]
    return np.where(even[:, None], one, other), places


def once(places: I64) -> I64:
    """Each place once, where it came first."""
    return places[np.sort(np.unique(places, axis=0, return_index=True)[1])]


def on_sheet(places: I64, shape: tuple[int, int]) -> I64:
    """Those that lie on a sheet of so many rows and columns."""
    return places[((places >= 0) & (places < shape)).all(axis=1)]


def mirrored(places: I64, shape: tuple[int, int], across: bool, down: bool) -> I64:
    """Places and their mirror images over the middle of a sheet."""
    every = places
    if across:
        every = np.concatenate([every, np.stack([every[:, 0], shape[1] - 1 - every[:, 1]], axis=1)])
    if down:
        every = np.concatenate([every, np.stack([shape[0] - 1 - every[:, 0], every[:, 1]], axis=1)])
    return once(every)
