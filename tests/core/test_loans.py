"""Loans to other programs: what comes back is what was changed there, in its place, and nothing else."""

from __future__ import annotations

import io
import shutil
import zipfile
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from lucky_fern.core.studio import Studio
from samples import PLANE, Runner, read_png, save_png, soft_noise

BOX = [40, 24, 200, 120]  # over the border of no chunk; the sheet has 300 texels, two chunks each way


@pytest.fixture
def lent(tmp_path: Path, run_job: Runner) -> Path:
    """A folder with a project that has lent a box of colour, height and roughness in several forms."""
    (tmp_path / "plane.obj").write_text(PLANE)
    save_png(tmp_path / "noise.png", (soft_noise((90, 110)) * 0.5 + 60).astype(np.uint8))
    steps = [
        {
            "do": "wash",
            "name": "Base",
            "values": {"roughness": 0.6, "height": 0.52},
            "pictures": {"colour": "noise.png"},
        },
        {"do": "lend", "name": "ora", "sheet": "paint:1001", "box": BOX, "out": "box.ora"},
        {"do": "lend", "name": "png", "sheet": "paint:1001", "box": BOX, "out": "box.png"},
        {"do": "lend", "name": "all", "sheet": "paint:1001", "maps": ["height", "roughness"], "out": "all.tif"},
    ]
    result = run_job({"job": 1, "model": "plane.obj", "sheet_size": 300, "steps": steps, "save": "a.fern",
                      "exports": [{"preset": "separate", "out": "before", "bits": 16}]}, "a")  # fmt: skip
    assert result.returncode == 0, result.stderr
    return tmp_path


def back(folder: Path, run_job: Runner, name: str, file: str, project: str = "a.fern", **more: object) -> Studio:
    steps = [{"do": "take-back", "name": name, "from": file, **more}]
    shutil.rmtree(folder / "after", ignore_errors=True)
    result = run_job({"job": 1, "project": project, "steps": steps, "save": "b.fern",
                      "exports": [{"preset": "separate", "out": "after", "bits": 16}]}, "b")  # fmt: skip
    assert result.returncode == 0, result.stderr
    return Studio.open(folder / "b.fern")


def maps(folder: Path, which: str, name: str) -> np.ndarray:
    (path,) = (folder / which).glob(f"*_paint_{name}.png")
    return read_png(path).astype(int)


def rewritten(path: Path, **members: bytes) -> None:
    """An archive with some members other than they were."""
    with zipfile.ZipFile(path) as archive:
        held = {name: archive.read(name) for name in archive.namelist()}
    with zipfile.ZipFile(path, "w") as archive:
        for name, data in held.items():
            archive.writestr(name, members.get(name.replace("/", "_").replace(".", "_"), data))


def png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels.astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


def test_what_nobody_changed_comes_back_as_nothing(lent: Path, run_job: Runner) -> None:
    for name, file in (("png", "box.png"), ("ora", "box.ora"), ("all", "all.tif")):
        studio = back(lent, run_job, name, file)
        assert [layer.name for layer in studio.project.layers] == ["Base"]


