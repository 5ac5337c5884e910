"""Tips, chance, grain, symmetry, steadying and fills: each against what its words promise."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core import easel
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.painting.brush import Brush, check_brush
from lucky_fern.core.painting.fill import fill_alike, fill_faces, fill_outline, shaded
from lucky_fern.core.painting.steady import Steady
from lucky_fern.core.painting.stroke import Covered, Stroke
from lucky_fern.core.painting.symmetry import Symmetry, ways_of
from lucky_fern.core.painting.tips import BUILT_IN, built_in, read_tips, tip_of
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import span, square
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from round_models import tube
from samples import PLANE, Runner, read_png, save_png
from small_models import SIDE_BY_SIDE

FRONT = np.array([0.0, 0.0, 1.0])


def board(folder: Path) -> Model:
    (folder / "plane.obj").write_text(PLANE)
    return load_model(folder / "plane.obj")


def begun(model: Model, size: int, brush: Brush, **more: object) -> Stroke:
    return Stroke(Surface(model), lambda key: square(size), lambda sheet, chunk: sheet.owners(chunk), brush, **more)


def sheet_of(stroke: Stroke | Covered, size: int) -> np.ndarray:
    out = np.zeros((size, size))
    for place, covered in stroke.coverage.items():
        out[span(place.chunk, square(size))] = covered
    return out


def test_a_tip_is_stamped_as_it_is_and_turned(tmp_path: Path) -> None:
    model = board(tmp_path)
    tip = np.zeros((128, 128), np.float32)
    tip[:64] = 1  # its upper half
    stroke = begun(model, 256, Brush(0.5), tip=tip)
    stroke.go_to(np.zeros(3), FRONT)
    covered = sheet_of(stroke, 256)
    # A square 128 texels wide in the middle, its upper half painted.
    assert covered[70:126, 70:186].min() > 0.99
    assert covered[130:, :].max() < 0.01
    assert covered[:, :62].max() == 0
    turned = begun(model, 256, Brush(0.5, angle=90.0), tip=tip)
    turned.go_to(np.zeros(3), FRONT)
    assert np.abs(sheet_of(turned, 256) - np.rot90(covered)).max() < 0.02  # counter-clockwise, as the sheet shows it
    following = begun(model, 256, Brush(0.2, spacing=0.5, follow=True), tip=tip)
    for y in (-0.6, 0.6):  # upwards: what is up in the tip lies to the left
        following.go_to(np.array([0.0, y, 0.0]), FRONT)
    columns = sheet_of(following, 256)[80:170].sum(axis=0)
    assert columns[104:126].min() > 50
    assert columns[132:].max() < 1


def test_tips_come_from_pictures_folders_and_zips(tmp_path: Path) -> None:
    for name in BUILT_IN:
        tip = built_in(name)
        assert tip.shape == (128, 128)
        assert 0.005 < tip.mean() < 0.7
        assert tip.max() > 0.3
    dark = np.full((64, 32, 4), 255, np.uint8)
    dark[:32, :, :3] = 0
    made = tip_of(dark)  # black on white: its upper half, kept in proportion
    assert made[10:60, 40:88].min() > 0.95
    assert made[:, :28].max() == 0
    folder = tmp_path / "tips"
    folder.mkdir()
    for name in ("a.png", "b.png"):
        grey = np.rint(built_in("chalk") * 255).astype(np.uint8)
        save_png(folder / name, np.dstack([grey, grey, grey, grey]))
    with zipfile.ZipFile(tmp_path / "tips.zip", "w") as archive:
        archive.write(folder / "a.png", "deep/a.png")
        archive.writestr("notes.txt", "no tip")
    assert list(read_tips(folder)) == ["a.png", "b.png"]
    assert list(read_tips(tmp_path / "tips.zip")) == ["a.png"]
    (tmp_path / "no.zip").write_text("text")
    empty = tmp_path / "empty"
    empty.mkdir()
    for wrong in (tmp_path / "no.zip", empty):
        with pytest.raises(PictureError, match=wrong.name):
            read_tips(wrong)


def test_chance_varies_within_its_bounds_and_falls_alike_each_time(tmp_path: Path) -> None:
    model = board(tmp_path)
    brush = Brush(0.03, 1.0, spacing=2.5, scatter=3.0, size_jitter=0.5, flow_jitter=0.5)
    stroke, again = begun(model, 512, brush), begun(model, 512, brush)
    for one, steps in ((stroke, 5), (again, 41)):
        for x in np.linspace(-0.8, 0.8, steps):
            one.go_to(np.array([x, 0.0, 0.0]), FRONT)
    first = sheet_of(stroke, 512)
    assert np.abs(first - sheet_of(again, 512)).max() < 1e-6  # however the hand's way is cut up
    rows = np.flatnonzero(first.any(axis=1))
    assert 40 < rows[-1] - rows[0] < 2 * (3.0 + 1.0) * 0.03 * 256 + 2
    values = first[first > 0]
    assert values.max() <= 1 and values.min() < 0.75
    plain = begun(model, 512, Brush(0.3, 1.0))
    rough = begun(model, 512, Brush(0.3, 1.0, grain=0.8))
    for one in (plain, rough):
        one.go_to(np.zeros(3), FRONT)
    inside = sheet_of(plain, 512) > 0.99
    grained = sheet_of(rough, 512)[inside]
    assert grained.min() < 0.4 < 0.9 < grained.max()
    for change, words in (({"flow": 2.0}, "flow"), ({"radius": 0.0}, "radius"), ({"spacing": 0.0}, "spacing")):
        with pytest.raises(CommandError, match=words):
            check_brush(Brush(**{"radius": 1.0, **change}))


def test_pressure_works_on_flow_or_on_size(tmp_path: Path) -> None:
    model = board(tmp_path)
    weak = begun(model, 256, Brush(0.4, 1.0))
    weak.go_to(np.zeros(3), FRONT, 0.3)
    assert sheet_of(weak, 256)[128, 128] == pytest.approx(0.3, abs=1e-6)
    small = begun(model, 256, Brush(0.4, 1.0, sizes=True))
    small.go_to(np.zeros(3), FRONT, 0.5)
    covered = sheet_of(small, 256)
    assert covered[128, 128] == 1
    assert covered.sum() * (2 / 256) ** 2 == pytest.approx(np.pi * 0.2**2, rel=0.06)


def test_a_brush_on_the_sheet_is_round_there(tmp_path: Path) -> None:
    (tmp_path / "wide.obj").write_text(
        "v 0 0 0\nv 8 0 0\nv 8 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"
    )
    model = load_model(tmp_path / "wide.obj")
    stroke = begun(model, 256, Brush(0.2, 1.0, ground="sheet"), material=model.materials[0])
    stroke.go_to(np.array([0.5, 0.5, 0.0]), FRONT)
    covered = sheet_of(stroke, 256) > 0.5
    assert covered.any(axis=0).sum() == pytest.approx(covered.any(axis=1).sum(), abs=1)
    assert covered.sum() == pytest.approx(np.pi * 51.2**2, rel=0.03)


def test_symmetry_paints_every_copy_and_nothing_else(tmp_path: Path) -> None:
    model = board(tmp_path)
    stroke = begun(model, 256, Brush(0.1, 1.0), symmetry=Symmetry("xy"))
    stroke.go_to(np.array([0.5, 0.3, 0.0]), FRONT)
    covered = sheet_of(stroke, 256)
    assert np.abs(covered - covered[:, ::-1]).max() < 1e-6
    assert np.abs(covered - covered[::-1]).max() < 1e-6
    assert covered.sum() == pytest.approx(4 * covered[:128, 128:].sum(), rel=1e-6)
    turns = ways_of(Symmetry(round=6, axis="z"))
    assert len(turns) == 6
    places = np.array([turn @ [1.0, 0, 0] + shift for turn, shift in turns])
    assert np.sort(np.degrees(np.arctan2(places[:, 1], places[:, 0])) % 360) == pytest.approx(
        [0, 60, 120, 180, 240, 300]
    )
    about = ways_of(Symmetry("x", about=(1.0, 0.0, 0.0)))
    assert about[1][0] @ [3.0, 2.0, 1.0] + about[1][1] == pytest.approx([-1, 2, 1])
    round_ = begun(tube(tmp_path), 256, Brush(0.1, 1.0), symmetry=Symmetry(round=4, axis="y", about=(0.0, 1.0, 0.0)))
    round_.go_to(np.array([0.0, 1.0, 0.5]), FRONT)
    line = sheet_of(round_, 256)[128] > 0.5
    assert ((np.diff(line.astype(int)) == 1).sum() + int(line[0] and not line[-1])) in (4, 5)


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 9999), strength=st.floats(1, 60), kind=st.sampled_from(["string", "average"]))
def test_a_steadied_hand_trembles_less_and_ends_where_it_was(seed: int, strength: float, kind: str) -> None:
    rng = np.random.default_rng(seed)
    way = np.stack([np.linspace(0, 400, 160), rng.normal(0, 2.0, 160)], axis=1)
    steady = Steady(kind, strength)
    made = [place for point in way for place in steady.push(point)] + steady.finish()
    places = np.array(made)
    assert places[-1] == pytest.approx(way[-1])
    assert places[0] == pytest.approx(way[0])
    inner = places[(places[:, 0] > 60) & (places[:, 0] < 340)]
    if strength > 20:
        assert np.abs(inner[:, 1]).mean() < np.abs(way[:, 1]).mean()
        assert np.abs(np.diff(inner[:, 1])).mean() < 0.5 * np.abs(np.diff(way[:, 1])).mean()
    off = Steady("off", 30.0)
    assert np.array_equal(np.array([place for point in way for place in off.push(point)]), way)


def test_fills_take_faces_outlines_and_colours(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=128)
    surface, owners = studio.surface, studio.sources.owners
    size_of = studio.project.size_of
    left = studio.model.part == 0
    covered = sheet_of(Covered(fill_faces(surface, size_of, owners, left)), 128)
    assert covered[:, :62].mean() > 0.85 and covered[:, 66:].max() == 0
    key = surface.keys[0]
    triangle = np.array([(0.1, 0.1), (0.4, 0.1), (0.1, 0.7)])
    drawn = sheet_of(Covered(fill_outline(surface, key, square(128), owners, triangle)), 128)
    around = (0.3 + 0.6 + np.hypot(0.3, 0.6)) * 128  # texels; the outline is true to a sixteenth of one
    assert drawn.sum() == pytest.approx(0.09 * 128**2, abs=around / 16)
    assert ((drawn > 0.05) & (drawn < 0.95)).sum() > 30  # its slanted edge is soft
    values = np.zeros((128, 128, 3), np.uint8)
    values[40:60, 10:30] = values[40:60, 90:110] = 200
    alike = fill_alike(surface, size_of, owners, lambda one: values, key, 50, 20, 0.05, True)
    assert sheet_of(Covered(alike), 128).sum() == 400
    everywhere = fill_alike(surface, size_of, owners, lambda one: values, key, 50, 20, 0.05, False)
    assert sheet_of(Covered(everywhere), 128).sum() == 800
    board = fill_faces(surface, size_of, owners, left)
    for start, end in (([0.0, 0, 0], [0.0, 2.0, 0]), ([0.25, 0.02], [0.25, 0.98])):  # through space, and on the sheet
        out = shaded(surface, size_of, owners, board, np.array(start), np.array(end))
        column = sheet_of(Covered(out), 128)[:, 30]
        inside = np.flatnonzero(column > 0.02)
        assert np.abs(np.diff(column[inside]) - np.diff(column[inside]).mean()).max() < 0.01
        assert column[inside[-1]] > 0.97  # full at the foot
    y, x = np.mgrid[0:128, 0:128] + 0.5
    for start, end, far in (  # the board is 0.46 wide and 0.96 tall there, and 1 by 2 in space
        ([0.5, 1.0, 0], [1.0, 1.0, 0], np.hypot((x - 32) / 0.46, (y - 64) * 2 / 0.96) / 64),
        ([0.25, 0.5], [0.4, 0.5], np.hypot(x - 32, y - 64) / 128 / 0.15),
    ):
        out = shaded(surface, size_of, owners, board, np.array(start), np.array(end), radial=True)
        made = sheet_of(Covered(out), 128)
        assert np.abs(made - np.clip(1 - far, 0, 1))[:, 4:60].max() < 0.01


def test_hiding_on_a_layer_without_a_mask_leaves_the_rest(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane, sheet_size=64)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((4, 4, 4), 255, np.uint8)))
    studio.execute(AddLayer("Wash", Wash(), {"colour": Channel("picture", picture=picture)}))
    layer = studio.project.layers[-1].id

    def dab(x: float, value: float) -> np.ndarray:
        stroke = easel.begin_stroke(studio, Brush(0.2, 1.0))
        stroke.go_to(np.array([x, 0.0, 0.0]), FRONT)
        easel.paint_on_mask(studio, layer, stroke, value)
        one = studio.project.layer(layer)
        sheet = studio.surface.sheet(studio.surface.keys[0], square(64))
        found = mask_values(studio.sources, studio.project, one, sheet, Rect(0, 64, 0, 64))
        assert found is not None
        return found[32]

    hidden = dab(-0.5, 0.0)
    assert (hidden[16], hidden[48], hidden[32]) == (0, 65535, 65535)
    again = dab(-0.5, 1.0)
    assert (again[16], again[48]) == (65535, 65535)


def test_a_picture_confines_what_is_painted_level_by_level(plane: Path, tmp_path: Path) -> None:
    """One light pass brings its strongest parts, more passes the fainter ones, black never; hiding reverses it."""
    ramp = np.zeros((4, 256, 4), np.uint8)
    ramp[..., :3], ramp[..., 3] = np.arange(256, dtype=np.uint8)[None, :, None], 255
    studio = Studio.new(plane, sheet_size=256)
    picture = studio.add_picture(save_png(tmp_path / "ramp.png", ramp))
    studio.execute(AddLayer("Wear", Wash(), {"colour": Channel("#663311")}))
    layer = studio.project.layers[-1].id
    easel.painted_mask(studio, layer)
    whole_tile = PictureShape(picture, Lay("paint", 1001, (0.5, 0.5), 1.0, 1.0), "luminance")
    studio.execute(AddMaskEntry(layer, MaskEntry(whole_tile, "confine")))

    def shown() -> np.ndarray:
        sheet = studio.surface.sheet(studio.surface.keys[0], square(256))
        one = studio.project.layer(layer)
        found = mask_values(studio.sources, studio.project, one, sheet, Rect(0, 256, 0, 256))
        assert found is not None
        return found[128] / 65535

    def pass_over(value: float) -> None:
        stroke = easel.begin_stroke(studio, Brush(3.0, 1.0, opacity=0.4))
        stroke.go_to(np.zeros(3), FRONT)
        easel.paint_on_mask(studio, layer, stroke, value)

    assert shown().max() == 0
    reached = []
    for painted in (0.4, 0.64, 0.784, 0.8704):
        pass_over(1.0)
        grey = np.arange(256) / 255
        expected = np.clip((painted + grey - 1) / 0.15, 0, 1)
        assert np.abs(shown() - expected)[2:-2].max() < 0.03
        reached.append(int((shown() > 0.5).sum()))
    assert reached == sorted(reached) and reached[0] > 80
    assert shown()[0] == 0
    pass_over(0.0)
    assert (shown() > 0.5).sum() < reached[-1]


def squares(path: Path, *moves: tuple[float, float, float], mirrored: bool = False) -> Path:
    """Squares of 2 × 2 facing +z at several places that share all their texels; ``mirrored`` turns every other over."""
    lines = ["vt 0 0", "vt 1 0", "vt 1 1", "vt 0 1", "usemtl paint"]
    for n, (x, y, z) in enumerate(moves):
        lines += [f"v {x + a} {y + b} {z}" for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        turn = (2, 1, 4, 3) if mirrored and n % 2 else (1, 2, 3, 4)
        lines.append("f " + " ".join(f"{4 * n + k + 1}/{turn[k]}" for k in range(4)))
    path.write_text("\n".join(lines) + "\n")
    return path


def dabbed(model: Path, *points: tuple[float, float, float]) -> np.ndarray:
    studio = Studio.new(model, sheet_size=64)
    stroke = easel.begin_stroke(studio, Brush(0.4, 0.5))
    for point in points:
        stroke.lift()
        stroke.go_to(np.array(point), FRONT)
    assert len(stroke.coverage) == 1
    return next(iter(stroke.coverage.values()))


def test_a_stroke_on_any_face_that_shares_texels_paints_them_as_on_the_first(tmp_path: Path) -> None:
    alone = dabbed(squares(tmp_path / "one.obj", (0, 0, 0)), (0.3, 0.2, 0))
    assert alone.max() == 1.0
    for n in range(3):
        moves = [(5.0 * k, 0.0, 0.0) for k in range(3)]
        several = squares(tmp_path / "three.obj", *moves)
        assert np.array_equal(dabbed(several, (0.3 + 5 * n, 0.2, 0)), alone)
    # Two that touch along a line, mirrored: what is painted near the line comes from both sides.
    halves = squares(tmp_path / "halves.obj", (-1, 0, 0), (1, 0, 0), mirrored=True)
    left, right = (dabbed(halves, (x, 0.2, 0)) for x in (-0.2, 0.2))
    both = 1 - (1 - dabbed(squares(tmp_path / "a.obj", (-1, 0, 0)), (-0.2, 0.2, 0))) * (
        1 - dabbed(squares(tmp_path / "b.obj", (-1, 0, 0)), (0.2, 0.2, 0))
    )
    assert np.abs(left - both).max() < 1e-5 and np.abs(right - both).max() < 1e-5


def test_filling_faces_that_share_texels_fills_them_whoever_owns_them(tmp_path: Path) -> None:
    studio = Studio.new(squares(tmp_path / "two.obj", (0, 0, 0), (5, 0, 0)), sheet_size=64)
    for faces in ([0, 1], [2, 3]):
        chosen = np.isin(np.arange(4), faces)
        found = fill_faces(studio.surface, studio.project.size_of, studio.sources.owners, chosen)
        assert [one.all() for one in found.values()] == [True]


def test_a_stroke_on_any_repeat_of_a_wrapped_material_paints_its_sheet(tmp_path: Path, run_job: Runner) -> None:
    model = "v 0 0 0\nv 6 0 0\nv 6 1 0\nv 0 1 0\nvt 0 0\nvt 6 0\nvt 6 1\nvt 0 1\nusemtl bricks\nf 1/1 2/2 3/3 4/4\n"
    (tmp_path / "path.obj").write_text(model)
    shown = []
    for n in range(6):
        stroke = {"do": "stroke", "layer": "Paint", "points": [[n + 0.5, 0.5, 0, 1]], "radius": 0.3, "hardness": 1,
                  "flow": 1, "values": {"colour": "#ff0000"}}  # fmt: skip
        job = {"job": 1, "model": "path.obj", "wrap": ["bricks"], "sheet_size": 64,
               "steps": [{"do": "brushwork", "name": "Paint"}, stroke],
               "exports": [{"preset": "separate", "out": f"maps{n}"}]}  # fmt: skip
        done = run_job(job)
        assert done.returncode == 0, done.stderr
        shown.append(read_png(next((tmp_path / f"maps{n}").glob("*baseColor*"))))
    assert (shown[0][32, 32] == [255, 0, 0]).all()
    assert all(np.abs(one.astype(int) - shown[0]).max() <= 1 for one in shown)
