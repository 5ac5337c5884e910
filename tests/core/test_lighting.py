"""Surroundings of one's own, kept in the project; and material numbers of older games, in files and jobs."""

import json
import tempfile
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lucky_fern.core.colour import decode_srgb
from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.exporting.numbers import NUMBERS, numbers_from_json, numbers_json
from lucky_fern.core.jobs.run import JobError, run_job
from lucky_fern.core.lighting import light_of
from lucky_fern.core.pictures.panorama import BRIGHTEST, panorama_bytes, read_panorama
from lucky_fern.core.project.commands import SetLight
from lucky_fern.core.project.light import RANGES, Light, Numbers
from lucky_fern.core.studio import Studio
from samples import save_png

BOARD = "usemtl paint\nv -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"


def exr(light: np.ndarray, kind: type = np.float32) -> bytes:
    import OpenEXR

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "p.exr"
        with OpenEXR.File({"type": OpenEXR.scanlineimage}, {"RGB": light.astype(kind)}) as made:
            made.write(str(path))
        return path.read_bytes()


def hdr(light: np.ndarray) -> bytes:
    done, data = cv2.imencode(".hdr", np.ascontiguousarray(light[..., ::-1], np.float32))
    assert done
    return bytes(data)


def test_hdr_and_exr_hold_the_same_light_and_a_picture_is_decoded(tmp_path: Path) -> None:
    light = np.random.default_rng(2).uniform(0.02, 30.0, (32, 64, 3)).astype(np.float32)
    found, notes = read_panorama(exr(light), "a.exr")
    assert np.array_equal(found, light) and notes == ()
    other, _ = read_panorama(hdr(light), "a.hdr")
    assert np.abs(other - light).max() <= light.max() / 128  # eight bits and one exponent for three
    grey = np.full((8, 16, 3), 128, np.uint8)
    plain, _ = read_panorama(save_png(tmp_path / "p.png", grey).read_bytes(), "p.png")
    assert np.allclose(plain, decode_srgb(np.array(128 / 255)), atol=1e-4)
    again, _ = read_panorama(panorama_bytes(light), "kept.exr")
    assert np.abs(again - light).max() <= light.max() / 1024


def test_light_that_is_none_is_put_right_and_told_and_large_ones_made_small() -> None:
    light = np.ones((2048, 4096, 3), np.float32)
    light[0, 0], light[5, 5, 0], light[9, 9] = np.inf, np.nan, -3.0
    found, notes = read_panorama(exr(light), "wild.exr")
    assert found.shape == (1024, 2048, 3) and np.isfinite(found).all() and found.min() >= 0
    assert found[0, 0].max() == pytest.approx((BRIGHTEST + 3) / 4)
    assert np.allclose(found[600:], 1)
    words = " ".join(notes)
    assert "4 of its values are endless" in words and "3 of its values lie below nothing" in words and "4096" in words


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (b"", "x.hdr", "empty"), (b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 4 +X 8\n", "x.hdr", "damaged"),
        (b"\x76\x2f\x31\x01rubbish", "x.exr", "damaged"), (b"nothing", "x.txt", "no panorama"),
        (exr(np.ones((10, 10, 3))), "square.exr", "twice as wide as high"),
    ],
)  # fmt: skip
def test_what_is_no_panorama_is_refused_by_name(data: bytes, name: str, words: str) -> None:
    with pytest.raises(PictureError, match=words) as told:
        read_panorama(data, name)
    assert name in str(told.value)


def job(folder: Path, *steps: dict[str, object], **more: object) -> Path:
    (folder / "m.obj").write_text(BOARD)
    data = {"job": 1, "model": "m.obj", "sheet_size": 16, "steps": list(steps), "save": "m.fern", **more}
    (folder / "j.json").write_text(json.dumps(data))
    return folder / "j.json"


def test_light_is_kept_in_the_project_and_comes_back(tmp_path: Path) -> None:
    light = np.zeros((16, 32, 3), np.float32)
    light[:, :16] = (4.0, 2.0, 1.0)
    (tmp_path / "dock.exr").write_bytes(exr(light))
    done = run_job(job(tmp_path, {"do": "light", "panorama": "dock.exr", "exposure": 1.5, "sky": 90},
                       {"do": "light", "mirror": True, "blur": 0.6}))  # fmt: skip
    assert done.warnings == ()
    studio = Studio.open(tmp_path / "m.fern")
    kept = studio.project.light
    assert kept is not None and kept.panorama is not None
    assert (kept.surroundings, kept.exposure, kept.sky_deg, kept.blur) == ("own", 1.5, 90, 0.6)
    assert np.allclose(light_of(studio.blobs, kept.panorama), light[:, ::-1])
    studio.execute(SetLight(Light(exposure=2.0)))
    studio.history.undo()
    assert studio.project.light == kept
    with pytest.raises(CommandError, match="choose its file"):
        studio.execute(SetLight(Light(surroundings="own")))
    for step, words in (
        ({"do": "light", "panorama": "none.hdr"}, "none.hdr"), ({"do": "light", "mirror": True}, "panorama"),
        ({"do": "light", "exposure": 0}, "exposure"), ({"do": "light", "blur": 2}, "blur"),
    ):  # fmt: skip
        with pytest.raises(JobError, match=words):
            run_job(job(tmp_path, step))


@given(st.fixed_dictionaries({name: st.floats(low, high) for name, (low, high) in RANGES.items()}))
def test_numbers_come_back_from_their_file_as_they_were(values: dict[str, float]) -> None:
    numbers = {"": Numbers(**values), "hull": Numbers()}
    assert numbers_from_json(numbers_json(numbers), "n.json") == numbers


def test_numbers_travel_in_the_project_and_lie_beside_the_maps(tmp_path: Path) -> None:
    exports = [{"preset": "separate", "out": "maps"}]
    wash = {"do": "wash", "values": {"colour": "#336699"}}
    plain = run_job(job(tmp_path, wash, exports=exports))
    assert not any(path.name == NUMBERS for path in plain.files)
    done = run_job(job(tmp_path, wash, {"do": "material-numbers", "power": 12, "fresnel_max": 2},
                       {"do": "material-numbers", "material": "paint", "specular": 0.5}, exports=exports))  # fmt: skip
    assert tmp_path / "maps" / NUMBERS in done.files
    data = json.loads((tmp_path / "maps" / NUMBERS).read_text())
    assert data["materials"]["*"]["power"] == 12 and data["materials"]["paint"]["specular"] == 0.5
    assert data["materials"]["paint"]["power"] == 12  # it goes on from those of all
    assert "fresnel_min" in data["formula"] and set(data["about"]) == set(RANGES)
    assert Studio.open(tmp_path / "m.fern").project.numbers[""] == Numbers(power=12, fresnel_max=2)
    for step, words in (
        ({"do": "material-numbers", "power": 0}, "power"),
        ({"do": "material-numbers", "material": "sail", "power": 2}, "no material 'sail'"),
    ):
        with pytest.raises(JobError, match=words):
            run_job(job(tmp_path, step))
    for bad in (b"{}", b"[1]", b"rubbish", b'{"materials": {"*": {"power": 1e9}}}'):
        with pytest.raises(CommandError, match=r"n\.json"):
            numbers_from_json(bad, "n.json")
