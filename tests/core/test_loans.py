"""Loans to other programs: what comes back is what was changed there, in its place, and nothing else."""

from __future__ import annotations

import io
import shutil
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import cv2
import numpy as np
import pytest
from PIL import Image

from lucky_fern.core.errors import CommandError
from lucky_fern.core.lending import boxed, boxed_layer
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Brushwork, Channel, Decal
from lucky_fern.core.project.layouts import RenameMaterial
from lucky_fern.core.project.places import Lay
from lucky_fern.core.studio import Studio
from lucky_fern.demo.other_program import paint_on
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
        ({"box": [0, 0, 400, 10]}, "within the sheet's 300 × 300 texels"),
        ({"maps": ["gloss"]}, "there is no map called 'gloss'"),
        ({"out": "box.gif"}, "goes out as .ora, .png"),
    ):
        step = {"do": "lend", "name": "x", "sheet": "paint:1001", "out": "x.png", **more}
        result = run_job({"job": 1, "project": "a.fern", "steps": [step]}, "b")
        assert result.returncode == 2 and told in result.stderr


def test_the_layout_goes_along_hidden_and_changes_nothing(lent: Path, run_job: Runner) -> None:
    steps = [{"do": "lend", "name": "ora", "sheet": "paint:1001", "box": BOX, "out": "guided.ora", "guides": True}]
    assert run_job({"job": 1, "project": "a.fern", "steps": steps, "save": "g.fern"}, "g").returncode == 0
    with zipfile.ZipFile(lent / "guided.ora") as archive:
        root = ElementTree.fromstring(archive.read("stack.xml"))
        hidden = [one for one in root.iter("layer") if one.get("visibility") == "hidden"]
        assert [one.get("name") for one in hidden] == ["UV wires", "Islands"]
        for one in hidden:
            picture = np.array(Image.open(io.BytesIO(archive.read(one.get("src")))))
            assert picture.shape == (BOX[3] - BOX[1], BOX[2] - BOX[0], 4)
        assert (picture[..., :3] == 255).all()  # the plane covers its tile
    after = back(lent, run_job, "ora", "guided.ora", "g.fern")
    assert after.project.loans["ora"].layer is None  # nobody changed anything


