"""Stripes, lenses, pulled pictures and figures: against direct computation at every texel."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.figure import FORMS, Figure, figure_svg
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.pictures.pyramid import build_pyramid, premultiplied
from lucky_fern.core.placing.along import Stripe, draw_stripe, run_along, stripe_chunks
from lucky_fern.core.placing.copies import mirror_twin
from lucky_fern.core.placing.facts import stripe_facts
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.placing.warp import reach_of, warped
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Decal, Project
from lucky_fern.core.project.places import Along, Throw, Warp
from lucky_fern.core.sheets.grid import span, square
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from round_models import NOISE, drawn, tube
from samples import PLANE, Runner, read_png

UP = (0.0, 0.0, 1.0)


def striped(model: Model, stripe: Stripe, picture: Picture, size: int = 256) -> np.ndarray:
    """The first sheet, straight RGBA 0…255."""
    surface = Surface(model)
    sheet = surface.sheet(surface.keys[0], square(size))
    out = np.zeros((size, size, 4))
    pyramid = build_pyramid(picture, "colour")
    for chunk in stripe_chunks(stripe, sheet):
        out[span(chunk, square(size))] = draw_stripe(stripe, sheet, chunk, pyramid, False, True, False) / 257
    return out


def positions(model: Model, size: int) -> np.ndarray:
    """(size, size, 3) where the texels of the first sheet lie; NaN outside."""
    surface = Surface(model)
    sheet = surface.sheet(surface.keys[0], square(size))
    out = np.full((size, size, 3), np.nan)
    for row in range(sheet.size.across):
        for column in range(sheet.size.across):
            chunk = type(next(iter(sheet.chunks_of(np.ones(len(sheet.triangle), np.bool_)))))(row, column)
            points = sheet.surface_points(chunk)
            out[span(chunk, square(size))] = np.where(points.triangle[..., None] >= 0, points.position, np.nan)
    return out


WHITE = Picture("white", np.full((4, 4, 4), 255, np.uint8), True)


@settings(max_examples=12, deadline=None)
@given(data=st.data(), width=st.floats(0.05, 0.3), corner=st.sampled_from([0.0, 0.2]), smooth=st.booleans())
def test_a_stripe_is_what_lies_within_half_its_width_of_the_path(
    tmp_path_factory: pytest.TempPathFactory, data: st.DataObject, width: float, corner: float, smooth: bool
) -> None:
    path = tmp_path_factory.mktemp("plane") / "plane.obj"
    path.write_text(PLANE)
    model = load_model(path)
    place_of = st.tuples(st.floats(-0.9, 0.9), st.floats(-0.9, 0.9), st.just(0.0))
    picked = data.draw(
        st.lists(place_of, min_size=2, max_size=5, unique_by=lambda p: (round(p[0], 1), round(p[1], 1)))
    )
    place = Along(tuple(picked), (UP,) * len(picked), width, corner=corner, smooth=smooth, whole=True)
    stripe = run_along(model, place, 1.0)
    assert stripe.lost == 0
    got = striped(model, stripe, WHITE)[..., 3] / 255
    # Every texel's distance to every segment; ends are cut straight.
    a, b = stripe.path.points[:-1, :2], stripe.path.points[1:, :2]
    texel = positions(model, 256)[..., :2]
    step = b - a
    far = np.einsum("rcnd,nd->rcn", texel[:, :, None] - a, step) / (step**2).sum(axis=1)
    gap = texel[:, :, None] - a - np.clip(far, 0, 1)[..., None] * step
    distance = np.linalg.norm(gap, axis=3)
    nearest = distance.argmin(axis=2)
    least = distance.min(axis=2)
    where = np.take_along_axis(far, nearest[..., None], 2)[..., 0]
    texel_width = 2 / 256
    along = stripe.path.along[nearest] + where * np.linalg.norm(step, axis=1)[nearest]
    sure = (least < width / 2 - texel_width) & (along > texel_width) & (along < stripe.path.length - texel_width)
    none = least > width / 2 + texel_width
    assert got[sure].min(initial=1) > 0.99
    assert got[none].max(initial=0) == 0
    if corner == 0 and not smooth:
        for point in picked[1:-1]:
            assert np.abs(stripe.path.points - np.array(point)).sum(axis=1).min() < width / 6 + 1e-9


def test_a_stripe_round_a_tube_has_one_width_and_meets_itself(tmp_path: Path) -> None:
    model = tube(tmp_path)
    angles = np.radians([10, 100, 190, 280])
    points = tuple((0.5 * float(np.sin(a)), 1.0, 0.5 * float(np.cos(a))) for a in angles)
    normals = tuple((float(np.sin(a)), 0.0, float(np.cos(a))) for a in angles)
    place = Along(points, normals, 0.3, closed=True, length=0.2)
    stripe = run_along(model, place, 0.2)
    assert stripe.path.length == pytest.approx(np.pi, rel=2e-3)
    assert stripe.repeats == 16  # a whole number of them
    got = striped(model, stripe, WHITE, 512)[..., 3] / 255
    tall = got.sum(axis=0) * 2.0 / 512  # the sheet is 2 high
    assert np.abs(tall - 0.3).max() < 0.01
    # A picture with one bright end shows as many bright ends as it is repeated, all alike.
    ramp = np.zeros((4, 64, 4), np.uint8)
    ramp[..., :3], ramp[..., 3] = np.linspace(0, 255, 64).astype(np.uint8)[None, :, None], 255
    line = striped(model, stripe, Picture("ramp", ramp, True), 512)[256, :, 0]
    falls = np.flatnonzero((line[:-1] > 128) & (line[1:] <= 128))
    assert len(falls) == 16
    assert np.abs(np.diff(falls) - 32).max() <= 1


def test_a_stripe_does_not_reach_the_back_and_a_twin_reads_the_same_way(tmp_path: Path) -> None:
    block = tmp_path / "block.obj"
    block.write_text(
        "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 -.02\nv 1 0 -.02\nv 1 1 -.02\nv 0 1 -.02\n"
        "vt 0 0\nvt .5 0\nvt .5 1\nvt 0 1\nvt .5 0\nvt 1 0\nvt 1 1\nvt .5 1\n"
        "f 1/1 2/2 3/3 4/4\nf 8/8 7/7 6/6 5/5\n"
    )
    model = load_model(block)
    place = Along(((0.2, 0.5, 0.0), (0.8, 0.5, 0.0)), (UP, UP), 0.2, whole=True)
    got = striped(model, run_along(model, place, 1.0), WHITE)[..., 3]
    assert got[:, :128].max() == 255
    assert got[:, 128:].max() == 0
    ramp = np.zeros((8, 64, 4), np.uint8)
    ramp[..., 0], ramp[..., 1], ramp[..., 3] = np.linspace(0, 255, 64)[None], np.linspace(0, 255, 8)[:, None], 255
    twin = mirror_twin(place, "x", 0.5)
    assert isinstance(twin, Along)
    first, second = (striped(model, run_along(model, one, 1.0), Picture("r", ramp, True)) for one in (place, twin))
    assert np.abs(first - second).max() <= 1


@settings(max_examples=8, deadline=None)
@given(distance=st.floats(1.5, 6), turn=st.floats(-40, 40), x=st.floats(-0.2, 0.2), y=st.floats(0.7, 1.3))
def test_a_picture_through_a_lens_is_what_rays_from_the_lens_paint(
    tmp_path_factory: pytest.TempPathFactory, distance: float, turn: float, x: float, y: float
) -> None:
    model = tube(tmp_path_factory.mktemp("tube"))
    place = Throw((x, y, 0.5), (0.3, 0.1, 1.0), (0.0, 1.0, 0.0), 0.7, depth=2.0, rotate=turn, lens=distance)
    height = 0.7 * 96 / 160
    got = drawn(model, throw(model, place, height))
    # Straight from the definition: the ray from the lens through each texel meets the picture's plane.
    towards = np.array(place.normal) / np.linalg.norm(place.normal)
    up = np.array([0.0, 1, 0]) - towards * towards[1]
    up /= np.linalg.norm(up)
    right = np.cross(up, towards)
    angle = np.radians(turn)
    right, up = np.cos(angle) * right + np.sin(angle) * up, np.cos(angle) * up - np.sin(angle) * right
    eye = np.array(place.point) + towards * distance
    texel = positions(model, 512)
    ray = texel - eye
    share = -distance / (ray @ towards)
    s = 0.5 + share * (ray @ right) / 0.7
    t = 0.5 - share * (ray @ up) / height
    outwards = texel * (1, 0, 1) / 0.5
    seen = (outwards * -ray).sum(axis=2) > 0.1 * np.linalg.norm(
        ray, axis=2
    )  # a tube hides nothing that faces the lens
    inside = seen & (s > 0.03) & (s < 0.97) & (t > 0.04) & (t < 0.96)
    assert inside.sum() > 500
    expected = cv2.remap(
        premultiplied(NOISE.rgba, "data"), (s * 160 - 0.5).astype(np.float32), (t * 96 - 0.5).astype(np.float32),
        cv2.INTER_LINEAR,
    )  # fmt: skip
    assert np.abs(got[..., :3] - expected[..., :3] * 255)[inside].mean() < 1.0
    outside = (s < -0.02) | (s > 1.02) | (t < -0.02) | (t > 1.02)
    assert got[..., 3][outside].max() == 0


def test_a_lens_throws_shadows_and_a_fade_softens_them_out(tmp_path: Path) -> None:
    scene = tmp_path / "scene.obj"
    scene.write_text(
        "v -2 -2 0\nv 2 -2 0\nv 2 2 0\nv -2 2 0\nv -.2 -.2 1\nv .2 -.2 1\nv .2 .2 1\nv -.2 .2 1\n"
        "vt 0 0\nvt .5 0\nvt .5 .5\nvt 0 .5\nvt .6 .6\nvt .9 .6\nvt .9 .9\nvt .6 .9\n"
        "f 1/1 2/2 3/3 4/4\nf 5/5 6/6 7/7 8/8\n"
    )
    model = load_model(scene)
    place = Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 3.0, 3.0, depth=1.5, lens=2.0)
    alpha = drawn(model, throw(model, place, 3.0))[..., 3]
    # The small board stands half-way to the lens: its shadow is twice as large as itself.
    wall = positions(model, 512)
    shadow = (np.abs(wall[..., :2]) < 0.39).all(axis=2) & (np.abs(wall[..., 2]) < 0.1)
    lit = ((np.abs(wall[..., :2]) > 0.41).any(axis=2) & (np.abs(wall[..., :2]) < 1.4).all(axis=2)
           & (np.abs(wall[..., 2]) < 0.1))  # fmt: skip
    assert alpha[shadow].max() == 0
    assert alpha[lit].min() == 255
    round_ = tube(tmp_path)
    faded = Throw((0, 1, 0.5), UP, (0, 1, 0), 0.98, 1.0, depth=2.0, angle_limit=80, fade=40)
    row = drawn(round_, throw(round_, faded, 1.0))[256, :, 3] / 255
    angle = np.abs((np.arange(512) + 0.5) / 512 * 360 - 180)
    expected = np.clip((80 - angle) / 40, 0, 1)
    inside = angle < 75
    assert np.abs(row - expected)[inside].max() < 0.02


def test_what_the_eye_sees_is_the_picture_itself_across_seams_too(tmp_path: Path) -> None:
    """Rays from an eye that looks at a tube's seam: the texture there against the picture itself, no texture between."""
    model = tube(tmp_path)
    surface = Surface(model)
    sheet = surface.sheet(surface.keys[0], square(512))
    place = Throw((0.0, 1.0, -0.5), (0.0, 0.0, -1.0), (0.0, 1.0, 0.0), 0.6, depth=1.0)
    height = 0.6 * 96 / 160
    texture = (drawn(model, throw(model, place, height)) / 255).astype(np.float32)
    texture[..., :3] *= texture[..., 3:]
    # One pixel a texel at the seam: 512 texels are π units round.
    step = np.pi / 512
    across, down = np.meshgrid(np.arange(-45, 46) * step, np.arange(-25, 26) * step)
    got, expected = [], []
    light = premultiplied(NOISE.rgba, "data")
    padded = sheet.padding
    flat = texture.copy()
    padded.fill(flat)
    for x, y in zip(across.ravel(), down.ravel(), strict=True):
        hit = pick(model, np.array([x, 1.0 + y, -3.0]), np.array([0.0, 0.0, 1.0]))
        assert hit is not None
        u, v = hit.uv[0] * 512 - 0.5, (1 - hit.uv[1]) * 512 - 0.5
        got.append(_bilinear(flat, u, v))
        # Seen from behind, what is right is towards −x.
        expected.append(_bilinear(light, (0.5 - x / 0.6) * 160 - 0.5, (0.5 - y / height) * 96 - 0.5))
    difference = np.abs(np.array(got) - np.array(expected))[:, :3] * 255
    assert difference.mean() <= 2
    at_seam = (np.abs(across) < 3 * step).ravel()
    assert difference[at_seam].mean() <= 2
    assert difference.max() < 30


