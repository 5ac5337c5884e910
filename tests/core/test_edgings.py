"""Edgings: whole numbers on closed runs, real lengths on any density, both sides of a seam, and what does not fit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage

from cubes import begun, box
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapStore, composite_sheet
from lucky_fern.core.compositing.layers.edged import laid
from lucky_fern.core.compositing.motifs import _chance
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.runs import runs_of
from lucky_fern.core.survey.survey import border_edges
from samples import PLANE, Runner, save_png


def shown(studio: Studio, map_name: str = "metallic") -> np.ndarray:
    """(size, size, n) 0…1 of the first sheet."""
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    found = composite_sheet(studio.sources, studio.project, map_name, sheet, 16)
    return found / np.iinfo(found.dtype).max


def edged(studio: Studio, folder: Path, **keys: object) -> None:
    do_step(studio, {"do": "edging", "name": "Edging", "channels": {"metallic": 1}, **keys}, folder)


@pytest.fixture
def board(tmp_path: Path) -> Studio:
    (tmp_path / "plane.obj").write_text(PLANE)  # 2 × 2 units
    return Studio.new(tmp_path / "plane.obj", sheet_size=512)


def test_runs_go_round_corners_and_closed_ones_are_closed(tmp_path: Path, board: Studio) -> None:
    runs = runs_of(board.surface, border_edges(board.surface, "open"))
    assert runs.closed.tolist() == [True] and np.allclose(runs.own.sum(), 8)
    cube = begun(box(tmp_path / "cube.obj"), 64)
    sides = runs_of(cube.surface, border_edges(cube.surface, "islands"))
    assert sides.closed.all() and np.allclose(np.bincount(sides.run, sides.own), [4] * 6)
    sharp = runs_of(cube.surface, border_edges(cube.surface, "sharp"), both=True)
    assert np.isclose(sharp.own.sum(), 12)  # each edge of the cube once


@pytest.mark.parametrize(("length", "gap"), [(0.3, 0.1), (0.17, 0.05), (0.5, 0.21)])
def test_a_closed_run_holds_a_whole_number_in_real_size(
    board: Studio, tmp_path: Path, length: float, gap: float
) -> None:
    edged(board, tmp_path, along="open", motif="dash", offset=0.3, length=length, width=0.06, gap=gap, round=0)
    solid = shown(board)[..., 0] > 0.5
    made = laid(board.sources, board.project.layers[-1].content)
    around = 8 - 8 * 0.3  # the line 0.3 inside
    whole = round(around / (length + gap))
    assert made.whole.tolist() == [whole] and np.isclose(made.pitch[0] * whole, around)
    _, count = ndimage.label(solid)
    assert abs(count - whole) <= 4  # corners may cut one in two, or join two
    # Those in the middle of a side are as long and as wide as asked, 0.3 from the border.
    rows, _ = np.nonzero(solid[:, 150:360])
    near = rows < 150
    y = rows[near].astype(float) * 2 / 512
    assert abs(y.mean() - 0.3) < 0.01 and abs((y.max() - y.min()) - 0.06) < 0.012
    texels = 1 / (512 / 2) ** 2
    one = ndimage.sum_labels(solid, *ndimage.label(solid)[:1], range(1, count + 1)) * texels
    assert abs(np.median(one) - length * 0.06) < 0.15 * length * 0.06


def test_both_sides_of_a_seam_meet(tmp_path: Path) -> None:
    """On a seam the motif's halves lie on two islands of other densities: in space they are one."""
    studio = begun(box(tmp_path / "cube.obj"), 512)
    edged(studio, tmp_path, along="sharp", motif="dash", offset=0, length=0.12, width=0.1, gap=0.08, round=0)
    (sheet,) = studio.surface.sheets(studio.project.size_of)
    solid = shown(studio)[..., 0] > 0.5
    points, covered = [], []
    for chunk in all_chunks(square(512)):
        inside, where, _, _ = studio.sources.survey.places(sheet, chunk)
        part = solid[chunk.row * 256 : chunk.row * 256 + 256, chunk.column * 256 : chunk.column * 256 + 256]
        points.append(where)
        covered.append(part[inside])
    where, on = np.concatenate(points), np.concatenate(covered)
    # Beside the edge x = 1, z = 1, on its two sides.
    front = (np.abs(where[:, 2] - 1) < 1e-6) & (where[:, 0] > 0.96) & (np.abs(where[:, 1] - 0.5) < 0.4)
    right = (np.abs(where[:, 0] - 1) < 1e-6) & (where[:, 2] > 0.96) & (np.abs(where[:, 1] - 0.5) < 0.4)
    bins = np.linspace(0.1, 0.9, 61)
    share = [np.histogram(where[s, 1], bins, weights=on[s].astype(float))[0] / np.maximum(np.histogram(where[s, 1], bins)[0], 1)
             for s in (front, right)]  # fmt: skip
    assert share[0].max() > 0.9 and share[0].min() < 0.1
    assert np.abs(share[0] - share[1]).mean() < 0.1 and np.corrcoef(share)[0, 1] > 0.9


