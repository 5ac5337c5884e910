"""Presets and formats of exports, read back by other libraries."""

from __future__ import annotations

import io
import json
import re
import struct
import zipfile
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import cv2
import numpy as np
import OpenEXR
import pygltflib
import pytest
import tifffile
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

import gltf_rules
from lucky_fern.core import taking
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError, ExportError
from lucky_fern.core.exporting.channels import file_pixels, rounded, to_classic
from lucky_fern.core.exporting.dds import encode_dds, fitting, halved
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.exporting.opaque_blocks import opaque_line_blocks
from lucky_fern.core.exporting.plans import plan_export
from lucky_fern.core.exporting.usd import write_usd
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.commands import AddLayer, GroupLayers
from lucky_fern.core.project.document import Adjustment, Channel, Decal, Wash
from lucky_fern.core.project.effects import Shade
from lucky_fern.core.project.export_setup import ExportSetup, check_setup
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.presets import MapFile, Pick, Preset, check_preset, preset_from_json, preset_to_json
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from samples import Runner, read_png, save_png, soft_noise

TILES = """v 0 0 0\nv 1 0 0\nv 2 0 0\nv 0 1 0\nv 1 1 0\nv 2 1 0
vt 0 0\nvt 1 0\nvt 2 0\nvt 0 1\nvt 1 1\nvt 2 1
usemtl hull\nf 1/1 2/2 5/5 4/4\nf 2/2 3/3 6/6 5/5
"""
SIZE = 64


@pytest.fixture
def studio(tmp_path: Path) -> Studio:
    """Two tiles with every map written, and opacity."""
    (tmp_path / "two.obj").write_text(TILES)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=SIZE)
    noise = np.dstack([soft_noise((SIZE, SIZE)), soft_noise((SIZE, SIZE), 2)[..., 0]])
    picture = studio.add_picture(save_png(tmp_path / "p.png", noise))
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#806040"), "roughness": Channel(0.6)}))
    names = ("colour", "metallic", "roughness", "height", "occlusion", "emissive", "opacity", "normal")
    studio.execute(AddLayer("All", Decal(picture, Lay("hull", 1001, (0.5, 0.5), 1.0, 1.0), "nearest"),
                            {name: Channel("picture") for name in names}))  # fmt: skip
    return studio


def written(studio: Studio, folder: Path, setup: ExportSetup) -> dict[str, Path]:
    done = export(studio.sources, studio.project, setup, "p", folder)
    return {path.name: path for path in done.files}


def map_of(studio: Studio, name: str) -> np.ndarray:
    return taking.whole_map(studio, studio.surface.keys[0], name)


def stacked(archive: zipfile.ZipFile, layers: list[dict[str, str]]) -> tuple[np.ndarray, np.ndarray]:
    """An OpenRaster's layers laid over white by hand, 0…1, and the picture that it says they make, 0…255."""
    total = np.ones((SIZE, SIZE, 3))
    for layer in reversed(layers):
        rgba = np.asarray(Image.open(io.BytesIO(archive.read(layer["src"])))) / 255
        alpha = rgba[..., 3:] * float(layer["opacity"])
        total = total * (1 - alpha) + rgba[..., :3] * alpha
    return total, np.asarray(Image.open(io.BytesIO(archive.read("mergedimage.png"))))[..., :3]


def test_packed_and_gltf_files_hold_each_map_in_its_channel(studio: Studio, tmp_path: Path) -> None:
    files = written(studio, tmp_path / "packed", ExportSetup("packed", ""))
    assert set(files) == {f"p_hull_{word}.{tile}.png" for word in ("baseColor", "orm", "normal", "emissive")
                          for tile in (1001, 1002)}  # fmt: skip
    orm = read_png(files["p_hull_orm.1001.png"])
    assert (orm == np.dstack([map_of(studio, name) for name in ("occlusion", "roughness", "metallic")])).all()
    base = read_png(files["p_hull_baseColor.1001.png"])
    assert (base == np.dstack([map_of(studio, "colour"), map_of(studio, "opacity")])).all()
    surface = read_png(
        written(studio, tmp_path / "gltf", ExportSetup("gltf", ""))["p_hull_metallicRoughness.1001.png"]
    )
    assert (surface[..., 1:] == orm[..., 1:]).all() and (surface[..., 0] == 255).all()