def test_what_was_painted_there_comes_back_exactly_and_a_second_time_replaces_it(lent: Path, run_job: Runner) -> None:
    before = maps(lent, "before", "baseColor")
    picture = np.array(Image.open(lent / "box.png"))
    assert picture.shape == (96, 160, 3)
    assert (picture == (before[24:120, 40:200] + 128) // 257).all()  # eight bits of what is exported with sixteen
    picture[10:30, 20:50] = (250, 10, 60)
    Image.fromarray(picture).save(lent / "box.png")
    studio = back(lent, run_job, "png", "box.png")
    assert [layer.name for layer in studio.project.layers] == ["Base", "png"]
    after = maps(lent, "after", "baseColor")
    there = np.zeros((300, 300), bool)
    there[34:54, 60:90] = True
    assert (after[~there] == before[~there]).all()
    assert (after[there] == np.array((250, 10, 60)) * 257).all()
    picture[10:30, 20:50] = (np.array(before[34:54, 60:90]) + 128) // 257
    picture[60:70, 100:110] = (0, 255, 0)
    Image.fromarray(picture).save(lent / "box.png")
    (lent / "b.fern").replace(lent / "c.fern")
    studio = back(lent, run_job, "png", "box.png", "c.fern")
    assert [layer.name for layer in studio.project.layers] == ["Base", "png"]
    after = maps(lent, "after", "baseColor")
    assert (after[34:54, 60:90] == before[34:54, 60:90]).all() and (after[84:94, 140:150] == (0, 65535, 0)).all()


def test_open_raster_comes_back_from_programs_that_write_all_of_it_or_only_a_layer(
    lent: Path, run_job: Runner
) -> None:
    with zipfile.ZipFile(lent / "box.ora") as archive:
        assert archive.namelist()[0] == "mimetype" and archive.read("mimetype") == b"image/openraster"
        layer = np.array(Image.open(io.BytesIO(archive.read("data/0.png"))))
        merged = np.array(Image.open(io.BytesIO(archive.read("mergedimage.png"))))
    assert merged.shape == (96, 160, 4) and b'w="160" h="96"' in zipfile.ZipFile(lent / "box.ora").read("stack.xml")
    original = (lent / "box.ora").read_bytes()
    for member, pixels in (("mergedimage_png", merged), ("data_0_png", layer)):
        (lent / "box.ora").write_bytes(original)
        changed = pixels.copy()
        changed[5:9, 7:17] = (255, 0, 128, 255)
        rewritten(lent / "box.ora", **{member: png(changed)})
        back(lent, run_job, "ora", "box.ora")
        off = np.abs(maps(lent, "after", "baseColor") - maps(lent, "before", "baseColor")).max(axis=2)
        assert (off[29:33, 47:57] > 0).all() and np.count_nonzero(off) == 40


def test_heights_come_back_at_their_level_and_sizes_at_theirs(lent: Path, run_job: Runner) -> None:
    before = maps(lent, "before", "height")
    height = cv2.imread(str(lent / "all_height.tif"), cv2.IMREAD_UNCHANGED)
    assert height.dtype == np.uint16 and height.shape == (300, 300)
    moved = height.astype(int) + 3000  # another program's idea of what is level
    moved[100:140, 50:80] += 5000
    cv2.imwrite(str(lent / "all_height.tif"), moved.astype(np.uint16))
    back(lent, run_job, "all", "all.tif")
    off = maps(lent, "after", "height") - before
    assert (off[100:140, 50:80] == 5000).all() and np.count_nonzero(off) == 40 * 30
    picture = Image.open(lent / "box.png")
    larger = np.array(picture.resize((320, 192), Image.Resampling.BICUBIC))
    larger[40:80, 60:120] = (255, 255, 0)
    Image.fromarray(larger).save(lent / "box.png")
    back(lent, run_job, "png", "box.png", feather=2)
    off = np.abs(maps(lent, "after", "baseColor") - maps(lent, "before", "baseColor")).max(axis=2)
    inside = np.zeros((300, 300), bool)
    inside[24 + 20 : 24 + 40, 40 + 30 : 40 + 60] = True
    grown = cv2.dilate(inside.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    assert (off[~grown] == 0).all() and (off[48:60, 76:94] > 5000).all()
    assert off[44, 70] < off[46, 73]  # it fades in


@pytest.mark.parametrize(
    "name, file, told",
    [
        ("roof", "box.png", "nothing is lent as 'roof'; on loan are all, ora, png"),
        ("png", "wide.png", "lent were 160 × 96, of other proportions"),
        ("png", "half.png", "half.png cannot be read"),
        ("ora", "half.ora", "it may be half written"),
        ("png", "none.png", "none.png"),
    ],
)
def test_what_cannot_come_back_is_told(lent: Path, run_job: Runner, name: str, file: str, told: str) -> None:
    Image.fromarray(np.zeros((96, 200, 3), np.uint8)).save(lent / "wide.png")
    (lent / "half.png").write_bytes((lent / "box.png").read_bytes()[:300])
    (lent / "half.ora").write_bytes((lent / "box.ora").read_bytes()[:900])
    result = run_job({"job": 1, "project": "a.fern", "save": "b.fern",
                      "steps": [{"do": "take-back", "name": name, "from": file}]}, "b")  # fmt: skip
    assert result.returncode == 2 and "step 1 (take-back): " in result.stderr and told in result.stderr
    assert not (lent / "b.fern").exists()


def test_a_loan_that_cannot_be_is_told(lent: Path, run_job: Runner) -> None:
    for more, told in (
        ({"sheet": "paint:1002"}, "there is no sheet 'paint:1002'; there are paint:1001"),
        ({"box": [0, 0, 400, 10]}, "within the sheet's 300 texels"),
        ({"maps": ["gloss"]}, "there is no map called 'gloss'"),
        ({"out": "box.gif"}, "goes out as .ora, .png"),
    ):
        step = {"do": "lend", "name": "x", "sheet": "paint:1001", "out": "x.png", **more}
        result = run_job({"job": 1, "project": "a.fern", "steps": [step]}, "b")
        assert result.returncode == 2 and told in result.stderr