def _bilinear(pixels: np.ndarray, x: float, y: float) -> np.ndarray:
    return cv2.getRectSubPix(pixels[..., :3], (1, 1), (float(x), float(y)))[0, 0]


def test_pulled_pictures_follow_their_points() -> None:
    picture = premultiplied(NOISE.rgba, "colour")
    for untouched in (Warp(), Warp(3, 3, tuple((c / 2, r / 2) for r in range(3) for c in range(3)))):
        assert reach_of(untouched) == pytest.approx(1.0)
        assert np.abs(warped(picture, untouched) - picture)[2:-2, 2:-2].max() < 1e-3
    fit = Warp(2, 2, ((0.1, 0.0), (0.9, 0.2), (-0.3, 1.0), (1.2, 1.1)))
    reach = reach_of(fit)
    assert reach == pytest.approx(1.6)
    made = warped(picture, fit)
    # A straight line of the picture stays straight: its middle lies where the diagonals cross.
    matrix = cv2.getPerspectiveTransform(
        np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32), np.array(fit.points, np.float32)
    )
    for s, t in ((0.5, 0.5), (0.25, 0.75), (0.8, 0.4)):
        x, y, w = matrix @ [s, t, 1]
        at = ((np.array([x, y]) / w - 0.5) / reach + 0.5) * made.shape[1::-1]
        want = cv2.getRectSubPix(picture[..., :3], (1, 1), (s * 160 - 0.5, t * 96 - 0.5))[0, 0]
        got = cv2.getRectSubPix(made[..., :3], (1, 1), (float(at[0] - 0.5), float(at[1] - 0.5)))[0, 0]
        assert np.abs(got - want).max() < 0.02
    moved = [(c / 2, r / 2) for r in range(3) for c in range(3)]
    moved[4] = (0.6, 0.45)
    bent = warped(picture, Warp(3, 3, tuple(moved)))
    got = cv2.getRectSubPix(bent[..., :3], (1, 1), (0.6 * 160 - 0.5, 0.45 * 96 - 0.5))[0, 0]
    assert np.abs(got - picture[47:49, 79:81, :3].mean(axis=(0, 1))).max() < 0.02