def test_a_glb_holds_model_and_maps_and_says_how_bright_it_glows(studio: Studio, tmp_path: Path) -> None:
    setup = ExportSetup("gltf", "", format="tga", normal_y="-", glow=4.0)
    files = written(studio, tmp_path / "out", setup)
    document = pygltflib.GLTF2().load(str(files["p.glb"]))
    blob = document.binary_blob()
    assert gltf_rules.problems(files["p.glb"].read_bytes()) == []
    assert [material.name for material in document.materials] == ["hull.1001", "hull.1002"]
    first = document.materials[0]
    assert first.alphaMode == "BLEND" and first.extensions["KHR_materials_emissive_strength"]["emissiveStrength"] == 4
    assert "KHR_materials_emissive_strength" in document.extensionsUsed

    def image(number: int) -> np.ndarray:
        view = document.bufferViews[document.images[document.textures[number].source].bufferView]
        data = blob[view.byteOffset : view.byteOffset + view.byteLength]
        return np.asarray(Image.open(io.BytesIO(data)))

    base = image(first.pbrMetallicRoughness.baseColorTexture.index)
    assert (base == np.dstack([map_of(studio, "colour"), map_of(studio, "opacity")])).all()
    normal = map_of(studio, "normal")  # glTF's green points up, whatever the files' does
    assert (image(first.normalTexture.index) == normal).all()
    scene = trimesh.load(files["p.glb"])
    uv = np.concatenate([mesh.visual.uv for mesh in scene.geometry.values()])
    assert uv.min() >= -1e-6 and uv.max() <= 1 + 1e-6  # each tile is a material of its own
    assert sum(mesh.area for mesh in scene.geometry.values()) == pytest.approx(2.0)


@pytest.mark.parametrize(
    ("before", "after", "words"),
    [(b'"count":', b'"cuont":', "lacks count"), (b'"indices":', b'"mode":   ', "mode is"), (b'"max":', b'"mux":', "has mux"),
     (b"image/png", b"image/gif", "mimeType"), (b'"version":"2.0"', b'"version":"1.0"', "version"),
     (b'"BLEND"', b'"BLAND"', "alphaMode")],
)  # fmt: skip
def test_the_rules_of_gltf_find_what_is_broken(
    studio: Studio, tmp_path: Path, before: bytes, after: bytes, words: str
) -> None:
    """The rules themselves are held to something: a file with one thing wrong does not pass."""
    data = written(studio, tmp_path / "out", ExportSetup("gltf", ""))["p.glb"].read_bytes()
    assert before in data
    assert any(words in one for one in gltf_rules.problems(data.replace(before, after)))


def test_an_obj_names_the_maps_in_its_materials(studio: Studio, tmp_path: Path) -> None:
    own = Preset("Own", (MapFile("colour", tuple(Pick("colour", part) for part in "rgb"), True),), model="obj")
    files = written(studio, tmp_path / "out", ExportSetup("own", "", own=own))
    text = files["p.mtl"].read_text()
    assert "newmtl hull.1001" in text and "map_Kd p_hull_colour.1002.png" in text
    mesh = trimesh.load(files["p.obj"], process=False)
    parts = list(mesh.geometry.values()) if isinstance(mesh, trimesh.Scene) else [mesh]
    uv = np.concatenate([part.visual.uv for part in parts])
    assert uv.min() >= 0 and uv.max() <= 1


@given(
    red=st.floats(0, 1), green=st.floats(0, 1), blue=st.floats(0, 1), metallic=st.floats(0, 1)
)  # fmt: skip
def test_the_classic_conversion_goes_back(red: float, green: float, blue: float, metallic: float) -> None:
    """From diffuse and specular the base colour follows again where it is neither metal nor mirror."""
    colour = np.array([[[red, green, blue]]], np.float32)
    diffuse, specular = to_classic(colour, np.full((1, 1, 1), metallic, np.float32))
    base, d, s = (decode_srgb(v)[0, 0] for v in (colour, diffuse, specular))
    assert np.abs(s - (0.04 + (base - 0.04) * metallic)).max() < 2e-3
    left = 1 - s.max()
    if metallic < 0.9 and left > 0.1:
        assert np.abs(d * left / (0.96 * (1 - metallic)) - base).max() < 2e-2
    assert d.max() <= 1 and (d >= 0).all()


def test_classic_files(studio: Studio, tmp_path: Path) -> None:
    files = written(studio, tmp_path / "out", ExportSetup("classic", ""))
    gloss = read_png(files["p_hull_gloss.1001.png"])
    assert (gloss == 255 - map_of(studio, "roughness")).all()
    assert read_png(files["p_hull_diffuse.1001.png"]).shape[2] == 4


