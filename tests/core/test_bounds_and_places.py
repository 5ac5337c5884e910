"""What files and jobs may ask for, and where they may write: bounds, sentences, nothing outside its folder."""

from __future__ import annotations

import io
import json
import os
import resource
import stat
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile
import zstandard
from PIL import Image

from gltf_samples import FACES, POINTS, UV, as_glb, parts, small_glb
from lucky_fern.core.errors import CommandError, ExportError, LuckyFernError, ModelError, PictureError, ProjectError
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.files import WholeFiles, safe_name, write_whole
from lucky_fern.core.incoming import first_washes
from lucky_fern.core.jobs.run import JobError, run_job
from lucky_fern.core.model.load import gather, load_model
from lucky_fern.core.model.stored import decode_model
from lucky_fern.core.painting.tips import read_tips
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.project.commands import AddLayer, SetContent
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.presets import PRESETS, MapFile, Pick, Preset, preset_from_json
from lucky_fern.core.studio import Studio
from model_samples import DAE, PLY, STL, binary_stl
from samples import PLANE, Runner, read_png, save_png


def job(folder: Path, *steps: object, **more: object) -> Path:
    (folder / "plane.obj").write_text(PLANE)
    whole = {"job": 1, "model": "plane.obj", "sheet_size": 32, "steps": list(steps), **more}
    (folder / "j.json").write_text(json.dumps(whole))
    return folder / "j.json"


# --- where files go ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("word", ["../../../photo", "/tmp/x", "a/b", "..", "x\0y", "CON", "a" * 300, "\ud800"])
def test_no_name_of_a_preset_leaves_the_export_folder(tmp_path: Path, word: str) -> None:
    preset = Preset("own", (MapFile(word, (Pick("roughness"),), always=True),))
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=16)
    out = tmp_path / "a" / "b" / "out"
    out.mkdir(parents=True)
    before = set(tmp_path.rglob("*"))
    try:
        export(studio.sources, studio.project, ExportSetup("own", "", own=preset), "../../stem", out)
    except LuckyFernError as error:
        assert "preset" in str(error) or "name" in str(error)
    assert all(path.is_relative_to(out) for path in set(tmp_path.rglob("*")) - before)
    assert os.sep not in safe_name(word) and len(os.fsencode(safe_name(word))) <= 120


@pytest.mark.parametrize(
    "pattern", ["{map:>900000000}.{ext}", "{map.x}.{ext}", "{map!r}.{ext}", "{map[0]}.{ext}", "{}.{ext}"]
)
def test_patterns_hold_plain_names_alone(pattern: str) -> None:
    text = json.dumps({"title": "x", "files": [{"word": "a", "channels": [{"of": "roughness"}]}], "pattern": pattern})
    with pytest.raises(CommandError, match="may hold"):
        preset_from_json(text.encode(), "p.json")
    with pytest.raises(CommandError, match=r"p\.json"):
        preset_from_json(text.encode("utf-16"), "p.json")


def test_files_outside_the_models_folder_do_not_come_along(tmp_path: Path) -> None:
    inside, secret = tmp_path / "model", tmp_path / "secret.txt"
    inside.mkdir()
    secret.write_bytes(b"newmtl paint\nKd 1 0 0\n")
    Image.new("RGB", (4, 4)).save(tmp_path / "secret.png")
    (inside / "m.mtl").write_text(f"newmtl paint\nmap_Kd {tmp_path / 'secret.png'}\nmap_Ke ../secret.png\n")
    (inside / "link.mtl").symlink_to(secret)
    (inside / "a.obj").write_text(PLANE + f"mtllib ../secret.txt\nmtllib {secret}\nmtllib link.mtl\nmtllib m.mtl\n")
    found = gather(inside / "a.obj")
    assert set(found.files) == {"a.obj", "m.mtl"}
    studio = Studio.new(inside / "a.obj")
    missing = first_washes(studio, inside)
    assert {texture.map for texture in missing} == {"colour", "emissive"} and not studio.project.pictures
    assert sum("secret.txt" in text for text in studio.warnings) == 2
    document, blob = parts()
    document["buffers"][0]["uri"] = "../secret.bin"
    (tmp_path / "secret.bin").write_bytes(blob)
    (inside / "a.gltf").write_text(json.dumps(document))
    with pytest.raises(ModelError, match="not in its own folder"):
        gather(inside / "a.gltf")


