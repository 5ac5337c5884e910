"""Brushes round on the screen, squeezed, leaning, of many hues; only what is seen; the nearest surface."""

from __future__ import annotations

import colorsys
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates

from lucky_fern.core import easel, taking
from lucky_fern.core.colour import turned_hue
from lucky_fern.core.errors import CommandError
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.painting.brush import Brush, Pen
from lucky_fern.core.painting.paint import Plain
from lucky_fern.core.painting.seen import Seen
from lucky_fern.core.painting.stroke import Stroke
from lucky_fern.core.painting.symmetry import Symmetry, symmetry_lines, ways_of
from lucky_fern.core.painting.tips import tip_of
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Brushwork
from lucky_fern.core.project.layouts import Transform
from lucky_fern.core.sheets.grid import Chunk, square
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from round_models import tube
from samples import PLANE, Runner, read_png

SIZE = 200


def eye_at(place: tuple[float, float, float], target: tuple[float, float, float], parallel: bool) -> Eye:
    back = np.subtract(place, target)
    distance = float(np.linalg.norm(back))
    back = back / distance
    right = np.cross([0.0, 1.0, 0.0], back)
    right /= np.linalg.norm(right)
    return Eye(np.stack([right, np.cross(back, right), back]), np.array(target), distance, 1.0, parallel)


def begun(model: Model, brush: Brush, eye: Eye | None = None) -> Stroke:
    return Stroke(Surface(model), lambda key: square(SIZE), lambda sheet, chunk: sheet.owners(chunk), brush, eye=eye)


def only(stroke: Stroke) -> np.ndarray:
    """Coverage of the first sheet."""
    found = np.zeros((SIZE, SIZE))
    for covered in stroke.coverage.values():
        found[:] = covered
    return found


@pytest.mark.parametrize("parallel", [True, False])
def test_a_brush_round_on_the_screen_covers_what_is_near_there(tmp_path: Path, parallel: bool) -> None:
    model = tube(tmp_path, sides=24, rings=4)
    eye = eye_at((1.2, 2.0, 2.2), (0.0, 1.0, 0.0), parallel)
    brush = Brush(0.3, 0.2, ground="screen")
    stroke = begun(model, brush, eye)
    where = np.array([0.25, 1.2, 0.4])
    stroke.go_to(where, np.array([0.0, 0.0, 1.0]))
    sheet = stroke.surface.sheet(stroke.surface.keys[0], square(SIZE))
    at = sheet.surface_points(Chunk(0, 0))

    def on_screen(points: np.ndarray) -> np.ndarray:
        x, y, z = np.moveaxis((points - eye.target) @ eye.axes.T, -1, 0)
        scale = 1.0 if parallel else eye.distance / (eye.distance - z)
        return np.stack([x * scale, y * scale], axis=-1)

    far = np.linalg.norm(on_screen(at.position) - on_screen(where), axis=-1) / 0.3
    towards = eye.axes[2] if parallel else eye.place - at.position
    faces = (at.normal * towards).sum(axis=-1) > 0
    f = np.clip((far - 0.2) / 0.8, 0, 1)
    expected = np.where((at.triangle >= 0) & faces & (far < 1), 1 - f * f * (3 - 2 * f), 0)
    # Normals turn evenly over a triangle, and so does the way to the eye: only at the limb is that not the same.
    differs = np.abs(only(stroke) - expected) > 1 / 255
    assert expected.sum() > 500
    assert differs.sum() <= 0.01 * (expected > 0).sum()


@pytest.mark.parametrize("parallel", [True, False])
def test_what_is_seen_is_what_no_triangle_hides(tmp_path: Path, parallel: bool) -> None:
    model = tube(tmp_path, sides=24, rings=4)
    eye = eye_at((0.3, 3.4, 1.6), (0.0, 1.0, 0.0), parallel)  # over the rim into the open tube
    surface = Surface(model)
    sheet = surface.sheet(surface.keys[0], square(SIZE))
    seen = Seen(model, eye).texels(sheet, Chunk(0, 0))
    at = sheet.surface_points(Chunk(0, 0))
    mesh = trimesh.Trimesh(
        model.corners.reshape(-1, 3), np.arange(3 * model.triangle_count).reshape(-1, 3), process=False
    )
    rows, columns = np.nonzero(at.triangle >= 0)
    rng = np.random.default_rng(1)
    some = rng.choice(len(rows), 1500, replace=False)
    points = at.position[rows[some], columns[some]]
    way = np.broadcast_to(eye.axes[2], points.shape) if parallel else eye.place - points
    way = way / np.linalg.norm(way, axis=1, keepdims=True)
    faces = (model.face_normals[at.triangle[rows[some], columns[some]]] * way).sum(axis=1) > 0
    free = ~mesh.ray.intersects_any(points + way * 1e-4, way)
    got = seen[rows[some], columns[some]]
    assert 200 < (faces & free).sum() < 1300
    assert (got != (faces & free)).mean() < 0.005  # rays that graze an edge