@pytest.mark.parametrize("bits", [8, 16])
def test_tiff_and_exr_hold_exactly_what_png_does(studio: Studio, tmp_path: Path, bits: int) -> None:
    sets = {form: written(studio, tmp_path / form, ExportSetup("separate", "", form, bits=bits))
            for form in ("png", "tiff", "exr")}  # fmt: skip
    deepest = written(studio, tmp_path / "deepest", ExportSetup("separate", "", "png", bits=16))
    for word, count in (("baseColor", 4), ("roughness", 1), ("normal", 3), ("emissive", 3)):
        png = read_png(sets["png"][f"p_hull_{word}.1001.png"])
        tiff = tifffile.imread(sets["tiff"][f"p_hull_{word}.1001.tiff"])
        assert png.shape[2] == count and (tiff.reshape(png.shape) == png).all()
        channels = OpenEXR.File(str(sets["exr"][f"p_hull_{word}.1001.exr"]), separate_channels=True).channels()
        names = {1: "Y", 3: "RGB", 4: "RGBA"}[count]
        exr = np.stack([channels[name].pixels for name in names], axis=2).astype(np.float64)
        # Floats are never of 8-bit steps; light is multiplied by its alpha, as the format means it.
        deep = read_png(deepest[f"p_hull_{word}.1001.png"])
        wanted = deep / 65535
        if word in ("baseColor", "emissive"):
            wanted[..., :3] = decode_srgb(wanted[..., :3]) * (wanted[..., 3:] if count == 4 else 1)
        assert np.abs(exr - wanted).max() <= 2.0**-11  # half a step of a half float below 1
    full = written(studio, tmp_path / "full", ExportSetup("separate", "", "exr", bits=16, full=True))
    rough = OpenEXR.File(str(full["p_hull_roughness.1001.exr"]), separate_channels=True).channels()["Y"].pixels
    assert rough.dtype == np.float32


def test_tga_webp_and_jpeg_read_back(studio: Studio, tmp_path: Path) -> None:
    png = written(studio, tmp_path / "png", ExportSetup("separate", ""))
    base, rough = read_png(png["p_hull_baseColor.1001.png"]), read_png(png["p_hull_roughness.1001.png"])
    tga = written(studio, tmp_path / "tga", ExportSetup("separate", "", "tga"))
    assert (np.asarray(Image.open(tga["p_hull_baseColor.1001.tga"])) == base).all()
    assert (np.asarray(Image.open(tga["p_hull_roughness.1001.tga"])) == rough[..., 0]).all()
    webp = written(studio, tmp_path / "webp", ExportSetup("separate", "", "webp", quality=100))
    assert (np.asarray(Image.open(webp["p_hull_baseColor.1001.webp"])) == base).all()
    sizes = []
    for quality in (95, 40):
        done = export(studio.sources, studio.project, ExportSetup("separate", "", "jpeg", quality=quality), "p",
                      tmp_path / "jpeg")  # fmt: skip
        jpeg = next(path for path in done.files if path.name == "p_hull_baseColor.1001.jpeg")
        assert np.abs(cv2.imread(str(jpeg))[..., ::-1].astype(int) - base[..., :3]).mean() < (
            4 if quality == 95 else 12
        )
        sizes.append(done.sizes[jpeg])
        assert any("no alpha" in note for note in done.notes)
    assert sizes[0] > sizes[1]
    with pytest.raises(CommandError, match="8 bits"):
        check_setup(ExportSetup("separate", "", "jpeg", bits=16))


