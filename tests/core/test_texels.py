"""Work on single texels: exact means 0 of 255."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import pygltflib
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.easel import begin_stroke, normal_near, paint_on_layer
from lucky_fern.core.errors import CommandError
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.project.commands import AddLayer, SetGuides, SetLayer, SetPixelArt, SetSheetSize
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.project.helps import Guides
from lucky_fern.core.project.layouts import FitRectangle
from lucky_fern.core.project.places import Lay, Warp
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels import drawing
from lucky_fern.core.texels.blocks import cleared, of_picture, stamped, taken
from lucky_fern.core.texels.canvas import reframe
from lucky_fern.core.texels.guides import step_to
from lucky_fern.core.texels.reworking import fewer, nearest_of, shifted, swapped
from lucky_fern.core.texels.setting import set_single
from samples import PLANE, Runner, read_png, save_png

BLOCK = np.random.default_rng(8).integers(0, 256, (5, 9, 4), dtype=np.uint8)
BLOCK[..., 3] = 255


def job(*steps: dict[str, Any], size: Any = 64, **more: Any) -> dict[str, Any]:
    return {"job": 1, "model": "plane.obj", "sheet_size": size, "steps": [
        {"do": "wash", "name": "Base", "values": {"colour": "#204060"}}, {"do": "brushwork", "name": "Art"}, *steps],
        "exports": [{"preset": "separate", "out": "maps"}], "save": "a.fern", **more}  # fmt: skip


def colour(folder: Path, name: str = "job") -> np.ndarray:
    return read_png(folder / "maps" / f"{name}_paint_baseColor.png")[..., :3]


@pytest.fixture
def folder(tmp_path: Path, plane: Path) -> Path:
    save_png(tmp_path / "block.png", BLOCK)
    return tmp_path


@pytest.mark.parametrize("turn, flip", [(0, False), (90, False), (180, True), (270, False), (90, True)])
def test_a_block_is_set_exactly_and_nothing_beside_it(folder: Path, run_job: Runner, turn: int, flip: bool) -> None:
    step = {"do": "texels", "layer": "Art", "sheet": "paint:1001", "map": "colour", "at": [3, 40],
            "picture": "block.png", "turn": turn, "flip": flip}  # fmt: skip
    result = run_job(job(step, size=[48, 96]))
    assert result.returncode == 0, result.stderr
    expected = np.full((96, 48, 3), (0x20, 0x40, 0x60), np.uint8)
    block = BLOCK[:, ::-1] if flip else BLOCK
    for _ in range(turn // 90):  # counter-clockwise: what was on the right is at the top
        block = block.transpose(1, 0, 2)[::-1]
    expected[40 : 40 + block.shape[0], 3 : 3 + block.shape[1]] = block[..., :3]
    assert (colour(folder) == expected).all()


def test_single_texels_of_any_map_and_what_cannot_be(folder: Path, run_job: Runner) -> None:
    draw = {"do": "texels", "layer": "Art", "sheet": "paint:1001", "draw": [[0, 0, "#ff0000"], [63, 63, "#00ff00"],
            [5, 9, "#0000ff"], [5, 9, None]]}  # fmt: skip
    rough = {"do": "texels", "layer": "Art", "sheet": "paint:1001", "map": "roughness", "draw": [[2, 1, 0.25]]}
    assert run_job(job(draw, rough)).returncode == 0
    shown = colour(folder)
    assert shown[0, 0].tolist() == [255, 0, 0] and shown[63, 63].tolist() == [0, 255, 0]
    assert (shown != (0x20, 0x40, 0x60)).any(axis=2).sum() == 2
    grey = read_png(folder / "maps" / "job_paint_roughness.png")[..., 0]
    assert grey[1, 2] == 64 and (np.delete(grey.ravel(), 66) == grey[0, 0]).all()
    for bad, told in (
        ({"draw": [[64, 0, "#ff0000"]]}, "no texel 64, 0"), ({"sheet": "paint:1002"}, "no sheet 'paint:1002'"),
        ({"at": [60, 0], "picture": "block.png"}, "does not fit"), ({"layer": "Base"}, "cannot be painted on"),
        ({"picture": "block.png", "turn": 45}, "turned by 0, 90"), ({"map": "roughness"}, "numbers from 0 to 1"),
        ({"draw": []}, "takes a 'picture'"),
    ):  # fmt: skip
        result = run_job(job({**draw, **bad}), "bad")
        assert result.returncode == 2 and told in result.stderr, (result.stderr, bad)


ANCHORS = {"upper-left": (0, 0), "upper-right": (37, 0), "lower-left": (0, 16), "lower-right": (37, 16),
           "centre": (18, 8)}  # fmt: skip


@pytest.mark.parametrize("anchor", ANCHORS)
def test_a_canvas_grows_and_every_texel_stays_byte_for_byte(folder: Path, run_job: Runner, anchor: str) -> None:
    rng = np.random.default_rng(2)
    save_png(folder / "art.png", np.dstack([rng.integers(0, 256, (64, 64, 3), dtype=np.uint8),
                                            np.full((64, 64), 255, np.uint8)]))  # fmt: skip
    save_png(folder / "spot.png", BLOCK)
    steps = [
        {"do": "texels", "layer": "Art", "sheet": "paint:1001", "picture": "art.png"},
        {"do": "stroke", "layer": "Art", "points": [[-0.5, 0.2, 0, 1]], "radius": 0.3, "on": "mask"},
        {"do": "decal", "name": "Spot", "picture": "spot.png", "channels": {"colour": "picture"}, "sampling": "nearest",
         "place": {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.25], "width": 18 / 64,
                   "height": 10 / 64}},
        {"do": "lend", "name": "part", "sheet": "paint:1001", "box": [4, 6, 20, 30], "maps": ["colour"], "out": "p.png"},
    ]  # fmt: skip
    assert run_job(job(*steps)).returncode == 0
    before = colour(folder)
    grow = {"do": "sheet", "of": "paint:1001", "size": [101, 80], "anchor": anchor, "how": "grow"}
    result = run_job({"job": 1, "project": "a.fern", "steps": [grow], "save": "b.fern",
                      "exports": [{"preset": "separate", "out": "maps"}]}, "grown")  # fmt: skip
    assert result.returncode == 0, result.stderr
    after, (left, upper) = colour(folder, "a"), ANCHORS[anchor]
    assert after.shape == (80, 101, 3)
    assert (after[upper : upper + 64, left : left + 64] == before).all()
    first, studio = Studio.open(folder / "a.fern"), Studio.open(folder / "b.fern")
    uv, old = studio.model.uv * [101, 80], first.model.uv * 64
    assert np.allclose(uv, old + [left, 80 - 64 - upper], atol=1e-9)
    assert studio.project.loans["part"].box == (4 + left, 6 + upper, 20 + left, 30 + upper)
    back = {"do": "sheet", "of": "paint:1001", "size": [64, 64], "anchor": anchor}
    result = run_job({"job": 1, "project": "b.fern", "steps": [back], "exports": [{"preset": "separate", "out": "maps"}]},
                     "cropped")  # fmt: skip
    assert result.returncode == 0, result.stderr
    assert (colour(folder, "b") == before).all()


@given(
    rotate=st.floats(0, 360).filter(lambda angle: angle % 90 > 0.1), high=st.sampled_from([None, 0.3]), flip=st.booleans(),
    warp=st.sampled_from([None, Warp(2, 2, ((0.1, 0.0), (1.0, 0.2), (0.0, 0.9), (1.1, 1.0)))]),
    size=st.tuples(st.integers(128, 8192), st.integers(128, 8192)), by=st.tuples(st.integers(0, 60), st.integers(0, 60)),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_a_picture_aslant_keeps_its_texels_on_a_canvas_of_any_proportions(
    rotate: float, high: float | None, flip: bool, warp: Warp | None, size: tuple[int, int], by: tuple[int, int]
) -> None:
    """Where points of the picture lie, in texels from the canvas' upper left, by the definition of a laid place."""
    before, after = Extent(128, 128), Extent(*size)
    key, picture = SheetKey("paint", 1001), (64, 40)
    place = Lay("paint", 1001, (0.4, 0.55), 0.5, high, rotate, flip, warp)

    def texels(place: Lay, size: Extent) -> np.ndarray:
        moved = place.reframed(key, size, size, (0, 0), picture)
        assert moved == place
        points = np.array((place.warp or Warp()).points)
        height = place.height or place.tall(picture)
        angle = np.radians(place.rotate)
        along, up = np.array([np.cos(angle), np.sin(angle)]), np.array([-np.sin(angle), np.cos(angle)])
        uv = place.centre + (points[:, :1] - 0.5) * place.width * along + (0.5 - points[:, 1:]) * height * up
        return np.column_stack([uv[:, 0] * size.width, (1 - uv[:, 1]) * size.height])

    moved = place.reframed(key, before, after, by, picture)
    moved.check()
    assert np.allclose(texels(moved, after), texels(place, before) + by, atol=1e-5) and moved.flip == flip