def test_an_svg_shows_no_other_file(tmp_path: Path) -> None:
    Image.new("RGB", (8, 8), (255, 0, 0)).save(tmp_path / "red.png")
    for address in (tmp_path / "red.png", f"file://{tmp_path / 'red.png'}", "red.png"):
        text = ('<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="9" height="9">'
                f'<image xlink:href="{address}" width="9" height="9"/></svg>')  # fmt: skip
        picture = read_picture(text.encode(), "a.svg")
        assert not picture.rgba[..., 3].any() and any("left out" in note for note in picture.notes)


def test_saving_keeps_rights_follows_the_mask_and_clears_what_a_killed_run_left(tmp_path: Path) -> None:
    private = tmp_path / "private.fern"
    private.write_bytes(b"old")
    private.chmod(0o600)
    write_whole(private, b"new")
    assert stat.S_IMODE(private.stat().st_mode) == 0o600 and private.read_bytes() == b"new"
    mask = os.umask(0o027)
    try:
        write_whole(tmp_path / "fresh.fern", b"x")
    finally:
        os.umask(mask)
    assert stat.S_IMODE((tmp_path / "fresh.fern").stat().st_mode) == 0o640
    child = os.fork()
    if child == 0:  # a run that ends in the middle, with no chance to clear up
        files = WholeFiles()
        files.write(tmp_path / "half.fern", b"half")
        os._exit(0)
    os.waitpid(child, 0)
    assert len(list(tmp_path.glob(".fern-*"))) == 1
    with WholeFiles() as files:  # what another that still runs is writing stays
        kept = files.write(tmp_path / "mine.fern", b"mine")
        write_whole(tmp_path / "other.fern", b"x")
        assert kept.exists() and len(list(tmp_path.glob(".fern-*"))) == 1
    link = tmp_path / "link.fern"
    link.symlink_to(private)
    write_whole(link, b"through")
    assert link.is_symlink() and private.read_bytes() == b"through"
    write_whole(tmp_path / ("n" * 245 + ".fern"), b"long")
    os.mkfifo(tmp_path / "pipe")
    for target in (tmp_path / "pipe", Path("/dev/null"), tmp_path):
        with pytest.raises(ExportError, match=r"plain file|folder"):
            write_whole(target, b"x")
    with pytest.raises(ExportError):
        write_whole(tmp_path / ("n" * 300), b"x")
    assert stat.S_ISCHR(os.stat("/dev/null").st_mode)


# --- what would end, hang or fill the memory of the program -----------------------------------------------------------


def quickly(work: Callable[[], object], sentence: str, error: type[Exception] = LuckyFernError) -> None:
    """Refused with a sentence, without a long wait (2 s; more where the machine is busy) and within 500 MB."""
    before, start = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.monotonic()
    with pytest.raises(error, match=sentence):
        work()
    assert time.monotonic() - start < 15
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 500_000


def png_of(width: int, height: int) -> bytes:
    import struct
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b"\0" * 1000))
        + chunk(b"IEND", b"")
    )


SVG = '<svg xmlns="http://www.w3.org/2000/svg" {}>{}</svg>'


@pytest.mark.parametrize(("name", "data"), [
    ("huge.png", png_of(19_900, 19_900)), ("line.png", png_of(200_000_000, 1)),
    ("deep.svg", SVG.format("", "<g>" * 1000 + "</g>" * 1000).encode()),
    ("tall.svg", SVG.format('width="1em" height="100000em"', "").encode()),
    ("thin.svg", SVG.format('width="1" height="10000000"', "").encode()),
    ("bomb.svg", b'<!DOCTYPE s [<!ENTITY a "b"><!ENTITY c "&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg">&c;</svg>'),
])  # fmt: skip
def test_pictures_that_ask_for_too_much(name: str, data: bytes) -> None:
    quickly(lambda: read_picture(data, name), name)


def test_a_large_picture_takes_no_more_than_its_pyramid() -> None:
    rgba = np.zeros((4096, 4096, 4), np.uint8)
    rgba[::3] = 255
    picture = read_picture(cv2.imencode(".png", rgba)[1].tobytes(), "large.png")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    made = build_pyramid(picture, "colour")
    spent = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 - before
    assert spent < 1.15 * made.texels.nbytes + (32 << 20)