def test_layers_that_were_added_come_back_as_layers(lent: Path, run_job: Runner) -> None:
    steps = [{"do": "lend", "name": "apart", "sheet": "paint:1001", "box": BOX, "out": "apart.ora", "layers": True}]
    assert run_job({"job": 1, "project": "a.fern", "steps": steps, "save": "p.fern"}, "p").returncode == 0
    paint_on(lent / "apart.ora", (10, 10, 40, 30), "#ff0000")
    studio = back(lent, run_job, "apart", "apart.ora", "p.fern")
    names = [layer.name for layer in studio.project.walk()]
    assert names == ["Base", "Ebene ∞ <1>"]  # what lay below was not changed
    before, after = maps(lent, "before", "baseColor") // 257, maps(lent, "after", "baseColor") // 257
    spot = (slice(BOX[1] + 10, BOX[1] + 30), slice(BOX[0] + 10, BOX[0] + 40))
    assert (after[spot] == (255, 0, 0)).all()
    off = np.abs(after - before).max(axis=2)
    off[spot] = 0
    assert off.max() == 0
    assert studio.project.loans["apart"].added.keys() == {"Ebene ∞ <1>"}
    shutil.copy(lent / "b.fern", lent / "c.fern")
    paint_on(lent / "apart.ora", (60, 10, 80, 30), "#00ff00")  # one more, of the same name: both are kept apart
    studio = back(lent, run_job, "apart", "apart.ora", "c.fern")
    assert [layer.name for layer in studio.project.walk()] == ["Base", "Ebene ∞ <1>", "Ebene ∞ <1> 2"]
    after = maps(lent, "after", "baseColor") // 257
    assert (after[spot] == (255, 0, 0)).all() and (after[BOX[1] + 20, BOX[0] + 70] == (0, 255, 0)).all()
    with zipfile.ZipFile(lent / "apart.ora") as archive:  # taken out again there
        stack = archive.read("stack.xml").decode()
    root = ElementTree.fromstring(stack)
    for one in list(root.find("stack")):
        if "Ebene" in one.get("name", ""):
            root.find("stack").remove(one)
    rewritten(lent / "apart.ora", stack_xml=ElementTree.tostring(root))
    with zipfile.ZipFile(lent / "box.ora") as archive:
        rewritten(lent / "apart.ora", mergedimage_png=archive.read("mergedimage.png"))
    shutil.copy(lent / "b.fern", lent / "d.fern")
    back(lent, run_job, "apart", "apart.ora", "d.fern")
    assert np.array_equal(maps(lent, "after", "baseColor") // 257, before)


def test_boxes_are_found_round_faces_and_layers(lent: Path) -> None:
    studio = Studio.open(lent / "a.fern")
    key = studio.surface.keys[0]
    assert boxed(studio, key, np.ones(2, bool)) == (0, 0, 300, 300)
    half = boxed(studio, key, np.array([True, False]), 0)
    assert half == (0, 0, 300, 300)  # a triangle over the diagonal
    place = Lay("paint", 1001, (0.5, 0.25), 0.2, 0.1)
    picture = studio.keep_figure(Figure("rectangle"))
    studio.execute(AddLayer("Mark", Decal(picture, place), {"colour": Channel("picture")}))
    found = boxed_layer(studio, studio.project.layers[-1], 0)
    assert found[0] == key and np.allclose(found[1], (120, 210, 180, 240), atol=1)
    with pytest.raises(CommandError, match="shows no colour"):
        boxed_layer(studio, AddLayer("None", Brushwork(), {}).apply(studio.project).layers[-1])


def test_a_loan_follows_a_material_that_is_called_otherwise(lent: Path) -> None:
    studio = Studio.open(lent / "a.fern")
    studio.lay_out(RenameMaterial("paint", "gloss"))
    assert studio.project.loans["png"].sheet == "gloss:1001"


def test_what_is_painted_on_a_lent_view_is_thrown_back_through_its_lens(lent: Path, run_job: Runner) -> None:
    view = {"eye": [0.8, 0.4, 2.5], "at": [0.1, 0, 0], "angle": 50}
    lend = {"do": "lend", "name": "seen", "view": view, "size": [400, 300], "out": "seen.png"}
    result = run_job({"job": 1, "project": "a.fern", "steps": [lend], "save": "v.fern"}, "v")
    assert result.returncode == 0, result.stderr
    picture = read_png(lent / "seen.png")
    assert picture.shape == (300, 400, 4) and 0.1 < (picture[..., 3] > 0).mean() < 0.9
    same = back(lent, run_job, "seen", "seen.png", "v.fern")
    assert same.project.lent_views["seen"].layer is None  # nobody painted on it
    spot = (slice(140, 160), slice(180, 220))
    picture[spot] = (0, 0, 255, 255)
    picture[:40, :40] = (0, 255, 0, 255)  # beside the model: falls on nothing
    save_png(lent / "seen.png", picture)
    studio = back(lent, run_job, "seen", "seen.png", "v.fern")
    assert [layer.name for layer in studio.project.walk()][-1] == "seen"
    before, after = maps(lent, "before", "baseColor") // 257, maps(lent, "after", "baseColor") // 257
    changed = np.abs(after - before).max(axis=2) > 2
    # Where the lens sees each texel, by the geometry of the plane alone.
    eye, at = np.array(view["eye"]), np.array(view["at"], float)
    back_ = (eye - at) / np.linalg.norm(eye - at)
    right = np.cross([0, 1, 0], back_)
    right /= np.linalg.norm(right)
    up = np.cross(back_, right)
    row, column = np.mgrid[0:300, 0:300] + 0.5
    points = np.stack([column / 150 - 1, 1 - row / 150, np.zeros_like(row)], axis=2) - eye
    depth = -(points @ back_)
    half = np.tan(np.radians(25))
    x = 200 + 150 * (points @ right) / depth / half
    y = 150 - 150 * (points @ up) / depth / half
    inside = (x > 181) & (x < 219) & (y > 141) & (y < 159)
    beyond = (x < 179) | (x > 221) | (y < 139) | (y > 161)
    assert changed[inside].all() and not changed[beyond].any() and inside.sum() > 300
    assert (after[inside] == (0, 0, 255)).all()
    for wrong, said in (({"view": {"eye": [0, 0, 0], "at": [0, 0, 0]}}, "same point"), ({"out": "x.tif"}, ".png"),
                        ({"sheet": "paint:1001"}, "one of them"), ({"view": {**view, "at": [9, 9, 9]}}, "nothing of"),
                        ({"size": [9000, 10]}, "4096")):  # fmt: skip
        result = run_job({"job": 1, "project": "a.fern", "steps": [{**lend, **wrong}]}, "w")
        assert result.returncode == 2 and said in result.stderr, result.stderr


def test_a_half_written_archive_is_told_of_loans_that_come_apart_too(lent: Path, run_job: Runner) -> None:
    steps = [{"do": "lend", "name": "apart", "sheet": "paint:1001", "box": BOX, "out": "apart.ora", "layers": True}]
    assert run_job({"job": 1, "project": "a.fern", "steps": steps, "save": "p.fern"}, "p").returncode == 0
    whole = (lent / "apart.ora").read_bytes()
    (lent / "apart.ora").write_bytes(whole[: len(whole) // 2])
    steps = [{"do": "take-back", "name": "apart", "from": "apart.ora"}]
    result = run_job({"job": 1, "project": "p.fern", "steps": steps}, "h")
    assert result.returncode == 2 and "half written" in result.stderr and "Traceback" not in result.stderr
