"""Finding room for islands: against points sampled all over them."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from lucky_fern.core.layout.room import GRID, Room, fit, largest_fit, turned

CELL = 1 / GRID


def shape(rng: np.random.Generator, size: float) -> np.ndarray:
    """A few triangles that share a corner, somewhere."""
    middle = rng.uniform(-3, 3, 2)
    rim = middle + rng.uniform(-size, size, (rng.integers(2, 6) + 1, 2))
    return np.array([[middle, a, b] for a, b in pairwise(rim)])


def points_in(uv: np.ndarray, step: float = 0.004) -> np.ndarray:
    """(N, 2) points all over triangles, corners and edges among them."""
    found = []
    for a, b, c in uv:
        count = int(max(np.linalg.norm(b - a), np.linalg.norm(c - a), np.linalg.norm(c - b)) / step) + 2
        s, t = np.meshgrid(np.linspace(0, 1, count), np.linspace(0, 1, count))
        inside = s + t <= 1 + 1e-9
        found.append(a + s[inside][:, None] * (b - a) + t[inside][:, None] * (c - a))
    return np.concatenate(found)


@settings(max_examples=25, deadline=None)
@given(
    seed=st.integers(0, 9999), count=st.integers(2, 7), padding=st.sampled_from([0.0, 0.01, 0.03]), turn=st.booleans()
)
@example(seed=5304, count=5, padding=0.01, turn=False)  # a sliver
def test_shapes_that_found_room_keep_their_distance_and_stay_on_the_tile(
    seed: int, count: int, padding: float, turn: bool
) -> None:
    rng = np.random.default_rng(seed)
    shapes = [shape(rng, rng.uniform(0.02, 0.12)) for _ in range(count)]
    corner = np.array([2.0, 1.0])
    spots = fit(shapes, Room(corner, padding), 1.0, turn)
    assert spots is not None
    laid = [points_in(spot.carry(uv)) for spot, uv in zip(spots, shapes, strict=True)]
    for at, mine in enumerate(laid):
        assert (mine >= corner + padding / 2 - CELL).all() and (mine <= corner + 1 - padding / 2 + CELL).all()
        for other in laid[at + 1 :]:
            gap = cKDTree(other).query(mine)[0].min()
            assert gap >= max(padding - CELL, 1e-9)
    for spot, uv in zip(spots, shapes, strict=True):
        # Only turned and moved: its own proportions stay.
        assert np.allclose(np.ptp(spot.carry(uv), axis=(0, 1)), np.ptp(turned(uv, spot.quarters), axis=(0, 1)))


@settings(max_examples=8, deadline=None)
@given(seed=st.integers(0, 999))
def test_the_largest_fit_fits_and_little_more_would_not(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shapes = [np.array([[(0, 0), (w, 0), (w, h)], [(0, 0), (w, h), (0, h)]])
              for w, h in rng.uniform(0.2, 1.0, (5, 2))]  # fmt: skip
    room = Room(np.zeros(2), 0.01)
    spots = largest_fit(shapes, room, False)
    assert spots is not None
    scale = spots[0].scale
    assert all(spot.scale == scale for spot in spots)
    area = sum(float(np.ptp(uv, axis=(0, 1)).prod()) for uv in shapes) * scale**2
    assert 0.35 < area <= 1
    assert fit(shapes, room, scale * 1.35, False) is None
    full = Room(np.zeros(2), 0.0)
    full.take(np.array([[(0, 0), (1, 0), (1, 1)], [(0, 0), (1, 1), (0, 1)]], np.float64))
    assert full.find(shapes[0], 0.05) is None


@settings(max_examples=20, deadline=None)
@given(seed=st.integers(0, 9999))
def test_the_lowest_room_is_found_wherever_it_is(seed: int) -> None:
    """Bands of blocks with one gap each: a square goes into the lowest gap that is wide enough, and to its left."""
    rng = np.random.default_rng(seed)
    room = Room(np.zeros(2), 0.0)
    width, bands = 40, 5
    gaps = [(int(rng.integers(5, 400)), int(rng.choice([20, 34, 60]))) for _ in range(bands)]
    for band, (at, wide) in enumerate(gaps):
        for left, right in ((0, at), (at + wide, GRID)):
            low, high = np.array([left, band * 60]) * CELL, np.array([right, band * 60 + 60]) * CELL
            a, b, c, d = low, (high[0], low[1]), high, (low[0], high[1])
            room.take(np.array([[a, b, c], [a, c, d]], np.float64))
    side = width * CELL
    square = np.array([[(0, 0), (side, 0), (side, side)], [(0, 0), (side, side), (0, side)]])
    square += rng.uniform(-2, 2, 2)
    spot = room.find(square)
    wide_enough = [band for band, (_, wide) in enumerate(gaps) if wide == 60]
    lowest = wide_enough[0] if wide_enough else bands
    if lowest == bands and bands * 60 + width > GRID:
        assert spot is None
        return
    assert spot is not None
    u, v = spot.carry(square).min(axis=(0, 1)) * GRID
    # Each edge is kept off by up to two cells: by its own shape's and by the block's.
    assert lowest * 60 - 4 <= v <= lowest * 60 + 4
    at = gaps[lowest][0] if lowest < bands else 0
    assert at <= u <= at + 4
