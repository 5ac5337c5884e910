"""Sheets that are not square: the same surface on a wide sheet and on the lower strip of a square one looks the same."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.jobs.run import run_job
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.sheets.grid import Extent, square
from lucky_fern.core.studio import Studio
from samples import read_png, save_png, soft_noise

WIDE, STRIP = Extent(320, 80), square(320)
FRONT = {"point": [0.1, 0.05, 0.2], "normal": [0.2, 0.1, 1], "up": [0, 1, 0]}


def hills(path: Path, share: float) -> Path:
    """A hilly board of 12 × 6 cells whose UVs fill the tile across and a share of it upwards."""
    text = "o board\nusemtl paint\n"
    for row in range(7):
        for column in range(13):
            x, y = column / 6 - 1, row / 12 - 0.25
            text += f"v {x:.6f} {y:.6f} {0.12 * np.sin(4 * x) * np.cos(7 * y):.6f}\n"
            text += f"vt {0.02 + column / 12 * 0.96:.6f} {(0.04 + row / 6 * 0.92) * share:.8f}\n"
    for row in range(6):
        for column in range(12):
            a = row * 13 + column + 1
            text += "f " + " ".join(f"{n}/{n}" for n in (a, a + 1, a + 14, a + 13)) + "\n"
    path.write_text(text)
    return path


def steps(share: float) -> list[dict[str, Any]]:
    """One of everything; what is said in UV space is said for that share of the tile."""
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.7, 0.6 * share], "width": 0.2}
    return [
        {"do": "wash", "name": "Base", "values": {"colour": "#557799", "roughness": 0.4}},
        {"do": "wash", "name": "Cloth", "pictures": {"height": "soft.png"}, "repeat": [3, 2 / share], "relief": True},
        {"do": "decal", "name": "Throw", "picture": "soft.png", "channels": {"colour": "picture"},
         "place": {"mode": "throw", **FRONT, "width": 0.5, "depth": 1}},
        {"do": "decal", "name": "Drape", "picture": "soft.png", "channels": {"roughness": "picture"},
         "place": {"mode": "drape", "point": [-0.4, 0, 0], "normal": [0, 0, 1], "up": [0.3, 1, 0], "width": 0.4}},
        {"do": "decal", "name": "Lay", "picture": "soft.png", "channels": {"colour": "picture"},
         "place": {**lay, "height": 0.5 * share}},
        {"do": "brushwork", "name": "Paint"},
        {"do": "stroke", "layer": "Paint", "points": [[-0.8, -0.1, 0, 1], [0.2, 0.15, 0, 0.6]], "radius": 0.07,
         "hardness": 0.4, "values": {"colour": "#cc3300", "height": 0.7}},
        {"do": "edging", "name": "Hem", "along": "open", "offset": 0.05, "motif": "stitch", "length": 0.05,
         "width": 0.015, "gap": 0.03, "channels": {"colour": "#eeeedd"}},
        {"do": "mask", "layer": "Lay", "kind": "rule", "rule": "grain", "form": "soft", "size": 0.2},
        {"do": "mask", "layer": "Throw", "kind": "rule", "rule": "edges", "reach": 0.2, "low": 0.3, "high": 0.05},
        {"do": "adjust", "name": "Soft", "kind": "blur", "map": "colour", "radius": 3, "opacity": 0.6},
    ]  # fmt: skip


@pytest.fixture(scope="module")
def both(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """The same work on a wide sheet, and on the lower quarter of a square one."""
    made = []
    for name, share, size in (("wide", 1.0, [320, 80]), ("strip", 0.25, 320)):
        folder = tmp_path_factory.mktemp(name)
        hills(folder / "board.obj", share)
        save_png(folder / "soft.png", soft_noise((96, 128), cells=6))
        job = {"job": 1, "model": "board.obj", "sheet_size": size, "steps": steps(share), "save": "board.fern",
               "exports": [{"preset": "separate", "out": "maps", "bits": 16, "padding": 0}]}  # fmt: skip
        (folder / "job.json").write_text(json.dumps(job))
        run_job(folder / "job.json")
        made.append(folder)
    return made[0], made[1]


@pytest.mark.parametrize("name", ["baseColor", "roughness", "height", "normal"])
def test_all_that_is_drawn_is_the_same_on_a_wide_sheet(both: tuple[Path, Path], name: str) -> None:
    wide, strip = (read_png(folder / "maps" / f"job_paint_{name}.png").astype(np.int64) for folder in both)
    assert wide.shape[:2] == (80, 320) and strip.shape[:2] == (320, 320)
    covered = Studio.open(both[0] / "board.fern").surface.sheet(sheet_key(both[0]), WIDE).covered
    off = np.abs(wide - strip[240:])[covered]
    assert np.percentile(off, 99) <= 65535 / 255  # a texel on a border may fall to the other side by rounding
    assert np.ptp(wide[covered], axis=0).max() > 3000  # there is something to be compared


def sheet_key(folder: Path) -> Any:
    return Studio.open(folder / "board.fern").surface.keys[0]


def test_another_size_brings_paint_along_and_costs_as_many_texels_as_it_has(both: tuple[Path, Path]) -> None:
    studio = Studio.open(both[0] / "board.fern")
    key = studio.surface.keys[0]
    before = composite_sheet(studio.sources, studio.project, "height", studio.surface.sheet(key, WIDE), 16)
    studio.execute(SetSheetSize(Extent(640, 80), str(key)))
    sheet = studio.surface.sheet(key, Extent(640, 80))
    after = composite_sheet(studio.sources, studio.project, "height", sheet, 16)
    assert after.shape == (80, 640, 1) and after.nbytes == 2 * before.nbytes
    inside = studio.surface.sheet(key, WIDE).covered
    halved = after.reshape(80, 320, 2, 1).astype(np.float64).mean(axis=2)
    assert np.abs(halved - before)[inside].mean() < 65535 * 0.004