def test_squeezed_and_leaning_brushes_cover_ellipses(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    model = load_model(tmp_path / "plane.obj")
    y, x = np.mgrid[SIZE:0:-1, 0:SIZE] * (2 / SIZE) - 1
    y, x = y - 1 / SIZE, x + 1 / SIZE
    for brush, pen, wide, tall, turn in (
        (Brush(0.4, 0.0, aspect=0.25, angle=30), Pen(), 0.4, 0.1, 30.0),
        (Brush(0.2, 0.0, aspect=2.0), Pen(), 0.2, 0.4, 0.0),
        (Brush(0.4, 0.0, leans=True), Pen(1.0, 0.0, 0.5), 0.4, 0.24, 90.0),
    ):
        stroke = begun(model, brush)
        stroke.go_to(np.zeros(3), np.array([0.0, 0.0, 1.0]), pen)
        angle = np.radians(turn)
        across, up = np.cos(angle) * x + np.sin(angle) * y, -np.sin(angle) * x + np.cos(angle) * y
        f = np.clip(np.hypot(across / wide, up / tall), 0, 1)
        assert np.abs(only(stroke) - (1 - f * f * (3 - 2 * f))).max() < 1e-5


def test_only_what_faces_within_the_limit_is_covered(tmp_path: Path) -> None:
    model = tube(tmp_path, sides=64, rings=1)
    stroke = begun(model, Brush(3.0, 1.0, facing=40.0))
    stroke.go_to(np.array([0.0, 1.0, 0.5]), np.array([0.0, 0.0, 1.0]))
    at = stroke.surface.sheet(stroke.surface.keys[0], square(SIZE)).surface_points(Chunk(0, 0))
    turned = np.degrees(np.arctan2(np.abs(at.position[..., 0]), at.position[..., 2]))
    covered = only(stroke) > 0.5
    assert covered[(at.triangle >= 0) & (turned < 39)].all()
    assert not covered[(at.triangle >= 0) & (turned > 41)].any()


@given(
    red=st.integers(0, 255), green=st.integers(0, 255), blue=st.integers(0, 255), degrees=st.floats(-360, 360)
)  # fmt: skip
def test_a_turned_hue_keeps_lightness_and_saturation(red: int, green: int, blue: int, degrees: float) -> None:
    colour = np.array([red, green, blue], np.float32) / 255
    h, light, s = colorsys.rgb_to_hls(*(float(v) for v in colour))
    expected = colorsys.hls_to_rgb((h + degrees / 360) % 1, light, s)
    assert np.abs(turned_hue(colour, np.array([degrees], np.float32))[0] - expected).max() < 2e-4


def test_each_touch_of_a_many_hued_brush_has_its_own_colour(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    stroke = begun(load_model(tmp_path / "plane.obj"), Brush(0.1, 1.0, spacing=3.0, hue_jitter=90.0))
    for x in (-0.9, 0.9):
        stroke.go_to(np.array([x, 0.0, 0.0]), np.array([0.0, 0.0, 1.0]))
    place = next(iter(stroke.coverage))
    tints = stroke.tints[place][SIZE // 2, [10, 40, 70, 100, 130, 160]]
    assert np.abs(tints).max() <= 90
    assert np.ptp(tints) > 30
    colours = Plain({"colour": "#cc3333", "roughness": 0.5}, stroke.tints).at(place, "colour")
    assert np.ptp(colours[SIZE // 2, [10, 40, 70, 100, 130, 160]], axis=0).max() > 0.1


@settings(max_examples=15, deadline=None)
@given(seed=st.integers(0, 9999), spread=st.floats(0.1, 4.0))
def test_the_nearest_point_is_that_of_all_triangles(
    tmp_path_factory: pytest.TempPathFactory, seed: int, spread: float
) -> None:
    model = tube(tmp_path_factory.mktemp("model"), sides=20, rings=7)
    points = np.random.default_rng(seed).normal(0, spread, (60, 3)) + (0, 1, 0)
    rows, weights = Surface(model).nearest.find(points, None)
    assert (rows >= 0).all() and (weights > -1e-9).all()
    got = np.einsum("nk,nkd->nd", weights, model.corners[rows])
    mesh = trimesh.Trimesh(
        model.corners.reshape(-1, 3), np.arange(3 * model.triangle_count).reshape(-1, 3), process=False
    )
    _, far, _ = trimesh.proximity.closest_point_naive(mesh, points)
    assert np.abs(np.linalg.norm(got - points, axis=1) - far).max() < 1e-9
    near, _ = Surface(model).nearest.find(points, None, 0.3)
    assert ((near >= 0) == (far < 0.3)).all()


def test_no_stroke_shows_its_islands_border(tmp_path: Path) -> None:
    """Across a seam values go on as they do within the island, between texels and on the first four mips."""
    tube(tmp_path, sides=64, rings=8)
    studio = Studio.new(tmp_path / "tube.obj", sheet_size=512)
    studio.lay_out(Transform(scale=(0.7, 0.7)), None, True)
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    layer = studio.project.layers[-1].id
    stroke = easel.begin_stroke(studio, Brush(0.3, 0.2))
    for angle in np.radians(np.linspace(120, 240, 9)):  # round the back, where the seam is
        normal = np.array([np.sin(angle), 0.0, np.cos(angle)])
        stroke.go_to(normal * 0.5 + (0, 1 + 0.2 * np.sin(angle), 0), normal)
    easel.paint_on_layer(studio, layer, stroke, {"colour": "#000000"})
    key = studio.surface.keys[0]
    level = taking.whole_map(studio, key, "colour")[..., 0].astype(np.float32)
    assert level.min() == 0 and level.max() == 255
    uv = studio.model.uv.reshape(-1, 2)
    (left, low), (right, high) = uv.min(axis=0), uv.max(axis=0)
    for _ in range(5):
        size = len(level)

        def read(u: np.ndarray, v: np.ndarray, level: np.ndarray = level, size: int = size) -> np.ndarray:
            return map_coordinates(level, [(1 - v) * size - 0.5, u * size - 0.5], order=1, mode="nearest")

        v = np.linspace(low + 0.02, high - 0.02, 200)
        here, there = read(np.full(200, left), v), read(np.full(200, right), v)
        step = max(float(np.abs(np.diff(level, axis=k)).max()) for k in range(2))  # between neighbours, anywhere
        assert np.ptp(here) > 100
        assert np.abs(here - there).max() <= step + 1
        level = cv2.resize(level, (size // 2, size // 2), interpolation=cv2.INTER_AREA)


def test_a_plane_of_ones_own_mirrors_and_is_drawn_where_it_is() -> None:
    normal, about = np.array([0.48, 0.6, 0.64]), np.array([1.0, -2.0, 0.5])
    symmetry = Symmetry("", 1, "y", (1.0, -2.0, 0.5), (0.48, 0.6, 0.64))
    (_, _), (turn, shift) = ways_of(symmetry)
    point = np.array([3.0, 0.2, -1.0])
    image = turn @ point + shift
    assert ((point + image) / 2 - about) @ normal == pytest.approx(0)  # half way lies on the plane
    assert np.cross(image - point, normal) == pytest.approx(np.zeros(3))  # and straight across it
    (square,) = symmetry_lines(symmetry, np.array([[-1.0, -4, -1], [3, 0, 2]]))
    assert (square - about) @ normal == pytest.approx(np.zeros(5))
    assert len(ways_of(Symmetry("xz", 3, normal=(0.0, 1.0, 0.0)))) == 2 * 2 * 2 * 3


def test_paints_of_the_kit_in_jobs(run_job: Runner, tmp_path: Path, plane: Path) -> None:
    stroke = {
        "do": "stroke",
        "layer": "Paint",
        "points": [[0, 0, 0]],
        "radius": 0.5,
        "hardness": 1.0,
        "paint": "Rust",
    }
    job = {"job": 1, "model": plane.name, "sheet_size": 64, "exports": [{"preset": "separate", "out": "maps"}], "steps": [
        {"do": "keep-paint", "name": "Rust", "values": {"colour": "#a3542c", "roughness": 0.8}},
        {"do": "brushwork", "name": "Paint"}, {**stroke, "values": {"roughness": 0.2}},
    ]}  # fmt: skip
    done = run_job(job)
    assert done.returncode == 0, done.stderr
    assert read_png(tmp_path / "maps" / "job_paint_baseColor.png")[32, 32].tolist() == [0xA3, 0x54, 0x2C]
    assert read_png(tmp_path / "maps" / "job_paint_roughness.png")[32, 32, 0] == 51  # its own value goes before
    for number, step, words in ((2, {**stroke, "paint": "Gilt"}, "Rust"),
                                (0, {"do": "keep-paint", "name": "Rust", "values": {"colour": 3}}, "colour"),
                                (0, {"do": "keep-paint", "name": "", "values": {"colour": "#ffffff"}}, "name")):  # fmt: skip
        refused = run_job({**job, "steps": [*job["steps"][:number], step, *job["steps"][number + 1 :]]})
        assert refused.returncode == 2 and words in refused.stderr


def test_a_tip_from_the_sheet_is_what_was_painted_there(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=256)
    key, rect = studio.surface.keys[0], Rect(64, 192, 64, 192)
    with pytest.raises(CommandError, match="alike"):
        taking.tip_picture(studio, None, key, rect, "colour")
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    layer = studio.project.layers[-1].id
    stroke = easel.begin_stroke(studio, Brush(0.3, 0.0))
    stroke.go_to(np.zeros(3), np.array([0.0, 0.0, 1.0]))
    easel.paint_on_layer(studio, layer, stroke, {"roughness": 0.5})
    tip = tip_of(read_picture(taking.tip_picture(studio, layer, key, rect, "colour"), "tip.png").rgba)
    y, x = np.mgrid[0:128, 0:128] * 2 / 256 - 0.5 + 1 / 256
    f = np.clip(np.hypot(x, y) / 0.3, 0, 1)
    assert np.abs(tip - (1 - f * f * (3 - 2 * f))).max() < 0.02
