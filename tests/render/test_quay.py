"""The quay reads exported files from disk and nothing else."""

from __future__ import annotations

import json
from pathlib import Path

import moderngl
import numpy as np
import pytest

from lucky_fern.cli import main
from lucky_fern.core import taking
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.exporting.model_files import model_files
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.presets import preset_from_json
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio
from lucky_fern.quay.advice import import_notes, read_wrongly, why_other
from lucky_fern.quay.cargo import Cargo, CargoError, maps_of, open_cargo
from lucky_fern.quay.stage import Filtering, Stage, difference, picture
from lucky_fern.render.camera import Camera
from lucky_fern.render.model_scene import Look, ModelScene
from lucky_fern.render.textures import SheetTextures

SIZE = 256


@pytest.fixture(scope="module")
def ferry(tmp_path_factory: pytest.TempPathFactory) -> tuple[Studio, Path]:
    """The Marsh Hen on small sheets, and a folder for her."""
    folder = tmp_path_factory.mktemp("quay")
    studio = demo_studio("ferry", folder / "world")
    for key in studio.surface.keys:
        studio.execute(SetSheetSize(square(SIZE), str(key)))
    return studio, folder


def cargo_of(ferry: tuple[Studio, Path], setup: ExportSetup) -> Cargo:
    studio, folder = ferry
    where = folder / f"{setup.preset} {setup.format} {setup.normal_y}"
    export(studio.sources, studio.project, setup, "hen", where)
    model = folder / "hen.obj"
    for name, data in model_files(studio.model, model.name).items():
        (folder / name).write_bytes(data)
    return open_cargo(where, model, setup.normal_y == "-", [setup.own] if setup.own is not None else [])


