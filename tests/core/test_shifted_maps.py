"""Maps that came out shifted: one channel's picture moved and scaled against the layer's others."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.project.commands import SetChannel
from lucky_fern.core.studio import Studio
from samples import Runner, read_png, save_png

ONE = np.zeros((64, 64, 4), np.uint8)
ONE[..., 3], ONE[16:32, 8:24, :3] = 255, 255


def job(*steps: dict[str, Any]) -> dict[str, Any]:
    return {"job": 1, "model": "plane.obj", "sheet_size": 64, "save": "a.fern",
            "steps": [{"do": "wash", "name": "Base", "values": {"colour": "#000000", "roughness": 0, "metallic": 0}}, *steps],
            "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip


def lit(folder: Path, name: str) -> tuple[list[int], list[int]]:
    """The first and last row and column of what is white on a map."""
    texels = read_png(folder / "maps" / f"job_paint_{name}.png")
    spots = np.argwhere(texels.reshape(64, 64, -1)[..., 0] > 127)
    return spots.min(axis=0).tolist(), spots.max(axis=0).tolist()


def test_a_washs_map_is_shifted_and_scaled_against_the_others(plane: Path, run_job: Runner) -> None:
    save_png(plane.parent / "one.png", ONE)
    wash = {
        "do": "wash",
        "name": "Both",
        "pictures": {"colour": "one.png", "roughness": "one.png", "metallic": "one.png"},
    }
    result = run_job(job({**wash, "channels": {"roughness": {"shift": [0.25, 0]}, "metallic": {"scale": 0.5}}}))
    assert result.returncode == 0, result.stderr
    assert lit(plane.parent, "baseColor") == ([16, 8], [31, 23])
    assert lit(plane.parent, "roughness") == ([16, 24], [31, 39])  # a quarter of the tile to the right
    assert lit(plane.parent, "metallic") == ([8, 4], [47, 43])  # half as large, twice each way
    studio = Studio.open(plane.parent / "a.fern")
    layer, before = studio.project.layers[-1], studio.project
    assert layer.channels["roughness"].shift == (0.25, 0.0) and layer.channels["metallic"].scale == 0.5
    store, key = MapStore(studio.sources), MapKey(studio.surface.keys[0], "roughness")
    for piece, chunks in everything(studio.sources, before).items():
        store.update(before, piece, chunks)
    old = store.get(key, studio.project.sheet_size).copy()
    channel = layer.channels["roughness"]
    studio.execute(
        SetChannel(layer.id, "roughness", type(channel)("picture", picture=channel.picture, shift=(0.0, 0.25)))
    )
    assert {piece.map for piece in dirtied(studio.sources, before, studio.project)} == {"roughness"}
    for piece, chunks in dirtied(studio.sources, before, studio.project).items():
        store.update(studio.project, piece, chunks)
    assert not np.array_equal(store.get(key, studio.project.sheet_size), old)


def test_a_laid_decals_map_is_shifted_and_thrown_ones_say_why_not(plane: Path, run_job: Runner) -> None:
    save_png(plane.parent / "white.png", np.full((16, 16, 4), 255, np.uint8))
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.25, 0.75], "width": 0.25}
    decal = {"do": "decal", "name": "Mark", "picture": "white.png", "place": lay,
             "channels": {"colour": "picture", "roughness": {"source": "picture", "shift": [0.5, -0.25]},
                          "metallic": {"source": "picture", "scale": 0.5}}}  # fmt: skip
    result = run_job(job(decal))
    assert result.returncode == 0, result.stderr
    assert lit(plane.parent, "baseColor") == ([8, 8], [23, 23])
    assert lit(plane.parent, "roughness") == ([24, 40], [39, 55])
    assert lit(plane.parent, "metallic") == ([12, 12], [19, 19])
    result = run_job(job(decal, {"do": "set", "layer": "Mark", "channels": {"roughness": {"shift": [0, 0]}}}))
    assert result.returncode == 0, result.stderr
    assert lit(plane.parent, "roughness") == ([8, 8], [23, 23])
    throw = {"mode": "throw", "point": [0, 0, 0], "normal": [0, 0, 1], "width": 0.5}
    for wrong, words in (({**decal, "place": throw}, "in tiles"), ({**decal, "channels": {"colour": {"scale": 0}}}, "scale"),
                         ({"do": "wash", "values": {"colour": "#fff000"}, "channels": {"height": {}}}, "'height'")):  # fmt: skip
        refused = run_job(job(wrong))
        assert refused.returncode == 2 and words in refused.stderr, refused.stderr