def test_a_slanted_picture_looks_the_same_on_a_wider_canvas(folder: Path, run_job: Runner) -> None:
    soft = np.zeros((64, 64, 4), np.uint8)
    soft[...] = np.linspace(0, 255, 64).astype(np.uint8)[:, None, None]
    save_png(folder / "soft.png", soft | np.array([0, 0, 0, 255], np.uint8))
    place = {
        "mode": "lay",
        "material": "paint",
        "tile": 1001,
        "centre": [0.5, 0.5],
        "width": 0.5,
        "height": 0.3,
        "rotate": 30,
    }
    assert run_job(job({"do": "decal", "picture": "soft.png", "place": place}, size=256)).returncode == 0
    before = colour(folder).astype(int)
    grow = {"do": "sheet", "of": "paint:1001", "size": [512, 256], "anchor": "upper-left", "how": "grow"}
    result = run_job(
        {"job": 1, "project": "a.fern", "steps": [grow], "exports": [{"preset": "separate", "out": "maps"}]}, "grown"
    )
    assert result.returncode == 0, result.stderr
    assert np.abs(colour(folder, "a")[:, :256] - before).mean() < 0.5


def test_what_would_lie_beyond_a_canvas_is_said(folder: Path, run_job: Runner) -> None:
    for step, told in (
        ({"size": [32, 64]}, "beyond the new canvas"), ({"size": [0, 64]}, "1 to 8192 texels"), ({}, "takes a 'size'"),
        ({"size": [9000, 4]}, "1 to 8192 texels"), ({"size": 8}, "16 to 8192"),
    ):  # fmt: skip
        result = run_job(job({"do": "sheet", "of": "paint:1001", **step}), "bad")
        assert result.returncode == 2 and told in result.stderr, result.stderr


