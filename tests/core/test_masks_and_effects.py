"""Masks, adjustments, relief and painted pixels against independent sums."""

from __future__ import annotations

import colorsys
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.ndimage import gaussian_filter

from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.compositing.effects import effect_row
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS, MapSpec
from lucky_fern.core.project.commands import (
    AddLayer,
    AddMaskEntry,
    GiveMask,
    PaintMask,
    PaintPixels,
    PasteMask,
    SetChannel,
    SetLayer,
    SetMaskEntry,
    SetSheetSize,
)
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Relief, Wash
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Gradient, Invert, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.painted import encode_chunk
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import Fill, MaskEntry, PaintedShape, ScopeShape
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.studio import Studio
from samples import save_png
from small_models import SIDE_BY_SIDE

WHOLE = np.zeros((60, 60), np.int32)


@pytest.fixture
def isles(tmp_path: Path) -> Studio:
    """Two islands side by side on one sheet of 128 texels, a part each."""
    (tmp_path / "isles.obj").write_text(SIDE_BY_SIDE)
    return Studio.new(tmp_path / "isles.obj", sheet_size=128)


def composite(studio: Studio, name: str, bits: int = 16) -> np.ndarray:
    key = studio.surface.keys[0]
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    return composite_sheet(studio.sources, studio.project, name, sheet, bits) / (2.0**bits - 1)


def shown(studio: Studio, number: int | None) -> np.ndarray:
    key = studio.surface.keys[0]
    size = studio.project.size_of(key).width
    layer = next(one for one in studio.project.walk() if one.mask == number)
    found = mask_values(
        studio.sources, studio.project, layer, studio.surface.sheet(key, square(size)), Rect(0, size, 0, size)
    )
    return np.ones((size, size)) if found is None else found / 65535.0


def smooth_colours(seed: int = 2) -> np.ndarray:
    rng = np.random.default_rng(seed)
    values = np.stack([gaussian_filter(rng.random((60, 60)), 3) for _ in range(3)], axis=2)
    low, high = values.min(), values.max()
    return ((values - low) / (high - low)).astype(np.float32)


# --- masks ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("modes", "expected"),
    [
        (["replace"], lambda a, b: a),
        (["add"], lambda a, b: a),
        (["subtract"], lambda a, b: 1 - a),
        (["intersect"], lambda a, b: a),
        (["replace", "add"], lambda a, b: a + b - a * b),
        (["replace", "subtract"], lambda a, b: a * (1 - b)),
        (["replace", "intersect"], lambda a, b: a * b),
        (["replace", "replace"], lambda a, b: b),
    ],
)  # fmt: skip
def test_entries_meet_in_their_order(isles: Studio, modes: list[str], expected) -> None:
    isles.execute(AddLayer("x", Wash(), {"colour": Channel("#ff0000")}))
    layer = isles.project.layers[0].id
    left = ScopeShape(Scope(parts=("left",)))
    for mode, entry in zip(modes, (MaskEntry(left, white=0.8), MaskEntry(Fill(0.25))), strict=False):
        isles.execute(AddMaskEntry(layer, replace(entry, mode=mode)))
    found = shown(isles, isles.project.layers[0].mask)
    for column, a in ((30, 1.0), (100, 0.0)):
        assert found[64, column] == pytest.approx(expected(a, 0.25), abs=1e-4)


def test_a_shared_mask_is_followed_by_both_and_a_pasted_one_by_one_only(isles: Studio) -> None:
    for name in ("stitch", "groove", "other"):
        isles.execute(AddLayer(name, Wash(), {"height": Channel(1.0)}))
    stitch, groove, other = (layer.id for layer in isles.project.layers)
    isles.execute(AddMaskEntry(stitch, MaskEntry(ScopeShape(Scope(parts=("left",))))))
    mask = isles.project.layer(stitch).mask
    isles.execute(GiveMask((groove,), mask))
    isles.execute(PasteMask((other,), isles.project.masks[mask], inverted=True))
    pasted = isles.project.layer(other).mask
    assert pasted != mask and np.abs(shown(isles, mask) + shown(isles, pasted) - 1).max() < 1e-4
    before = isles.project
    isles.execute(SetMaskEntry(mask, 0, MaskEntry(Fill(0.5))))
    assert isles.project.layer(groove).mask == mask and shown(isles, mask).max() == pytest.approx(0.5, abs=1e-4)
    assert shown(isles, pasted).max() == 1.0
    assert dirtied(isles.sources, before, isles.project)[MapKey(isles.surface.keys[0], "height")]
    isles.execute(GiveMask((stitch, groove), None))
    assert set(isles.project.masks) == {pasted}  # nobody uses it: it is gone


