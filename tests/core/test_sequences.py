"""Picture names, sequences of one picture a tile, and what pictures are taken as."""

from __future__ import annotations

import json
import zlib
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest

from lucky_fern.core.colour import encode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.naming import is_data_name, map_of, set_of, tile_name
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.pictures.sequences import find_sequences
from lucky_fern.core.project.commands import SetTaken
from lucky_fern.core.studio import Studio
from samples import Runner, read_png, save_png

TILES = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvt 1 0\nvt 2 0\nvt 2 1\nvt 1 1\nusemtl hull\nf 1/1 2/2 3/3 4/4\nf 1/5 2/6 3/7 4/8\n"


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("hull_baseColor.1001.png", "colour"), ("Albedo.tif", "colour"), ("hull_Rough.png", "roughness"),
        ("hull-metalness_u1_v1.png", "metallic"), ("metal_rough.png", "roughness"), ("x_AO.png", "occlusion"),
        ("ambient occlusion.png", "occlusion"), ("glow.png", "emissive"), ("logo.png", None), ("romance.png", None),
    ],
)  # fmt: skip
def test_names_tell_maps(name: str, told: str | None) -> None:
    assert map_of(name) == told
    assert is_data_name(name) == (told not in (None, "colour", "emissive"))


def test_names_tell_tiles() -> None:
    assert tile_name("a.1012.png") is not None and tile_name("a.1012.png").tile == 1012
    assert tile_name("a_u2_v3.png").tile == 1022 and tile_name("a_u2_v3.png").pattern == "a_<UVTILE>.png"
    assert tile_name("logo2024.png") is None and tile_name("1001.png") is None


def test_any_one_file_finds_its_fellows_and_a_tile_that_cannot_be_is_named(tmp_path: Path) -> None:
    for name in ("a.1001.png", "a.1002.png", "a_rough.1001.png", "b.png"):
        save_png(tmp_path / name, np.zeros((2, 2, 3), np.uint8))
    found, single = find_sequences([tmp_path / "a.1002.png", tmp_path / "b.png", tmp_path / "a_rough.1001.png"])
    assert [sorted(one.files) for one in found] == [[1001, 1002], [1001]] and single == [tmp_path / "b.png"]
    assert (
        found[1].map == "roughness" and found[0].missing([1001, 1003]) == [1003] and found[0].extra([1001]) == [1002]
    )
    save_png(tmp_path / "a.10000.png", np.zeros((2, 2, 3), np.uint8))
    with pytest.raises(PictureError, match=r"a\.10000\.png names no tile"):
        find_sequences([tmp_path / "a.1002.png"])


