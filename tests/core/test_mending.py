"""Adjustments that mend: specks, edges kept, tones, unit normals; over seams, masked, against brute force."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage

from lucky_fern.core.checking.histogram import counted_values, plainly
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.effects import effect_row
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, GroupLayers, SetGroup
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Group
from lucky_fern.core.project.echoes import Echo
from lucky_fern.core.project.effects import Blur
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.more_effects import Mixer, NearContrast, Normalise, Posterise, Smooth, Specks, Threshold
from lucky_fern.core.project.shapes import Fill, MaskEntry
from lucky_fern.core.project.tree import below
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.setting import set_block
from samples import Runner, read_png, save_png


def applied(values: np.ndarray, effect: Effect, name: str = "roughness") -> np.ndarray:
    around = Islands(np.zeros(values.shape[:2], np.int32))
    return effect_row(effect).apply(values.astype(np.float32), effect, MAPS[name], around)


@pytest.mark.parametrize("which", ["bright", "dark", "both"])
@pytest.mark.parametrize("radius", [1, 2, 4])
@pytest.mark.parametrize("colours", [False, True])
def test_specks_become_the_median_and_nothing_else_changes(which: str, radius: int, colours: bool) -> None:
    rng = np.random.default_rng(radius)
    values = np.rint((0.4 + 0.1 * rng.random((40, 50, 3 if colours else 1))) * 255) / 255
    values[rng.random((40, 50)) < 0.03] = 1.0
    values[rng.random((40, 50)) < 0.03] = 0.0
    found = applied(values, Specks(radius, 0.2, which), "colour" if colours else "roughness")
    middle = ndimage.median_filter(values, size=(2 * radius + 1, 2 * radius + 1, 1), mode="nearest")
    off = (values - middle) @ ([0.2126, 0.7152, 0.0722] if colours else [1.0])
    speck = {"bright": off > 0.2, "dark": off < -0.2, "both": np.abs(off) > 0.2}[which]
    inner = np.s_[radius:-radius, radius:-radius]  # beyond, the border is continued another way
    expected = np.where(speck[..., None], middle, values)
    assert np.abs(found - expected)[inner].max() < 1 / 255 and speck[inner].any()
    assert np.array_equal(found[inner][~speck[inner]], values.astype(np.float32)[inner][~speck[inner]])


@pytest.mark.parametrize("radius", [2, 4])
def test_specks_in_normals_become_the_middle_direction(radius: int) -> None:
    rng = np.random.default_rng(9)
    tips = np.dstack([0.2 + 0.05 * rng.standard_normal((40, 50, 2)), np.ones((40, 50))])
    tips[rng.random((40, 50)) < 0.03] = (-0.8, 0.1, 0.4)
    tips /= np.linalg.norm(tips, axis=2, keepdims=True)
    values = tips * 0.5 + 0.5
    found = applied(values, Specks(radius, 0.2), "normal")
    middle = ndimage.median_filter(values, size=(2 * radius + 1, 2 * radius + 1, 1), mode="nearest") * 2 - 1
    middle = middle / np.linalg.norm(middle, axis=2, keepdims=True) * 0.5 + 0.5
    speck = np.linalg.norm(values - middle, axis=2) > 0.2
    inner = np.s_[radius:-radius, radius:-radius]
    assert speck[inner].any()
    assert np.abs(found - np.where(speck[..., None], middle, values))[inner].max() < 1 / 255
    flat = np.tile([0.5, 0.5, 1.0], (20, 20, 1))
    flat[10, 10] = (1.0, 0.5, 0.5)
    assert np.array_equal(
        applied(flat, Specks(radius, 0.2), "normal"), np.tile(np.float32([0.5, 0.5, 1]), (20, 20, 1))
    )


def test_edges_are_kept_where_all_else_is_smoothed_and_tones_are_what_they_say() -> None:
    rng = np.random.default_rng(4)
    step = np.where(np.arange(60) < 30, 0.2, 0.8)[None, :, None] + 0.02 * rng.standard_normal((40, 60, 1))
    soft = applied(step, Smooth(5.0, 0.1))
    assert soft[5:-5, 5:25].std() < 0.4 * step[5:-5, 5:25].std()
    assert soft[5:-5, 29].mean() < 0.25 and soft[5:-5, 30].mean() > 0.75
    ramp = np.linspace(0, 1, 256)[None, :, None]
    assert np.array_equal(applied(ramp, Threshold(0.5))[0, :, 0], (ramp[0, :, 0] >= np.float32(0.5)).astype(float))
    assert np.allclose(applied(ramp, Threshold(0.5, 0.25)), np.clip((ramp - 0.25) / 0.5, 0, 1), atol=1e-6)
    tones = applied(ramp, Posterise(4))
    assert np.allclose(np.unique(tones), [0, 1 / 3, 2 / 3, 1]) and np.abs(tones - ramp).max() <= 1 / 6 + 1e-6


@pytest.mark.parametrize("colours", [False, True])
def test_contrast_near_by_follows_its_formula_and_channels_mix(colours: bool) -> None:
    rng = np.random.default_rng(8)
    values = np.clip(
        0.5 + 0.06 * ndimage.gaussian_filter(rng.standard_normal((90, 80, 3 if colours else 1)), (4, 4, 0)), 0, 1
    )
    values += 0.1 * (np.arange(80) > 40)[None, :, None]
    found = applied(values, NearContrast(5.0, 0.7, 0.1), "colour" if colours else "roughness")
    grey = values @ ([0.2126, 0.7152, 0.0722] if colours else [1.0])
    mean = ndimage.gaussian_filter(grey, 5, truncate=3)
    deviation = np.sqrt(np.maximum(ndimage.gaussian_filter(grey**2, 5, truncate=3) - mean**2, 0))
    gain = 0.7 * (np.minimum(0.1 / np.maximum(deviation, 1e-9), 4) - 1)
    inner = np.s_[16:-16, 16:-16]
    assert np.abs(found - np.clip(values + (gain * (grey - mean))[..., None], 0, 1))[inner].max() < 0.5 / 255
    fine = [(one - ndimage.gaussian_filter(one, (5, 5, 0)))[inner].std() for one in (found, values)]
    assert fine[0] > 1.2 * fine[1]
    mixed = applied(
        np.array([[[0.2, 0.5, 0.9]]]), Mixer(red=(0, 0, 1), green=(0.5, 0.5, 0), blue=(2, 0, -1)), "colour"
    )
    assert np.allclose(mixed, [[[0.9, 0.35, 0.0]]], atol=1e-6)


@pytest.mark.parametrize("name", ["colour", "roughness"])
@pytest.mark.parametrize("effect", [Smooth(3.0, 0.05), Specks(2.0, 0.2), NearContrast(3.0, 0.5, 0.05)])
def test_in_a_group_by_itself_they_do_to_what_is_covered_what_they_do_to_a_sheet(
    plane: Path, name: str, effect: Effect
) -> None:
    studio, size, key = Studio.new(plane, sheet_size=64), Extent(64, 64), SheetKey("paint", 1001)
    layer = studio.execute(AddLayer("Paint", Brushwork(), {})).layers[-1].id
    block = np.full((64, 64, 4), 65535, np.uint16)
    block[..., :3] = np.random.default_rng(5).integers(28000, 30000, (64, 64, 3 if name == "colour" else 1))
    block[20, 20, :3] = 65535
    block[:8, :, 3] = 0  # where nothing is
    edit = set_block(studio, layer, key, name, (0, 0), block)
    assert edit is not None
    studio.execute(edit)
    studio.execute(AddLayer("Mend", Adjustment(effect), {name: Channel()}))

    def now() -> np.ndarray:
        found = composite_sheet(studio.sources, studio.project, name, studio.surface.sheet(key, size), 16)
        return found.astype(np.float64) / 65535

    bare = now()
    group = studio.execute(GroupLayers(tuple(one.id for one in studio.project.layers))).layers[-1].id
    studio.execute(SetGroup(group, isolated=True))
    grouped = now()
    assert np.abs(bare - grouped)[8 + effect.reach :].max() < 1 / 255
    around = block[8 : 8 + effect.reach, :, :3].mean() / 65535  # the rim looks at what is covered alone
    assert np.abs(grouped[9 : 8 + effect.reach] - around).max() < 20 / 255
    assert (grouped[:8] == grouped[0, 0]).all()


def test_normals_keep_their_length_under_half_masks_groups_and_blurs(plane: Path) -> None:
    studio, size = Studio.new(plane, sheet_size=64), Extent(64, 64)
    layer, key = studio.execute(AddLayer("Dents", Brushwork(), {})).layers[-1].id, SheetKey("paint", 1001)
    rng = np.random.default_rng(2)
    lean = rng.uniform(-0.65, 0.65, (64, 64, 2))
    unit = np.dstack([lean, np.sqrt(1 - (lean**2).sum(axis=2))])
    block = np.dstack([np.rint((unit * 0.5 + 0.5) * 65535), np.full((64, 64), 65535)]).astype(np.uint16)
    edit = set_block(studio, layer, key, "normal", (0, 0), block)
    assert edit is not None
    studio.execute(edit)

    def worst() -> float:
        values = composite_sheet(studio.sources, studio.project, "normal", studio.surface.sheet(key, size), 16)
        return float(np.abs(np.linalg.norm(values / 65535 * 2 - 1, axis=2) - 1).max())

    for effect, mask in ((Blur(2.0), True), (Normalise(), False), (Specks(2.0, 0.3), True), (Smooth(3.0, 0.5), True)):
        number = studio.execute(AddLayer("Change", Adjustment(effect), {"normal": Channel()})).layers[-1].id
        if mask:
            studio.execute(AddMaskEntry(number, MaskEntry(Fill(0.5))))
        assert worst() < 1e-3, effect
    inner = studio.project.layers[-1]
    group = studio.execute(AddLayer("Half", Group((inner,)), {}, opacity=0.5)).layers[-1].id
    studio.execute(AddMaskEntry(group, MaskEntry(Fill(0.5))))
    assert worst() < 1e-3
    with pytest.raises(CommandError, match="no directions"):
        studio.execute(AddLayer("Wrong", Adjustment(Normalise()), {"colour": Channel()}))


def test_jobs_take_them_and_pictures_keep_their_own_despeckle(plane: Path, run_job: Runner) -> None:
    picture = np.full((32, 32, 4), 255, np.uint8)
    picture[..., :3] = 100
    picture[8, 8, :3] = 255
    save_png(plane.parent / "dot.png", picture)
    steps = [
        {"do": "wash", "name": "Dots", "pictures": {"colour": "dot.png"}, "sampling": "nearest"},
        {"do": "adjust", "kind": "despeckle", "map": "colour", "radius": 2, "threshold": 0.1, "which": "bright"},
        {"do": "prepare", "picture": "dot.png", "as": "clean", "ops": [{"op": "despeckle", "radius": 40}]},
    ]
    job = {"job": 1, "model": "plane.obj", "sheet_size": 32, "steps": steps,
           "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
    result = run_job(job)
    assert result.returncode == 0, result.stderr
    assert (read_png(plane.parent / "maps" / "job_paint_baseColor.png")[..., :3] == 100).all()
    for wrong, words in (({"kind": "despeckle", "radius": 0}, "radius"), ({"kind": "despeckle", "which": "red"}, "which"),
                         ({"kind": "posterise", "tones": 1}, "tones"), ({"kind": "dither", "map": "normal"}, "normal"),
                         ({"kind": "despeckle", "map": "normal", "which": "dark"}, "neither")):  # fmt: skip
        refused = run_job({**job, "steps": [{"do": "adjust", **wrong}]})
        assert refused.returncode == 2 and words in refused.stderr, refused.stderr


def test_values_are_counted_as_they_are_composited_below_a_layer_on_chosen_faces(plane: Path) -> None:
    studio, size, key = Studio.new(plane, sheet_size=Extent(300, 200)), Extent(300, 200), SheetKey("paint", 1001)
    layer = studio.execute(AddLayer("Paint", Brushwork(), {})).layers[-1].id
    block = np.full((200, 300, 4), 255, np.uint8)
    block[..., :3] = np.random.default_rng(3).integers(0, 256, (200, 300, 3))
    edit = set_block(studio, layer, key, "colour", (0, 0), block)
    assert edit is not None
    studio.execute(edit)
    top = studio.execute(AddLayer("Above", Adjustment(Posterise(2)), {"colour": Channel()})).layers[-1].id
    found = counted_values(studio.sources, below(studio.project, top), "colour")
    assert [np.array_equal(found[k], np.bincount(block[..., k].ravel(), minlength=256)) for k in range(3)] == [
        True
    ] * 3
    first = np.arange(studio.model.triangle_count) == 0
    mine = studio.surface.sheet(key, size).texels_of(first)
    some = counted_values(studio.sources, below(studio.project, top), "colour", first)
    assert np.array_equal(some[1], np.bincount(block[mine, 1], minlength=256)) and 0 < mine.sum() < mine.size
    heard = counted_values(
        studio.sources, below(studio.project, top), "colour", None, plainly(Echo("colour", "g", white=0.5))
    )
    assert np.array_equal(heard, found[1:2])  # the part alone, before its levels