def test_pixel_art_is_enlarged_by_squares_and_smoothed_without(folder: Path, run_job: Runner) -> None:
    art = {"do": "texels", "layer": "Art", "sheet": "paint:1001", "at": [10, 20], "picture": "block.png"}
    for on in (True, False):
        mode = {"do": "sheet", "of": "paint:1001", "pixel_art": on}
        more = {"do": "sheet", "of": "paint:1001", "size": [192, 256], "how": "resample"}
        assert run_job(job(art, save="a.fern")).returncode == 0
        small = colour(folder)
        result = run_job({"job": 1, "project": "a.fern", "steps": [mode, more], "save": "b.fern"}, "large")
        assert result.returncode == 0, result.stderr
        studio = Studio.open(folder / "b.fern")
        key = studio.surface.keys[0]
        sheet = studio.surface.sheet(key, studio.project.size_of(key))
        large = composite_sheet(studio.sources, studio.project, "colour", sheet, 8)
        assert (large == np.repeat(np.repeat(small, 4, axis=0), 3, axis=1)).all() == on


PLACE = st.tuples(st.integers(0, 20), st.integers(0, 20))


@settings(max_examples=200, deadline=None)
@given(st.lists(PLACE, min_size=1, max_size=6))
def test_a_pencil_is_one_thick_joined_and_has_no_doubled_corners(points: list[tuple[int, int]]) -> None:
    straight = drawing.line(points[0], points[-1])
    (r0, c0), (r1, c1) = points[0], points[-1]
    assert len(straight) == max(abs(r1 - r0), abs(c1 - c0)) + 1
    way = np.array([r1 - r0, c1 - c0], float)
    aside = np.abs((straight - points[0]) @ [way[1], -way[0]]) / max(np.abs(way).max(), 1)
    assert aside.max() <= 0.5  # no texel is further from the true line than half of one
    trail = drawing.trail(points)
    assert len({tuple(place) for place in trail.tolist()}) == len(trail)
    if len(points) == 2:
        steps = np.abs(np.diff(trail, axis=0))
        assert steps.max(initial=0) <= 1 and {tuple(trail[0]), tuple(trail[-1])} == set(points)
        corners = [n for n in range(len(trail) - 2) if (np.abs(trail[n + 2] - trail[n]) == 1).all()]
        assert not corners


