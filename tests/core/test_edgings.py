"""Edgings: whole numbers on closed runs, real lengths on any density, both sides of a seam, and what does not fit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage

from cubes import begun, box
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.layers.edged import laid
from lucky_fern.core.compositing.motifs import _chance
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.sheets.grid import all_chunks
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
    for chunk in all_chunks(512):
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