@pytest.mark.parametrize("preset", ["separate", "packed", "gltf"])
@pytest.mark.parametrize("form", ["png", "tga", "exr"])
def test_every_set_gives_the_same_maps(ferry: tuple[Studio, Path], preset: str, form: str) -> None:
    cargo = cargo_of(ferry, ExportSetup(preset, "", form))
    for key, maps in maps_of(cargo).items():
        for name in ("colour", "metallic", "roughness", "normal", "emissive"):
            wanted = taking.whole_map(ferry[0], key, name)
            wanted = (
                wanted if wanted.dtype == np.uint8 else ((wanted.astype(np.uint32) + 128) // 257).astype(np.uint8)
            )
            assert np.abs(maps[name].astype(int) - wanted).max() <= 1, (key, name)


OWN = {
    "title": "Own",
    "pattern": "{material}-{tile}-{map}.{ext}",
    "files": [
        {"word": "albedo", "encoded": True, "always": True,
         "channels": [{"of": "colour"}, {"of": "colour", "part": "g"}, {"of": "colour", "part": "b"}]},
        {"word": "mix", "channels": [{"of": "roughness", "invert": True}, {"of": "metallic", "low": 0.2, "high": 0.7},
                                     {"value": 1.0}]},
        {"word": "bump", "channels": [{"of": "normal"}, {"of": "normal", "part": "g", "invert": True},
                                      {"of": "normal", "part": "b"}]},
    ],
}  # fmt: skip


def test_files_named_and_filled_by_ones_own_preset_are_known(ferry: tuple[Studio, Path]) -> None:
    own = preset_from_json(json.dumps(OWN).encode(), "own.json")
    cargo = cargo_of(ferry, ExportSetup("own", "", own=own))
    assert set(cargo.kinds) == {"albedo", "mix", "bump"} and len({crate.sheet for crate in cargo.crates}) == 4
    for key, maps in maps_of(cargo).items():
        for name, least in (("colour", 0), ("roughness", 0), ("metallic", 1), ("normal", 0)):
            differs = np.abs(maps[name].astype(int) - taking.whole_map(ferry[0], key, name))
            assert differs.max() <= least, (key, name)
    notes = import_notes(cargo)
    assert "Red is roughness, turned over, green is metallic, from 0.2 to 0.7, blue is 1 throughout" in notes
    assert "Green points down" in notes
    plain = open_cargo(cargo.crates[0].path.parent.with_name("separate png +"), ferry[1] / "hen.obj")
    with pytest.raises(CargoError):  # without the preset nobody can tell
        open_cargo(cargo.crates[0].path.parent, ferry[1] / "hen.obj", before=plain)


def test_why_files_look_other_than_what_was_painted(ferry: tuple[Studio, Path]) -> None:
    painted = taking.written(ferry[0])
    small = cargo_of(ferry, ExportSetup("emissive", "", "jpeg", size=64))
    said = " ".join(why_other(small, painted))
    assert "64 × 64 texels, the sheet 256 × 256" in said and "JPEG" in said and "No file holds colour or" in said
    whole = cargo_of(ferry, ExportSetup("separate", ""))
    assert "older" in " ".join(why_other(whole, painted))


def test_deep_floats_are_read_as_light(ferry: tuple[Studio, Path]) -> None:
    cargo = cargo_of(ferry, ExportSetup("separate", "", "tiff", full=True))
    for key, maps in maps_of(cargo).items():
        for name in ("colour", "roughness", "normal"):
            assert np.abs(maps[name].astype(int) - taking.whole_map(ferry[0], key, name)).max() <= 1, name


def test_normals_in_blocks_get_their_third_component_back(ferry: tuple[Studio, Path]) -> None:
    cargo = cargo_of(ferry, ExportSetup("separate", "", "dds"))
    for key, maps in maps_of(cargo).items():
        wanted = taking.whole_map(ferry[0], key, "normal")
        inside = ferry[0].surface.sheet(key, square(SIZE)).covered
        assert np.abs(maps["normal"].astype(int) - wanted)[inside].mean() < 3


def test_a_classic_set_gives_back_what_it_was_made_of(ferry: tuple[Studio, Path]) -> None:
    """Within what 8 bits leave: stated for the round trip."""
    cargo = cargo_of(ferry, ExportSetup("classic", ""))
    for key, maps in maps_of(cargo).items():
        inside = ferry[0].surface.sheet(key, square(SIZE)).covered
        for name in ("colour", "metallic", "roughness"):
            differs = np.abs(maps[name].astype(int) - taking.whole_map(ferry[0], key, name))[inside]
            assert np.quantile(differs, 0.95) <= 3, (key, name)


def test_files_read_otherwise_than_they_were_written(ferry: tuple[Studio, Path]) -> None:
    cargo = cargo_of(ferry, ExportSetup("separate", ""))
    key = cargo.surface.keys[0]
    right = maps_of(cargo)[key]
    pale = maps_of(cargo.read_as("baseColor", encoded=False))[key]["colour"]
    assert np.abs(pale - encode_srgb(right["colour"] / 255) * 255).max() <= 1
    bent = maps_of(cargo.read_as("roughness", encoded=True))[key]["roughness"]
    assert np.abs(bent - decode_srgb(right["roughness"] / 255) * 255).max() <= 1
    over = maps_of(cargo.read_as("normal", flipped=True))[key]["normal"]
    assert (over[..., 1] == 255 - right["normal"][..., 1]).all()
    down = cargo_of(ferry, ExportSetup("separate", "", normal_y="-"))
    assert np.abs(maps_of(down)[key]["normal"].astype(int) - right["normal"]).max() <= 1
    assert "Green points down" in import_notes(down) and "sRGB" in import_notes(down)


def test_the_notes_are_written_without_a_window(ferry: tuple[Studio, Path], capsys: pytest.CaptureFixture) -> None:
    cargo = cargo_of(ferry, ExportSetup("packed", "", normal_y="-"))
    folder, model = cargo.crates[0].path.parent, str(ferry[1] / "hen.obj")
    assert main(["quay", str(folder), "--model", model, "--normal-y", "-", "--notes"]) == 0
    assert (folder / "IMPORT-NOTES.txt").read_text() == import_notes(cargo)
    assert main(["quay", str(ferry[1] / "nowhere"), "--notes"]) == 2 and "nowhere" in capsys.readouterr().err


def test_a_folder_without_anything_says_what_it_lacks(ferry: tuple[Studio, Path], tmp_path: Path) -> None:
    with pytest.raises(CargoError, match="--model"):
        open_cargo(tmp_path)
    (tmp_path / "plane.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n")
    with pytest.raises(CargoError, match="no map of"):
        open_cargo(tmp_path)


def test_the_quay_shows_what_the_program_shows_and_how_far_wrong_settings_are(
    context: moderngl.Context, ferry: tuple[Studio, Path]
) -> None:
    studio = ferry[0]
    camera, look = Camera().framing(studio.model.bounds, 480 / 360), Look()
    cargo = cargo_of(ferry, ExportSetup("separate", ""))
    stage = Stage.of(context, cargo.surface, maps_of(cargo))
    shown, there = picture(context, stage, camera, look, Filtering())
    # The program's own picture, from maps that never were files.
    store = MapStore(studio.sources)
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    textures = SheetTextures(context, store)
    sizes = dict.fromkeys(studio.surface.keys, square(SIZE))
    for piece in store.maps:
        textures.upload(piece, square(SIZE), all_chunks(square(SIZE)))
    textures.finish()
    target = context.framebuffer([context.texture((480, 360), 4)], context.depth_renderbuffer((480, 360)))
    target.use()
    target.viewport = (0, 0, 480, 360)
    ModelScene(context, studio.surface).draw(camera, 480 / 360, look, textures, sizes)
    own = np.frombuffer(target.color_attachments[0].read(), np.uint8).reshape(360, 480, 4)[::-1, :, :3]
    assert there.mean() > 0.1
    assert np.abs(shown.astype(int) - own)[there].mean() <= 3
    for word, changes, least in (("baseColor", {"encoded": False}, 15), ("roughness", {"encoded": True}, 1),
                                 ("emissive", {"encoded": False}, 0.1), ("normal", {"flipped": True}, 0.1)):  # fmt: skip
        wrong = cargo.read_as(word, **changes)
        assert len(read_wrongly(wrong)) == 1 and not read_wrongly(cargo)
        stage.put(maps_of(wrong))
        stage.send()
        right = Stage.of(context, cargo.surface, maps_of(cargo))
        assert difference(context, right, stage, camera, look) > least, word
        stage.put(maps_of(cargo))  # what was read otherwise is read rightly again
        stage.send()
        assert difference(context, right, stage, camera, look) == 0
        right.release()
    assert difference(context, stage, stage, camera, look, (Filtering(), Filtering(nearest=True, mips=False))) > 0.5
    assert difference(context, stage, stage, camera, look) == 0


def test_pixel_art_is_read_as_squares_by_what_the_model_says_and_the_notes_name_it(
    context: moderngl.Context, tmp_path: Path
) -> None:
    studio = demo_studio("kettle", tmp_path / "world")
    assert studio.pixel_art
    export(studio.sources, studio.project, ExportSetup("gltf", "", size=256), "kettle", tmp_path / "maps")
    cargo = open_cargo(tmp_path / "maps")  # nobody says so but the GLB's own samplers
    assert {key.material for key in cargo.pixel_art} == {key.material for key in studio.pixel_art}
    notes = import_notes(cargo)
    assert "Pixel art: kettle:1001" in notes and "Mips: off" in notes
    for name, data in model_files(studio.model, "kettle.obj").items():
        (tmp_path / name).write_bytes(data)
    plain = open_cargo(tmp_path / "maps", tmp_path / "kettle.obj")
    assert not plain.pixel_art and "Pixel art:" not in import_notes(plain)
    told = open_cargo(tmp_path / "maps", tmp_path / "kettle.obj", pixel_art=studio.pixel_art)
    camera, look = Camera().framing(studio.model.bounds, 480 / 360), Look()
    stage = Stage(context, told.surface, told.pixel_art)
    stage.put(maps_of(told))
    stage.send()
    as_made, smooth = Filtering(), Filtering(nearest=False)
    assert difference(context, stage, stage, camera, look, (as_made, Filtering(nearest=True, mips=False))) == 0
    assert difference(context, stage, stage, camera, look, (as_made, smooth)) > 0.3
    stage.release()