def test_frames_ellipses_fills_and_mirrors() -> None:
    def shown(places: np.ndarray) -> list[str]:
        area = np.zeros((5, 6), bool)
        area[tuple(places.T)] = True
        return ["".join("#" if one else "." for one in row) for row in area]

    assert shown(drawing.frame((4, 5), (1, 2))) == ["......", "..####", "..#..#", "..#..#", "..####"]
    assert len(drawing.frame((1, 2), (4, 5), True)) == 16
    assert shown(drawing.ellipse((0, 0), (4, 5))) == [".####.", "#....#", "#....#", "#....#", ".####."]
    assert shown(drawing.mirrored(np.array([[0, 0]]), (5, 6), True, True)) == ["#....#", *["......"] * 3, "#....#"]
    values = np.zeros((5, 6, 3), np.uint8)
    values[1:3, 1:3] = values[4, 5] = 7
    assert drawing.area(values, (1, 1), True).sum() == 4 and drawing.area(values, (1, 1), False).sum() == 5
    assert [len(drawing.dab(size, True)) for size in (1, 2, 3, 4, 5)] == [1, 4, 9, 12, 21]
    assert len(drawing.on_sheet(drawing.thick(np.array([[0, 0]]), 3, False), (5, 6))) == 4


def test_undoing_the_first_texel_of_a_layer_is_seen(plane: Path) -> None:
    studio = Studio.new(plane, sheet_size=64)
    studio.execute(AddLayer("Art", Brushwork(), {}))
    before = studio.project
    command = set_single(studio, before.layers[-1].id, studio.surface.keys[0], "height", [(3, 4, 0.25)])
    assert command is not None
    studio.execute(command)
    assert [key.map for key in dirtied(studio.sources, before, studio.project)] == ["height"]
    assert [key.map for key in dirtied(studio.sources, studio.project, before)] == ["height"]


def test_pixel_art_goes_out_a_whole_number_of_times_as_large(folder: Path, run_job: Runner) -> None:
    art = {"do": "texels", "layer": "Art", "sheet": "paint:1001", "at": [10, 20], "picture": "block.png"}
    mode = {"do": "sheet", "of": "paint:1001", "pixel_art": True}
    for wanted, times in ((64, 1), (200, 3), (32, 1)):
        exports = [{"preset": "gltf", "out": "maps", "size": wanted}, {"preset": "separate", "out": "plain"}]
        assert run_job(job(art, mode, exports=exports)).returncode == 0
        small = read_png(folder / "plain" / "job_paint_baseColor.png")
        large = read_png(folder / "maps" / "job_paint_baseColor.png")
        assert (large == small.repeat(times, axis=0).repeat(times, axis=1)).all()
    sampler = pygltflib.GLTF2().load(str(folder / "maps" / "job.glb")).samplers[0]
    assert sampler.magFilter == sampler.minFilter == pygltflib.NEAREST


def test_a_sheet_of_one_texel_and_one_of_a_row(tmp_path: Path, run_job: Runner) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    for size in ([1, 1], [300, 1], [7, 513]):
        result = run_job(job(size=size))
        assert result.returncode == 0, result.stderr
        assert colour(tmp_path).shape[:2] == (size[1], size[0])