HEAD = "ply\nformat ascii 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\nelement face {}\n" \
       "property list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"  # fmt: skip


def glb_with(**changes: object) -> bytes:
    document, blob = parts()
    for key, value in changes.items():
        place, _, field = key.partition("__")
        document[place][0][field] = value
    return as_glb(document, blob)


@pytest.mark.parametrize(("name", "data", "sentence"), [
    ("a.ply", HEAD.format(10**9, 1).encode(), "a.ply"), ("b.ply", HEAD.format(3, 10**9).encode(), "b.ply"),
    ("c.ply", HEAD.format(3, 10**6).encode(), "cut off"),
    ("a.glb", glb_with(accessors__count=10**9), "a.glb"), ("b.glb", glb_with(meshes__primitives=[{"attributes": {"POSITION": 0}, "material": 9}]), "material 9"),
    ("c.glb", glb_with(nodes__mesh=7), "mesh 7"), ("d.glb", glb_with(nodes__children=[0]), "ancestor"),
    ("e.glb", glb_with(scenes__nodes=[None]), r"e\.glb"),
    ("f.glb", glb_with(meshes__primitives=[{"attributes": {"POSITION": None}}]), "f.glb"),
])  # fmt: skip
def test_models_that_ask_for_too_much_or_name_what_is_not_there(
    tmp_path: Path, name: str, data: bytes, sentence: str
) -> None:
    (tmp_path / name).write_bytes(data)
    quickly(lambda: load_model(tmp_path / name), sentence, ModelError)


def test_nodes_in_a_long_chain_and_pipes_in_place_of_files(tmp_path: Path) -> None:
    document, blob = parts()
    document["nodes"] = [{"children": [n + 1]} for n in range(5000)] + [{"mesh": 0}]
    (tmp_path / "chain.glb").write_bytes(as_glb(document, blob))
    quickly(lambda: load_model(tmp_path / "chain.glb"), "deep", ModelError)
    os.mkfifo(tmp_path / "pipe.obj")
    quickly(lambda: load_model(tmp_path / "pipe.obj"), "plain file", ModelError)
    os.mkfifo(tmp_path / "pipe.bin")
    document, _ = parts()
    document["buffers"][0]["uri"] = "pipe.bin"
    (tmp_path / "piped.gltf").write_text(json.dumps(document))
    quickly(lambda: load_model(tmp_path / "piped.gltf"), "pipe.bin", ModelError)
    (tmp_path / "loop.obj").symlink_to(tmp_path / "loop.obj")
    quickly(lambda: load_model(tmp_path / "loop.obj"), "loop.obj", ModelError)
    for path in (Path("a\0b.obj"), tmp_path / ("n" * 300 + ".obj")):
        quickly(lambda path=path: load_model(path), "check", ModelError)


