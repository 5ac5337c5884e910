"""The check before an export: each thing that goes wrong in games is found, and nothing else."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core import taking
from lucky_fern.core.checking.found import Found
from lucky_fern.core.checking.result import check_result
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, SetCredit
from lucky_fern.core.project.document import Channel, Decal, Relief, Wash
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.core.project.shapes import Fill, MaskEntry
from lucky_fern.core.studio import Studio
from samples import PLANE, Runner, read_png, save_png, soft_noise


@pytest.fixture
def studio(tmp_path: Path) -> Studio:
    """A board with fine noise all over: nothing is wrong with it."""
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=256)
    noise = np.random.default_rng(1).integers(60, 200, (256, 256, 3), dtype=np.uint8)
    add(studio, save_png(tmp_path / "noise.png", noise), "colour", "roughness")
    return studio


def add(studio: Studio, path: Path, *maps: str) -> int:
    picture = studio.add_picture(path)
    place = Lay("paint", 1001, (0.5, 0.5), 1.0, 1.0)
    studio.execute(AddLayer(path.stem, Decal(picture, place, "nearest"), {name: Channel("picture") for name in maps}))
    return studio.project.layers[-1].id


def found(
    studio: Studio, setup: ExportSetup | None = None, stem: str = "item", **more: object
) -> dict[str, list[Found]]:
    made: dict[str, list[Found]] = {}
    for one in check_result(studio.sources, studio.project, partial(taking.whole_map, studio),
                            (setup or ExportSetup("separate", ""),), stem, **more):  # fmt: skip
        made.setdefault(one.kind, []).append(one)
    return made


def test_nothing_is_said_about_what_is_right(studio: Studio) -> None:
    studio.execute(SetCredit("noise.png", licence="CC0-1.0"))
    assert found(studio) == {}


def test_a_map_that_a_mask_hides_is_empty(studio: Studio) -> None:
    studio.execute(AddLayer("Lamp", Wash(), {"emissive": Channel("#ffee00")}))
    layer = studio.project.layers[-1].id
    assert "empty" not in found(studio)
    studio.execute(AddMaskEntry(layer, MaskEntry(Fill(0.0))))
    (one,) = found(studio)["empty"]
    assert one.layer == layer and one.map == "emissive" and "Lamp" in one.sentence


def test_what_is_to_glow_and_cannot(studio: Studio, tmp_path: Path) -> None:
    studio.execute(AddLayer("Lamp", Wash(), {"emissive": Channel("#000000")}))
    assert "gives black" in found(studio)["empty"][0].sentence
    studio.execute(AddLayer("Panes", Wash(), {"emissive": Channel("#ffcc88")}))
    assert "glow" not in found(studio)
    studio.execute(AddLayer("Sign", Wash(), {"emissive": Channel("#ff0000")}))
    layer = studio.project.layers[-1].id
    studio.execute(AddMaskEntry(layer, MaskEntry(Fill(0.0))))
    (one,) = found(studio)["glow"]
    assert one.layer == layer and "‘Sign’" in one.sentence and "lets nothing through" in one.sentence


@pytest.mark.parametrize(
    "setup",
    [ExportSetup("separate", "", "dds"), ExportSetup("gltf", ""), ExportSetup("gltf", "", "jpeg", quality=50)],
)
def test_the_budget_is_held_against_what_is_really_written(
    studio: Studio, tmp_path: Path, setup: ExportSetup
) -> None:
    done = export(studio.sources, studio.project, setup, "item", tmp_path / "out")
    total = sum(done.sizes.values())
    assert "budget" not in found(studio, setup, budget=total)
    assert f"{total / 1e3:.1f} kB" in found(studio, setup, budget=total - 1)["budget"][0].sentence


def test_glow_on_black_and_colours_that_light_cannot_shade(studio: Studio, tmp_path: Path) -> None:
    dark = np.full((256, 256, 3), 128, np.uint8)
    dark[:128] = 4
    add(studio, save_png(tmp_path / "dark.png", dark), "colour")
    assert "50% of the colour" in found(studio)["range"][0].sentence
    glow = np.zeros((256, 256, 3), np.uint8)
    glow[64:192] = 255
    add(studio, save_png(tmp_path / "glow.png", glow), "emissive")
    assert "50% of what glows" in found(studio)["glow"][0].sentence


def test_rims_are_found_and_mended(studio: Studio, tmp_path: Path) -> None:
    y, x = np.mgrid[0:256, 0:256]
    disc = (np.hypot(x - 128, y - 128) < 80) * np.uint8(255)
    add(studio, save_png(tmp_path / "disc.png", np.dstack([disc] * 3)), "opacity")
    assert "rims" not in found(studio)
    rgba = np.dstack([np.full((256, 256, 3), 250, np.uint8), 255 - disc])
    add(studio, save_png(tmp_path / "white.png", rgba), "colour")
    (one,) = found(studio)["rims"]
    assert "white rims" in one.sentence and one.mend == "rims"
    beside = []
    for rims in (False, True):
        done = export(
            studio.sources, studio.project, ExportSetup("separate", "", rims=rims), "p", tmp_path / str(rims)
        )
        base = read_png(next(path for path in done.files if "baseColor" in path.name))
        beside.append(base[128, 128 + 83, :3].mean() - base[128, 128 + 78, :3].mean())
        assert (base[..., 3] == disc).all()
    assert beside[0] > 40 and abs(beside[1]) < 90


def test_a_sheet_that_is_larger_than_its_finest_detail(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=1024)
    add(studio, save_png(tmp_path / "soft.png", soft_noise((1024, 1024), cells=4)), "colour")
    (one,) = found(studio)["size"]
    assert one.command is not None and one.command.size.width <= 256
    assert found(Studio.new(tmp_path / "plane.obj", sheet_size=128)) == {}
    studio.execute(one.command)
    assert "size" not in found(studio) or found(studio)["size"][0].command.size.width < one.command.size.width


def test_padding_names_budget_and_licences(studio: Studio) -> None:
    said = found(studio, ExportSetup("separate", "", padding=3), "Fähre 7", budget=50_000)
    assert said["padding"][0].mend == "padding" and "seams" in said["padding"][0].sentence
    assert "'F_hre_7'" in said["names"][0].sentence
    assert "50.0 kB" in said["budget"][0].sentence and "baseColor" in said["budget"][0].sentence
    assert said["licence"][0].sentence == "No licence is written down for noise.png."
    assert "names" not in found(studio, stem="ferry_7")
    assert "budget" not in found(studio, budget=10_000_000)
    assert found(studio, ExportSetup("emissive", ""))["empty"]


def test_normals_that_are_no_directions(studio: Studio) -> None:
    broken = np.full((256, 256, 3), 128, np.uint16) * 257

    def read(key: object, name: str) -> np.ndarray:
        return broken if name == "normal" else taking.whole_map(studio, key, name)

    studio.execute(AddLayer("Bumps", Wash(), {"height": Channel(0.7, relief=Relief())}))
    assert "normals" not in found(studio)
    said = check_result(studio.sources, studio.project, read, (ExportSetup("separate", ""),), "item")
    assert any(one.kind == "normals" and "length 1" in one.sentence for one in said)


def test_lettering_on_shared_islands(tmp_path: Path) -> None:
    (tmp_path / "pair.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 3 0 0\nv 3 1 0\nv 2 1 0\n"
        "vt 0.1 0.1\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9\nusemtl paint\n"
        "o left\nf 1/1 2/2 3/3 4/4\no right\nf 5/2 6/1 7/4 8/3\n"
    )
    studio = Studio.new(tmp_path / "pair.obj", sheet_size=64)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((8, 8, 3), 90, np.uint8)))
    studio.execute(
        AddLayer(
            "Name", Decal(picture, Throw((0.5, 0.5, 0), (0, 0, 1), (0, 1, 0), 0.5)), {"colour": Channel("picture")}
        )
    )
    said = found(studio, shared=np.ones(studio.model.triangle_count, np.bool_))["twins"]
    assert "backwards" in said[0].sentence and said[0].worry
    assert "twins" not in found(studio)


def test_jobs_check_and_write_credits(run_job: Runner, tmp_path: Path, plane: Path) -> None:
    save_png(tmp_path / "p.png", np.full((8, 8, 3), 90, np.uint8))
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 1.0}
    job = {"job": 1, "model": plane.name, "sheet_size": 256, "exports": [{"preset": "separate", "out": "maps"}], "steps": [
        {"do": "decal", "picture": "p.png", "place": lay, "channels": {"colour": "picture"}},
        {"do": "check", "preset": "emissive"},
        {"do": "credit", "picture": "p.png", "author": "A. Reed", "licence": "CC-BY-4.0", "source": "Otterwick archive"},
    ]}  # fmt: skip
    done = run_job(job, "--json")
    assert done.returncode == 0, done.stderr
    assert "emissive set will be empty" in done.stdout
    text = (tmp_path / "maps" / "CREDITS.txt").read_text()
    assert "p.png" in text and "A. Reed" in text and "CC-BY-4.0" in text and "Otterwick archive" in text