def test_a_feathered_mask_is_a_gaussian_inside_its_island(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane, sheet_size=300)
    half = np.zeros((256, 256, 1), np.uint8)
    half[:, 128:] = 255
    studio.execute(AddLayer("x", Wash(), {"colour": Channel("#000000")}))
    layer = studio.project.layers[0].id
    studio.execute(AddMaskEntry(layer, MaskEntry(PaintedShape(), feather=7.0)))
    mask = studio.project.layers[0].mask
    chunks = {"0,0": studio.blobs.add(encode_chunk(half))}
    studio.execute(PaintMask(mask, 0, "paint:1001", square(300), chunks))
    expected = np.zeros((300, 300))
    expected[:256, 128:256] = 1
    soft = gaussian_filter(expected, 7.0, mode="constant", truncate=3)
    weight = gaussian_filter(np.ones((300, 300)), 7.0, mode="constant", truncate=3)
    assert np.abs(shown(studio, mask) - soft / weight).max() < 0.004


def adjusted(values: np.ndarray, effect: Effect, spec: MapSpec, islands: np.ndarray) -> np.ndarray:
    """What an effect makes of values, islands by themselves."""
    return effect_row(effect).apply(values, effect, spec, Islands(islands))


# --- adjustments --------------------------------------------------------------------------------------------------


def test_effects_point_by_point() -> None:
    values, spec = smooth_colours(), MAPS["colour"]
    exact = values.astype(np.float64)
    assert np.allclose(adjusted(values, Invert(), spec, WHOLE), 1 - exact, atol=1e-6)
    levels = np.clip((exact - 0.2) / 0.5, 0, 1) ** (1 / 0.7) * 0.8 + 0.1
    assert np.allclose(adjusted(values, Levels(0.2, 0.7, 0.7, 0.1, 0.9), spec, WHOLE), levels, atol=1e-5)
    assert np.allclose(adjusted(values, Curve(((0.0, 1.0), (1.0, 0.0))), spec, WHOLE), 1 - exact, atol=1e-4)
    bent = adjusted(values, Curve(((0.0, 0.0), (0.3, 0.6), (1.0, 1.0))), spec, WHOLE)
    assert np.abs(bent[np.abs(exact - 0.3) < 1e-3] - 0.6).max() < 3e-3 and bent.min() >= 0 and bent.max() <= 1
    contrast = np.clip((exact - 0.5) * 2 + 0.5 + 0.1, 0, 1)
    assert np.allclose(adjusted(values, Contrast(0.1, 0.5), spec, WHOLE), contrast, atol=1e-5)
    ramp = adjusted(values[..., :1], Gradient(((0.0, "#ff0000"), (1.0, "#0000ff"))), MAPS["height"], WHOLE)
    assert np.allclose(ramp[..., 0], 1 - exact[..., 0], atol=1e-5) and np.allclose(
        ramp[..., 2], exact[..., 0], atol=1e-5
    )


@pytest.mark.parametrize(
    ("hue", "saturation", "lightness"), [(0, 0, 0), (75, 0, 0), (-120, -0.4, 0.3), (10, 0.5, -0.5)]
)
def test_hue_saturation_and_lightness_agree_with_the_standard_library(
    hue: float, saturation: float, lightness: float
) -> None:
    values = smooth_colours()
    found = adjusted(values, Shade(hue, saturation, lightness), MAPS["colour"], WHOLE)
    for row in range(0, 60, 7):
        for column in range(0, 60, 7):
            h, light, s = colorsys.rgb_to_hls(*values[row, column].astype(float))
            light = light * (1 + lightness) if lightness <= 0 else light + (1 - light) * lightness
            s = min(max(s * (1 + saturation), 0), 1)
            exact = colorsys.hls_to_rgb((h + hue / 360) % 1, light, s)
            assert found[row, column] == pytest.approx(exact, abs=2e-4)


