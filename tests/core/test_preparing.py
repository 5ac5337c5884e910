"""Pictures made ready: each op against scenes whose truth is known."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from lucky_fern.core.arrays import Array
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.preparing.corners import proposed_corners
from lucky_fern.core.preparing.rims import find_rim
from lucky_fern.core.preparing.run import Preview, prepared
from lucky_fern.core.preparing.state import State
from lucky_fern.core.project.effects import Blur, Levels
from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.patterns import Bricks, Noise
from lucky_fern.core.project.preparations import (
    Adjust,
    Coverage,
    Crop,
    CutOut,
    Despeckle,
    EvenLight,
    FlipGreen,
    MendRim,
    Palette,
    PictureStep,
    Relief,
    Size,
    Spread,
    Straighten,
    Tile,
    Turn,
)
from lucky_fern.core.studio import Studio
from lucky_fern.demo.pictures import sign_photograph
from samples import PLANE, Runner, read_png, save_png, soft_noise

LAY = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 1.0, "height": 1.0}


def picture(rgb: Array, alpha: Array | None = None, deep: bool = False) -> Picture:
    """Encoded 0 … 255 (r, c, 3) and alpha 0 … 1 as a picture."""
    whole = np.ones(rgb.shape[:2]) if alpha is None else alpha
    rgba = np.dstack([np.clip(rgb, 0, 255) / 255, whole])
    kind, top = (np.uint16, 65535) if deep else (np.uint8, 255)
    return Picture("scene.png", (rgba * top + 0.5).astype(kind), alpha is not None)


def made(source: Picture, *ops: Op) -> State:
    return prepared(source, tuple(PictureStep(op) for op in ops))


def colours(state: State) -> Array:
    return state.rgba[..., :3].astype(np.float64) * 255 / state.top


def pattern(x: Array, y: Array) -> Array:
    """A smooth picture with a value at every point."""
    waves = [np.sin(x / 17), np.cos(y / 13), np.sin((x + y) / 23)]
    return np.stack([127 + 90 * wave for wave in waves], axis=-1)


def shapes(name: str) -> tuple[Array, tuple[float, float, float, float]]:
    """(480, 640) the share of each pixel that a subject covers, drawn four times as fine; and a rough box."""
    fine = np.zeros((480 * 4, 640 * 4), np.uint8)
    if name == "disc":
        cv2.circle(fine, (1280, 960), 620, 255, -1)
        box = (140.0, 70.0, 500.0, 410.0)
    elif name == "letters":
        cv2.putText(fine, "OBe8", (250, 1240), cv2.FONT_HERSHEY_DUPLEX, 20, 255, 90, cv2.LINE_AA)
        box = (40.0, 140.0, 610.0, 350.0)
    else:
        for spike in range(20):
            angle = spike / 20 * 2 * np.pi
            end = (int(1280 + 780 * np.cos(angle)), int(960 + 780 * np.sin(angle)))
            cv2.line(fine, (1280, 960), end, 255, 6)
        cv2.circle(fine, (1280, 960), 420, 255, -1)
        box = (110.0, 25.0, 530.0, 455.0)
    return cv2.GaussianBlur(cv2.resize(fine, (640, 480), interpolation=cv2.INTER_AREA), (0, 0), 0.7) / 255, box


def scene(alpha: Array, front: Array, back: Array, noise: float = 4.0) -> Array:
    """A subject before a background that gets lighter to the right, as a camera has it."""
    rng = np.random.default_rng(5)
    ramp = np.linspace(0, 30, alpha.shape[1])[None, :, None]
    behind = back + ramp + rng.normal(0, noise, (*alpha.shape, 3))
    return np.asarray((front + rng.normal(0, noise, (*alpha.shape, 3))) * alpha[..., None]
                      + behind * (1 - alpha[..., None]))  # fmt: skip


@pytest.mark.parametrize("name", ["disc", "letters", "spikes"])
@pytest.mark.parametrize("front, back", [((200, 60, 40), (90, 110, 90)), ((30, 30, 30), (200, 205, 210))])
def test_a_subject_is_cut_out_with_its_soft_edge_and_without_the_backgrounds_colour(
    name: str, front: tuple[int, ...], back: tuple[int, ...]
) -> None:
    alpha, box = shapes(name)
    found = made(picture(scene(alpha, np.array(front), np.array(back))), CutOut(box))
    share = found.rgba[..., 3] / 255
    assert np.minimum(share, alpha).sum() / np.maximum(share, alpha).sum() > 0.97
    seen = share > 0.2
    assert np.abs(colours(found)[seen] - front).mean() < 8
    assert np.percentile(np.abs(colours(found)[seen & (share < 0.9)] - front), 90) < 40


def test_a_colour_is_taken_out_and_strokes_keep_and_drop() -> None:
    alpha, _ = shapes("letters")
    flat = picture(scene(alpha, np.array([40, 60, 200]), np.array([30, 220, 40]), 0))
    found = made(flat, CutOut(colour="#2deb37", tolerance=0.15)).rgba[..., 3] / 255
    assert np.minimum(found, alpha).sum() / np.maximum(found, alpha).sum() > 0.98
    two = np.zeros((200, 400))
    two[60:140, 60:140] = two[60:140, 260:340] = 1
    photo = picture(scene(two, np.array([200, 60, 40]), np.array([90, 110, 90])))
    both = made(photo, CutOut((30, 30, 370, 170))).rgba[..., 3]
    one = made(photo, CutOut((30, 30, 370, 170), drop=tuple((x, y) for x in range(262, 340, 6) for y in range(
        62, 140, 6)), radius=8)).rgba[..., 3]  # fmt: skip
    assert both[100, 100] == both[100, 300] == 255
    assert one[100, 100] == 255 and one[70:130, 270:330].max() == 0
    with pytest.raises(PictureError, match=r"op 1 \(cut-out\): nothing"):
        made(picture(np.full((60, 60, 3), 90.0)), CutOut(colour="#5a5a5a"))


@pytest.mark.parametrize("corners", [((130, 90), (900, 40), (960, 700), (60, 620)),
                                     ((60, 620), (130, 90), (900, 40), (960, 700))])  # fmt: skip
def test_perspective_is_taken_out(corners: tuple[tuple[float, float], ...]) -> None:
    wide, high = 400, 300
    forward = cv2.getPerspectiveTransform(
        np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32), np.array(corners, np.float32)
    )
    x, y = np.meshgrid(np.arange(1024) + 0.5, np.arange(768) + 0.5)
    home = np.linalg.inv(forward) @ np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    u, v = (home[at] / home[2] for at in (0, 1))
    inside = (u > -2) & (u < wide + 2) & (v > -2) & (v < high + 2)
    photo = np.where(inside[:, None], pattern(u, v), 30).reshape(768, 1024, 3)
    found = made(picture(photo), Straighten(corners, (wide, high)))  # type: ignore[arg-type]  # four of them
    x, y = np.meshgrid(np.arange(wide) + 0.5, np.arange(high) + 0.5)
    assert np.abs(colours(found) - pattern(x, y))[3:-3, 3:-3].max() <= 3  # at its border it mixes with what is beyond
    assert np.abs(colours(found) - pattern(x, y)).mean() < 1
    proposed = proposed_corners(picture(photo).rgba)
    assert proposed is not None
    rim = np.array([[[-2, -2], [wide + 2, -2], [wide + 2, high + 2], [-2, high + 2]]], np.float32)  # drawn so far
    drawn = cv2.perspectiveTransform(rim, forward)[0]
    least = int(drawn.sum(axis=1).argmin())
    assert np.abs(np.array(proposed) - np.roll(drawn, -least, axis=0)).max() < 2


def test_the_corners_of_a_round_cornered_sign_are_proposed_where_its_sides_meet() -> None:
    photo = sign_photograph()
    proposed = proposed_corners(picture(photo[..., :3].astype(np.float64)).rgba)
    assert proposed is not None
    assert np.abs(np.array(proposed) - [(300, 210), (1330, 330), (1275, 905), (250, 860)]).max() < 3


def test_a_smaller_picture_has_the_mean_of_what_each_pixel_covers_as_light() -> None:
    rng = np.random.default_rng(1)
    rgb, alpha = rng.uniform(0, 255, (60, 90, 3)).round(), rng.uniform(0, 1, (60, 90))
    found = made(picture(rgb, alpha), Size((30, 20)))
    share = (alpha * 255 + 0.5).astype(np.uint8) / 255
    light = decode_srgb(rgb / 255) * share[..., None]
    cells = [one.reshape(20, 3, 30, 3, -1).mean(axis=(1, 3)) for one in (light, share[..., None])]
    truth = encode_srgb(cells[0] / cells[1]) * 255
    assert np.abs(colours(found) - truth).max() <= 1.0
    assert np.abs(found.rgba[..., 3] / 255 - cells[1][..., 0]).max() <= 1 / 255


@given(st.integers(1, 40), st.integers(1, 40), st.integers(-4, 4), st.booleans())
@settings(max_examples=30, deadline=None)
def test_quarter_turns_and_crops_are_exact(rows: int, columns: int, quarters: int, mirror: bool) -> None:
    rgb = np.random.default_rng(rows * 41 + columns).integers(0, 256, (rows, columns, 3)).astype(float)
    turned = made(picture(rgb), Turn(90.0 * quarters, mirror))
    truth = np.rot90(rgb[:, ::-1] if mirror else rgb, quarters)
    assert (turned.rgba[..., :3] == truth).all()
    cut = made(picture(rgb), Crop((columns // 3, rows // 4, columns + 5, rows)))
    assert (cut.rgba[..., :3] == rgb[rows // 4 :, columns // 3 :]).all()


@pytest.mark.parametrize("colour", ["#ffffff", "#000000", "#3050d0"])
def test_a_rim_is_found_and_mended_from_inside(colour: str) -> None:
    y, x = np.mgrid[:200, :260]
    distance = 80 - np.hypot(x - 130, y - 100)
    alpha = np.clip(distance + 0.5, 0, 1)
    inner = pattern(x * 2.0, y * 2.0)
    rim = np.array([int(colour[at : at + 2], 16) for at in (1, 3, 5)])
    mixed = np.clip(1 - distance / 2.5, 0, 1)[..., None]
    bad = picture(inner * (1 - mixed) + rim * mixed, alpha)
    clean = picture(inner, alpha)
    found = find_rim(bad.rgba)
    assert found is not None and found.share > 0.6
    assert max(abs(int(found.colour[at : at + 2], 16) - rim[at // 2]) for at in (1, 3, 5)) < 50
    assert find_rim(clean.rgba) is None
    mended = made(bad, MendRim())
    edge = (distance > 0) & (distance < 3)
    before = np.abs(bad.rgba[edge, :3].astype(float) - clean.rgba[edge, :3]).mean()
    after = np.abs(mended.rgba[edge, :3].astype(float) - clean.rgba[edge, :3]).mean()
    assert after < 0.25 * before and after < 25
    assert (mended.rgba[..., 3] == bad.rgba[..., 3]).all()
    deep = distance > 8
    assert (mended.rgba[deep] == bad.rgba[deep]).all()


@pytest.mark.parametrize("depth", [1, 3, 5, 6, 7, 9, 14, 20])
@pytest.mark.parametrize("form", ["round", "square"])
@pytest.mark.parametrize("soft", [False, True])
def test_of_a_rim_nothing_is_left_however_deep_it_is(depth: int, form: str, soft: bool) -> None:
    """All of it has colours from inside afterwards; a deep one must not leave a thin ring of itself."""
    y, x = np.mgrid[:240, :260]
    away = np.hypot(x - 130, y - 120) if form == "round" else np.maximum(abs(x - 130), abs(y - 120)).astype(float)
    distance = 90.0 - away
    alpha = np.clip(distance + 0.5, 0, 1) if soft else (distance > 0).astype(float)
    inner = np.dstack([120 + 60 * np.sin(x / 9), 60 + 40 * np.cos(y / 7), 40 + 0 * x])
    mixed = np.clip(depth + 0.5 - distance, 0, 1) if soft else (distance <= depth).astype(float)
    bad = picture(inner * (1 - mixed[..., None]) + 255 * mixed[..., None], alpha)
    for op in (MendRim(), MendRim(colour="#ffffff")):
        rgba = made(bad, op).rgba
        left = (rgba[alpha > 0.05, 2] > 150).mean()
        assert (rgba[..., 3] == bad.rgba[..., 3]).all()
        if (
            op.colour == "auto" and depth > 6
        ):  # what goes deeper is mended where it is asked for: it may be an outline
            assert (rgba == bad.rgba).all() or left < 2e-4
        else:
            assert left < 2e-4


def test_a_border_that_does_not_end_where_rims_do_is_left_alone() -> None:
    y, x = np.mgrid[:240, :260]
    distance = 110.0 - np.hypot(x - 130, y - 120)
    inner = np.dstack([120 + 60 * np.sin(x / 9), 60 + 40 * np.cos(y / 7), 40 + 0 * x])
    bad = picture(np.where((distance < 45)[..., None], 255.0, inner), (distance > 0).astype(float))
    assert find_rim(bad.rgba) is None
    for op in (MendRim(), MendRim(colour="#ffffff")):
        found = made(bad, op)
        assert (found.rgba == bad.rgba).all() and found.notes


def test_colour_grows_under_what_is_clear() -> None:
    rng = np.random.default_rng(2)
    alpha = (rng.uniform(size=(50, 70)) > 0.97).astype(float)
    rgb = rng.integers(0, 256, (50, 70, 3)).astype(float)
    found = made(picture(rgb, alpha), Spread())
    points = np.argwhere(alpha > 0)
    for r, c in np.argwhere(alpha == 0)[::17]:
        away = np.hypot(*(points - (r, c)).T)
        near = points[away <= away.min() * 1.06 + 0.1]  # the package's distances are right to some percent
        assert (found.rgba[r, c, :3] == rgb[near[:, 0], near[:, 1]]).all(axis=1).any()
    assert (found.rgba[..., 3] == alpha * 255).all()


def test_light_is_evened_and_detail_and_mean_stay() -> None:
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:300, :400]
    detail = cv2.GaussianBlur(rng.uniform(-1, 1, (300, 400)), (0, 0), 1.2)
    surface = 0.25 * (1 + 0.5 * detail / detail.std() * 0.4)
    lamp = 0.35 + 0.9 * np.exp(-((x - 90) ** 2 + (y - 60) ** 2) / 2 / 150**2) + 0.15 * np.sin(x / 60)
    photo = encode_srgb(np.clip(surface * lamp, 0, 1)) * 255
    found = colours(made(picture(np.dstack([photo] * 3)), EvenLight(0.2)))[..., 0]
    slow = [cv2.GaussianBlur(one, (0, 0), 25) for one in (photo, found)]
    assert slow[1].std() < slow[0].std() / 4
    fine = found - cv2.GaussianBlur(found, (0, 0), 8)
    truth = encode_srgb(surface) * 255
    truth = truth - cv2.GaussianBlur(truth, (0, 0), 8)
    assert np.corrcoef(fine.ravel(), truth.ravel())[0, 1] > 0.8
    assert abs(found.mean() - photo.mean()) < 1.0


@pytest.mark.parametrize("overlap", [0.05, 0.2, 0.5])
def test_a_tile_meets_itself(overlap: float) -> None:
    noise = cv2.GaussianBlur(np.random.default_rng(4).uniform(0, 255, (160, 220, 3)), (0, 0), 2) * 2 - 127
    ramp = np.linspace(-20, 20, 220)[None, :, None] + np.linspace(12, -12, 160)[:, None, None]
    found = colours(made(picture(noise + ramp), Tile(overlap)))
    assert found.shape == noise.shape
    for one in (found, found.transpose(1, 0, 2)):
        seam = np.abs(one[:, 0] - one[:, -1]).mean()
        assert seam <= 2 * np.abs(np.diff(one, axis=1)).mean()
        assert np.abs(np.diff(one, axis=1)).mean(axis=(0, 2)).max() < 2.5 * np.abs(np.diff(one, axis=1)).mean()


def test_relief_of_a_dome_has_the_normals_of_a_dome_and_repeats_where_the_picture_does() -> None:
    y, x = np.mgrid[:128, :128] + 0.5
    height = 0.5 + 0.3 * np.sin(x * 2 * np.pi / 64) * np.cos(y * 2 * np.pi / 64)
    source = picture(np.dstack([height * 255] * 3), deep=True)
    found = made(source, Relief(strength=6))
    assert np.abs(found.beside["height"] / 65535 - (height - np.median(height) + 0.5)).max() < 1e-3
    step = 2 * np.pi / 64
    across = 6 * 0.3 * step * np.cos(x * step) * np.cos(y * step)
    down = -6 * 0.3 * step * np.sin(x * step) * np.sin(y * step)
    truth = np.dstack([-across, down, np.ones_like(x)])
    truth /= np.linalg.norm(truth, axis=2, keepdims=True)
    normals = (found.beside["normal"] - 32768.0) / 32767.5
    assert np.abs(normals - truth).max() < 2e-3  # also at the borders: the picture repeats, so its relief does
    assert np.abs(np.linalg.norm(normals, axis=2) - 1).max() < 1e-3
    shape = made(picture(np.zeros((40, 40, 3)), np.pad(np.ones((20, 20)), 10)), Relief(source="alpha")).beside[
        "height"
    ]
    assert abs(int(shape[0, 0]) - 32768) <= 1 and shape[20, 20] == 65535


def test_specks_go_and_all_else_stays() -> None:
    y, x = np.mgrid[:80, :100]
    smooth = pattern(x * 1.0, y * 1.0)
    specked = smooth.copy()
    at = np.random.default_rng(6).choice(80 * 100, 60, replace=False)
    specked.reshape(-1, 3)[at[:30]], specked.reshape(-1, 3)[at[30:]] = 255, 0
    both, bright = (made(picture(specked), Despeckle(2, 0.12, which)) for which in ("both", "bright"))  # type: ignore[arg-type]  # words of it
    assert np.abs(colours(both) - smooth).mean(axis=2).max() < 25
    assert (colours(bright).reshape(-1, 3)[at[30:]].max(axis=1) == 0).all()
    calm = np.ones(8000, np.bool_)
    calm[at] = False
    same = (both.rgba.reshape(-1, 4)[calm] == picture(specked).rgba.reshape(-1, 4)[calm]).all(axis=1)
    assert same.mean() > 0.99


def test_coverage_says_where_and_a_palette_has_few_colours() -> None:
    ramp = np.broadcast_to(np.linspace(0, 255, 256)[None, :, None], (4, 256, 3))
    for source, truth in (("luminance", np.arange(256)), ("darkness", 255 - np.arange(256))):
        found = made(picture(ramp), Coverage(source))  # type: ignore[arg-type]  # words of it
        assert found.covers and (found.rgba[..., :3] == 255).all()
        assert np.abs(found.rgba[0, :, 3].astype(int) - truth).max() <= 1
    fixed = made(picture(ramp), Palette(("#000000", "#808080", "#ffffff")))
    near = np.array([0, 128, 255])[np.abs(np.arange(256)[:, None] - [0, 128, 255]).argmin(axis=1)]
    assert np.abs(fixed.rgba[0, :, 0].astype(int) - near).max() <= 128 and set(fixed.rgba[0, :, 0]) == {0, 128, 255}
    noisy = picture(np.random.default_rng(7).uniform(0, 255, (60, 60, 3)))
    assert len(np.unique(made(noisy, Palette(12)).rgba.reshape(-1, 4), axis=0)) <= 12


@pytest.mark.parametrize("radius", [3.0, 4.0, 6.3, 25.0])
def test_a_blur_of_any_width_is_the_gaussian_of_light(radius: float) -> None:
    rgb = np.random.default_rng(4).integers(0, 256, (150, 170, 3)).astype(np.float64)
    found = colours(made(picture(rgb), Adjust(Blur(radius))))
    light = ndimage.gaussian_filter(
        decode_srgb(rgb / 255), (radius, radius, 0), mode="wrap", truncate=6
    )  # noise has no seam
    assert np.abs(found - encode_srgb(light) * 255).max() <= 1.5  # half a step is rounding; the tail beyond 3 sigma


def test_a_blur_bears_no_fringe() -> None:
    y, x = np.mgrid[:60, :60]
    alpha = (np.hypot(x - 30, y - 30) < 15).astype(float)
    rgb = np.where(alpha[..., None] > 0, (200, 120, 40), 0).astype(float)
    found = made(picture(rgb, alpha), Adjust(Blur(3)))
    there = found.rgba[..., 3] > 8
    assert np.abs(colours(found)[there] - (200, 120, 40)).max() <= 2
    assert 100 < found.rgba[30, 45, 3] < 160


def test_what_is_shown_small_is_what_comes_out_large() -> None:
    y, x = np.mgrid[:600, :800]
    photo = picture(pattern(x / 3.0, y / 3.0))
    steps = tuple(PictureStep(op) for op in (
        Crop((100, 60, 700, 540)), Straighten(((20, 30), (560, 10), (590, 470), (10, 440)), (480, 400)),
        Adjust(Blur(6)), Adjust(Levels(0.1, 0.9)), Turn(90)))  # fmt: skip
    small = Preview(photo, 400)
    shown = small.shown(steps).rgba[..., :3].astype(float)
    whole = cv2.resize(prepared(photo, steps).rgba[..., :3], shown.shape[1::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(shown - whole).mean() < 2
    off = (*steps[:-1], PictureStep(steps[-1].op, on=False))
    assert small.shown(off).rgba.shape[:2] == shown.shape[1::-1]


def test_a_job_makes_a_picture_ready_and_its_ops_run_again_for_another_original(
    tmp_path: Path, run_job: Runner
) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    save_png(tmp_path / "sign.png", np.full((64, 64, 3), 64, np.uint8))
    save_png(tmp_path / "other.png", np.full((32, 32, 3), 128, np.uint8))
    ops = [{"op": "crop", "box": [32, 32, 60, 60]}, {"op": "invert"}, {"op": "relief", "strength": 4}]
    job = {
        "job": 1, "model": "plane.obj", "sheet_size": 64,
        "steps": [
            {"do": "prepare", "picture": "sign.png", "as": "sign", "ops": ops},
            {"do": "decal", "name": "Sign", "picture": "sign", "place": LAY},
            {"do": "wash", "name": "Bumps", "pictures": {"height": "sign height", "normal": "sign normal"}},
        ],
        "save": "a.fern", "exports": [{"preset": "separate", "out": "maps"}],
    }  # fmt: skip
    result = run_job(job, "a", "--json")
    assert result.returncode == 0, result.stderr
    before = read_png(tmp_path / "maps/a_paint_baseColor.png")
    value = int(before[32, 32, 0])
    assert value == 255 - 64
    studio = Studio.open(tmp_path / "a.fern")
    kit = studio.project.pictures["sign"]
    assert kit.width == 28 and kit.prepared is not None
    assert studio.blobs[kit.prepared.original] == (tmp_path / "sign.png").read_bytes()
    again = {"job": 1, "project": "a.fern", "steps": [{"do": "replace-picture", "picture": "sign", "by": "other.png"}],
             "exports": [{"preset": "separate", "out": "more"}]}  # fmt: skip
    assert run_job(again, "b").returncode == 2  # the box of the crop lies beyond: told, and nothing is written
    again["steps"] = [{"do": "prepare", "picture": "sign", "ops": ops[1:2]}, *again["steps"]]  # type: ignore[misc]
    result = run_job(again, "b")
    assert result.returncode == 0, result.stderr
    assert read_png(tmp_path / "more/a_paint_baseColor.png")[32, 32, 0] == 255 - 128


def test_files_that_changed_are_read_again_everywhere_and_their_ops_run_again(
    tmp_path: Path, run_job: Runner
) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    for name in ("crest.png", "sign.png"):
        save_png(tmp_path / name, np.full((16, 16, 3), 60, np.uint8))
    save_png(tmp_path / "gone.png", np.full((16, 16, 3), 90, np.uint8))
    half = {**LAY, "width": 0.5, "height": 0.5}
    steps = [
        {"do": "prepare", "picture": "sign.png", "as": "sign", "ops": [{"op": "invert"}]},
        {"do": "decal", "picture": "sign", "place": LAY},
        {"do": "decal", "picture": "crest.png", "place": {**half, "centre": [0.25, 0.25]}},
        {"do": "decal", "picture": "crest.png", "place": {**half, "centre": [0.75, 0.75]}},
        {"do": "decal", "name": "Gone", "picture": "gone.png", "opacity": 0.0, "place": half},
    ]
    assert (
        run_job({"job": 1, "model": "plane.obj", "sheet_size": 64, "steps": steps, "save": "a.fern"}, "a").returncode
        == 0
    )
    save_png(tmp_path / "crest.png", np.full((32, 32, 3), 200, np.uint8))
    save_png(tmp_path / "sign.png", np.full((16, 16, 3), 100, np.uint8))
    (tmp_path / "gone.png").unlink()
    result = run_job({"job": 1, "project": "a.fern", "steps": [{"do": "reload"}], "save": "a.fern",
                      "exports": [{"preset": "separate", "out": "maps"}]}, "b", "--json")  # fmt: skip
    assert result.returncode == 0 and "gone.png: its file is not there any more" in result.stdout
    (path,) = (tmp_path / "maps").glob("*_baseColor.png")
    found = read_png(path)[..., 0]
    assert found[48, 16] == found[16, 48] == 200 and found[16, 16] == 155
    (tmp_path / "crest.png").write_bytes(b"\x89PNG half")
    again = run_job({"job": 1, "project": "a.fern", "steps": [{"do": "reload"}], "save": "a.fern"}, "c")
    assert again.returncode == 2 and "crest.png" in again.stderr


@pytest.mark.parametrize(
    "op, told",
    [
        ({"op": "straighten", "corners": [[0, 0], [5, 5], [10, 10], [0, 10]]}, "on one line or cross"),
        ({"op": "straighten", "corners": [[0, 0], [10, 10], [10, 0], [0, 10]]}, "on one line or cross"),
        ({"op": "crop", "box": [100, 100, 140, 140]}, "holds nothing of a picture of 16 × 16"),
        ({"op": "sharpness"}, "there is no op 'sharpness'; there are crop, turn"),
        ({"op": "tile", "overlap": 0.7}, "overlap runs from 0 to 0.5"),
        ({"op": "levels", "black": 0.9, "white": 0.1}, "black must lie below white"),
        ({"op": "crop", "box": [0, 0, 4, 4], "colour": 3}, "has no key 'colour'"),
    ],
)
def test_ops_that_make_no_sense_are_refused_with_their_number(
    tmp_path: Path, run_job: Runner, op: dict[str, object], told: str
) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    save_png(tmp_path / "sign.png", soft_noise((16, 16)))
    steps = [{"do": "prepare", "picture": "sign.png", "as": "sign", "ops": [{"op": "spread"}, op]}]
    result = run_job({"job": 1, "model": "plane.obj", "steps": steps, "save": "a.fern"}, "a")
    assert result.returncode == 2
    line = result.stderr.strip()
    assert "step 1 (prepare): op 2 (" in line and told in line
    assert not (tmp_path / "a.fern").exists()


@pytest.mark.parametrize("deep", [False, True])
def test_green_of_normals_is_turned_over_and_back(deep: bool) -> None:
    rgb = np.random.default_rng(4).integers(0, 256, (40, 300, 3)).astype(float)
    source = picture(rgb, deep=deep)
    once, twice = made(source, FlipGreen()), made(source, FlipGreen(), FlipGreen())
    top = np.iinfo(source.rgba.dtype).max
    assert np.array_equal(once.rgba[..., 1], top - source.rgba[..., 1])
    assert np.array_equal(once.rgba[..., [0, 2, 3]], source.rgba[..., [0, 2, 3]])
    assert np.array_equal(twice.rgba, source.rgba)


def _bumps() -> Picture:
    """Light spots off the middle, none near the border, on a picture longer than wide."""
    y, x = np.mgrid[:96, :128]
    spots = np.exp(-((x - 40) ** 2 + (y - 30) ** 2) / 120) + 0.6 * np.exp(-((x - 90) ** 2 + (y - 60) ** 2) / 200)
    return picture(np.dstack([40 + 150 * np.clip(spots, 0, 1)] * 3))


@pytest.mark.parametrize("then", [
    Turn(90.0), Turn(0.0, True), Size((64, 48)), Size((200, 150)), Adjust(Levels(0.1, 0.8, 1.3)),
    Straighten(((0.0, 0.0), (127.0, 0.0), (127.0, 95.0), (0.0, 95.0)), (128, 96)),
])  # fmt: skip
def test_what_lies_beside_a_picture_follows_all_that_is_done_to_it(then: Any) -> None:
    first = made(_bumps(), then)
    wanted = made(Picture("p.png", first.rgba, False), Relief(4.0))
    for ops in ((Relief(4.0), then), (then, Relief(4.0))):
        found = made(_bumps(), *ops)
        assert found.beside["height"].shape == found.rgba.shape[:2]
        for name in ("height", "normal"):
            assert np.abs(found.beside[name].astype(int) - wanted.beside[name]).max() <= 2


def test_a_pattern_that_is_turned_and_sized_takes_its_relief_along() -> None:
    op = Bricks(size=(128, 64))
    plain = made(_bumps(), op)
    turned = made(_bumps(), op, Turn(90.0))
    assert (turned.beside["height"] == np.rot90(plain.beside["height"])).all()
    x, y, z = (plain.beside["normal"].astype(int)[..., at] for at in range(3))
    got = turned.beside["normal"].astype(int)
    inner = np.s_[2:-2, 2:-2]  # it repeats, or goes on, beyond its border
    assert np.abs(got[inner] - np.rot90(np.dstack([65535 - y, x, z]))[inner]).max() <= 4
    soft = Noise(size=(128, 64), cells=3, octaves=1)
    plain, small = made(_bumps(), soft), made(_bumps(), soft, Size((64, 32)))
    flat, other = (one.beside["normal"][..., 2].mean() / 65535 for one in (plain, small))
    assert small.beside["height"].shape == (32, 64) and abs(other - flat) < 0.02


def test_jobs_make_the_relief_anew_when_ops_are_set_again(tmp_path: Path, run_job: Runner) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    save_png(tmp_path / "sign.png", _bumps().rgba)
    steps = [
        {"do": "prepare", "picture": "sign.png", "as": "sign", "ops": [{"op": "relief"}]},
        {"do": "wash", "name": "Sign", "pictures": {"height": "sign height", "colour": "sign"}},
        {"do": "prepare", "picture": "sign", "ops": [{"op": "relief"}, {"op": "turn", "degrees": 90}]},
    ]
    job = {"job": 1, "model": "plane.obj", "sheet_size": 64, "steps": steps, "save": "a.fern"}
    done = run_job(job)
    assert done.returncode == 0, done.stderr
    studio = Studio.open(tmp_path / "a.fern")
    assert (studio.project.pictures["sign height"].width, studio.project.pictures["sign height"].height) == (96, 128)


def test_corners_beyond_the_picture_show_nothing_there_and_say_so() -> None:
    whole = picture(np.full((40, 60, 3), 200.0))
    inside = made(whole, Straighten(((5.0, 5.0), (50.0, 5.0), (50.0, 30.0), (5.0, 30.0)), (45, 25)))
    assert (inside.rgba[..., 3] == 255).all() and not inside.notes
    beyond = made(whole, Straighten(((-30.0, 0.0), (60.0, 0.0), (60.0, 40.0), (-30.0, 40.0)), (90, 40)))
    assert (beyond.rgba[:, :28, 3] == 0).all() and (beyond.rgba[2:-2, 33:-2, 3] == 255).all()
    assert "beyond" in beyond.notes[0]