def test_texels_of_some_colours_become_faces_that_can_glow(folder: Path, run_job: Runner) -> None:
    draw = [[10, 12, "#ffee88"], [11, 12, "#ffee88"], [11, 13, "#ffee88"], [30, 5, "#ffeb85"], [50, 50, "#334455"]]
    steps = [
        {"do": "texels", "layer": "Art", "sheet": "paint:1001", "draw": draw},
        {"do": "decal", "name": "Laid", "picture": "block.png", "channels": {"roughness": "picture"},
         "place": {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.2, 0.8], "width": 0.3}},
        {"do": "select", "name": "all of it", "scope": {"materials": ["paint"]}},
        {"do": "wash", "name": "Damp", "values": {"metallic": 0.7}, "scope": {"materials": ["paint"]}},
        {"do": "layout", "op": "cut-texels", "selection": "all of it", "map": "colour", "colours": ["#ffee88"],
         "tolerance": 0.02, "material": "glow"},
        {"do": "wash", "name": "Glow", "values": {"emissive": "#ffaa44"}, "scope": {"materials": ["glow"]}},
    ]  # fmt: skip
    result = run_job(job(*steps))
    assert result.returncode == 0, result.stderr
    studio = Studio.open(folder / "a.fern")
    paint, glow = studio.surface.keys
    assert (str(paint), str(glow)) == ("paint:1001", "glow:1001")
    size = studio.project.size_of(glow)
    assert size == studio.project.size_of(paint)
    own = studio.surface.sheet(glow, size).covered
    assert {(int(c), int(r)) for r, c in np.argwhere(own)} == {(10, 12), (11, 12), (11, 13), (30, 5)}
    before = Studio.open(folder / "a.fern")
    before.history.projects()
    maps = {name: {key: read_png(folder / "maps" / f"job_{key}_{name}.png") for key in ("paint", "glow")}
            for name in ("baseColor", "roughness", "metallic")}  # fmt: skip
    shown = maps["baseColor"]["glow"]
    assert shown[12, 10].tolist()[:3] == [0xFF, 0xEE, 0x88] and shown[5, 30].tolist()[:3] == [0xFF, 0xEB, 0x85]
    assert maps["metallic"]["glow"][12, 10] == maps["metallic"]["paint"][20, 40]  # what was scoped to it still is
    assert maps["roughness"]["glow"][13, 11] != maps["roughness"]["paint"][60, 60]  # the laid picture shows on both
    assert (read_png(folder / "maps" / "job_glow_emissive.png")[12, 10][:3] == (0xFF, 0xAA, 0x44)).all()
    faces = studio.project.selections["all of it"]
    assert faces.startswith(f"{studio.model.triangle_count}:")
    for bad, told in (({"colours": ["#123456"]}, "none of the chosen texels"), ({"colours": []}, "takes 'colours'"),
                      ({"material": "paint"}, "none of the chosen"), ({"hue": 1}, "unknown key")):  # fmt: skip
        result = run_job(job(*steps[:4], {**steps[4], **bad}), "bad")
        assert result.returncode == 2 and told in result.stderr, result.stderr


def art(tmp_path: Path, plane: Path, size: Extent = Extent(32, 16)) -> tuple[Studio, int, SheetKey]:
    """A plane with a brushwork layer, its sheet pixel art."""
    studio = Studio.new(plane, sheet_size=size)
    key = studio.surface.keys[0]
    studio.execute(SetPixelArt(str(key)))
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#204060")}))
    return studio, studio.execute(AddLayer("Art", Brushwork(), {})).layers[-1].id, key


def shown(studio: Studio, key: SheetKey, name: str = "colour") -> np.ndarray:
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    return composite_sheet(studio.sources, studio.project, name, sheet, 8)


