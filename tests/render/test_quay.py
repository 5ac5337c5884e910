"""The quay reads exported files from disk and nothing else."""

from __future__ import annotations

from pathlib import Path

import moderngl
import numpy as np
import pytest

from lucky_fern.core import taking
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.exporting.model_files import model_files
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.sheets.grid import all_chunks
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio
from lucky_fern.quay.cargo import Cargo, CargoError, import_notes, maps_of, open_cargo
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
        studio.execute(SetSheetSize(SIZE, str(key)))
    return studio, folder


def cargo_of(ferry: tuple[Studio, Path], setup: ExportSetup) -> Cargo:
    studio, folder = ferry
    where = folder / f"{setup.preset} {setup.format} {setup.normal_y}"
    export(studio.sources, studio.project, setup, "hen", where)
    model = folder / "hen.obj"
    for name, data in model_files(studio.model, model.name).items():
        (folder / name).write_bytes(data)
    return open_cargo(where, model, setup.normal_y == "-")


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


def test_normals_in_blocks_get_their_third_component_back(ferry: tuple[Studio, Path]) -> None:
    cargo = cargo_of(ferry, ExportSetup("separate", "", "dds"))
    for key, maps in maps_of(cargo).items():
        wanted = taking.whole_map(ferry[0], key, "normal")
        inside = ferry[0].surface.sheet(key, SIZE).covered
        assert np.abs(maps["normal"].astype(int) - wanted)[inside].mean() < 3


def test_a_classic_set_gives_back_what_it_was_made_of(ferry: tuple[Studio, Path]) -> None:
    """Within what 8 bits leave: stated for the round trip."""
    cargo = cargo_of(ferry, ExportSetup("classic", ""))
    for key, maps in maps_of(cargo).items():
        inside = ferry[0].surface.sheet(key, SIZE).covered
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
    stage = Stage(context, cargo)
    shown, there = picture(context, stage, camera, look, Filtering())
    # The program's own picture, from maps that never were files.
    store = MapStore(studio.sources)
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    textures = SheetTextures(context, store)
    sizes = dict.fromkeys(studio.surface.keys, SIZE)
    for piece in store.maps:
        textures.upload(piece, SIZE, all_chunks(SIZE))
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
        wrong = Stage(context, cargo.read_as(word, **changes))
        assert difference(context, stage, wrong, camera, look) > least, word
        wrong.release()
    assert difference(context, stage, stage, camera, look, (Filtering(), Filtering(nearest=True, mips=False))) > 0.5
    assert difference(context, stage, stage, camera, look) == 0
