"""Strokes over the surface: against every texel's distance to every sample."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core import easel
from lucky_fern.core.compositing.brushwork import draw_painted
from lucky_fern.core.compositing.layer_row import row_of
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.painting.brush import Brush, Pen
from lucky_fern.core.painting.stroke import Stroke
from lucky_fern.core.project.commands import AddLayer, SetSheetSize
from lucky_fern.core.project.document import Brushwork, Channel, Decal, Wash
from lucky_fern.core.project.layouts import Transform
from lucky_fern.core.project.painted import MASK
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.grid import Chunk, span, square
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from round_models import globe, tube
from samples import PLANE, Runner, read_png, save_png
from small_models import SIDE_BY_SIDE


def falloff(share: np.ndarray, hardness: np.ndarray) -> np.ndarray:
    """One inside the hard part, a smooth step down to nothing at the radius."""
    f = np.clip((share - hardness) / np.maximum(1 - hardness, 1e-9), 0, 1)
    return np.where(share < 1, 1 - f * f * (3 - 2 * f), 0.0)


def brute(model: Model, size: int, points: np.ndarray, normals: np.ndarray, brush: Brush) -> dict[str, np.ndarray]:
    """Coverage of every sheet, texel by texel and sample by sample."""
    surface, found = Surface(model), {}
    for key in surface.keys:
        sheet = surface.sheet(key, square(size))
        out = np.zeros((size, size))
        for chunk in sheet.chunks_of(np.ones(len(sheet.triangle), np.bool_)):
            at = sheet.surface_points(chunk)
            inside = at.triangle >= 0
            corner, flat = model.corners[at.triangle], model.uv[at.triangle] * size
            real = np.linalg.norm(
                np.cross(corner[..., 1, :] - corner[..., 0, :], corner[..., 2, :] - corner[..., 0, :]), axis=-1
            )
            b, c = flat[..., 1, :] - flat[..., 0, :], flat[..., 2, :] - flat[..., 0, :]
            texel = np.sqrt(real / np.abs(b[..., 0] * c[..., 1] - b[..., 1] * c[..., 0]))
            hard = np.minimum(brush.hardness, np.maximum(1 - texel / brush.radius, 0))
            free = np.ones(inside.shape)
            for point, normal in zip(points, normals, strict=True):
                far = np.linalg.norm(at.position - point, axis=-1) / brush.radius
                facing = at.normal @ normal > 0
                free *= 1 - np.where(facing, falloff(far, hard), 0) * brush.flow
            out[span(chunk, square(size))] = np.where(inside, 1 - free, 0)
        found[str(key)] = out
    return found


def gathered(stroke: Stroke, size: int) -> dict[str, np.ndarray]:
    out: dict[str, np.ndarray] = {str(key): np.zeros((size, size)) for key in stroke.surface.keys}
    for place, covered in stroke.coverage.items():
        out[str(place.sheet)][span(place.chunk, square(size))] = covered
    return out


def begun(model: Model, size: int, brush: Brush) -> Stroke:
    return Stroke(Surface(model), lambda key: square(size), lambda sheet, chunk: sheet.owners(chunk), brush)


@settings(max_examples=18, deadline=None)
@given(
    seed=st.integers(0, 999), hardness=st.floats(0, 1), flow=st.floats(0.05, 1), radius=st.floats(0.02, 0.4),
    kind=st.sampled_from(["board", "tube", "globe"]),
)  # fmt: skip
def test_coverage_is_that_of_every_distance(
    tmp_path_factory: pytest.TempPathFactory, seed: int, hardness: float, flow: float, radius: float, kind: str
) -> None:
    """On a tube and a globe samples lie across the seam; on a board anywhere."""
    folder = tmp_path_factory.mktemp("model")
    (folder / "plane.obj").write_text(PLANE)
    rng = np.random.default_rng(seed)
    if kind == "board":
        model = load_model(folder / "plane.obj")
    else:
        model = tube(folder, sides=24, rings=4) if kind == "tube" else globe(folder)
    if kind == "globe":
        angle, tilt = np.pi + rng.uniform(-0.8, 0.8, 6), rng.uniform(0.1, np.pi - 0.1, 6)
        normals = np.stack([np.sin(tilt) * np.sin(angle), -np.cos(tilt), np.sin(tilt) * np.cos(angle)], axis=1)
        points = normals * rng.uniform(0.97, 1.0, (6, 1))
    elif kind == "tube":
        angle, y = np.pi + rng.uniform(-0.8, 0.8, 6), rng.uniform(0.2, 1.8, 6)
        points = np.stack([0.5 * np.sin(angle), y, 0.5 * np.cos(angle)], axis=1)
        normals = np.stack([np.sin(angle), 0 * y, np.cos(angle)], axis=1)
    else:
        points = np.column_stack([rng.uniform(-1, 1, (6, 2)), np.zeros(6)])
        normals = np.tile([0.0, 0.0, 1.0], (6, 1))
    brush = Brush(radius, hardness, flow)
    stroke = begun(model, 300, brush)  # chunks at the sheet's edge are smaller
    for point, normal in zip(points, normals, strict=True):
        stroke.cover(point[None], normal[None], np.array([Pen()]))
    got, expected = gathered(stroke, 300), brute(model, 300, points, normals, brush)
    for key, values in expected.items():
        assert np.abs(got[key] - values).max() <= 1 / 255


def test_samples_lie_evenly_and_follow_the_surface(tmp_path: Path) -> None:
    model = tube(tmp_path)
    stroke = begun(model, 256, Brush(0.1, 1.0, spacing=0.2))
    seen: list[np.ndarray] = []
    cover = stroke.cover

    def watch(points: np.ndarray, *others: np.ndarray) -> None:
        seen.extend(points)
        cover(points, *others)

    stroke.cover = watch
    for angle in np.linspace(0, np.pi / 2, 7):  # uneven steps of the hand
        for _ in range(1 + (angle > 1)):
            stroke.go_to(
                np.array([0.5 * np.sin(angle), 1.0, 0.5 * np.cos(angle)]), np.array([np.sin(angle), 0, np.cos(angle)])
            )
    stroke.end()
    places = np.array(seen)
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert np.abs(steps[:-1] - 0.02).max() < 0.002
    assert np.abs(np.hypot(places[:, 0], places[:, 2]) - 0.5).max() < 0.002
    assert stroke.samples == len(places)
    covered = next(iter(gathered(stroke, 256).values()))
    assert covered[128, 128:192].min() > 0.99  # from the front a quarter round, without a gap


def test_a_long_stroke_drops_no_sample(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    stroke = begun(load_model(tmp_path / "plane.obj"), 512, Brush(0.02, 1.0, spacing=0.15))
    turn = np.linspace(0, 2 * np.pi, 1201)  # the hand's way is cut otherwise than samples lie
    for angle in turn:
        stroke.go_to(0.95 * np.array([np.cos(angle), np.sin(angle), 0.0]), np.array([0.0, 0.0, 1.0]))
    stroke.end()
    assert stroke.samples == pytest.approx(2 * np.pi * 0.95 / (0.15 * 0.02), abs=2)  # about 1 990
    y, x = np.mgrid[0:512, 0:512] * 2 / 512 - 1 + 1 / 512
    ring = np.abs(np.hypot(x, y) - 0.95) < 0.014
    assert next(iter(gathered(stroke, 512).values()))[ring].min() > 0.99


def test_a_stroke_stays_on_its_side_and_on_allowed_faces(tmp_path: Path) -> None:
    (tmp_path / "leaf.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 -.01\nv 1 0 -.01\nv 1 1 -.01\nv 0 1 -.01\n"
        "vt 0 0\nvt .5 0\nvt .5 1\nvt 0 1\nvt .5 0\nvt 1 0\nvt 1 1\nvt .5 1\n"
        "f 1/1 2/2 3/3 4/4\nf 8/8 7/7 6/6 5/5\n"
    )
    model = load_model(tmp_path / "leaf.obj")
    stroke = begun(model, 128, Brush(0.3))
    stroke.go_to(np.array([0.5, 0.5, 0.0]), np.array([0.0, 0.0, 1.0]))
    covered = next(iter(gathered(stroke, 128).values()))
    assert covered[:, :64].max() == 1
    assert covered[:, 64:].max() == 0
    only = Stroke(Surface(model), lambda key: square(128), lambda sheet, chunk: sheet.owners(chunk), Brush(0.3),
                  np.array([True, False, False, False]))  # fmt: skip
    only.go_to(np.array([0.5, 0.5, 0.0]), np.array([0.0, 0.0, 1.0]))
    half = next(iter(gathered(only, 128).values()))
    assert 0.4 < half.sum() / covered.sum() < 0.6


def test_jobs_paint_erase_and_reveal(run_job: Runner, tmp_path: Path, plane: Path) -> None:
    save_png(tmp_path / "red.png", np.full((4, 4, 4), (255, 0, 0, 255), np.uint8))
    throw = {"mode": "throw", "point": [0, 0, 0], "normal": [0, 0, 1], "width": 2, "depth": 1}
    line = {"do": "stroke", "layer": "Paint", "points": [[-0.5, 0.5, 0, 1], [0.5, 0.5, 0, 1]], "radius": 0.2,
            "hardness": 0.9, "values": {"colour": "#0000ff", "roughness": 0.25}, "mirror": "y"}  # fmt: skip
    job = {"job": 1, "model": plane.name, "sheet_size": 256, "exports": [{"preset": "separate", "out": "maps"}], "steps": [
        {"do": "wash", "values": {"colour": "#ffffff", "roughness": 1.0}},
        {"do": "brushwork", "name": "Paint"}, line,
        {"do": "stroke", "layer": "Paint", "points": [[0, 0.5, 0]], "radius": 0.1, "erase": True},
        {"do": "decal", "name": "Crest", "picture": "red.png", "place": throw},
        {"do": "stroke", "layer": "Crest", "points": [[0, 0, 0]], "radius": 0.1, "hardness": 1, "on": "mask"},
    ]}  # fmt: skip
    done = run_job(job)
    assert done.returncode == 0, done.stderr
    colour = read_png(tmp_path / "maps" / "job_paint_baseColor.png")
    assert colour[64, 70].tolist() == [0, 0, 255]
    assert colour[192, 70].tolist() == [0, 0, 255]  # its mirror image
    assert colour[64, 128].tolist() == [255, 255, 255]  # erased again
    assert colour[128, 128].tolist() == [255, 0, 0]  # the crest, where it was revealed
    assert colour[128, 150].tolist() == [255, 255, 255]
    rough = read_png(tmp_path / "maps" / "job_paint_roughness.png")
    assert rough[64, 70, 0] == 64
    for change, words in (({"radius": 0}, "radius"), ({"layer": "Nobody"}, "Nobody"), ({"values": {}}, "values"),
                          ({"points": [[9, 9, 9]]}, "no point of the surface"), ({"tip": "gone.png"}, "splatter"), ({"flow": 3}, "flow runs"),
                          ({"ground": "sheet"}, "leave 'ground' out")):  # fmt: skip
        job["steps"][2] = {**line, **change}
        refused = run_job(job)
        assert refused.returncode == 2
        assert words in refused.stderr


def test_painting_goes_on_when_a_sheet_has_another_size_by_then(plane: Path) -> None:
    studio = Studio.new(plane, sheet_size=128)
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    layer = studio.project.layers[-1].id

    def dab(x: float) -> None:
        stroke = easel.begin_stroke(studio, Brush(0.2, 1.0))
        stroke.go_to(np.array([x, 0.0, 0.0]), np.array([0.0, 0.0, 1.0]))
        easel.paint_on_layer(studio, layer, stroke, {"colour": "#ff0000"})

    dab(-0.5)
    key = str(studio.surface.keys[0])
    studio.execute(SetSheetSize(square(256), key))
    dab(0.5)
    content = studio.project.layer(layer).content
    assert isinstance(content, Brushwork)
    assert content.sheets[key].size == square(256)
    sheet = studio.surface.sheet(studio.surface.keys[0], square(256))
    chunk = next(iter(sheet.chunks_of(np.ones(2, np.bool_))))
    painted = studio.project.layer(layer)
    stamp = row_of(painted).stamp(studio.sources, studio.project, painted, "colour", sheet, chunk)
    assert stamp is not None and stamp.alpha is not None
    for column in (64, 192):
        assert stamp.alpha[128, column] > 65000
    area = stamp.alpha.sum() / 65535 * (2 / 256) ** 2
    assert area == pytest.approx(2 * np.pi * 0.04, rel=0.06)


@pytest.mark.parametrize("on_mask", [False, True])
def test_a_stroke_that_goes_on_paints_a_sheet_of_another_size_too(plane: Path, on_mask: bool) -> None:
    studio = Studio.new(plane, sheet_size=64)
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    layer, key = studio.project.layers[-1].id, str(studio.surface.keys[0])

    def drawn(x: float) -> None:
        """Two pieces of one stroke, as the window puts them on."""
        if on_mask:
            easel.painted_mask(studio, layer)
        easel.bring_to_size(studio, layer)
        stroke, began = easel.begin_stroke(studio, Brush(0.2, 1.0)), studio.project
        studio.history.seal()
        for y in (0.0, 0.1):
            stroke.go_to(np.array([x, y, 0.0]), np.array([0.0, 0.0, 1.0]))
            if on_mask:
                easel.paint_on_mask(studio, layer, stroke.take_fresh(), 1.0, began)
            else:
                easel.paint_on_layer(studio, layer, stroke.take_fresh(), {"colour": "#ff0000"}, began)

    drawn(-0.5)
    studio.execute(SetSheetSize(square(128), key))
    drawn(0.5)
    now = studio.project.layer(layer)
    if on_mask:
        assert now.mask is not None
        sheets = studio.project.masks[now.mask].entries[0].shape.sheets
    else:
        sheets = now.content.sheets
    assert sheets[key].size == square(128)
    rgba = draw_painted(
        sheets[key], MASK if on_mask else "colour", square(128), Chunk(0, 0), studio.blobs, studio.sources.kept
    )
    assert rgba is not None
    assert (rgba[64, [32, 96], 3] > 65000).all()
    before = studio.history.at
    easel.bring_to_size(studio, layer)
    assert studio.history.at == before  # where all is so already nothing changes


def test_a_painted_mask_stays_on_the_surface_when_its_island_is_moved(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=128)
    studio.execute(AddLayer("Wear", Wash(), {"colour": Channel("#663311")}))
    layer = studio.project.layers[-1].id
    stroke = easel.begin_stroke(studio, Brush(0.3, 1.0))
    stroke.go_to(np.array([0.5, 1.5, 0.0]), np.array([0.0, 0.0, 1.0]))
    easel.paint_on_mask(studio, layer, stroke, 1.0)

    def shown(x: float, y: float) -> int:
        """Of the mask, at a point of the left board."""
        hit = pick(studio.model, np.array([x, y, 1.0]), np.array([0.0, 0.0, -1.0]))
        mask = studio.project.layer(layer).mask
        sheet = studio.surface.sheet(studio.surface.keys[0], square(128))
        found = mask_values(studio.sources, studio.project, mask, sheet, Rect(0, 128, 0, 128))
        assert hit is not None and found is not None
        return int(found[int((1 - hit.uv[1]) * 128), int(hit.uv[0] * 128)])

    for stay, there in ((False, 0), (True, 65535)):
        assert shown(0.5, 1.5) == 65535 and shown(0.5, 0.5) == 0
        at = studio.history.at
        # The left island smaller, in its lower half.
        studio.lay_out(Transform(scale=(0.5, 0.5), move=(-0.1, -0.24)), studio.model.part == 0, stay)
        assert shown(0.5, 1.5) == there
        studio.jump(at)


def test_revealing_more_later_goes_on_with_the_same_mask(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane, sheet_size=128)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((4, 4, 4), 255, np.uint8)))
    place = Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 2.0, 2.0)
    studio.execute(AddLayer("Crest", Decal(picture, place), {"colour": Channel("picture")}))
    layer = studio.project.layers[-1].id
    for x, value in ((-0.5, 1.0), (0.5, 1.0), (-0.5, 0.0)):
        stroke = easel.begin_stroke(studio, Brush(0.2, 1.0))
        before = studio.project
        stroke.go_to(np.array([x, 0.0, 0.0]), np.array([0.0, 0.0, 1.0]))
        mask, _ = easel.painted_mask(studio, layer)
        began = studio.project
        easel.paint_on_mask(studio, layer, stroke, value, began)
        stroke.go_to(np.array([x, 0.1, 0.0]), np.array([0.0, 0.0, 1.0]))
        easel.paint_on_mask(studio, layer, stroke, value, began)
        studio.history.seal()
        assert studio.project is not before
    assert len(studio.project.masks[mask].entries) == 1
    from lucky_fern.core.compositing.masks import mask_values
    from lucky_fern.core.sheets.region import Rect

    sheet = studio.surface.sheet(studio.surface.keys[0], square(128))
    shown = mask_values(studio.sources, studio.project, mask, sheet, Rect(0, 128, 0, 128))
    assert shown is not None
    assert shown[64, 32] == 0
    assert shown[64, 96] == 65535
    assert studio.history.undo_label == "Brush stroke"
