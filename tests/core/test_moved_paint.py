"""Cloning and smearing, over seams and tiles."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core import easel, taking
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.painting.moved import Anchor
from lucky_fern.core.painting.stroke import Covered, Stroke
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Brushwork, Channel, Decal, Wash
from lucky_fern.core.project.places import Lay
from lucky_fern.core.studio import Studio
from round_models import tube
from samples import PLANE, Runner, read_png, save_png, soft_noise

SIZE = 192
UP = np.array([0.0, 0.0, 1.0])
# Two boards side by side in space, on two tiles, the right one turned round in UV space.
TWO_TILES = """v -1 -1 0\nv 0 -1 0\nv 0 1 0\nv -1 1 0\nv 1 -1 0\nv 1 1 0
vt 0.25 0\nvt 0.75 0\nvt 0.75 1\nvt 0.25 1\nvt 1.75 1\nvt 1.25 1\nvt 1.25 0\nvt 1.75 0
usemtl paint\nf 1/1 2/2 3/3 4/4\nf 2/5 5/6 6/7 3/8
"""


def with_picture(model: Path, pixels: np.ndarray, tile: int = 1001) -> tuple[Studio, int]:
    """A picture over a tile, and an empty brushwork layer above it."""
    studio = Studio.new(model, sheet_size=SIZE)
    picture = studio.add_picture(save_png(model.with_name("p.png"), pixels))
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#ffffff"), "roughness": Channel(0.3)}))
    place = Lay(studio.surface.keys[0].material, tile, (0.5, 0.5), 1.0, 1.0)
    studio.execute(AddLayer("Picture", Decal(picture, place, "nearest"), {"colour": Channel("picture")}))
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    return studio, studio.project.layers[-1].id


def colours(studio: Studio, number: int = 0) -> np.ndarray:
    return taking.whole_map(studio, studio.surface.keys[number], "colour").astype(int)


def cloned(studio: Studio, layer: int, stroke: Stroke, source: Anchor, target: Anchor) -> None:
    clone = easel.begin_clone(studio, stroke, layer, ("colour",), source, target)
    for _ in range(2):  # what was worked out once is not asked for again
        covered = clone.limit(Covered(stroke.coverage))
    easel.paint_on_layer(studio, layer, covered, clone)


def test_a_clone_shows_what_lies_as_far_from_its_source(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio, layer = with_picture(tmp_path / "plane.obj", soft_noise((SIZE, SIZE)))
    before = colours(studio)
    stroke = easel.begin_stroke(studio, Brush(0.25, 1.0))
    target = np.array([0.4, 0.1, 0.0])
    source = target - (60 * 2 / SIZE, -18 * 2 / SIZE, 0)  # 60 texels to the left, 18 up
    stroke.go_to(target, UP)
    cloned(studio, layer, stroke, Anchor(source, UP), Anchor(target, UP))
    after = colours(studio)
    y, x = np.mgrid[0:SIZE, 0:SIZE]
    inside = np.hypot((x + 0.5) * 2 / SIZE - 1 - 0.4, 1 - (y + 0.5) * 2 / SIZE - 0.1) < 0.24
    rows, columns = np.nonzero(inside)
    assert np.abs(after[rows, columns] - before[rows - 18, columns - 60]).max() <= 1
    outside = np.hypot((x + 0.5) * 2 / SIZE - 1.4, 1 - (y + 0.5) * 2 / SIZE - 0.1) > 0.26
    assert (after[outside] == before[outside]).all()


def test_a_clone_goes_over_tiles_and_leaves_out_what_has_no_source(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(TWO_TILES)
    pixels = np.zeros((SIZE, SIZE, 3), np.uint8)
    pixels[..., 0] = np.arange(SIZE)[:, None]  # red grows downwards on the left board
    pixels[..., 1] = np.arange(SIZE)[None]
    studio, layer = with_picture(tmp_path / "two.obj", pixels)
    stroke = easel.begin_stroke(studio, Brush(0.2, 1.0))
    target, source = np.array([0.3, 0.2, 0.0]), np.array([-0.1, -0.3, 0.0])
    stroke.go_to(target, UP)
    cloned(studio, layer, stroke, Anchor(source, UP), Anchor(target, UP))
    right = colours(studio, 1)

    def texel(x: float, y: float) -> np.ndarray:
        """Of the right board, which lies upside down on its tile."""
        return right[int((y + 1) / 2 * SIZE), int((0.75 - x / 2) * SIZE)]

    for x, y in ((0.3, 0.2), (0.2, 0.1), (0.35, 0.3)):
        red = (1 - (y - 0.5 + 1) / 2) * SIZE - 0.5
        green = (0.75 + (x - 0.4) / 2) * SIZE - 0.5
        assert np.abs(texel(x, y) - (red, green, 0)).max() <= 2
    # Right of x = 0.4 the source would be on the right board itself, which is white there.
    assert np.abs(texel(0.45, 0.2) - 255).max() <= 1
    edge = easel.begin_stroke(studio, Brush(0.2, 1.0))
    edge.go_to(np.array([-0.5, 0.0, 0.0]), UP)
    clone = easel.begin_clone(studio, edge, layer, ("colour",), Anchor(np.array([-3.0, 0.0, 0.0]), UP),
                              Anchor(np.array([-0.5, 0.0, 0.0]), UP))  # fmt: skip
    assert not any(share.any() for share in clone.limit(Covered(edge.coverage)).coverage.values())


def test_a_clone_turns_with_the_surface(tmp_path: Path) -> None:
    """Round a tube the way from source to target is a turn, and so is that of every texel; its seam lies between."""
    tube(tmp_path, sides=24, rings=4)
    studio, layer = with_picture(tmp_path / "tube.obj", soft_noise((SIZE, SIZE), cells=5))
    before = colours(studio)
    steps = 5  # of 15 degrees, over the seam
    start, end = np.radians(-150.0), np.radians(-150.0 - 15 * steps)

    def anchor(angle: float) -> Anchor:
        normal = np.array([np.sin(angle), 0.0, np.cos(angle)])
        return Anchor(normal * 0.5 + (0, 1, 0), normal)

    stroke = easel.begin_stroke(studio, Brush(0.3, 1.0))
    stroke.go_to(*anchor(end))
    cloned(studio, layer, stroke, anchor(start), anchor(end))
    after = colours(studio)
    shift = steps * SIZE // 24
    covered = np.zeros((SIZE, SIZE), np.bool_)
    for share in stroke.coverage.values():
        covered[:] = share > 0.99
    rows, columns = np.nonzero(covered)
    assert len(rows) > 300
    wanted = before[rows, (columns + shift) % SIZE]
    differs = np.abs(after[rows, columns] - wanted).max(axis=1)
    assert np.quantile(differs, 0.97) <= 2  # at the seam reading between texels ends
    assert differs.max() <= 12


def test_smearing_drags_along_and_leaves_even_colour_alone(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    pixels = np.full((SIZE, SIZE, 3), 200, np.uint8)
    pixels[:, : SIZE // 2] = (200, 20, 20)
    studio, layer = with_picture(tmp_path / "plane.obj", pixels)
    before = colours(studio)

    def smear(y: float, start: float, end: float) -> None:
        stroke = easel.begin_smear(studio, Brush(0.15, 0.6, spacing=0.2), layer, ("colour",), 1.0)
        for x in np.linspace(start, end, 12):
            stroke.go_to(np.array([x, y, 0.0]), UP)
        easel.paint_on_layer(studio, layer, stroke.take_fresh(), stroke)

    smear(0.5, 0.3, 0.8)  # where all is of one colour
    assert np.abs(colours(studio) - before).max() <= 1
    smear(-0.5, -0.2, 0.4)
    after = colours(studio)
    row = int(0.75 * SIZE)
    assert np.abs(after[row, int(0.65 * SIZE)] - (200, 20, 20)).max() <= 4  # red, dragged to x = 0.3
    assert np.abs(after[row, int(0.85 * SIZE)] - 200).max() <= 1
    assert after[row, : int(0.38 * SIZE)].max() == 200
    content = studio.project.layer(layer).content
    assert isinstance(content, Brushwork)


def test_jobs_clone_and_smear(run_job: Runner, tmp_path: Path, plane: Path) -> None:
    save_png(tmp_path / "p.png", np.dstack([soft_noise((64, 64)), np.full((64, 64), 255, np.uint8)]))
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 1.0}
    at = {"do": "stroke", "layer": "Paint", "radius": 0.2, "hardness": 1.0}
    job = {"job": 1, "model": plane.name, "sheet_size": 64, "exports": [{"preset": "separate", "out": "maps"}], "steps": [
        {"do": "decal", "picture": "p.png", "place": lay, "channels": {"colour": "picture"}, "sampling": "nearest"},
        {"do": "brushwork", "name": "Paint"},
        {**at, "points": [[0.5, 0.5, 0]], "clone": [-0.5, 0.5, 0]},
        {**at, "points": [[-0.5, -0.5, 0], [0.0, -0.5, 0]], "smear": 0.5},
    ]}  # fmt: skip
    done = run_job(job)
    assert done.returncode == 0, done.stderr
    colour = read_png(tmp_path / "maps" / "job_paint_baseColor.png").astype(int)
    assert np.abs(colour[13:19, 45:51] - colour[13:19, 13:19]).max() <= 1
    for change, words in (
        ({"clone": [0, 0]}, "[x, y, z]"),
        ({"maps": ["normal"]}, "normal"),
        ({"smear": 2}, "smear"),
    ):
        job["steps"][2] = {**at, "points": [[0.5, 0.5, 0]], "clone": [-0.5, 0.5, 0], **change}
        refused = run_job(job)
        assert refused.returncode == 2 and words in refused.stderr


@pytest.mark.parametrize("kind", ["clone", "smear"])
def test_moved_paint_takes_what_lies_up_to_its_layer(tmp_path: Path, kind: str) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio, layer = with_picture(tmp_path / "plane.obj", np.full((8, 8, 3), (10, 200, 30), np.uint8))
    studio.execute(AddLayer("Shade", Wash(), {"colour": Channel("#808080")}, blend="multiply"))
    before = colours(studio)
    brush, there = Brush(0.3), np.zeros(3)
    if kind == "clone":
        stroke = easel.begin_stroke(studio, brush)
        stroke.go_to(there, UP)
        cloned(studio, layer, stroke, Anchor(there + (0.5, 0, 0), UP), Anchor(there, UP))
    else:
        smear = easel.begin_smear(studio, brush, layer, ("colour",), 1.0)
        smear.go_to(there, UP)
        smear.go_to(there + (0.4, 0, 0), UP)
        easel.paint_on_layer(studio, layer, smear.take_fresh(), smear)
    assert np.abs(colours(studio) - before).max() <= 1  # the shade is not taken along
