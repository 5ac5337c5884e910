"""Texels and the surface: coverage, positions, padding."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.model.load import load_model
from lucky_fern.core.parallel import for_each
from lucky_fern.core.sheets.grid import all_chunks, span, square
from lucky_fern.core.sheets.padding import plan_padding
from lucky_fern.core.sheets.raster import bin_triangles, mark_triangles, needles
from lucky_fern.core.sheets.surface import Surface


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(*[st.floats(-5, 37, width=32)] * 6), min_size=1, max_size=6))
def test_a_texel_belongs_to_a_triangle_exactly_if_its_centre_lies_in_it(numbers: list[tuple[float, ...]]) -> None:
    corners = np.array(numbers, np.float64).reshape(-1, 3, 2)
    out = np.full((32, 32), -1, np.int32)
    items = np.arange(len(corners), dtype=np.int32)
    mark_triangles(corners, np.zeros(len(corners), np.uint8), items, 0, 0, out, items)
    y, x = np.mgrid[0:32, 0:32] + 0.5
    a, b, c = (corners[:, k, :, None, None] for k in range(3))

    def side(p, q):
        return (q[:, 0] - p[:, 0]) * (y - p[:, 1]) - (q[:, 1] - p[:, 1]) * (x - p[:, 0])

    sides = np.stack([side(a, b), side(b, c), side(c, a)])
    clearly_in = ((sides > 1e-3).all(0) | (sides < -1e-3).all(0)).any(0)
    clearly_out = ((sides.max(0) > 1e-3) & (sides.min(0) < -1e-3)).all(0)
    assert (out[clearly_in] >= 0).all()
    assert (out[clearly_out & ~clearly_in] == -1).all()
    starts, kept = bin_triangles(corners, 8, 4, 4)
    for chunk in range(16):  # binning may only leave out what touches nothing of the chunk
        part = np.full((8, 8), -1, np.int32)
        mark_triangles(corners, np.zeros(len(corners), np.uint8), kept[starts[chunk] : starts[chunk + 1]],
                       chunk // 4 * 8, chunk % 4 * 8, part, items)  # fmt: skip
        assert (part == out[chunk // 4 * 8 :, chunk % 4 * 8 :][:8, :8]).all()


def test_texel_positions_lie_where_the_uvs_say(plane: Path) -> None:
    surface = Surface(load_model(plane))
    sheet = surface.sheet(surface.keys[0], square(300))  # not a multiple of a chunk
    assert sheet.covered.all()
    for chunk in all_chunks(square(300)):
        rows, columns = span(chunk, square(300))
        y, x = np.mgrid[rows, columns] + 0.5
        points = sheet.surface_points(chunk)
        exact = np.stack([x / 150 - 1, 1 - y / 150, 0 * x], axis=-1)
        assert np.abs(points.position - exact).max() < 1e-9
        assert np.allclose(points.normal, [0, 0, 1])


def test_padding_copies_a_nearest_covered_texel() -> None:
    rng = np.random.default_rng(4)
    covered = np.zeros((128, 128), np.bool_)
    covered[rng.integers(0, 128, 30), rng.integers(0, 128, 30)] = True
    covered[40:60, 50:90] = True
    padding = plan_padding(covered)
    values = np.arange(128 * 128, dtype=np.int32).reshape(128, 128, 1).copy()
    padding.fill(values)
    inside = np.argwhere(covered)
    for r, c in rng.integers(0, 128, (200, 2)):
        chosen = np.array(divmod(int(values[r, c, 0]), 128))
        assert covered[tuple(chosen)]
        best = np.sqrt(((inside - (r, c)) ** 2).sum(1)).min()
        assert np.hypot(*(chosen - (r, c))) <= best * 1.05 + 1e-9


def test_an_island_smaller_than_a_texel_still_gets_one(tmp_path: Path) -> None:
    (tmp_path / "speck.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt .5001 .5001\nvt .5011 .5001\nvt .5001 .5011\nf 1/1 2/2 3/3\n"
    )
    surface = Surface(load_model(tmp_path / "speck.obj"))
    sheet = surface.sheet(surface.keys[0], square(64))
    assert needles(sheet.xy).tolist() == [1] and sheet.covered.sum() == 1


def test_a_triangle_over_a_tile_border_lies_on_both_tiles_and_strays_are_told(tmp_path: Path) -> None:
    (tmp_path / "wide.obj").write_text(
        "v 0 0 0\nv 2 0 0\nv 2 1 0\nv 0 1 0\nvt .5 .1\nvt 1.5 .1\nvt 1.5 .9\nvt .5 .9\nvt -.9 .1\nvt -.5 .1\nvt -.5 .5\n"
        "f 1/1 2/2 3/3 4/4\nf 1/5 2/6 3/7\n"
    )
    surface = Surface(load_model(tmp_path / "wide.obj"))
    assert [key.tile for key in surface.keys] == [1001, 1002]
    areas = [surface.sheet(key, square(100)).covered.mean() for key in surface.keys]
    assert np.allclose(areas, 0.4, atol=0.01)
    assert "1 triangle" in surface.placement.warnings[0]


def every_hit(corners: np.ndarray, origin: np.ndarray, direction: np.ndarray) -> np.ndarray:
    """(T,) how far along a ray each triangle is met, infinity where it is not; by solving for the weights."""
    a, u, v = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    matrix = np.stack([u, v, np.broadcast_to(-direction, u.shape)], axis=2)
    flat = np.abs(np.linalg.det(matrix)) < 1e-14
    matrix[flat] = np.eye(3)
    b, c, along = np.linalg.solve(matrix, (origin - a)[..., None])[..., 0].T
    met = ~flat & (b >= 0) & (c >= 0) & (b + c <= 1) & (along > 0)
    return np.where(met, along, np.inf)


@pytest.mark.parametrize("count", [0, 1, 5, 700])
def test_the_tree_finds_what_looking_at_every_triangle_finds(count: int) -> None:
    from lucky_fern.core.model.tree import tree_of

    rng = np.random.default_rng(count)
    corners = rng.normal(size=(count, 1, 3)) + rng.normal(size=(count, 3, 3)) * 0.3
    corners[: count // 3, :, 2] = 0.25  # many in one plane, where boxes have no height
    tree, met = tree_of(corners), 0
    shown = rng.random(count) < 0.5
    for number in range(200):
        origin = rng.normal(size=3) * 3
        direction = rng.normal(size=3) - origin
        if number % 4 == 0:
            direction[rng.integers(3)] = 0.0
        along = every_hit(corners, origin, direction)
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        facing = normals @ direction < 0
        for allowed, hit in (
            (np.full(count, True), tree.nearest(origin, direction)),
            (shown, tree.nearest(origin, direction, shown=shown)),
            (shown & facing, tree.nearest(origin, direction, shown=shown, front=True)),
        ):
            distance = np.where(allowed, along, np.inf)
            best = float(distance.min(initial=np.inf))
            assert (hit[0] >= 0) == np.isfinite(best)
            if hit[0] >= 0:
                met += 1
                assert distance[hit[0]] == pytest.approx(best)
                point = np.array([1 - hit[1] - hit[2], hit[1], hit[2]]) @ corners[hit[0]]
                assert np.allclose(point, origin + best * direction)
    assert met > 50 or count < 700


@pytest.mark.parametrize("count", [0, 1, 700])
def test_the_tree_knows_what_comes_near_to_half_a_line(count: int) -> None:
    from lucky_fern.core.model.tree import tree_of

    rng, found, missed = np.random.default_rng(count), 0, 0
    corners = rng.normal(size=(count, 1, 3)) + rng.normal(size=(count, 3, 3)) * 0.1
    tree = tree_of(corners)
    for number in range(100):
        origin, direction = rng.normal(size=3) * (1e4 if number % 3 == 0 else 2), rng.normal(size=3)
        if number % 3 == 0:
            direction = rng.normal(size=3) - origin  # from far away, at it
        direction /= np.linalg.norm(direction)
        wide, least = rng.uniform(0.1, 1), -rng.uniform(0, 2)
        offset = corners - origin
        along = offset @ direction
        aside = np.linalg.norm(offset - along[..., None] * direction, axis=2)
        near = ((aside <= wide) & (along >= least)).any(axis=1)  # a corner at the least
        rows = tree.about(origin, direction, wide, least)
        assert (np.diff(rows) > 0).all() and set(np.flatnonzero(near)) <= set(rows.tolist())
        found, missed = found + int(near.sum()), missed + count - len(rows)
    assert count < 700 or (found > 1000 and missed > 50 * count)


@pytest.mark.parametrize(("corners", "tiles"), [
    ([(1, 0.2), (1, 0.8), (1, 0.5)], [1001]),  # a line at the right border: no tile beyond it
    ([(1, 1), (1, 1), (1, 1)], [1001]),
    ([(0.3, 1), (0.7, 1), (0.5, 1)], [1001]),
    ([(0, 0.2), (0, 0.8), (0, 0.5)], [1001]),
    ([(3, 0.2), (3, 0.8), (3, 0.5)], [1001, 1003]),  # where others lie on neither side: the lower one
    ([(2.5, 0.2), (2.5, 0.8), (2.5, 0.5)], [1001, 1003]),
])  # fmt: skip
def test_faces_without_area_on_a_border_make_no_tile_of_their_own(
    tmp_path: Path, corners: list[tuple[float, float]], tiles: list[int]
) -> None:
    text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
    text += "".join(f"vt {u} {v}\n" for u, v in corners) + "usemtl a\nf 1/1 2/2 3/3 4/4\nf 2/5 5/6 3/7\n"
    (tmp_path / "m.obj").write_text(text)
    surface = Surface(load_model(tmp_path / "m.obj"))
    assert [key.tile for key in surface.keys] == tiles


def test_fine_coarse_and_export_sizes_of_a_sheet_are_kept_side_by_side(plane: Path) -> None:
    surface = Surface(load_model(plane))
    key = surface.keys[0]
    fine, coarse, coarser, exported, *others = (square(one) for one in (1024, 128, 64, 2048, 700, 900))
    first = [surface.sheet(key, size) for size in (fine, coarse, coarser, exported)]
    for _ in range(3):  # as views, their first looks and an export ask by turns
        assert [surface.sheet(key, size) for size in (fine, coarse, coarser, exported)] == first
    for other in others:
        surface.sheet(key, other)
    again = [surface.sheet(key, size) for size in (coarse, exported, fine)]
    assert again[:2] == [first[1], first[3]] and again[2] is not first[0]  # of four large ones the oldest went
    got = for_each(lambda _: surface.sheet(key, square(256)), range(8))
    assert len({id(one) for one in got}) == 1
