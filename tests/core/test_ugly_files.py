"""Every reader meets files that were damaged at random, and answers with the program's own sentences only."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image

from gltf_samples import small_glb, small_gltf
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.exporting.dds import encode_dds
from lucky_fern.core.jobs.run import run_job
from lucky_fern.core.model.load import ModelFiles, build
from lucky_fern.core.painting.tips import read_tips
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Brushwork, Channel, Decal, Wash
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.presets import PRESETS, preset_from_json, preset_to_json
from lucky_fern.core.project.shapes import Fill, MaskEntry
from lucky_fern.core.studio import Studio
from model_samples import DAE, PLY, STL, binary_ply, binary_stl
from samples import PLANE, soft_noise

CASES = 100
SVG = """<svg xmlns="http://www.w3.org/2000/svg" width="20" height="10" viewBox="0 0 20 10">
<g transform="rotate(4)"><rect width="9" height="5" fill="#f40"/><path d="M0 0 L9 9"/></g></svg>"""


def saved(kind: str, mode: str = "RGB", **options: object) -> bytes:
    out = io.BytesIO()
    Image.fromarray(soft_noise((12, 17))).convert(mode).save(out, kind, **options)
    return out.getvalue()


def tiff(dtype: type, **options: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, (soft_noise((12, 17))[..., 0].astype(np.float64) / 255 * 200).astype(dtype), **options)
    return out.getvalue()


def model(name: str, data: bytes) -> None:
    build(ModelFiles(name, {name: data, "m.mtl": b"newmtl paint\nKd 1 0 0\nmap_Kd a.png\n"}))


MODELS = {
    "a.obj": PLANE.encode() + b"mtllib m.mtl\n", "a.glb": small_glb(), "a.gltf": small_gltf(), "a.ply": PLY.encode(),
    "b.ply": binary_ply(), "a.stl": STL.encode(), "b.stl": binary_stl(), "a.dae": DAE.encode(),
}  # fmt: skip
PICTURES = {
    "a.png": saved("PNG"), "deep.png": cv2.imencode(".png", soft_noise((9, 9)).astype(np.uint16) * 257)[1].tobytes(),
    "a.jpg": saved("JPEG", exif=b"Exif\0\0II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0\x06\0\0\0\0\0\0\0"),
    "a.webp": saved("WEBP"), "a.tga": saved("TGA"), "a.bmp": saved("BMP"), "a.gif": saved("GIF", "P"),
    "a.tif": saved("TIFF"), "zip.tif": tiff(np.uint16, compression="zlib"), "f.tif": tiff(np.float32),
    "a.dds": encode_dds(soft_noise((16, 16)), "bc1", True, True, False), "a.svg": SVG.encode(),
}  # fmt: skip


def damaged(data: bytes, seed: int) -> bytes:
    """A file with something wrong with it: bytes changed, cut off, doubled, or a number become absurd."""
    rng = np.random.default_rng(seed)
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 5))):
        at, how = int(rng.integers(0, max(len(out), 1))), int(rng.integers(0, 6))
        if how == 0 and out:
            out[at] = int(rng.integers(0, 256))
        elif how == 1:
            del out[at:]
        elif how == 2:
            out[at:at] = out[max(at - 40, 0) : at]
        elif how == 3:
            out[at : at + 4] = int(rng.choice([0, 1, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000])).to_bytes(4, "little")
        elif how == 4:
            odd = rng.choice([b"1e999", b"nan", b"-1", b"99999999999", b"\xff", b"null", b"[]", b"{}", b'"'])
            out[at : at + int(rng.integers(0, 3))] = bytes(odd)
        else:
            del out[at : at + int(rng.integers(1, 9))]
    return bytes(out)


def only_sentences(work: Callable[[bytes], object], data: bytes) -> None:
    """Damage a file again and again; whatever is raised must be ours, and be one readable line."""
    for seed in range(CASES):
        try:
            work(damaged(data, seed))
        except LuckyFernError as error:
            assert len(str(error)) > 12 and "Traceback" not in str(error), seed


@pytest.mark.parametrize("name", MODELS)
def test_damaged_models(name: str) -> None:
    model(name, MODELS[name])
    only_sentences(lambda data: model(name, data), MODELS[name])


def test_damaged_material_libraries(tmp_path: Path) -> None:
    mtl = b"newmtl paint\nKd 0.5 0.25 1\nKe nan inf 1\nmap_Kd -bm 1 a.png\nmap_Ks -o 0 0 0 ../b.png\n" * 3

    def with_library(data: bytes) -> None:
        build(ModelFiles("a.obj", {"a.obj": MODELS["a.obj"], "m.mtl": data}))

    only_sentences(with_library, mtl)
    with_library(b"newmtl paint\nKd nan 0 1\n")


@pytest.mark.parametrize("name", PICTURES)
def test_damaged_pictures(name: str) -> None:
    read_picture(PICTURES[name], name)
    only_sentences(lambda data: read_picture(data, name), PICTURES[name])


def test_damaged_exr(tmp_path: Path) -> None:
    import OpenEXR

    planes = {key: soft_noise((9, 12))[..., n].astype(np.float32) / 255 for n, key in enumerate("RGB")}
    with OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, planes) as made:
        made.write(str(tmp_path / "a.exr"))
    data = (tmp_path / "a.exr").read_bytes()
    read_picture(data, "a.exr")
    only_sentences(lambda data: read_picture(data, "a.exr"), data)


def project(folder: Path) -> bytes:
    (folder / "plane.obj").write_text(PLANE)
    (folder / "a.png").write_bytes(PICTURES["a.png"])
    studio = Studio.new(folder / "plane.obj", sheet_size=64)
    picture = studio.add_picture(folder / "a.png")
    studio.execute(AddLayer("wash", Wash(), {"colour": Channel("#336699")}))
    place = Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 1.0)
    studio.execute(AddLayer("decal", Decal(picture, place), {"colour": Channel("picture")}))
    studio.execute(AddMaskEntry(studio.project.layers[0].id, MaskEntry(Fill(0.5))))
    studio.execute(AddLayer("paint", Brushwork(), {}))
    studio.save(folder / "a.fern")
    return (folder / "a.fern").read_bytes()


def test_damaged_projects_and_documents(tmp_path: Path) -> None:
    data = project(tmp_path)

    def open_it(data: bytes) -> None:
        (tmp_path / "b.fern").write_bytes(data)
        Studio.open(tmp_path / "b.fern")

    open_it(data)
    only_sentences(open_it, data)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}

    def with_document(text: bytes) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for name, held in members.items():
                archive.writestr(name, text if name == "project.json" else held)
        open_it(out.getvalue())

    only_sentences(with_document, members["project.json"])


def test_damaged_jobs_presets_and_tips(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    (tmp_path / "a.png").write_bytes(PICTURES["a.png"])
    throw = {"mode": "throw", "point": [0, 0, 0], "normal": [0, 0, 1], "width": 1.0}
    job = {"job": 1, "model": "plane.obj", "sheet_size": 32, "steps": [
        {"do": "wash", "name": "base", "values": {"colour": "#336699", "roughness": 0.5}},
        {"do": "decal", "picture": "a.png", "place": throw, "channels": {"colour": "picture"}},
        {"do": "mask", "layer": "base", "kind": "fill", "value": 1, "feather": 2.0},
        {"do": "brushwork", "name": "paint"},
        {"do": "stroke", "layer": "paint", "points": [[0, 0, 0, 1]], "radius": 0.2, "values": {"colour": "#ff0000"}},
        {"do": "select", "name": "all", "grow": 1}]}  # fmt: skip

    def run(data: bytes) -> None:
        (tmp_path / "j.json").write_bytes(data)
        run_job(tmp_path / "j.json")

    only_sentences(run, json.dumps(job).encode())
    only_sentences(lambda data: preset_from_json(data, "p.json"), preset_to_json(PRESETS["packed"]))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("tip.png", PICTURES["a.png"])

    def tips(data: bytes) -> None:
        (tmp_path / "t.zip").write_bytes(data)
        read_tips(tmp_path / "t.zip")

    only_sentences(tips, out.getvalue())