def test_uvs_beyond_all_tiles_and_positions_that_are_no_numbers_are_dropped_and_told(
    tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "far.obj").write_text(PLANE.replace("vt 0 0", "vt 1e18 0.1"))
    studio = Studio.new(tmp_path / "far.obj")
    assert any("far beyond" in text for text in studio.warnings) and not studio.surface.keys
    odd = POINTS.copy()
    odd[0], odd[1, 0] = np.inf, np.nan
    for name, data in (
        ("inf.glb", small_glb(POSITION=odd)),
        ("odd.glb", glb_with(nodes__scale=[1e300, 1e300, np.nan])),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(ModelError, match=name):
            load_model(tmp_path / name)
    mixed = np.concatenate([POINTS, odd])
    faces = np.concatenate([FACES, FACES + 4]).astype("<u2")
    (tmp_path / "mixed.glb").write_bytes(
        small_glb(POSITION=mixed, TEXCOORD_0=np.concatenate([UV, UV]), indices=faces)
    )
    model = load_model(tmp_path / "mixed.glb")
    assert model.triangle_count == 2 and any("not a number" in text for text in model.warnings)
    assert capfd.readouterr().err == ""


def test_steps_that_ask_for_too_much(tmp_path: Path) -> None:
    paint = {"do": "brushwork", "name": "p"}
    stroke = {
        "do": "stroke",
        "layer": "p",
        "points": [[1e20, 0, 0, 1]],
        "radius": 0.2,
        "values": {"colour": "#ff0000"},
    }
    for step, word in (
        ([paint, stroke], "far from"), ([{"do": "wash", "pictures": {"colour": "a.png"}, "repeat": [9e18, 1]}], "repeat"),
        ([{"do": "select", "name": "s", "grow": 2**31}], "grow"),
        ([{"do": "layout", "op": "density", "texels_per_unit": 1e9}], "tiles wide"),
    ):  # fmt: skip
        Image.new("RGB", (4, 4)).save(tmp_path / "a.png")
        path = job(tmp_path, *step)
        quickly(lambda path=path: run_job(path), word, JobError)
    nest: object = {"do": "brushwork"}
    for _ in range(200):
        nest = {"do": "group", "steps": [nest]}
    quickly(lambda: run_job(job(tmp_path, nest)), "nested", JobError)
    for text in (
        b"[" * 100_000,
        b'{"job": NaN}',
        b'{"job": 1, "model": "\\ud800.obj"}',
        b'{"job": Infinity}',
        b'{"job": 1, "model": "plane.obj", "steps": [{"do": "select", "name": "s", "facing": [1e999, 0, 0]}]}',
    ):
        (tmp_path / "k.json").write_bytes(text)
        quickly(lambda: run_job(tmp_path / "k.json"), r"k\.json", JobError)
    for key in ("save", "model"):
        for name in ("a\0b.fern", "n" * 300 + ".fern"):
            quickly(lambda key=key, name=name: run_job(job(tmp_path, **{key: name})), r"j\.json", JobError)


# --- projects ---------------------------------------------------------------------------------------------------------


def saved(folder: Path) -> tuple[dict[str, bytes], dict]:
    (folder / "plane.obj").write_text(PLANE)
    studio = Studio.new(folder / "plane.obj", sheet_size=64)
    studio.execute(AddLayer("wash", Wash(), {"colour": Channel("#336699")}))
    studio.save(folder / "a.fern")
    with zipfile.ZipFile(folder / "a.fern") as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    return members, json.loads(members["project.json"])


def opened(folder: Path, members: dict[str, bytes], document: object) -> None:
    with zipfile.ZipFile(folder / "b.fern", "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, json.dumps(document) if name == "project.json" else data)
    Studio.open(folder / "b.fern")


SHEET = {"size": 10**8, "maps": {"colour": {"0,0": "x"}}}
THROW = {"mode": "throw", "point": [0, 0, 0], "normal": [0, 0, 1], "up": [0, 1, 0], "width": 1}
SENSELESS = {
    "a mask that is not there": {"layers": [{"id": 0, "name": "l", "content": {"kind": "wash"}, "mask": 99}]},
    "a source that is no value": {"layers": [{"id": 0, "name": "l", "content": {"kind": "wash"}, "channels": {"colour": {"source": "red"}}}]},
    "a picture that is not there": {"layers": [{"id": 0, "name": "l", "content": {"kind": "decal", "picture": "p", "place": THROW}}]},
    "an opacity": {"layers": [{"id": 0, "name": "l", "content": {"kind": "wash"}, "opacity": 1e308}]},
    "a kind": {"layers": [{"id": 0, "name": "l", "content": {"kind": "sculpture"}}]},
    "a painted size": {"layers": [{"id": 0, "name": "l", "content": {"kind": "brushwork", "sheets": {"paint:1001": SHEET}}}]},
    "a chunk": {"layers": [{"id": 0, "name": "l", "content": {"kind": "brushwork", "sheets": {"paint:1001": {"size": 64, "maps": {"colour": {"abc": "x"}}}}}}]},
    "no size": {"layers": [{"id": 0, "name": "l", "content": {"kind": "brushwork", "sheets": {"paint:1001": {"size": 0}}}}]},
    "a sheet's size": {"sheet_size": 10**8},
    "the same layer twice": {"layers": [{"id": 0, "name": "l", "content": {"kind": "wash"}}] * 2},
    "a preset": {"exports": [{"preset": "nothing", "out": "x"}]},
    "a place": {"slides": {"s": {"picture": "p", "place": THROW}}},
    "an effect": {"layers": [{"id": 0, "name": "l", "content": {"kind": "adjustment", "effect": {"effect": "blur", "radius": 1e9}}}]},
    "an island": {"layers": [{"id": 0, "name": "l", "content": {"kind": "wash"}, "scope": {"islands": [-5]}}]},
}  # fmt: skip


@pytest.mark.parametrize("name", SENSELESS)
def test_a_senseless_project_is_refused_as_it_is_opened(tmp_path: Path, name: str) -> None:
    members, document = saved(tmp_path)
    document["project"].update(SENSELESS[name])
    document["project"]["next_id"] = 50
    quickly(lambda: opened(tmp_path, members, document), r"b\.fern", ProjectError)


def test_projects_and_models_that_unpack_to_far_more_than_they_are(tmp_path: Path) -> None:
    members, document = saved(tmp_path)
    deep = document["project"]
    for _ in range(150):
        deep["layers"] = [{"id": 0, "name": "g", "content": {"kind": "group", "layers": deep["layers"]}}]
    quickly(lambda: opened(tmp_path, members, document), r"b\.fern", ProjectError)
    members, document = saved(tmp_path)
    name = next(name for name in members if name.endswith(".obj"))
    bomb = zlib_bomb(name, members)
    (tmp_path / "c.fern").write_bytes(bomb)
    quickly(lambda: Studio.open(tmp_path / "c.fern"), "unpack", ProjectError)
    squeezed = zstandard.ZstdCompressor(level=1).compress(bytes(1 << 28))
    quickly(lambda: decode_model(squeezed), "damaged", ModelError)


def zlib_bomb(name: str, members: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for other, data in members.items():
            if other != name:
                archive.writestr(other, data)
        with archive.open(name, "w", force_zip64=True) as member:
            for _ in range(300):
                member.write(bytes(1 << 20))
    return out.getvalue()


def test_tips_in_a_zip_with_names_that_are_none(tmp_path: Path) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("tip.png", b"x" * 40)
    (tmp_path / "t.zip").write_bytes(out.getvalue().replace(b"tip.png", b"\xff\xfe\xf0.png"[:7]))
    with pytest.raises(PictureError, match=r"t\.zip|png"):
        read_tips(tmp_path / "t.zip")


# --- ordinary files ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16, np.uint32, np.float32])
@pytest.mark.parametrize("options", [{}, {"compression": "lzw"}, {"compression": "zlib", "predictor": True}])
def test_grey_tiffs_as_their_library_writes_them(dtype: type, options: dict[str, object]) -> None:
    grey = np.linspace(0, 1, 20 * 30).reshape(20, 30)
    top = 1.0 if dtype is np.float32 else float(np.iinfo(dtype).max)
    out = io.BytesIO()
    tifffile.imwrite(out, (grey * top).astype(dtype), **options)
    picture = read_picture(out.getvalue(), "grey.tif")
    full = np.iinfo(picture.rgba.dtype).max
    assert np.abs(picture.rgba[..., 0] / full - grey).max() < 1 / 250
    assert picture.taken == ("colour" if dtype is np.uint8 else "data")


def test_models_as_programs_write_them(tmp_path: Path) -> None:
    def triangles(name: str, data: bytes) -> int:
        (tmp_path / name).write_bytes(data)
        return load_model(tmp_path / name).triangle_count

    assert triangles("cut.stl", binary_stl()[:-1]) == 1
    assert triangles("latin.stl", STL.replace("solid a", "solid Bügel").encode("latin-1")) == 1
    assert triangles("note.ply", PLY.replace("comment made here", "made by hand, no word before it").encode()) == 1
    assert triangles("short.ply", PLY.replace("uchar int vertex_indices", "int ushort vertex_index").encode()) == 1
    assert triangles("wide.obj", PLANE.encode("utf-16")) == 2
    document, blob = parts()
    del document["scene"], document["scenes"]
    assert triangles("sceneless.glb", as_glb(document, blob)) == 2
    textured = DAE.replace("<library_geometries>", """<library_images><image id="i"><init_from>red.png</init_from></image>
</library_images><library_effects><effect id="e"><profile_COMMON><newparam sid="s"><surface type="2D"><init_from>i</init_from>
</surface></newparam><newparam sid="t"><sampler2D><source>s</source></sampler2D></newparam><technique sid="c"><lambert>
<diffuse><texture texture="t" texcoord="U"/></diffuse></lambert></technique></profile_COMMON></effect></library_effects>
<library_materials><material id="m" name="red paint"><instance_effect url="#e"/></material></library_materials>
<library_geometries>""").replace('<polylist count="1">', '<polylist count="1" material="M">').replace(
        '<instance_geometry url="#g"/>', '<instance_geometry url="#g"><bind_material><technique_common>'
        '<instance_material symbol="M" target="#m"/></technique_common></bind_material></instance_geometry>')  # fmt: skip
    assert triangles("board.dae", textured.encode()) == 2
    model = load_model(tmp_path / "board.dae")
    assert model.materials == ("red paint",) and model.textures[0].file == "red.png"
    assert np.ptp(model.positions[:, 2]) == 1.0  # its Z was up


def test_compressed_gltf_is_read_through_its_package(tmp_path: Path) -> None:
    import DracoPy

    packed = DracoPy.encode(POINTS.astype(np.float64), FACES.reshape(-1, 3).astype(np.uint32),
                            tex_coord=UV.astype(np.float64), quantization_bits=16)  # fmt: skip
    ids = {one["attribute_type"]: one["unique_id"] for one in DracoPy.decode(packed).attributes}
    document, _ = parts()
    document["bufferViews"] = [{"buffer": 0, "byteOffset": 0, "byteLength": len(packed)}]
    document["buffers"] = [{"byteLength": len(packed)}]
    document["accessors"] = [{"count": 4, "type": "VEC3", "componentType": 5126}, {"count": 4, "type": "VEC2", "componentType": 5126},
                             {"count": 6, "type": "SCALAR", "componentType": 5123}]  # fmt: skip
    extension = {
        "KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": ids[0], "TEXCOORD_0": ids[3]}}
    }
    document["meshes"] = [
        {"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2, "extensions": extension}]}
    ]
    document["extensionsUsed"] = document["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    (tmp_path / "packed.glb").write_bytes(as_glb(document, packed))
    model = load_model(tmp_path / "packed.glb")
    assert model.triangle_count == 2 and np.abs(model.bounds - [[0, 0, 0], [1, 1, 0]]).max() < 1e-3
    assert np.abs(np.sort(model.uv.reshape(-1, 2), axis=0)[[0, -1]] - [[0, 0], [1, 1]]).max() < 1e-3


def test_wash_settings_out_of_range_are_refused_by_the_command(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj")
    studio.execute(AddLayer("w", Wash(), {"colour": Channel("#ffffff")}))
    for repeat in ((0.0, 1.0), (float("nan"), 1.0), (9e18, 1.0)):
        with pytest.raises(CommandError, match=r"repeat|finite|within"):
            studio.execute(SetContent(studio.project.layers[0].id, Wash(repeat=repeat)))
    assert "separate" in PRESETS


@pytest.mark.parametrize("way", ["decal", "set place", "set picture", "mask"])
def test_laid_pictures_have_square_pixels_on_sheets_that_are_not_square_however_they_come(
    way: str, plane: Path, run_job: Runner, tmp_path: Path
) -> None:
    """A picture twice as wide as high, all white, a quarter of a sheet of 256 × 64 wide: 64 × 32 texels."""
    save_png(tmp_path / "wide.png", np.full((20, 40, 3), 255, np.uint8))
    save_png(tmp_path / "square.png", np.full((20, 20, 3), 255, np.uint8))
    lay = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 0.25}
    black = {"do": "wash", "values": {"colour": "#000000"}}
    decal = {"do": "decal", "name": "Mark", "picture": "wide.png", "place": lay}
    steps = {
        "decal": [black, decal],
        "set place": [black, {**decal, "place": {**lay, "width": 0.1}}, {"do": "set", "layer": "Mark", "place": lay}],
        "set picture": [black, {**decal, "picture": "square.png"}, {"do": "set", "layer": "Mark", "picture": "wide.png"}],
        "mask": [black, {"do": "wash", "name": "Mark", "values": {"colour": "#ffffff"}},
                 {"do": "mask", "layer": "Mark", "kind": "picture", "picture": "wide.png", "place": lay}],
    }[way]  # fmt: skip
    done = run_job({"job": 1, "model": plane.name, "sheet_size": [256, 64], "steps": steps,
                    "exports": [{"preset": "separate", "out": "maps"}]})  # fmt: skip
    assert done.returncode == 0, done.stderr
    shown = read_png(next((tmp_path / "maps").glob("*baseColor*")))[..., 0] > 127
    assert shown.any(axis=0).sum() == 64 and shown.any(axis=1).sum() == 32