def test_a_job_lays_each_picture_on_its_tile_and_names_what_is_missing(tmp_path: Path, run_job: Runner) -> None:
    (tmp_path / "item.obj").write_text(TILES)
    (tmp_path / "art").mkdir()
    pixels = {
        tile: np.random.default_rng(tile).integers(0, 256, (32, 32, 3)).astype(np.uint8)
        for tile in (1001, 1002, 1005)
    }
    for tile in (1001, 1005):
        save_png(tmp_path / f"art/x.{tile}.png", pixels[tile])
    for tile, name in ((1001, "u1_v1"), (1002, "u2_v1")):
        save_png(tmp_path / f"art/y_{name}.png", pixels[tile])
    step = {"do": "decal", "picture": "art/x.<UDIM>.png", "place": {"mode": "tiles"}}
    other = {
        "do": "decal",
        "picture": "art/y_<UVTILE>.png",
        "place": {"mode": "tiles"},
        "channels": {"roughness": "picture"},
    }
    job = {"job": 1, "model": "item.obj", "sheet_size": 32, "steps": [step, other], "save": "x.fern",
           "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
    result = run_job(job, "j", "--json")
    assert result.returncode == 0, result.stderr
    assert (read_png(tmp_path / "maps/j_hull_baseColor.1001.png") == pixels[1001]).all()
    assert (read_png(tmp_path / "maps/j_hull_baseColor.1002.png") == 255).all()
    grey = np.round(pixels[1002] @ [0.2126, 0.7152, 0.0722])
    assert np.abs(read_png(tmp_path / "maps/j_hull_roughness.1002.png")[..., 0] - grey).max() <= 1
    warnings = " ".join(json.loads(result.stdout.splitlines()[-1])["warnings"])
    assert "no picture for tile 1002" in warnings and "no tile 1005" in warnings
    assert Studio.open(tmp_path / "x.fern").project.sequences["x.<UDIM>.png"].keys() == {1001, 1005}

    save_png(tmp_path / "art/x.1005.png", np.zeros((16, 16, 3), np.uint8))
    result = run_job(job, "j2")
    assert result.returncode == 2 and "mixed sizes" in result.stderr and not (tmp_path / "j2.fern").exists()
    cv2.imwrite(str(tmp_path / "art/x.1005.png"), np.zeros((32, 32, 3), np.uint16))
    assert "mixed bit depths" in run_job(job, "j3").stderr
    for wrong, said in (
        ({**step, "picture": "art/x.1001.png"}, "holds <UDIM> or <UVTILE>"),
        ({**step, "picture": "art/none.<UDIM>.png"}, "no file in"),
        ({**step, "place": {"mode": "tiles", "width": 1}}, "takes no other keys"),
    ):
        result = run_job({**job, "steps": [wrong]}, "wrong")
        assert result.returncode == 2 and said in result.stderr, result.stderr


def test_a_deep_height_ramp_keeps_its_levels_and_light_is_encoded_only_for_colours(
    tmp_path: Path, plane: Path, run_job: Runner
) -> None:
    ramp = np.arange(65536, dtype=np.uint16).reshape(256, 256)
    cv2.imwrite(str(tmp_path / "ramp.png"), ramp)
    job = {"job": 1, "model": "plane.obj", "sheet_size": 256,
           "steps": [{"do": "wash", "pictures": {"height": "ramp.png"}}],
           "exports": [{"preset": "separate", "out": "maps", "bits": 16}]}  # fmt: skip
    assert run_job(job, "j").returncode == 0
    assert len(np.unique(read_png(tmp_path / "maps/j_paint_height.png"))) > 60000
    light = np.random.default_rng(0).random((8, 8, 3)).astype(np.float32)
    head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(head, {"RGB": light}).write(str(tmp_path / "light.exr"))
    data = (tmp_path / "light.exr").read_bytes()
    colour, plain = read_picture(data, "light.exr"), read_picture(data, "light.exr", "data")
    assert colour.taken == "colour" and np.abs(colour.rgba[..., :3] / 65535 - encode_srgb(light)).max() < 1e-4
    assert plain.taken == "data" and np.abs(plain.rgba[..., :3] / 65535 - light).max() < 1e-4
    studio = Studio.new(plane, sheet_size=64)
    picture = studio.add_picture(tmp_path / "light.exr")
    studio.execute(SetTaken(picture, "data"))
    assert studio.sources.picture(studio.project.pictures[picture]).taken == "data"


def test_pictures_out_of_proportion_come_in_with_a_word_and_broken_ones_are_refused(tmp_path: Path) -> None:
    save_png(tmp_path / "one.png", np.zeros((1, 1, 3), np.uint8))
    save_png(tmp_path / "long.png", np.zeros((2, 60000, 3), np.uint8))
    assert "single pixel" in " ".join(read_picture((tmp_path / "one.png").read_bytes(), "one.png").notes)
    assert "60000 × 2" in " ".join(read_picture((tmp_path / "long.png").read_bytes(), "long.png").notes)
    OpenEXR.File({"type": OpenEXR.scanlineimage}, {"Y": np.zeros((64, 64), np.float32)}).write(
        str(tmp_path / "y.exr")
    )
    for name in ("long.png", "y.exr"):
        data = (tmp_path / name).read_bytes()
        with pytest.raises(PictureError, match=name):
            read_picture(data[: len(data) // 3], name)
    bomb = bytearray((tmp_path / "one.png").read_bytes())
    bomb[16:24] = (60000).to_bytes(4, "big") * 2  # a header that promises 3 600 million pixels
    bomb[29:33] = zlib.crc32(bytes(bomb[12:29])).to_bytes(4, "big")
    with pytest.raises(PictureError, match="60000 × 60000"):
        read_picture(bytes(bomb), "bomb.png")


@pytest.mark.parametrize(
    ("name", "others", "found"),
    [
        ("logo.png", ["logo_normal.png", "logo-Roughness.jpg", "logos_height.png", "other.png"],
         {"colour": "logo.png", "normal": "logo_normal.png", "roughness": "logo-Roughness.jpg"}),
        ("Hen_baseColor.png", ["hen_metal.png", "Hen_baseColor.png", "hen.png"],
         {"colour": "Hen_baseColor.png", "metallic": "hen_metal.png"}),
        ("deck_height.tif", [], {"height": "deck_height.tif"}),
        ("rough.png", ["metal.png"], {"roughness": "rough.png"}),
    ],
)  # fmt: skip
def test_pictures_of_one_thing_are_known_by_their_names(name: str, others: list[str], found: dict[str, str]) -> None:
    assert set_of(name, others) == found