@pytest.mark.parametrize("flow", [0.4, 1.0])
def test_a_soft_brush_leaves_whole_texels_on_pixel_art_and_soft_ones_elsewhere(
    tmp_path: Path, plane: Path, flow: float
) -> None:
    studio, layer, key = art(tmp_path, plane)
    size = studio.model.diagonal
    for on in (True, False):
        studio.execute(SetPixelArt(str(key), on))
        stroke = begin_stroke(studio, Brush(0.15 * size, hardness=0.2, flow=flow))
        middle = studio.model.bounds.mean(axis=0)
        stroke.go_to(middle, normal_near(studio, middle))
        paint_on_layer(studio, layer, stroke, {"colour": "#ff8800"})
        colours = {tuple(one) for one in shown(studio, key).reshape(-1, 3).tolist()}
        assert (colours <= {(0x20, 0x40, 0x60), (0xFF, 0x88, 0)}) is on
        if on and flow == 1.0:
            assert len(colours) == 2
        studio.jump(studio.history.at - 1)


@pytest.mark.parametrize("art", [True, False])
@pytest.mark.parametrize("by", ["wash", "sequence"])
def test_a_picture_of_two_colours_keeps_to_them_on_pixel_art(
    folder: Path, run_job: Runner, by: str, art: bool
) -> None:
    chequers = np.indices((5, 5)).sum(axis=0)[..., None] % 2 * 255
    save_png(folder / "two.1001.png", (chequers | [0, 0, 0, 255]).astype(np.uint8))
    wash = {"do": "wash", "pictures": {"colour": "two.1001.png"}, "repeat": [1.7, 1.7]}
    sequence = {"do": "decal", "picture": "two.<UDIM>.png", "place": {"mode": "tiles"}}
    sheet = {"do": "sheet", "of": "paint:1001", "pixel_art": art}
    assert run_job(job(sheet, wash if by == "wash" else sequence)).returncode == 0
    assert (len({tuple(one) for one in colour(folder).reshape(-1, 3).tolist()} - {(0x20, 0x40, 0x60)}) == 2) is art


@pytest.mark.parametrize("on", [True, False])
def test_three_projections_are_chosen_from_not_mixed_on_pixel_art(tmp_path: Path, on: bool) -> None:
    (tmp_path / "aslant.obj").write_text(PLANE.replace("v -1 -1 0", "v -1 -1 1.3").replace("v 1 1 0", "v 1 1 -1"))
    studio = Studio.new(tmp_path / "aslant.obj", sheet_size=64)
    key = studio.surface.keys[0]
    chequers = np.indices((5, 5)).sum(axis=0)[..., None] % 2 * 255
    two = studio.add_picture(save_png(tmp_path / "two.png", (chequers | [0, 0, 0, 255]).astype(np.uint8)))
    ways = np.where(chequers > 0, [128, 128, 255, 255], [200, 128, 233, 255]).astype(np.uint8)
    lean = studio.add_picture(save_png(tmp_path / "lean_normal.png", ways))
    channels = {"colour": Channel("picture", picture=two), "normal": Channel("picture", picture=lean)}
    studio.execute(AddLayer("all over", Wash(by="triplanar", repeat=(1.7, 1.7)), channels))
    studio.execute(SetPixelArt(str(key), on))
    for name, most in (("colour", 2), ("normal", 2 * 3 * 2)):  # each way on each plane of each triangle
        found = len({tuple(one) for one in shown(studio, key, name).reshape(-1, 3).tolist()})
        assert (found <= most) is on, (name, found)


def test_texels_painted_beside_islands_are_seen_on_pixel_art_alone(tmp_path: Path, plane: Path) -> None:
    studio, layer, key = art(tmp_path, plane)
    studio.lay_out(FitRectangle((0.0, 0.0), (0.5, 0.5)))
    store, before = MapStore(studio.sources), studio.project
    store.update(before, MapKey(key, "colour"), {Chunk(0, 0)})
    size = studio.project.size_of(key)
    edit = set_single(studio, layer, key, "colour", [(20, 3, "#ff0000"), (3, 12, "#00ff00")])
    assert edit is not None
    studio.execute(edit)
    for on in (True, False, True):
        studio.execute(SetPixelArt(str(key), on))
        values = shown(studio, key)
        assert (values[12, 3] == (0, 255, 0)).all()
        assert (values[3, 20] == ((255, 0, 0) if on else (0x20, 0x40, 0x60))).all()
        assert (np.delete(values.reshape(-1, 3), [12 * size.width + 3, 3 * size.width + 20], axis=0)
                == (0x20, 0x40, 0x60)).all()  # fmt: skip
        # The maps that views show come to the same, step by step.
        for piece, chunks in dirtied(studio.sources, before, studio.project).items():
            store.update(studio.project, piece, chunks)
        assert np.array_equal(store.get(MapKey(key, "colour"), size), values)
        before = studio.project
    studio.execute(SetLayer(layer, visible=False))
    for piece, chunks in dirtied(studio.sources, before, studio.project).items():
        store.update(studio.project, piece, chunks)
    assert (store.get(MapKey(key, "colour"), size) == (0x20, 0x40, 0x60)).all()


