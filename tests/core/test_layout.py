"""The layout check: overlaps against brute force, measures against analytic truth, sentences for odd layouts."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.layout.measure import measure
from lucky_fern.core.layout.overlaps import overlapping_pairs
from lucky_fern.core.model.load import load_model
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.surface import Surface


def inside_share(a: np.ndarray, b: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Which of many points lie in both triangles."""
    result = np.ones(len(points), bool)
    for triangle in (a, b):
        edges = np.roll(triangle, -1, axis=0) - triangle
        sides = [
            e[0] * (points[:, 1] - p[1]) - e[1] * (points[:, 0] - p[0]) for e, p in zip(edges, triangle, strict=True)
        ]
        result &= (np.min(sides, axis=0) > 0) | (np.max(sides, axis=0) < 0)
    return result


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.integers(2, 24), st.floats(0.05, 1.0))
def test_overlaps_are_those_that_brute_force_finds(seed: int, count: int, extent: float) -> None:
    rng = np.random.default_rng(seed)
    uv = rng.random((count, 1, 2)) + rng.random((count, 3, 2)) * extent
    points = rng.random((60000, 2)) * (1 + extent)
    cell = (1 + extent) ** 2 / len(points)
    first, second, area = overlapping_pairs(uv)
    found = dict(zip(zip(first.tolist(), second.tolist(), strict=True), area, strict=True))
    for i in range(count):
        for j in range(i + 1, count):
            share = inside_share(uv[i], uv[j], points).sum() * cell
            exact = found.get((i, j), 0.0)
            assert abs(share - exact) < 6 * np.sqrt(max(exact, cell) * cell) + 3 * cell


def test_neighbours_and_flipped_windings_do_not_overlap_but_copies_do() -> None:
    a = np.array([[0, 0], [1, 0], [0, 1.0]])
    b = np.array([[1, 0], [1, 1], [0, 1.0]])
    first, second, area = overlapping_pairs(np.stack([a, b, a[::-1] + 2, a[[1, 2, 0]] + 2]))
    assert (first.tolist(), second.tolist()) == ([2], [3]) and area[0] == pytest.approx(0.5)


@pytest.mark.parametrize(("width", "height"), [(1, 1), (3, 1), (0.2, 2)])
def test_stretch_and_density_of_a_board(tmp_path: Path, width: float, height: float) -> None:
    text = f"v 0 0 0\nv {width} 0 0\nv {width} {height} 0\nv 0 {height} 0\nvt 0 0\nvt .5 0\nvt .5 .5\nvt 0 .5\nf 1/1 2/2 3/3 4/4\n"
    (tmp_path / "b.obj").write_text(text)
    measures = measure(load_model(tmp_path / "b.obj"))
    assert np.allclose(measures.longest, 2 * max(width, height)) and np.allclose(
        measures.shortest, 2 * min(width, height)
    )
    assert np.allclose(measures.angle_stretch, max(width, height) / min(width, height))
    assert measures.typical_density() == pytest.approx(0.5 / np.sqrt(width * height))


SQUARE = [(0, 0), (0.2, 0), (0.2, 0.2), (0, 0.2)]


def boxes(places: list[tuple[float, float, bool]], size: float = 1.0) -> str:
    """Separate squares, each with its UVs at a place; mirrored where asked."""
    text = []
    for number, (u, v, mirrored) in enumerate(places):
        x = number * 2 * size
        text += [f"v {x} 0 0", f"v {x + size} 0 0", f"v {x + size} {size} 0", f"v {x} {size} 0"]
        corners = [(0.2 - a, b) for a, b in SQUARE] if mirrored else SQUARE
        text += [f"vt {u + a} {v + b}" for a, b in corners]
        text.append("f " + " ".join(f"{number * 4 + k + 1}/{number * 4 + k + 1}" for k in range(4)))
    return "\n".join(text) + "\n"


@pytest.mark.parametrize(
    ("places", "kinds", "word"),
    [
        ([(0.1, 0.1, False), (0.5, 0.5, False)], set(), ""),
        ([(0.1, 0.1, False), (0.2, 0.2, False)], {"overlap"}, "2 islands"),
        ([(0.1, 0.1, False)] * 3 + [(0.15, 0.1, False)], {"overlap", "twins"}, "up to 4 in one place"),
        ([(0.1, 0.1, False), (0.1, 0.1, True)], {"twins", "flipped"}, "mirrored twins"),
        ([(0.9, 0.1, False)], {"crossing"}, "border of a tile"),
        ([(-0.9, 0.1, False)], {"outside"}, "lie on no tile"),
        ([(0.1, 0.1, False), (0.3 + 1 / 128, 0.1, False)], {"gap"}, "texels from another"),
    ],
)
def test_odd_layouts_are_told_in_a_sentence(
    tmp_path: Path, places: list[tuple[float, float, bool]], kinds: set[str], word: str
) -> None:
    (tmp_path / "odd.obj").write_text(boxes(places))
    found = check_layout(Surface(load_model(tmp_path / "odd.obj")), lambda key: square(128))
    assert {one.kind for one in found} == kinds
    assert word in " ".join(one.sentence for one in found)
    assert all(len(one.triangles) for one in found) and [one.worry for one in found] == sorted(
        (one.worry for one in found), reverse=True
    )


def test_faces_without_uvs_or_without_area_and_odd_edges_are_told(tmp_path: Path) -> None:
    text = boxes([(0.1, 0.1, False)]) + "v 9 0 0\nv 9 1 0\nv 8 0 1\nf 5 6 7\nvt .9 .9\nf 5/5 7/5 6/5\n"
    text += "v 0 0 1\nv 0 0 -1\nf 1/1 2/2 8/3\nf 1/1 2/2 9/3\n"
    (tmp_path / "odd.obj").write_text(text)
    kinds = {one.kind for one in check_layout(Surface(load_model(tmp_path / "odd.obj")), lambda key: square(64))}
    assert {"no-uv", "zero-area", "edges", "overlap"} <= kinds