@pytest.mark.parametrize("radius", [1.5, 6.0, 20.0])
def test_blur_works_on_light_and_sharpening_is_its_opposite(radius: float) -> None:
    rng = np.random.default_rng(4)
    values = rng.random((200, 200, 3)).astype(np.float32)
    one = np.zeros((200, 200), np.int32)
    light = decode_srgb(values)
    weight = gaussian_filter(np.ones((200, 200)), radius, mode="constant", truncate=4)
    exact = np.stack(
        [gaussian_filter(light[..., i], radius, mode="constant", truncate=4) / weight for i in range(3)], axis=2
    )
    found = adjusted(values, Blur(radius), MAPS["colour"], one)
    assert np.abs(found - encode_srgb(exact)).max() < 1.2 / 255
    sharp = adjusted(values, Sharpen(radius, 0.5), MAPS["colour"], one)
    assert np.allclose(sharp, np.clip(values + 0.5 * (values - found), 0, 1), atol=1e-5)


def test_blur_stays_inside_its_island_and_crosses_chunks_without_a_trace(isles: Studio) -> None:
    isles.execute(AddLayer("a", Wash(), {"colour": Channel("#ff0000")}, scope=Scope(parts=("left",))))
    isles.execute(AddLayer("b", Wash(), {"colour": Channel("#0000ff")}, scope=Scope(parts=("right",))))
    before = composite(isles, "colour")
    isles.execute(AddLayer("soft", Adjustment(Blur(8.0)), {"colour": Channel()}))
    assert np.abs(composite(isles, "colour") - before).max() < 1e-3
    isles.execute(SetSheetSize(square(700)))
    size, key = 700, isles.surface.keys[0]
    ramp = isles.execute(AddLayer("edge", Wash(), {"roughness": Channel(0.0)})).layers[-1].id
    chunk = np.zeros((256, 256, 1), np.uint8)
    chunk[100:, 100:] = 255
    isles.execute(AddMaskEntry(ramp, MaskEntry(PaintedShape())))
    mask = isles.project.layer(ramp).mask
    digest = isles.blobs.add(encode_chunk(chunk))
    isles.execute(PaintMask(mask, 0, str(key), square(size), {"0,0": digest, "1,0": digest, "1,1": digest}))
    rough = composite(isles, "roughness")[..., 0]
    isles.execute(AddLayer("soft", Adjustment(Blur(5.0)), {"roughness": Channel()}))
    sheet = isles.surface.sheet(key, square(size))
    island = np.where(sheet.covered, np.arange(size)[None] >= 343, -1)
    exact = np.zeros((size, size))
    for number in (0, 1):
        inside = (island == number).astype(float)
        weight = gaussian_filter(inside, 5.0, mode="constant", truncate=3.3)
        part = gaussian_filter(rough * inside, 5.0, mode="constant", truncate=3.3) / np.maximum(weight, 1e-9)
        exact = np.where(inside > 0, part, exact)
    found = composite(isles, "roughness")[..., 0]
    assert np.abs(found - exact)[sheet.covered].max() < 2e-3


def test_adjustments_refuse_maps_on_which_they_mean_nothing(isles: Studio) -> None:
    for effect, name in ((Shade(), "height"), (Gradient(), "roughness"), (Invert(), "normal")):
        with pytest.raises(CommandError, match=r"colours|directions"):
            isles.execute(AddLayer("x", Adjustment(effect), {name: Channel()}))
    with pytest.raises(CommandError, match="black must lie below white"):
        isles.execute(AddLayer("x", Adjustment(Levels(0.5, 0.5)), {"height": Channel()}))


# --- heights that shape normals -------------------------------------------------------------------------------------


def ramp_studio(folder: Path, width: float, size: int) -> Studio:
    """A board ``width`` × 2 units whose height rises from 0 to 1 along u."""
    text = f"v 0 0 0\nv {width} 0 0\nv {width} 2 0\nv 0 2 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"
    (folder / f"board{width}.obj").write_text(text)
    studio = Studio.new(folder / f"board{width}.obj", sheet_size=size)
    levels = np.round(np.linspace(0, 65535, 2 * size + 1)[1::2]).astype(np.uint16)
    import cv2

    done, data = cv2.imencode(".png", np.tile(levels, (size, 1)))
    assert done
    (folder / "ramp.png").write_bytes(bytes(data))
    picture = studio.add_picture(folder / "ramp.png")
    studio.execute(AddLayer("ramp", Wash(), {"height": Channel("picture", picture=picture, relief=Relief())}))
    return studio


def lift(studio: Studio, relief: Relief | None, at: int = 0) -> None:
    layer = studio.project.layers[at]
    studio.execute(SetChannel(layer.id, "height", replace(layer.channels["height"], relief=relief)))


