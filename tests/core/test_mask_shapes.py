"""Shapes of masks: grown, smoothed, in part, repeated, and taken from what the maps show."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy.ndimage import distance_transform_edt

from lucky_fern.core import taking
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.growth import evened, grown
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, GiveMask
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.shapes import Fill, MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.studio import Studio
from samples import PLANE, Runner, read_png, save_png

TILES = """v 0 0 0\nv 1 0 0\nv 2 0 0\nv 0 1 0\nv 1 1 0\nv 2 1 0
vt 0 0\nvt 1 0\nvt 2 0\nvt 0 1\nvt 1 1\nvt 2 1
usemtl paint\nf 1/1 2/2 5/5 4/4\nf 2/2 3/3 6/6 5/5
"""
ISLANDS = np.full((80, 100), -1, np.int32)
ISLANDS[5:75, 4:48], ISLANDS[5:75, 50:96] = 0, 1


def shown(studio: Studio, layer: int, number: int = 0) -> np.ndarray:
    key = studio.surface.keys[number]
    size = studio.project.size_of(key).width
    found = mask_values(studio.sources, studio.project, studio.project.layer(layer),
                        studio.surface.sheet(key, square(size)), Rect(0, size, 0, size))  # fmt: skip
    assert found is not None
    return found / 65535


@pytest.fixture
def board(tmp_path: Path) -> tuple[Studio, int]:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=64)
    studio.execute(AddLayer("Wear", Wash(), {"colour": Channel("#663311")}))
    return studio, studio.project.layers[-1].id


@pytest.mark.parametrize("texels", [3, 8, 21, -4, -11])
def test_growing_is_by_distance_and_inside_an_island(texels: int) -> None:
    y, x = np.mgrid[0:80, 0:100]
    disc = np.hypot(x - 40, y - 40) < 16
    values = np.where(ISLANDS >= 0, disc, 0).astype(np.float32)
    got = grown(values, texels, Islands(ISLANDS))
    for island in (0, 1):
        inside = island == ISLANDS
        mine = (values > 0) & inside
        if not mine.any():
            continue
        far = distance_transform_edt(~mine) if texels > 0 else distance_transform_edt(np.where(inside, mine, True))
        sure, never = (far <= texels - 1, far > texels + 1) if texels > 0 else (far > 1 - texels, far <= -texels - 1)
        assert (got[inside & sure] == 1).all()
        assert (got[inside & never] == 0).all()
    assert (got[ISLANDS < 0] == 0).all()


def test_smoothing_takes_stairs_away_and_leaves_even_greys_and_borders() -> None:
    y, x = np.mgrid[0:80, 0:100]
    islands = np.zeros((80, 100), np.int32)
    inner = np.s_[12:-12, 12:-12]  # beyond the array a blur sees no more of the line
    for angle in (7.0, 31.0, 52.0):
        turn = np.radians(angle)
        far = np.cos(turn) * (x - 50) + np.sin(turn) * (y - 40)
        stairs = (far < 0.3).astype(np.float32)
        smooth = np.clip(0.3 - far + 0.5, 0, 1)  # an edge one texel wide
        got = evened(stairs, 3.0, Islands(islands))
        assert np.abs(got - smooth)[inner].mean() < 0.4 * np.abs(stairs - smooth)[inner].mean()
        assert np.abs(got - smooth)[inner].max() < 0.3 < np.abs(stairs - smooth)[inner].max()
    grey = np.full((80, 100), 0.3, np.float32)
    assert np.abs(evened(grey, 4.0, Islands(islands)) - grey).max() < 1e-3
    full = np.where(ISLANDS == 0, np.float32(1), np.float32(0))
    assert np.abs(evened(full, 4.0, Islands(ISLANDS)) - full).max() < 1e-3


def test_an_entry_may_count_in_part(board: tuple[Studio, int]) -> None:
    studio, layer = board
    studio.execute(AddMaskEntry(layer, MaskEntry(Fill(0.5))))
    for mode, wanted in (("add", 0.5 + 0.25 * 0.5), ("subtract", 0.5 - 0.25 * 0.5), ("replace", 0.5 + 0.25 * 0.5)):
        before = studio.history.at
        studio.execute(AddMaskEntry(layer, MaskEntry(Fill(1.0), mode, opacity=0.25)))
        assert np.abs(shown(studio, layer) - wanted).max() < 1e-4
        studio.jump(before)
    with pytest.raises(CommandError, match="grow"):
        studio.execute(AddMaskEntry(layer, MaskEntry(Fill(1.0), grow=65)))


def test_a_laid_picture_repeats_over_all_tiles(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(TILES)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=64)
    pixels = np.random.default_rng(3).integers(0, 255, (16, 16), dtype=np.uint8)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.dstack([pixels] * 3)))
    place = Lay("paint", 1001, (0.125, 0.875), 0.25, 0.25, repeat=True)
    studio.execute(AddLayer("Hatch", Decal(picture, place, "nearest"), {"roughness": Channel("picture")}))
    layer = studio.project.layers[-1].id
    studio.execute(AddMaskEntry(layer, MaskEntry(PictureShape(picture, place, "luminance", "nearest"))))
    for number in (0, 1):
        whole = taking.whole_map(studio, studio.surface.keys[number], "roughness")[..., 0]
        mask = shown(studio, layer, number)
        assert np.abs(mask * 255 - np.tile(pixels, (4, 4))).max() < 1
        # Where nothing of the mask shows, roughness is 1 as ever.
        expected = 1 - mask * (1 - np.tile(pixels, (4, 4)) / 255)
        assert np.abs(whole / 255 - expected).max() < 2 / 255


def test_masks_from_maps_and_colours(board: tuple[Studio, int], tmp_path: Path) -> None:
    studio, _ = board
    ramp = np.broadcast_to(np.arange(0, 256, 4, dtype=np.uint8)[None, :, None], (64, 64, 3)).copy()
    picture = studio.add_picture(save_png(tmp_path / "ramp.png", ramp))
    studio.execute(AddLayer("Ramp", Decal(picture, Lay("paint", 1001, (0.5, 0.5), 1.0, 1.0), "nearest"),
                            {"colour": Channel("picture"), "height": Channel("picture")}))  # fmt: skip
    studio.execute(AddLayer("Over", Wash(), {"colour": Channel("#00ff00")}))
    over = studio.project.layers[-1].id
    for name in ("colour", "height"):
        studio.execute(AddMaskEntry(over, MaskEntry(taking.shape_of_map(studio, over, name))))
        assert np.abs(shown(studio, over) * 255 - ramp[..., 0]).max() <= 1
        studio.execute(GiveMask((over,), None))
    shape = taking.shape_of_colour(studio, over, "colour", (0.5, 0.5, 0.5), 0.1, 0.2)
    studio.execute(AddMaskEntry(over, MaskEntry(shape)))
    differs = np.abs(ramp[..., 0] / 255 - 0.5)
    assert np.abs(shown(studio, over) - np.clip(1 - (differs - 0.1) / 0.2, 0, 1)).max() < 0.02


def test_jobs_have_all_of_it(run_job: Runner, tmp_path: Path, plane: Path) -> None:
    save_png(tmp_path / "dot.png", np.full((8, 8, 4), 255, np.uint8))
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 0.25}
    mask = {"do": "mask", "layer": "Red", "kind": "picture", "picture": "dot.png", "place": lay, "grow": 4}
    job = {"job": 1, "model": plane.name, "sheet_size": 64, "exports": [{"preset": "separate", "out": "maps"}], "steps": [
        {"do": "wash", "name": "Base", "values": {"colour": "#204060"}},
        {"do": "wash", "name": "Red", "values": {"colour": "#ff0000"}}, mask,
    ]}  # fmt: skip

    def red() -> np.ndarray:
        done = run_job(job)
        assert done.returncode == 0, done.stderr
        return read_png(tmp_path / "maps" / "job_paint_baseColor.png")[..., 0] > 200

    assert red().sum() == pytest.approx(16 * 16 + 4 * 16 * 4 + np.pi * 16, rel=0.1)
    job["steps"][2] = {"do": "mask", "layer": "Red", "kind": "colour", "colour": "#204060"}
    assert red().all()
    job["steps"][2] = {"do": "mask", "layer": "Red", "kind": "map", "map": "colour", "white": 0.1}
    assert red().all()
    for change, words in (({"kind": "map", "map": "colours"}, "colours"), ({"kind": "colour"}, "colour"),
                          ({"grow": 99}, "grow")):  # fmt: skip
        job["steps"][2] = {**mask, **change}
        refused = run_job(job)
        assert refused.returncode == 2 and words in refused.stderr