@pytest.mark.parametrize(
    ("count", "normal", "blocks", "limit"),
    [(1, False, None, 0), (3, False, "bc1", 6), (4, False, "bc3", 6), (3, True, "bc5", 3), (1, False, "bc4", 3),
     (3, False, "bc7", 3), (4, False, "bc7", 3)],
)  # fmt: skip
def test_dds_reads_back_with_all_its_halvings(count: int, normal: bool, blocks: str | None, limit: float) -> None:
    pixels = np.dstack([soft_noise((46, 78), 1, 5), soft_noise((46, 78), 2, 5)])[..., :count].copy()
    assert fitting(count, normal) in (blocks, {"bc4": None, "bc7": {3: "bc1", 4: "bc3"}.get(count)}.get(blocks))
    data = encode_dds(pixels, blocks, True, not normal, normal)
    assert struct.unpack("<I", data[28:32])[0] == 7  # 78, 39, 19, 9, 4, 2, 1
    read = np.asarray(Image.open(io.BytesIO(data)))
    read = (read if read.ndim == 3 else read[..., None])[..., : 2 if normal else count]
    assert np.abs(read.astype(int) - pixels[..., : read.shape[2]]).mean() <= limit
    if count == 3:
        assert (np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"))[..., 3] == 255).all()
    # Every halving is there: the header of one, its own blocks, read by themselves.
    if blocks is not None:
        per = {"bc1": 8, "bc4": 8}.get(blocks, 16)
        sides = [(46, 78), (23, 39), (11, 19), (5, 9), (2, 4), (1, 2), (1, 1)]
        head = 128 + (20 if data[84:88] == b"DX10" else 0)
        assert len(data) == head + sum(-(-r // 4) * -(-c // 4) * per for r, c in sides)
    plain = encode_dds(pixels, None, False, not normal, normal)
    whole = np.asarray(Image.open(io.BytesIO(plain)))
    assert (whole.reshape(46, 78, -1)[..., :count] == pixels).all()


def test_blocks_that_cannot_hold_a_file_are_refused() -> None:
    grey, rgb = MapFile("x", (Pick("roughness"),), blocks="bc7"), tuple(Pick("colour", part) for part in "rgb")
    for file, words in ((grey, "is grey"), (MapFile("x", rgb, blocks="bc4"), "holds one")):
        with pytest.raises(CommandError, match=words):
            check_preset(Preset("Own", (file,)))
    with pytest.raises(ExportError, match="BC4 holds no colour"):
        encode_dds(np.zeros((4, 4, 3), np.uint8), "bc4", False, True, False)


def test_a_file_and_a_sheet_go_before_what_is_said_of_all(studio: Studio, tmp_path: Path) -> None:
    own = Preset("Own", (
        MapFile("skin", tuple(Pick("colour", part) for part in "rgb"), True),
        MapFile("soft", (Pick("height", gamma=2.0, low=0.2, high=0.8),), bits=16, size=32, format="tiff"),
        MapFile("bump", tuple(Pick("normal", part) for part in "rgb"), normal_y="-", format="dds", blocks="bc5",
                mips=False),
    ))  # fmt: skip
    files = written(studio, tmp_path / "out", ExportSetup("own", "", own=own, sizes={"hull:1002": 128}, dither=True))
    assert read_png(files["p_hull_skin.1001.png"]).shape == (64, 64, 3)
    assert read_png(files["p_hull_skin.1002.png"]).shape == (128, 128, 3)
    soft = tifffile.imread(files["p_hull_soft.1002.tiff"])
    assert soft.shape == (32, 32) and soft.dtype == np.uint16
    plain = Preset("Plain", (MapFile("soft", (Pick("height"),), bits=16, size=32, format="tiff"),))
    files_2 = written(studio, tmp_path / "plain", ExportSetup("plain", "", own=plain))
    before = tifffile.imread(files_2["p_hull_soft.1002.tiff"]) / 65535
    assert np.abs(soft / 65535 - (0.2 + 0.6 * np.sqrt(before))).max() < 1e-4
    bump = files["p_hull_bump.1001.dds"].read_bytes()
    assert bump[84:88] == b"DX10" and struct.unpack("<I", bump[28:32])[0] == 1
    green, up = np.asarray(Image.open(io.BytesIO(bump)))[..., 1].astype(int), map_of(studio, "normal")[..., 1]
    span = 255 / 7 / 4  # eight steps over a block's range: the mean of what is lost, at the most
    assert np.abs(green - (255 - up.astype(int))).mean() < span < np.abs(green - up.astype(int)).mean() / 2
    with pytest.raises(CommandError, match="no sheet 'deck:1001'"):
        written(studio, tmp_path / "no", ExportSetup("own", "", own=own, sizes={"deck:1001": 64}))


def test_halving_is_of_light_and_keeps_normals_long() -> None:
    checks = np.zeros((8, 8, 3), np.uint8)
    checks[::2, ::2] = checks[1::2, 1::2] = 255
    assert np.abs(halved(checks, True, False) - encode_srgb(np.array(0.5)) * 255).max() <= 1
    lean = np.zeros((2, 2, 3), np.uint8)
    lean[:, 0], lean[:, 1] = (218, 128, 218), (38, 128, 218)
    vector = halved(lean, False, True)[0, 0] / 127.5 - 1
    assert np.linalg.norm(vector) == pytest.approx(1, abs=0.01)


def test_alpha_is_put_in_as_asked() -> None:
    maps = {"colour": np.full((2, 2, 3), (200, 100, 50), np.uint8), "opacity": np.full((2, 2, 1), 51, np.uint8)}
    rgb = tuple(Pick("colour", part) for part in "rgb")
    for blend, wanted in (("straight", [200, 100, 50, 51]), ("premultiplied", [40, 20, 10, 51]), ("none", [200, 100, 50]),
                          ("flattened", [40, 20, 214])):  # fmt: skip
        file = MapFile("x", rgb, True, alpha=Pick("opacity"), blend=blend, ground="#0000ff")
        assert file_pixels(file, maps, 8)[0, 0].tolist() == wanted
    odd = MapFile(
        "odd", (Pick("colour", "b", invert=True), Pick(value=0.5), Pick("colour", "brightest", low=0.2, high=0.6))
    )
    assert file_pixels(odd, maps, 8)[0, 0].tolist() == [205, 128, round((0.2 + 0.4 * 200 / 255) * 255)]


def test_opacity_is_put_into_any_set_as_asked(studio: Studio, tmp_path: Path) -> None:
    straight = read_png(written(studio, tmp_path / "a", ExportSetup("separate", ""))["p_hull_baseColor.1001.png"])
    setup = ExportSetup("separate", "", alpha="flattened", ground="#ffffff")
    flat = read_png(written(studio, tmp_path / "b", setup)["p_hull_baseColor.1001.png"])
    share = straight[..., 3:] / 255
    assert flat.shape[2] == 3 and np.abs(flat - (straight[..., :3] * share + 255 * (1 - share))).max() <= 1
    none = read_png(
        written(studio, tmp_path / "c", ExportSetup("classic", "", alpha="none"))["p_hull_diffuse.1001.png"]
    )
    assert none.shape[2] == 3
    glb = written(studio, tmp_path / "d", ExportSetup("gltf", "", alpha="none"))["p.glb"].read_bytes()
    assert gltf_rules.problems(glb) == [] and b'"BLEND"' in glb  # the GLB keeps what glTF asks for


def test_dithering_keeps_the_mean() -> None:
    ramp = np.broadcast_to(np.linspace(0.4, 0.41, 256, dtype=np.float32)[None, :, None], (256, 256, 1))
    dithered, plain = rounded(ramp, 8, True).astype(float), rounded(ramp, 8).astype(float)
    columns = ramp[0, :, 0].reshape(16, 16).mean(axis=1) * 255
    assert np.abs(dithered[..., 0].reshape(256, 16, 16).mean(axis=(0, 2)) - columns).max() < 0.1
    assert np.abs(plain[..., 0].reshape(256, 16, 16).mean(axis=(0, 2)) - columns).max() > 0.3
    assert np.abs(dithered - ramp * 255).max() < 1.01


def test_openraster_puts_together_what_the_map_shows(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(TILES)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=SIZE)
    picture = studio.add_picture(
        save_png(tmp_path / "p.png", np.dstack([soft_noise((20, 20)), soft_noise((20, 20), 3)[..., 0]]))
    )
    studio.execute(AddLayer("Base & <ground>", Wash(), {"colour": Channel("#406080")}))
    studio.execute(
        AddLayer(
            "Crest", Decal(picture, Lay("hull", 1001, (0.5, 0.5), 0.6)), {"colour": Channel("picture", opacity=0.5)}
        )
    )
    files = written(studio, tmp_path / "out", ExportSetup("layers", ""))
    with zipfile.ZipFile(files["p_hull_layers.1001.ora"]) as archive:
        assert archive.infolist()[0].filename == "mimetype" and archive.read("mimetype") == b"image/openraster"
        tree = ElementTree.fromstring(archive.read("stack.xml"))
        layers = [dict(layer.attrib) for layer in tree.iter("layer")]
        assert [layer["name"] for layer in layers] == ["Crest", "Base & <ground>"]
        total, merged = stacked(archive, layers)
    assert np.abs(total * 255 - merged).max() <= 1.5


def test_presets_of_ones_own_in_jobs(run_job: Runner, tmp_path: Path, plane: Path) -> None:
    own = Preset("Old engine", (
        MapFile("skin", tuple(Pick("colour", part) for part in "rgb"), True, always=True),
        MapFile("mask", (Pick("metallic"), Pick("roughness", invert=True), Pick(value=0.25)), size=32, format="tga"),
    ), pattern="{material}-{map}-{tile}.{ext}")  # fmt: skip
    assert preset_from_json(preset_to_json(own), "x") == own
    (tmp_path / "old.json").write_bytes(preset_to_json(own))
    job = {"job": 1, "model": plane.name, "sheet_size": 64, "exports": [{"preset": "old.json", "out": "maps"}],
           "steps": [{"do": "wash", "values": {"colour": "#335577", "roughness": 0.6}}]}  # fmt: skip
    done = run_job(job)
    assert done.returncode == 0, done.stderr
    assert read_png(tmp_path / "maps" / "paint-skin-1001.png").shape == (64, 64, 3)
    mask = np.asarray(Image.open(tmp_path / "maps" / "paint-mask-1001.tga"))
    assert mask.shape == (32, 32, 3) and mask[16, 16].tolist() == [0, 102, 64]
    for change, words in (
        ({"files": []}, "at least one"),
        ({"pattern": "{map}"}, "{ext}"),
        ({"pattern": "{nobody}.{ext}"}, "nobody"),
    ):
        (tmp_path / "old.json").write_text(json.dumps({**json.loads(preset_to_json(own)), **change}))
        refused = run_job(job)
        assert refused.returncode == 2 and words in refused.stderr and "old.json" in refused.stderr


def test_only_what_glows_and_in_another_colour(tmp_path: Path) -> None:
    from lucky_fern.core.project.plain import Scope

    (tmp_path / "m.obj").write_text(TILES + "usemtl lamp\nf 1/1 2/2 5/5\n")
    studio = Studio.new(tmp_path / "m.obj", sheet_size=SIZE)
    studio.execute(AddLayer("Glow", Wash(), {"emissive": Channel("#ffffff")}, scope=Scope(materials=("lamp",))))
    files = written(studio, tmp_path / "out", ExportSetup("separate", "", tint="#ff8000", only_glowing=True))
    assert set(files) == {"p_lamp_baseColor.png", "p_lamp_emissive.png"}
    assert read_png(files["p_lamp_emissive.png"])[50, 50].tolist() == [255, 128, 0]


def test_a_usd_file_wires_the_maps_to_its_surface(studio: Studio, tmp_path: Path) -> None:
    files = written(studio, tmp_path / "out", ExportSetup("separate", "", model="usda"))
    text = files["p.usda"].read_text()
    assert text.startswith("#usda 1.0") and text.count("{") == text.count("}") and text.count("(") == text.count(")")
    assert "asset inputs:file = @p_hull_baseColor.<UDIM>.png@" in text
    assert text.count('"UsdUVTexture"') == 7 and "inputs:opacity.connect = </Item/hull/opacity.outputs:a>" in text
    assert 'info:id = "UsdPreviewSurface"' in text
    assert "color3f inputs:diffuseColor.connect = </Item/hull/colour.outputs:rgb>" in text
    counts = text.split("faceVertexCounts = [")[1].split("]")[0].split(",")
    assert len(counts) == studio.model.triangle_count
    assert "(2, 1)" in text  # UVs run over the tiles, as UDIM has them


@pytest.mark.parametrize("preset", ["separate", "packed", "classic"])
def test_a_materialx_document_wires_every_map_of_a_set(studio: Studio, tmp_path: Path, preset: str) -> None:
    """Every name in it leads somewhere, and what arrives at the surface is of the input's type."""
    files = written(studio, tmp_path / "out", ExportSetup(preset, "", model="mtlx", normal_y="-", glow=2.0))
    root = ElementTree.fromstring(files["p.mtlx"].read_text())
    graph, surface = root.find("nodegraph"), root.find("gltf_pbr" if preset != "classic" else "UsdPreviewSurface")
    assert graph is not None and surface is not None and surface.get("name") == "hull_surface"
    types = {node.get("name"): node.get("type") for node in graph}
    for one in graph.iter():
        if one.get("nodename") is not None:
            assert one.get("nodename") in types and types[one.get("nodename")] == one.get("type")
    for file in (one.get("value") for one in graph.iter("input") if one.get("type") == "filename"):
        assert file is not None and {file.replace("<UDIM>", tile) for tile in ("1001", "1002")} <= set(files)
    wanted = {"separate": 7, "packed": 7, "classic": 6}[preset]
    wired = [one for one in surface.iter("input") if one.get("output") is not None]
    assert len(wired) == wanted and all(types[one.get("output")] == one.get("type") for one in wired)
    colours = {node.get("name") for node in graph.iter("image") if node.find("input").get("colorspace") is not None}
    first = "diffuse" if preset == "classic" else "colour"
    assert colours == {f"{first}_image", "emissive_image"} | ({"specular_image"} if preset == "classic" else set())


def test_a_usd_file_undoes_what_the_files_have_turned_over(studio: Studio, tmp_path: Path) -> None:
    """Gloss comes as roughness again, green points up again, and what glows is as bright as it is told."""
    setup = ExportSetup("classic", "", model="usda", normal_y="-", glow=3.0)
    text = written(studio, tmp_path / "out", setup)["p.usda"].read_text()

    def texture(what: str) -> str:
        return text.split(f'def Shader "{what}"')[1].split("def Shader")[0]

    assert "(-1, -1, -1, 1)" in texture("roughness") and "(1, 1, 1, 0)" in texture("roughness")
    assert "p_hull_gloss.<UDIM>.png" in texture("roughness")
    assert "(2, -2, 2, 1)" in texture("normal") and "(-1, 1, -1, 0)" in texture("normal")
    assert "(3, 3, 3, 1)" in texture("emissive") and '"sRGB"' in texture("emissive")
    assert "int inputs:useSpecularWorkflow = 1" in text and '"raw"' in texture("roughness")
    packed = written(studio, tmp_path / "packed", ExportSetup("packed", "", model="usda"))["p.usda"].read_text()
    for what, part in (("occlusion", "r"), ("roughness", "g"), ("metallic", "b")):
        assert f"inputs:{what}.connect = </Item/hull/{what}.outputs:{part}>" in packed


@pytest.mark.parametrize(("form", "full"), [("exr", False), ("exr", True), ("tiff", True)])
def test_premultiplied_floats_are_light_times_alpha(tmp_path: Path, form: str, full: bool) -> None:
    (tmp_path / "two.obj").write_text(TILES)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=SIZE)
    studio.execute(AddLayer("half", Wash(), {"colour": Channel("#808080"), "opacity": Channel(0.5)}))
    setup = ExportSetup("separate", "", format=form, bits=16, full=full, alpha="premultiplied")
    data = next(path for name, path in written(studio, tmp_path / "out", setup).items() if "baseColor.1001" in name)
    if form == "exr":
        with OpenEXR.File(str(data), separate_channels=True) as file:
            red, alpha = (float(file.channels()[key].pixels[SIZE // 2, SIZE // 2]) for key in "RA")
    else:
        red, alpha = tifffile.imread(data)[SIZE // 2, SIZE // 2][[0, 3]].tolist()
    light = ((0x80 / 255 + 0.055) / 1.055) ** 2.4
    assert alpha == pytest.approx(0.5, abs=1e-3) and red == pytest.approx(light / 2, abs=1e-3)


def test_names_in_usd_never_meet() -> None:
    corner = np.zeros((2, 3, 3), np.float32)
    corner[..., 2] = 1
    from lucky_fern.core.model.model import Model

    names = ("c", "b_c", "Item", "a_b_c")
    model = Model("m", np.eye(4, 3), np.tile(np.arange(3, dtype=np.int32), (4, 1)), np.zeros((4, 3, 2)),
                  np.tile(np.array([0, 0, 1], np.float32), (4, 3, 1)), np.tile(np.array([1, 0, 0, 1], np.float32), (4, 3, 1)),
                  np.array([0, 1, 2, 3], np.int32), names, np.array([0, 1, 0, 1], np.int32), ("a_b", "a"),
                  np.arange(4, dtype=np.int32))  # fmt: skip
    text = write_usd(model, {}).decode()
    prims = re.findall(r'(?m)^    def \w+ "(\w+)"', text)
    assert len(prims) == 8 == len(set(prims))
    for bound in re.findall(r"material:binding = </Item/(\w+)>", text):
        assert f'def Material "{bound}"' in text


@pytest.mark.parametrize("blocks", ["bc1", "bc3", None])
@pytest.mark.parametrize("marked", [True, False])
def test_dds_can_say_that_colours_are_srgb(blocks: Any, marked: bool) -> None:
    y, x = np.mgrid[0:16, 0:16].astype(np.uint8)
    pixels = np.dstack([x * 8, y * 8, x * 4 + 60, np.full((16, 16), 255, np.uint8)])
    for encoded in (True, False):
        data = encode_dds(pixels, blocks, False, encoded, False, marked)
        assert (data[84:88] == b"DX10") == marked
        if marked:
            wanted = {"bc1": (71, 72), "bc3": (77, 78), None: (28, 29)}[blocks][encoded]
            assert int.from_bytes(data[128:132], "little") == wanted
        shown = read_picture(data, "a.dds").rgba[..., :3].astype(int)
        assert np.abs(shown - pixels[..., :3]).max() < 24


def test_openraster_bakes_what_it_cannot_say(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(TILES)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=SIZE)
    noise = np.dstack([soft_noise((20, 20)), soft_noise((20, 20), 3)[..., 0]])
    picture = studio.add_picture(save_png(tmp_path / "p.png", noise))
    studio.execute(AddLayer("base", Wash(), {"colour": Channel("#a06030")}))
    lay = Lay("hull", 1001, (0.5, 0.5), 0.7)
    for blend in ("subtract", "exclusion", "min"):
        studio.execute(AddLayer(blend, Decal(picture, lay), {"colour": Channel("picture")}, 0.8, blend))
    studio.execute(AddLayer("inside", Decal(picture, lay), {"colour": Channel("picture")}, 0.7, "multiply"))
    studio.execute(GroupLayers((studio.project.layers[-1].id,), "through"))
    studio.execute(AddLayer("grey", Adjustment(Shade(saturation=-0.7)), {"colour": Channel()}, 0.6))
    setup = ExportSetup("layers", "")
    files = written(studio, tmp_path / "out", setup)
    notes = plan_export(studio.sources, studio.project, setup, "p").notes
    assert all(any(f"'{name}'" in note for note in notes) for name in ("subtract", "exclusion", "through", "grey"))
    with zipfile.ZipFile(files["p_hull_layers.1001.ora"]) as archive:
        tree = ElementTree.fromstring(archive.read("stack.xml"))
        layers = [dict(layer.attrib) for layer in tree.iter("layer")]
        assert {layer["composite-op"] for layer in layers} == {"svg:src-over"} and len(layers) == 6
        total, merged = stacked(archive, layers)
    inside = studio.surface.sheet(studio.surface.keys[0], square(SIZE)).covered
    assert np.abs(total * 255 - merged)[inside].max() <= 3


def _scenes() -> dict[str, np.ndarray]:
    """Smooth colours, rough ones, a gradient, and lettering, each (64, 64, 3)."""
    y, x = np.mgrid[0:64, 0:64]
    text = np.full((64, 64, 3), (40, 80, 160), np.uint8)
    cv2.putText(text, "Hen", (2, 40), cv2.FONT_HERSHEY_SIMPLEX, 1.1, (230, 220, 200), 2, cv2.LINE_AA)
    return {"smooth": soft_noise((64, 64), 1, 3), "rough": soft_noise((64, 64), 2, 24),
            "gradient": np.dstack([4 * x, 4 * y, 2 * (x + y)]).astype(np.uint8), "text": text}  # fmt: skip


# Peak signal to noise in dB, less half a dB, of the slowest setting of the best encoder at hand that searches its ends
# (level 18 of 18, and the slow profile for BC7), measured once on these pictures. That encoder leaves the ground of
# lettering one step short of opaque; here it is opaque.
@pytest.mark.parametrize(("blocks", "least"), [
    ("bc1", {"smooth": 40.29, "rough": 20.84, "gradient": 38.15, "text": 38.29}),
    ("bc7", {"smooth": 48.07, "rough": 28.86, "gradient": 45.09, "text": 56.05}),
])  # fmt: skip
def test_blocks_are_as_near_as_those_of_encoders_that_search(blocks: Any, least: dict[str, float]) -> None:
    for name, pixels in _scenes().items():
        data = encode_dds(pixels, blocks, False, True, False)
        picture = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"))
        assert picture[..., 3].min() == 255
        read = picture[..., :3].astype(float)
        noise = 10 * np.log10(255**2 / max(((read - pixels) ** 2).mean(), 1e-9))
        assert noise >= least[name], (name, noise)


@pytest.mark.parametrize("kind", ["any", "line", "flat", "two"])
def test_opaque_blocks_are_read_as_they_were_reckoned(kind: str) -> None:
    import imagecodecs

    rng = np.random.default_rng(8)
    tiles = rng.integers(0, 256, (60, 4, 4, 4), dtype=np.uint8)
    first, second = rng.integers(0, 256, (2, 60, 1, 1, 3))
    share = {"line": rng.random((60, 4, 4, 1)), "flat": np.zeros((60, 4, 4, 1)),
             "two": rng.integers(0, 2, (60, 4, 4, 1))}.get(kind)  # fmt: skip
    if share is not None:
        tiles[..., :3] = np.rint(first + (second - first) * share)
    made, error = opaque_line_blocks(tiles)
    read = imagecodecs.bcn_decode(made.tobytes(), imagecodecs.BCN.FORMAT.BC7, shape=(4, 240, 4))
    read = read.reshape(4, 60, 4, 4).swapaxes(0, 1)
    assert read[..., 3].min() == 255
    off = (read[..., :3].astype(float) - tiles[..., :3]) ** 2
    assert np.array_equal(off.sum(axis=(1, 2, 3)), error)
    # Steps of odd ends are at most two apart on flat ground; along a line the sixteenth of its length and those.
    most = {"flat": 1, "two": 2, "line": 255 / 30 + 2}.get(kind)
    assert most is None or np.sqrt(off.max()) <= most


def test_one_channel_and_alpha_in_blocks_are_near_and_flat_colours_nearly_exact() -> None:
    y, x = np.mgrid[0:64, 0:64]
    for grey in (soft_noise((64, 64), 5, 6)[..., 0], (2 * (x + y)).astype(np.uint8),
                 np.where(x > 40, 255, np.where(y > 30, 0, 3 * x)).astype(np.uint8)):  # fmt: skip
        data = encode_dds(grey[..., None], "bc4", False, False, False)
        read = np.asarray(Image.open(io.BytesIO(data))).reshape(64, 64, -1)[..., 0].astype(float)
        assert np.sqrt(((read - grey) ** 2).mean()) < 1.3
        rgba = np.dstack([soft_noise((64, 64), 6, 6), grey])
        read = np.asarray(Image.open(io.BytesIO(encode_dds(rgba, "bc3", False, False, False)))).astype(float)
        assert np.sqrt(((read[..., 3] - grey) ** 2).mean()) < 1.3
    for colour in np.random.default_rng(4).integers(0, 256, (20, 3)):
        flat = np.broadcast_to(colour.astype(np.uint8), (4, 4, 3))
        read = np.asarray(Image.open(io.BytesIO(encode_dds(flat, "bc1", False, True, False))).convert("RGB"))
        assert np.abs(read.astype(int) - colour).max() <= 1


def test_what_glows_in_blocks_of_half_floats_is_its_light(studio: Studio, tmp_path: Path) -> None:
    import imagecodecs

    setup = ExportSetup("separate", "", format="dds", blocks="bc6h", mips=False)
    files = written(studio, tmp_path / "out", setup)
    data = files["p_hull_emissive.1001.dds"].read_bytes()
    assert int.from_bytes(data[128:132], "little") == 95  # BC6H_UF16
    light = imagecodecs.bcn_decode(data[148:], imagecodecs.BCN.FORMAT.BC6HU, shape=(SIZE, SIZE, 3)).astype(float)
    sheet = studio.surface.sheet(studio.surface.keys[0], square(SIZE))
    wanted = decode_srgb(composite_sheet(studio.sources, studio.project, "emissive", sheet, 16) / 65535)
    assert 10 * np.log10(1 / ((light - wanted) ** 2).mean()) > 30
    assert files["p_hull_baseColor.1001.dds"].read_bytes()[84:88] == b"DXT5"  # what has an alpha goes as it fits
    assert files["p_hull_roughness.1001.dds"].read_bytes()[84:88] == b"\0\0\0\0"