def test_each_layer_lifts_by_its_own_strength_in_its_own_unit(tmp_path: Path) -> None:
    size, width = 64, 2.0
    studio = ramp_studio(tmp_path, width, size)
    picture = studio.project.layers[0].channels["height"].picture
    upper = Channel("picture", picture=picture, relief=Relief(24.0))
    studio.execute(AddLayer("upper", Wash(), {"height": upper}))
    added = studio.project.layers[-1].id
    lift(studio, Relief(12.0))

    def slope() -> float:
        x, _, z = composite(studio, "normal")[size // 2, size // 2] * 2 - 1
        return float(-x / z)

    assert slope() == pytest.approx(24 / size, rel=2e-3)  # the upper one lies over the other
    studio.execute(SetLayer(added, opacity=0.25))
    assert slope() == pytest.approx((0.25 * 24 + 0.75 * 12) / size, rel=2e-3)
    studio.execute(SetLayer(added, opacity=1.0, blend="add"))
    # A channel's own 0 … 1 is added: only up to 1, which the middle of the sheet just reaches.
    studio.execute(SetChannel(added, "height", replace(upper, opacity=0.5)))
    x, _, z = composite(studio, "normal")[size // 2, size // 4] * 2 - 1
    assert -x / z == pytest.approx((0.5 * 24 + 12) / size, rel=2e-3)
    lift(studio, Relief(1.5, "units"))  # another unit: what each adds, adds up
    x, _, z = composite(studio, "normal")[size // 2, size // 4] * 2 - 1
    assert -x / z == pytest.approx(0.5 * 24 / size + 1.5 / width, rel=2e-3)
    studio.execute(SetLayer(added, opacity=1.0, blend="normal"))
    studio.execute(SetChannel(added, "height", replace(upper, relief=None)))
    x, _, z = composite(studio, "normal")[size // 2, size // 4] * 2 - 1
    assert -x / z == pytest.approx(1.5 / width, rel=2e-3)
    lift(studio, Relief(-12.0))
    assert slope() == pytest.approx(-12 / size, rel=2e-3)


def test_normals_of_a_layer_are_made_steeper_and_turned_over(plane: Path) -> None:
    rng = np.random.default_rng(6)
    way = rng.uniform(-0.5, 0.5, (64, 64, 2))
    vector = np.concatenate([way, np.ones((64, 64, 1))], axis=2)
    vector /= np.linalg.norm(vector, axis=2, keepdims=True)
    studio = Studio.new(plane, sheet_size=64)
    stored = np.rint((vector * 0.5 + 0.5) * 255).astype(np.uint8)
    picture = studio.add_picture(save_png(plane.parent / "rough normal.png", stored))
    channel = Channel("picture", picture=picture)
    studio.execute(AddLayer("bumps", Wash(sampling="nearest"), {"normal": channel}))
    slopes = []
    for strength in (1.0, 3.0, -1.0, 0.0):
        studio.execute(SetChannel(studio.project.layers[0].id, "normal", replace(channel, strength=strength)))
        found = composite(studio, "normal") * 2 - 1
        assert np.abs(np.linalg.norm(found, axis=2) - 1).max() < 1e-3
        slopes.append(found[..., :2] / found[..., 2:])
    assert np.abs(slopes[1] - 3 * slopes[0]).max() < 0.01
    assert np.abs(slopes[2] + slopes[0]).max() < 0.002 and np.abs(slopes[3]).max() < 1e-3
    for bad in (17.0, float("nan")):
        with pytest.raises(CommandError, match="strength"):
            studio.execute(SetChannel(studio.project.layers[0].id, "normal", replace(channel, strength=bad)))


@pytest.mark.parametrize("width", [2.0, 5.0])
@pytest.mark.parametrize("size", [64, 256, 300])
def test_a_ramp_leans_normals_by_its_slope_at_any_size(tmp_path: Path, width: float, size: int) -> None:
    studio = ramp_studio(tmp_path, width, size)
    lift(studio, Relief(1.5, "units"))
    found = composite(studio, "normal")[size // 4 : -size // 4, size // 4 : -size // 4] * 2 - 1
    exact = np.array([-1.5 / width, 0, 1]) / np.hypot(1.5 / width, 1)
    assert np.abs(found - exact).max() < 1.5e-3 * max(1, size / 64)
    lift(studio, Relief(0.25 * size, "texels"))  # a quarter of a tile high
    exact = np.array([-0.25, 0, 1]) / np.hypot(0.25, 1)
    assert np.abs(composite(studio, "normal")[size // 2, size // 2] * 2 - 1 - exact).max() < 1.5e-3 * max(
        1, size / 64
    )
    # The same on a sheet of another size than the project's.
    studio.execute(SetSheetSize(square(2 * size), str(studio.surface.keys[0])))
    assert np.abs(composite(studio, "normal")[size, size] * 2 - 1 - exact).max() < 2e-3 * max(1, size / 64)


# --- painted pixels ---------------------------------------------------------------------------------------------------


def test_painted_pixels_show_dirty_their_chunks_travel_and_are_resampled(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane, sheet_size=512)
    studio.execute(AddLayer("paint", Brushwork(), {}))
    layer = studio.project.layers[0].id
    rng = np.random.default_rng(1)
    texels = np.repeat(np.repeat(rng.integers(0, 256, (16, 16, 4)), 16, axis=0), 16, axis=1).astype(np.uint8)
    texels[..., 3] = 255
    before = studio.project
    chunks = {"1,0": studio.blobs.add(encode_chunk(texels))}
    studio.execute(PaintPixels(layer, "paint:1001", square(512), {"colour": chunks}))
    found = {piece.map: chunks for piece, chunks in dirtied(studio.sources, before, studio.project).items()}
    assert found == {"colour": {(1, 0)}}
    whole = composite(studio, "colour", 8) * 255
    assert (
        (whole[256:, :256] == texels[..., :3]).all() and (whole[:256] == 255).all() and (whole[:, 256:] == 255).all()
    )
    studio.save(tmp_path / "x.fern")
    again = Studio.open(tmp_path / "x.fern")
    assert again.project == studio.project and (composite(again, "colour", 8) * 255 == whole).all()
    studio.execute(SetSheetSize(square(256)))
    small = composite(studio, "colour", 8) * 255
    assert np.abs(small[128:, :128] - texels[::2, ::2, :3]).max() <= 1
    studio.execute(SetSheetSize(square(512)))
    assert (composite(studio, "colour", 8) * 255 == whole).all()
    studio.execute(SetSheetSize(square(300)))
    odd = composite(studio, "colour", 8) * 255
    for row in range(3, 16, 3):  # the middles of the painted squares, wherever they lie now
        for column in range(1, 16, 3):
            at = int((256 + row * 16 + 8) * 300 / 512), int((column * 16 + 8) * 300 / 512)
            assert np.abs(odd[at] - texels[row * 16 + 8, column * 16 + 8, :3]).max() <= 1
    with pytest.raises(CommandError, match="painted at 512"):
        studio.execute(PaintPixels(layer, "paint:1001", square(300), {"colour": chunks}))


def test_the_history_keeps_to_its_room_and_lets_go_of_pixels_nobody_shows(plane: Path) -> None:
    studio = Studio.new(plane, sheet_size=256)
    studio.execute(AddLayer("paint", Brushwork(), {}))
    layer, rng = studio.project.layers[0].id, np.random.default_rng(2)
    studio.history.limit = 1_000_000
    digests = []
    for _ in range(12):
        digests.append(studio.blobs.add(encode_chunk(rng.integers(0, 256, (256, 256, 4)).astype(np.uint8))))
        studio.execute(PaintPixels(layer, "paint:1001", square(256), {"colour": {"0,0": digests[-1]}}))
    assert studio.history.cost <= 1_000_000 and 2 <= len(studio.history.titles) < 8
    assert digests[0] not in studio.blobs and digests[-1] in studio.blobs
    there = len(studio.history.titles)
    studio.history.jump(0)
    assert composite(studio, "colour").shape and len(studio.history.titles) == there
    studio.history.jump(there - 1)
    assert studio.project.layers[0].content.sheets["paint:1001"].maps["colour"]["0,0"] == digests[-1]


def test_masks_adjustments_and_groups_in_a_job(tmp_path: Path, run_job, plane: Path) -> None:
    save_png(
        tmp_path / "half.png",
        np.dstack([np.full((4, 4, 3), 255), np.tile([255, 255, 0, 0], (4, 1))]).astype(np.uint8),
    )
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 1}
    job = {
        "job": 1, "model": "plane.obj", "sheet_size": 64, "save": "x.fern",
        "steps": [
            {"do": "wash", "name": "base", "values": {"colour": "#204060", "roughness": 0.25}},
            {"do": "group", "name": "set", "opacity": 0.5, "steps": [
                {"do": "wash", "name": "red", "values": {"colour": "#ff0000"}},
                {"do": "mask", "layer": "red", "kind": "picture", "picture": "half.png", "place": lay, "use": "alpha"},
            ]},
            {"do": "adjust", "kind": "levels", "map": "roughness", "black": 0, "white": 0.5, "gamma": 1},
            {"do": "mask", "layer": "set", "kind": "scope", "scope": {"tiles": [1001]}, "invert": False},
            {"do": "brushwork", "name": "hand"},
            {"do": "wash", "values": {"height": 0.7}, "relief": {"strength": 0.1, "unit": "units"}},
        ],
        "exports": [{"preset": "separate", "out": "maps"}],
    }  # fmt: skip
    result = run_job(job, "j", "--json")
    assert result.returncode == 0, result.stderr
    from samples import read_png

    base = read_png(tmp_path / "maps/j_paint_baseColor.png")
    assert base[32, 60].tolist() == [0x20, 0x40, 0x60]
    assert np.abs(base[32, 4].astype(int) - (143.5, 32, 47.5)).max() < 1
    assert (read_png(tmp_path / "maps/j_paint_roughness.png") == 128).all()
    assert json.loads(result.stdout.splitlines()[0])["do"] == "wash"
    assert (read_png(tmp_path / "maps/j_paint_normal.png") == (128, 128, 255)).all()  # level everywhere
    assert Studio.open(tmp_path / "x.fern").project.layers[-1].channels["height"].relief == Relief(0.1, "units")
    for wrong, said in (
        ({"do": "adjust", "kind": "glow"}, "no adjustment"),
        ({"do": "adjust", "kind": "blur", "map": "colour", "gamma": 2}, "no key"),
        ({"do": "mask", "layer": "nobody", "kind": "fill"}, "no layer 'nobody'"),
        ({"do": "mask", "layer": "base", "kind": "fill", "value": 3}, "0 or 1"),
        ({"do": "group", "steps": [{"do": "wash"}]}, "its step 1 (wash)"),
    ):
        result = run_job({**job, "steps": [job["steps"][0], wrong]}, "wrong")
        assert result.returncode == 2 and said in result.stderr and "step 2" in result.stderr, result.stderr


@pytest.mark.parametrize("effect", [Invert(), Levels(low=0.25, high=0.75), Blur(3.0)])
def test_relief_follows_every_adjustment_of_the_height(plane: Path, effect: Any) -> None:
    studio = Studio.new(plane, sheet_size=64)
    bumps = np.random.default_rng(3).integers(60, 200, (8, 8, 1), np.uint8)
    pixels = np.kron(bumps, np.ones((8, 8, 3), np.uint8)).astype(np.uint8)
    picture = studio.add_picture(save_png(plane.parent / "bump height.png", pixels))
    studio.execute(AddLayer("bump", Wash(), {"height": Channel("picture", picture=picture, relief=Relief())}))
    key, size = studio.surface.keys[0], studio.project.sheet_size
    store, before = MapStore(studio.sources), studio.project
    for piece, chunks in everything(studio.sources, before).items():
        store.update(before, piece, chunks)
    studio.execute(AddLayer("change", Adjustment(effect), {"height": Channel()}))
    for piece, chunks in dirtied(studio.sources, before, studio.project).items():
        store.update(studio.project, piece, chunks)
    sheet = studio.surface.sheet(key, size)
    heights = composite_sheet(studio.sources, studio.project, "height", sheet, 16)[..., 0] / 65535.0
    normals = composite_sheet(studio.sources, studio.project, "normal", sheet, 16) / 65535.0 * 2 - 1
    assert np.array_equal(store.get(MapKey(key, "normal"), size) / 65535.0 * 2 - 1, normals)
    # Central differences of the height as it is shown now, in texels, within the sheet.
    strength = Relief().strength
    dx = (heights[1:-1, 2:] - heights[1:-1, :-2]) / 2 * strength
    dy = (heights[:-2, 1:-1] - heights[2:, 1:-1]) / 2 * strength
    length = np.sqrt(1 + dx**2 + dy**2)
    expected = np.stack([-dx / length, -dy / length, 1 / length], axis=2)
    assert np.abs(normals[1:-1, 1:-1] - expected).max() < 0.03