def test_offsets_have_two_signs_and_masks_take_single_ones_out(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"), 256)
    edged(studio, tmp_path, along="islands", motif="rivet", offset=-0.1, length=0.08, width=0.08, gap=0.1)
    inside = shown(studio)[..., 0] > 0.5
    assert inside.any()
    do_step(
        studio,
        {"do": "mask", "layer": "Edging", "kind": "rule", "rule": "height", "from": 0.5, "to": 0.500001},
        tmp_path,
    )
    assert 0 < (shown(studio)[..., 0] > 0.5).sum() < inside.sum()


def test_a_stitch_stands_out_and_pictures_take_its_place(board: Studio, tmp_path: Path) -> None:
    edged(
        board, tmp_path, along="open", offset=0.3, length=0.3, width=0.1, height=0.8, channels={"colour": "#aa8844"}
    )
    height = shown(board, "height")[..., 0]
    assert 0.8 < height.max() <= 0.91 and np.isclose(height[256, 256], 0.5, atol=1e-3)
    assert (np.abs(shown(board, "normal")[..., 0] - 0.5) > 0.05).any()
    pixels = np.zeros((32, 64, 4), np.uint8)
    pixels[..., 3], pixels[:, :32, 0], pixels[:, 32:, 1] = 255, 255, 255
    save_png(tmp_path / "half.png", pixels)
    edged(board, tmp_path, along="open", offset=0.6, length=0.4, width=0.2, gap=0.1, picture="half.png",
          channels={"colour": "picture"})  # fmt: skip
    colour = shown(board, "colour")
    red, green = (colour[..., 0] > 0.9) & (colour[..., 1] < 0.1), (colour[..., 1] > 0.9) & (colour[..., 0] < 0.1)
    assert abs(int(red.sum()) - int(green.sum())) < 0.1 * red.sum() and red.sum() > 500


def test_jobs_name_runs_that_are_too_short(run_job: Runner, tmp_path: Path) -> None:
    box(tmp_path / "cube.obj", scale=0.1)
    step = {"do": "edging", "name": "Stitches", "along": "islands", "motif": "stitch", "offset": 0.01, "length": 0.5}
    done = run_job({"job": 1, "model": "cube.obj", "sheet_size": 64, "steps": [step],
                    "exports": [{"preset": "gltf", "out": "maps"}]}, "one", "--json")  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "6 runs are too short" in done.stdout and "0.32 would fit" in done.stdout
    path = {"do": "edging", "along": "path", "motif": "dash", "length": 0.02, "points": [[0.01, 0.05, 0.1], [0.09, 0.05, 0.1]],
            "normals": [[0, 0, 1], [0, 0, 1]]}  # fmt: skip
    done = run_job({"job": 1, "model": "cube.obj", "sheet_size": 64, "steps": [path],
                    "exports": [{"preset": "gltf", "out": "maps"}]}, "two", "--json")  # fmt: skip
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize(("keys", "words"), [
    ({"length": 0}, "length"), ({"gap": -1}, "gap"), ({"round": 2}, "round"), ({"points": []}, "points"),
    ({"along": "path"}, "points"), ({"channels": {"colour": "picture"}}, "motif"), ({"along": "moss"}, "moss"),
])  # fmt: skip
def test_what_an_edging_cannot_be_is_said(board: Studio, keys: dict[str, object], words: str, tmp_path: Path) -> None:
    with pytest.raises(CommandError, match=words):
        edged(board, tmp_path, **keys)


def test_jitter_moves_no_motif_further_than_it_may() -> None:
    """Each number is a chance 0…1: all over that, and never beyond."""
    found = np.array(
        [_chance(run, number, 3, what) for run in range(40) for number in range(40) for what in range(4)]
    )
    assert (
        found.min() >= 0 and found.max() <= 1 and abs(found.mean() - 0.5) < 0.02 and abs(found.std() - 0.289) < 0.02
    )


def test_an_edging_along_what_there_is_not_shows_nothing(board: Studio, tmp_path: Path) -> None:
    edged(board, tmp_path, along="parts", offset=0.1)
    edged(board, tmp_path, along="sharp")
    assert not shown(board).any()


def centres(solid: np.ndarray) -> np.ndarray:
    """(N, 2) x and y of what hangs together, in units of the board (its lower left corner is 0, 0)."""
    label, count = ndimage.label(solid)
    found = np.array(ndimage.center_of_mass(solid, label, range(1, count + 1))).reshape(-1, 2)
    return np.stack([(found[:, 1] + 0.5) / 256, 2 - (found[:, 0] + 0.5) / 256], axis=1)


def test_motifs_stop_before_corners_or_have_one_of_their_own_there(board: Studio, tmp_path: Path) -> None:
    """Inside the board of 2 × 2 the line 0.4 from the border is a square from 0.4 to 1.6."""
    keys = {"along": "open", "motif": "dash", "offset": 0.4, "length": 0.2, "width": 0.08, "gap": 0.1, "round": 0}
    edged(board, tmp_path, **keys, corners="stop")
    made = laid(board.sources, board.project.layers[-1].content)
    assert made.whole.tolist() == [4] * 4 and np.allclose(made.pitch, 1.2 / 4)
    solid = shown(board)[..., 0] > 0.5
    where = centres(solid)
    expected = {(round(0.4 + 0.15 + 0.3 * k, 3), side) for k in range(4) for side in (0.4, 1.6)}
    expected |= {(b, a) for a, b in expected}
    assert len(where) == 16
    assert all(min(np.hypot(*(one - np.array(other))) for other in expected) < 0.01 for one in where)
    do_step(board, {"do": "set", "layer": "Edging", "corners": "motif", "corner_size": 0.16}, tmp_path)
    where = centres(shown(board)[..., 0] > 0.5)
    for corner in ((0.4, 0.4), (1.6, 0.4), (0.4, 1.6), (1.6, 1.6)):
        assert np.hypot(*(where - np.array(corner)).T).min() < 0.01
    made = laid(board.sources, board.project.layers[-1].content)
    assert np.allclose(made.pitch * made.whole, 1.2 - 0.16 - 0.1) and len(where) == 4 + int(made.whole.sum())
    edged(board, tmp_path, **keys | {"offset": 0.4}, corners="stop", corner_angle=120)  # none is as sharp as that
    assert laid(board.sources, board.project.layers[-1].content).found.closed.tolist() == [True]


def test_masks_take_whole_motifs_by_whether_most_of_one_shows(board: Studio, tmp_path: Path) -> None:
    keys = {"along": "open", "motif": "dash", "offset": 0.4, "length": 0.2, "width": 0.08, "gap": 0.1, "round": 0,
            "corners": "stop"}  # fmt: skip
    edged(board, tmp_path, **keys)
    full = shown(board)[..., 0] > 0.5
    # The board lies from -1 to 1: at 0.58 the mask cuts upright dashes along their length, and lying ones across.
    rule = {"do": "mask", "layer": "Edging", "kind": "rule", "rule": "height", "axis": "x"}
    do_step(board, {**rule, "from": 0.58, "to": 0.5800001}, tmp_path)
    cut = shown(board)[..., 0] > 0.5
    parts = ndimage.sum_labels(cut, ndimage.label(full)[0], range(1, 17)) / ndimage.sum_labels(full, *ndimage.label(full)[:1], range(1, 17))  # fmt: skip
    assert ((parts > 0.1) & (parts < 0.9)).any()
    do_step(board, {"do": "set", "layer": "Edging", "whole": True}, tmp_path)
    whole = shown(board)[..., 0] > 0.5
    label, _ = ndimage.label(full)
    kept = ndimage.mean(whole, label, range(1, 17))
    assert set(np.round(kept, 2)) == {0.0, 1.0}
    assert ((kept > 0.5) == (parts > 0.5)).all() and not whole[~full].any()


def test_rubbing_out_one_stitch_dirties_all_of_it(board: Studio, tmp_path: Path) -> None:
    """What the compositor redoes after a touch of the brush is what a whole drawing would give."""
    edged(board, tmp_path, along="open", offset=0.25, length=0.9, width=0.1, gap=0.1, whole=True)
    do_step(board, {"do": "mask", "layer": "Edging", "kind": "fill", "value": 1}, tmp_path)
    stroke = {"do": "stroke", "layer": "Edging", "on": "mask", "radius": 0.1, "hardness": 1, "erase": True}
    do_step(board, {**stroke, "points": [[0.75, 0.75, 0]]}, tmp_path)
    store, before = MapStore(board.sources), board.project
    for key, chunks in everything(board.sources, before).items():
        store.update(before, key, chunks)
    lit = (shown(board)[..., 0] > 0.5).sum()
    do_step(board, {**stroke, "points": [[-0.45, -0.75, 0], [-0.06, -0.75, 0]]}, tmp_path)
    for key, chunks in dirtied(board.sources, before, board.project).items():
        store.update(board.project, key, chunks)
    (key,) = store.maps
    sheet = board.surface.sheets(board.project.size_of)[0]
    assert (store.maps[key] == composite_sheet(board.sources, board.project, "metallic", sheet, 8)).all()
    gone = lit - (shown(board)[..., 0] > 0.5).sum()
    assert abs(gone / 256**2 - 0.9 * 0.1) < 0.01  # one motif, though the brush stayed in one chunk


def test_a_groove_lies_right_below_shares_the_mask_and_is_soft(board: Studio, tmp_path: Path) -> None:
    edged(board, tmp_path, along="open", offset=0.4, length=0.2, width=0.08, gap=0.1, channels={"colour": "#aa8844"})
    do_step(board, {"do": "mask", "layer": "Edging", "kind": "rule", "rule": "height", "axis": "x"}, tmp_path)
    do_step(board, {"do": "groove", "layer": "Edging", "height": 0.3}, tmp_path)
    names = [layer.name for layer in board.project.layers]
    assert names[-2:] == ["Groove of Edging", "Edging"]
    below, above = board.project.layers[-2:]
    assert below.mask == above.mask is not None
    do_step(board, {"do": "set", "layer": "Edging", "visible": False}, tmp_path)
    do_step(board, {"do": "remove", "layer": "Groove of Edging"}, tmp_path)
    edged(board, tmp_path, along="open", offset=0.4, width=0.2, motif="line", blur=0.1, channels={"metallic": 1})
    across = shown(board)[256, :, 0]  # through the left side, 0.4 from the border
    middle = int(0.4 * 256)
    assert across[middle] > 0.98 and abs(across[middle + int(0.1 * 256)] - 0.5) < 0.05 and across[middle + 60] == 0
    assert (np.diff(across[middle : middle + 60]) <= 1e-6).all()  # it falls evenly
    along = shown(board)[100:400, middle, 0]
    assert along.min() > 0.98  # no joints


def test_paths_are_added_and_a_motif_is_made_to_fit(board: Studio, tmp_path: Path) -> None:
    ahead = {"points": [[-0.6, -0.5, 0], [0.6, -0.5, 0]], "normals": [[0, 0, 1]] * 2}
    edged(board, tmp_path, along="path", motif="rivet", length=0.1, width=0.1, gap=0.1, **ahead)
    one = len(centres(shown(board)[..., 0] > 0.5))
    do_step(board, {"do": "path", "layer": "Edging", "points": [[-0.5, 0.5, 0], [-0.4, 0.5, 0]], "normals": [[0, 0, 1]] * 2}, tmp_path)  # fmt: skip
    assert len(centres(shown(board)[..., 0] > 0.5)) == one + 1 == 7
    do_step(board, {"do": "set", "layer": "Edging", "length": 0.4}, tmp_path)
    assert laid(board.sources, board.project.layers[-1].content).short == 1
    do_step(board, {"do": "fit", "layer": "Edging"}, tmp_path)
    made = laid(board.sources, board.project.layers[-1].content)
    assert made.short == 0 and np.isclose(made.length, 0.1) and (made.whole > 0).all()
    do_step(board, {"do": "edging", "name": "Round", "along": "open"}, tmp_path)
    with pytest.raises(CommandError, match="runs along open"):
        do_step(board, {"do": "path", "layer": "Round", **ahead}, tmp_path)


def test_a_groove_on_a_model_of_tiny_units_is_as_wide_as_elsewhere(tmp_path: Path) -> None:
    tiny = begun(box(tmp_path / "tiny.obj", scale=1e-6), 64)
    edged(tiny, tmp_path, along="islands", offset=1e-8, length=2e-7, width=4e-8)
    do_step(tiny, {"do": "groove", "layer": "Edging"}, tmp_path)
    groove = tiny.project.layers[-2].content
    assert np.isclose(groove.width, 6.8e-8) and np.isclose(groove.blur, 2.4e-8)