def test_figures_are_drawn_as_they_say() -> None:
    for form in FORMS:
        picture = read_picture(figure_svg(Figure(form, wide=2.0, colour="#ff0000", second=None, count=4)), "f.svg")
        assert picture.rgba[..., 3].max() == 255
    bars = Figure("bars", wide=4.0, colour="#000000", second="#ffcc00", count=4, slant=45, thick=0.5)
    rgba = read_picture(figure_svg(bars), "f.svg").rgba
    assert rgba[..., 3].min() == 255
    assert rgba[..., 0].mean() == pytest.approx(127.5, abs=2)
    assert np.abs(rgba[:, 0].astype(int) - rgba[:, -1]).mean() < 4  # it meets itself
    disc = read_picture(figure_svg(Figure("ellipse", wide=1.0)), "f.svg").rgba[..., 3] / 255
    assert disc.mean() == pytest.approx(np.pi / 4, abs=0.002)
    with pytest.raises(PictureError, match="three sides"):
        figure_svg(Figure("polygon", count=2))


def test_jobs_run_stripes_with_figures_and_refuse_what_cannot_be(
    run_job: Runner, tmp_path: Path, plane: Path
) -> None:
    stripe = {"mode": "along", "points": [[-1, 0, 0], [1, 0, 0]], "normals": [[0, 0, 1], [0, 0, 1]], "width": 0.5}
    step = {"do": "decal", "figure": {"form": "lines", "colour": "#00ff00", "count": 2, "thick": 0.5, "wide": 4},
            "place": stripe, "name": "Band"}  # fmt: skip
    job = {"job": 1, "model": plane.name, "sheet_size": 256, "steps": [
        {"do": "wash", "values": {"colour": "#000000"}}, step], "save": "p.fern",
        "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
    done = run_job(job, "job", "--json")
    assert done.returncode == 0, done.stderr
    files = json.loads(done.stdout.splitlines()[-1])["files"]
    green = read_png(tmp_path / next(name for name in files if "baseColor" in name))[:, 128, 1]
    # 64 texels across: two lines of a quarter each at its edges, half of it free between them.
    assert np.flatnonzero(green > 128).tolist() == [*range(96, 112), *range(144, 160)]
    assert isinstance(Studio.open(tmp_path / "p.fern").project.layers[-1].content.place, Along)
    for change, words in (({"normals": [[0, 0, 1]]}, "a normal for each"), ({"width": 0}, "above 0"),
                          ({"warp": None}, "unknown key")):  # fmt: skip
        job["steps"][1] = {**step, "place": {**stripe, **change}}
        refused = run_job(job)
        assert refused.returncode == 2
        assert words in refused.stderr


def test_what_one_must_know_about_a_stripe(plane: Path) -> None:
    studio = Studio.new(plane, sheet_size=64)
    for width, words in ((0.05, "edges will be rough"), (0.5, "2 units long, 16 texels across.")):
        place = Along(((-1, 0, 0), (1, 0, 0)), (UP, UP), width)
        stripe = studio.sources.stripe(place, 1.0, None)
        facts = stripe_facts(studio.surface, Project("p", sheet_size=square(64)), place, stripe)
        assert words in " ".join(fact.sentence for fact in facts)
    off = Along(((-1, 0, 0), (3, 0, 0)), (UP, UP), 0.2)
    facts = stripe_facts(studio.surface, studio.project, off, studio.sources.stripe(off, 1.0, None))
    assert any("finds no surface" in fact.sentence and fact.worry for fact in facts)
    picture = studio.keep_figure(Figure())
    with pytest.raises(CommandError, match="corners of a warp"):
        bad = Throw((0, 0, 0), UP, (0, 1, 0), 1.0, warp=Warp(2, 2, ((0, 0), (1, 0), (1, 1), (0, 1))))
        studio.execute(AddLayer("x", Decal(picture, bad), {"colour": Channel("picture")}))