blocks = st.integers(0, 2**32 - 1).map(lambda seed: np.random.default_rng(seed).integers(0, 256, (4, 6, 4), np.uint8))


@given(blocks, st.integers(-8, 34), st.integers(-6, 18))
@settings(max_examples=25, deadline=None)
def test_a_block_lands_where_it_fits_and_comes_back_as_it_was(rgba: np.ndarray, column: int, row: int) -> None:
    with TemporaryDirectory() as place:
        path = Path(place) / "plane.obj"
        path.write_text(PLANE)
        studio, layer, key = art(Path(place), path)
        block = of_picture(rgba)
        assert np.array_equal(block.turned(1).turned(3).flipped().flipped().rgba(), rgba)
        for edit in stamped(studio, layer, key, (column, row), block, ["colour"]):
            studio.execute(edit)
        area = np.zeros((16, 32), bool)
        area[max(row, 0) : max(row + 4, 0), max(column, 0) : max(column + 6, 0)] = True
        found = taken(studio, layer, key, area)
        part = rgba[max(-row, 0) : max(16 - row, 0), max(-column, 0) : max(32 - column, 0)]
        if found is None:
            assert not part[..., 3].any() if part.size else True
            return
        there = part[..., 3] > 0  # clear texels of a block are left out
        assert np.array_equal(found.rgba()[there], part[there]) and not found.rgba()[~there].any()
        for edit in cleared(studio, layer, key, area):
            studio.execute(edit)
        assert taken(studio, layer, key, area) is None


def test_what_is_painted_is_shifted_round_swapped_and_brought_to_few_colours() -> None:
    rng = np.random.default_rng(5)
    texels = rng.integers(0, 256, (16, 16, 4), np.uint8)
    texels[..., 3] = rng.choice([0, 255], (16, 16))
    moved = shifted(texels, 3, -2)
    assert all((moved[(r - 2) % 16, (c + 3) % 16] == texels[r, c]).all() for r in range(16) for c in range(16))
    one, other = np.array([1, 2, 3, 255], np.uint8), np.array([9, 8, 7, 255], np.uint8)
    texels[2, 2], texels[5, 5] = one, other
    twice = swapped(swapped(texels, one, other), one, other)
    assert (swapped(texels, one, other)[2, 2] == other).all() and np.array_equal(twice, texels)
    for count in (1, 2, 5, 256):
        few = fewer(texels, count)
        assert len(np.unique(few[few[..., 3] > 0], axis=0)) <= count and (few[..., 3] == texels[..., 3]).all()
        off = np.abs(few.astype(int) - texels)[texels[..., 3] > 0][:, :3]
        assert off.mean() < (70, 55, 40, 1)[(1, 2, 5, 256).index(count)]
    palette = [f"#{value:06x}" for value in rng.choice(2**24, 10_000, replace=False).tolist()]
    near = nearest_of(texels, palette)
    known = np.array([[int(name[k : k + 2], 16) for k in (1, 3, 5)] for name in palette])
    for (r, c), wanted in zip([(0, 0), (7, 9), (15, 3)], [texels[0, 0], texels[7, 9], texels[15, 3]], strict=True):
        if wanted[3]:
            best = np.linalg.norm(known - wanted[:3], axis=1).min()
            assert np.linalg.norm(near[r, c, :3].astype(int) - wanted[:3]) == pytest.approx(best)
    with pytest.raises(CommandError, match="1 to 256"):
        fewer(texels, 10_000)


def test_jobs_rework_copy_and_lay_with_square_pixels(folder: Path, run_job: Runner) -> None:
    art_ = {"do": "texels", "layer": "Art", "sheet": "paint:1001"}
    save_png(folder / "mark.png", np.full((4, 8, 4), 255, np.uint8))
    result = run_job(job(
        {**art_, "draw": [[0, 0, "#ff0000"], [1, 0, "#00ff00"], [2, 0, "#0000ff"]]},
        {**art_, "box": [0, 0, 3, 1], "shift": [1, 0]},
        {**art_, "swap": ["#ff0000", "#00ff00"]},
        {**art_, "copy": [0, 0, 3, 1], "at": [10, 5], "turn": 90},
        {**art_, "box": [0, 0, 1, 1], "clear": True},
        {**art_, "box": [10, 5, 11, 8], "colours": ["#ff2200", "#00aa55", "#0022ff"]},
        {"do": "decal", "picture": "mark.png", "channels": {"colour": "picture"},
         "place": {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.75, 0.5], "width": 0.25}},
        {"do": "guides", "sheet": "paint:1001", "upright": [8.5], "level": [4]},
        {"do": "pin", "picture": "mark.png", "corner": "upper-right", "share": 0.5},
        size=[32, 64],
    ))  # fmt: skip
    assert result.returncode == 0, result.stderr
    made = colour(folder)
    # blue, red, green after the shift; blue, green, red after the swap; turned counter-clockwise: the right is above
    assert made[0, 1:3].tolist() == [[0, 255, 0], [255, 0, 0]] and made[0, 0].tolist() == [0x20, 0x40, 0x60]
    assert made[5:8, 10].tolist() == [[0xFF, 0x22, 0], [0, 0xAA, 0x55], [0, 0x22, 0xFF]]
    white = np.argwhere((made == 255).all(axis=2))
    assert (np.ptp(white, axis=0) + 1).tolist() == [4, 8]  # 8 × 4 pixels are 8 × 4 texels
    project = Studio.open(folder / "a.fern").project
    assert project.guides["paint:1001"] == Guides((8.5,), (4,)) and project.pinned["mark.png"].share == 0.5
    for step, words in (
        ({**art_, "box": [0, 0, 99, 1], "shift": [1, 0]}, "within the 64"),
        ({**art_, "copy": [0, 0, 1, 1], "turn": 45}, "not 45"), ({**art_, "colours": 0, "clear": False}, "takes"),
        ({**art_, "colours": 400}, "1 to 256"), ({"do": "pin", "picture": "none.png"}, "none.png"),
        ({"do": "guides", "sheet": "hull:1001"}, "no sheet"), ({"do": "pin", "picture": "mark.png", "share": 9}, "0.05"),
    ):  # fmt: skip
        refused = run_job(job({**art_, "draw": [[0, 0, "#ff0000"]]}, step))
        assert refused.returncode == 2 and words in refused.stderr, refused.stderr


def test_guides_go_with_their_texels_and_hold_what_is_near(tmp_path: Path, plane: Path) -> None:
    studio, _, key = art(tmp_path, plane)
    studio.execute(SetGuides(str(key), Guides((8.0, 20.5), (4.0,))))
    command, _ = reframe(studio, key, Extent(64, 32), "centre")
    studio.execute(command)
    assert studio.project.guides[str(key)] == Guides((24.0, 36.5), (12.0,))
    studio.execute(SetSheetSize(Extent(128, 64), str(key)))
    assert studio.project.guides[str(key)] == Guides((48.0, 73.0), (24.0,))
    guides = Guides((10.0,), (20.0,))
    assert step_to(np.array([[11.0, 3.0], [15.0, 9.0]]), guides, 2).tolist() == [-1.0, 0.0]
    assert step_to(np.array([[5.0, 17.0], [14.0, 22.0]]), guides, 2).tolist() == [0.5, 0.5]  # their middles
    with pytest.raises(CommandError, match="number of texels"):
        studio.execute(SetGuides(str(key), Guides((float("nan"),))))
