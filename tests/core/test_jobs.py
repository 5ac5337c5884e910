"""The job runner as a person calls it: what it writes, and how it refuses."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lucky_fern.core.errors import CommandError, ProjectError
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.file import open_project
from lucky_fern.core.recipes import read_recipe
from lucky_fern.core.studio import Studio
from lucky_fern.demo.models import soup_flask
from samples import PLANE, Runner, read_png, save_png, soft_noise

WASH = {"do": "wash", "name": "Base", "values": {"colour": "#335577", "roughness": 0.6}}
LAY = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 0.5}
THROW = {"mode": "throw", "point": [0, 0, 0], "normal": [0, 0, 1], "up": [0, 1, 0], "width": 1.0, "depth": 0.5}


def test_the_flask_gives_the_standard_and_the_emissive_set(tmp_path: Path, run_job: Runner) -> None:
    soup_flask(tmp_path / "item.obj")
    save_png(tmp_path / "logo.png", soft_noise((60, 80)))
    place = {
        "mode": "throw",
        "point": [0, 0.08, 0.0455],
        "normal": [0, 0, 1],
        "up": [0, 1, 0],
        "width": 0.04,
        "depth": 0.02,
    }
    channels = {"colour": "picture", "emissive": "#ff9900", "metallic": "picture"}
    job = {
        "job": 1, "model": "item.obj", "sheet_size": 512,
        "steps": [WASH, {"do": "decal", "picture": "logo.png", "channels": channels, "place": place}],
        "save": "item.fern",
        "exports": [{"preset": "separate", "out": "maps"}, {"preset": "emissive", "out": "glow", "bits": 16}],
    }  # fmt: skip
    result = run_job(job, "item", "--json")
    assert result.returncode == 0, result.stderr
    *steps, last = [json.loads(line) for line in result.stdout.splitlines()]
    assert [step["do"] for step in steps] == ["wash", "decal"]
    assert last["done"] is True and last["warnings"] == []
    assert last["skipped"] == ["normal", "height", "occlusion"]
    maps = {path.name for path in (tmp_path / "maps").iterdir()}
    assert maps == {f"item_flask_{name}.png" for name in ("baseColor", "metallic", "roughness", "emissive")}
    glow = {path.name for path in (tmp_path / "glow").iterdir()}
    assert glow == {"item_flask_emissive.png", "item_flask_emissiveMask.png"}
    assert {Path(name) for name in last["files"]} == {
        tmp_path / "item.fern",
        *(tmp_path / "maps").iterdir(),
        *(tmp_path / "glow").iterdir(),
    }
    base = read_png(tmp_path / "maps/item_flask_baseColor.png")
    assert base.shape == (512, 512, 3) and base[2, 2].tolist() == [0x33, 0x55, 0x77]
    assert (read_png(tmp_path / "maps/item_flask_roughness.png") == 153).all()
    emissive = read_png(tmp_path / "glow/item_flask_emissive.png")
    mask = read_png(tmp_path / "glow/item_flask_emissiveMask.png")
    assert emissive.dtype == np.uint16 and emissive.max(axis=(0, 1)).tolist() == [65535, 0x99 * 257, 0]
    assert mask.dtype == np.uint8 and (mask[..., 0] == np.round(emissive.max(axis=2) / 257)).all()

    # Going on from the saved project gives byte-identical files.
    again = {"job": 1, "project": "item.fern", "exports": [{"preset": "separate", "out": "again"}]}
    assert run_job(again, "other").returncode == 0
    for path in (tmp_path / "maps").iterdir():
        assert (tmp_path / "again" / path.name).read_bytes() == path.read_bytes()


def test_laid_picture_opacity_scope_blend_and_tiles(tmp_path: Path, run_job: Runner) -> None:
    (tmp_path / "two.obj").write_text(
        "o a\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl paint\nf 1/1 2/2 3/3 4/4\n"
        "o b\nv 2 0 0\nv 3 0 0\nv 3 1 0\nv 2 1 0\nvt 1 0\nvt 2 0\nvt 2 1\nvt 1 1\nf 5/5 6/6 7/7 8/8\n"
    )
    picture = np.full((10, 10, 4), (200, 100, 50, 255), np.uint8)
    save_png(tmp_path / "p.png", picture)
    job = {
        "job": 1, "model": "two.obj", "sheet_size": {"paint:1001": 64, "default": 32},
        "steps": [
            {"do": "wash", "values": {"colour": "#808080", "opacity": 1.0}},
            {"do": "wash", "values": {"opacity": 0.25}, "scope": {"parts": ["b"]}},
            {"do": "decal", "picture": "p.png", "blend": "multiply", "opacity": 0.5, "scope": {"tiles": [1001]}, "sampling": "nearest",
             "channels": {"colour": "picture", "height": "picture"}, "place": {**LAY, "centre": [1.0, 0.5], "height": 0.5}},
        ],
        "exports": [{"preset": "separate", "out": ".", "bits": 16}],
    }  # fmt: skip
    result = run_job(job, "k")
    assert result.returncode == 0, result.stderr
    left, right = (read_png(tmp_path / f"k_paint_baseColor.{tile}.png") for tile in (1001, 1002))
    assert left.shape == (64, 64, 4) and right.shape == (32, 32, 4)
    grey = 0x80 / 255
    expected = [grey + 0.5 * (grey * v / 255 - grey) for v in (200, 100, 50)]
    assert np.abs(left[32, 60, :3] / 65535 - expected).max() < 2e-4
    assert np.abs(left[2, 60, :3] / 65535 - grey).max() < 1e-4 and np.abs(right[..., :3] / 65535 - grey).max() < 1e-4
    assert (left[..., 3] == 65535).all() and (right[..., 3] == round(0.25 * 65535)).all()
    level = (0.2126 * 200 + 0.7152 * 100 + 0.0722 * 50) / 255
    height = read_png(tmp_path / "k_paint_height.1001.png")
    assert height[32, 60, 0] / 65535 == pytest.approx(0.5 + 0.5 * (0.5 * level - 0.5), abs=2e-4)


def test_a_repeating_picture_runs_over_the_sheet(tmp_path: Path, plane: Path, run_job: Runner) -> None:
    tile = np.zeros((4, 4, 3), np.uint8)
    tile[:2] = 255  # bright upper half
    save_png(tmp_path / "t.png", tile)
    step = {
        "do": "wash",
        "pictures": {"colour": "t.png", "roughness": "t.png"},
        "repeat": [2, 4],
        "sampling": "nearest",
        "offset": [0, 0.125],
    }
    job = {
        "job": 1,
        "model": "plane.obj",
        "sheet_size": 64,
        "steps": [step],
        "exports": [{"preset": "separate", "out": "."}],
    }
    assert run_job(job, "w").returncode == 0
    v = 1 - (np.arange(64) + 0.5) / 64
    bright = ((v - 0.125) * 4) % 1 >= 0.5
    base = read_png(tmp_path / "w_paint_baseColor.png")
    assert (base[:, :, 0] == np.where(bright, 255, 0)[:, None]).all()
    assert (read_png(tmp_path / "w_paint_roughness.png")[..., 0] == base[..., 0]).all()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"steps": [{"do": "paint"}]}, ["step 1 (paint)", "there is no step"]),
        ({"steps": [WASH, {"do": "wash", "values": {"colour": "red"}}]}, ["step 2 (wash)", "#rrggbb"]),
        ({"steps": [{"do": "wash", "values": {"roughness": 1.5}}]}, ["step 1 (wash)", "0 to 1"]),
        ({"steps": [{"do": "wash", "values": {"shine": 1}}]}, ["step 1 (wash)", "shine", "roughness"]),
        ({"steps": [{"do": "wash", "valuse": {}}]}, ["step 1 (wash)", "valuse", "values"]),
        ({"steps": [{**WASH, "blend": "glow"}]}, ["step 1 (wash)", "multiply"]),
        ({"steps": [{**WASH, "opacity": 2}]}, ["step 1 (wash)", "opacity"]),
        (
            {"exports": [{"preset": "separate", "out": "o", "format": "bmp"}]},
            ["export 1 (separate)", "bmp", "tga, tiff"],
        ),
        ({"exports": [{"preset": "packed", "out": "o", "bits": 12}]}, ["export 1 (packed)", "it may be 8, 16"]),
        ({"steps": [{**WASH, "scope": {"parts": ["keel"]}}]}, ["step 1 (wash)", "keel", "board"]),
        (
            {"steps": [{"do": "decal", "picture": "no.png", "place": LAY}]},
            ["step 1 (decal)", "no.png", "does not exist"],
        ),
        ({"steps": [{"do": "decal", "picture": "text.png", "place": LAY}]}, ["step 1 (decal)", "text.png"]),
        ({"steps": [{"do": "decal", "picture": "p.png", "place": {**LAY, "material": "steel"}}]}, ["steel", "paint"]),
        ({"steps": [{"do": "decal", "picture": "p.png", "place": {**LAY, "tile": 1007}}]}, ["1007", "1001"]),
        ({"steps": [{"do": "decal", "picture": "p.png", "place": {**THROW, "width": 0}}]}, ["above 0"]),
        ({"steps": [{"do": "decal", "picture": "p.png", "place": {**THROW, "normal": [0, 0, 0]}}]}, ["normal"]),
        ({"steps": [{"do": "decal", "picture": "p.png", "place": {"mode": "spin"}}]}, ["spin", "throw"]),
        ({"steps": [{"do": "stroke", "layer": "x", "points": [[0, 0]], "radius": 1}]}, ["step 1 (stroke)", "'x'"]),
        ({"model": "gone.obj"}, ["model", "gone.obj", "does not exist"]),
        ({"model": "plain.obj"}, ["plain.obj", "no UVs"]),
        ({"sheet_size": 9000}, ["sheet_size", "8192"]),
        ({"sheet_size": {"paint:1002": 64}}, ["sheet_size", "paint:1001"]),
        ({"exports": [{"preset": "everything", "out": "o"}]}, ["export 1 (everything)", "separate"]),
        ({"exports": [{"preset": "separate", "out": "o", "bits": 12}]}, ["export 1 (separate)", "bits"]),
        ({"exports": [{"preset": "separate", "out": "p.png"}]}, ["export 1 (separate)", "not a folder"]),
        ({"project": "x.fern"}, ["either 'model'"]),
        ({"job": 2}, ["version 1"]),
        ({"colour": "red"}, ["colour", "steps"]),
    ],
)
def test_a_wrong_job_exits_2_with_one_line_and_writes_nothing(
    tmp_path: Path,
    plane: Path,
    run_job: Runner,
    change: dict[str, object],
    words: list[str],
    capsys: pytest.CaptureFixture[str],
) -> None:
    from lucky_fern.cli import main

    save_png(tmp_path / "p.png", np.zeros((4, 4, 3), np.uint8))
    (tmp_path / "text.png").write_text("hello")
    (tmp_path / "plain.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    job = {"job": 1, "model": "plane.obj", "sheet_size": 64, "steps": [WASH], "save": "s.fern",
           "exports": [{"preset": "separate", "out": "o"}], **change}  # fmt: skip
    (tmp_path / "bad.json").write_text(json.dumps(job))
    before = sorted(tmp_path.iterdir())
    assert main(["run", str(tmp_path / "bad.json")]) == 2
    line = capsys.readouterr().err
    assert line.startswith("bad.json: ") and line.count("\n") == 1
    for word in words:
        assert word in line
    assert sorted(tmp_path.iterdir()) == before


def test_a_refusing_disk_exits_1_and_leaves_no_half_file(
    tmp_path: Path, plane: Path, monkeypatch: pytest.MonkeyPatch, capsys
) -> None:
    import os

    from lucky_fern.cli import main

    (tmp_path / "j.json").write_text(json.dumps(
        {"job": 1, "model": "plane.obj", "sheet_size": 64, "steps": [WASH], "exports": [{"preset": "separate", "out": "o"}]}
    ))  # fmt: skip
    calls = []

    def full(handle: int) -> None:
        calls.append(handle)
        if len(calls) == 2:
            raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    assert main(["run", str(tmp_path / "j.json")]) == 1
    assert "No space left" in capsys.readouterr().err
    assert list((tmp_path / "o").iterdir()) == []


def test_a_job_lays_out_selects_and_writes_guide_and_model(tmp_path: Path, run_job: Runner) -> None:
    """A model without UVs gets them, a pane of it glows, and everything is written and read back."""
    sides = ((1, 2, 4, 3), (5, 7, 8, 6), (1, 5, 6, 2), (3, 4, 8, 7), (1, 3, 7, 5), (2, 6, 8, 4))
    points = [f"v {x} {y} {z}" for x in (0, 1) for y in (0, 1) for z in (0, 1)]
    (tmp_path / "lamp.obj").write_text("\n".join([*points, *("f " + " ".join(map(str, side)) for side in sides)]))
    steps = [
        {"do": "layout", "op": "unwrap", "padding": 4},
        {"do": "select", "name": "pane", "facing": [0, 0, 1], "angle": 10},
        {"do": "layout", "op": "fit", "selection": "pane", "low": [1.25, 0.25], "high": [1.75, 0.75]},
        {"do": "layout", "op": "material", "selection": "pane", "name": "glass"},
        WASH,
        {"do": "wash", "name": "Glow", "values": {"emissive": "#ffcc66"}, "scope": {"selections": ["pane"]}},
        {"do": "template", "sheet": "glass:1002", "out": "out/guide.png", "size": 64, "numbers": False},
        {"do": "template", "sheet": "default:1001", "out": "out/guide.svg"},
        {"do": "write-model", "out": "out/lamp.glb"},
    ]
    job = {"job": 1, "model": "lamp.obj", "sheet_size": 64, "steps": steps,
           "exports": [{"preset": "separate", "out": "maps"}], "save": "lamp.fern"}  # fmt: skip
    result = run_job(job, "lamp")
    assert result.returncode == 0, result.stderr
    glow = read_png(tmp_path / "maps" / "lamp_glass_emissive.png")
    assert (glow[20:44, 20:44] == (0xFF, 0xCC, 0x66)).all()
    dark = tmp_path / "maps" / "lamp_default_emissive.png"
    assert not dark.exists() or not read_png(dark).any()
    guide = read_png(tmp_path / "out" / "guide.png")
    assert guide.shape == (64, 64, 4) and guide[32, 32, 3] == 255 and guide[8, 8, 3] == 0
    assert (tmp_path / "out" / "guide.svg").read_text().startswith("<svg")
    written = load_model(tmp_path / "out" / "lamp.glb")
    assert set(written.materials) == {"default", "glass"} and written.has_uv.all()
    pane = written.material == written.materials.index("glass")
    assert (
        np.allclose(written.uv[pane].min(axis=(0, 1)), (1.25, 0.25)) and (written.face_normals[pane, 2] > 0.99).all()
    )


@pytest.mark.parametrize(
    ("step", "word"),
    [
        ({"do": "layout", "op": "spin"}, "spin"),
        ({"do": "layout", "op": "fit", "lo": [0, 0]}, "lo"),
        ({"do": "layout", "op": "send", "tile": 5}, "1001 to 9999"),
        ({"do": "layout", "op": "pack", "selection": "none"}, "no selection"),
        ({"do": "select", "name": "x", "facing": [0, 1, 0], "angle": 1}, "no face"),
        ({"do": "select", "name": "x", "unit": "part"}, "point"),
        ({"do": "template", "sheet": "paint:1009", "out": "g.png"}, "paint:1001"),
        ({"do": "template", "sheet": "paint:1001", "out": "g.jpg"}, "png or .svg"),
        ({"do": "write-model", "out": "m.obj", "vertex_colours": True}, "OBJ"),
    ],
)
def test_layout_steps_that_make_no_sense_are_refused_in_a_sentence(
    tmp_path: Path, plane: Path, run_job: Runner, step: dict[str, object], word: str
) -> None:
    result = run_job({"job": 1, "model": plane.name, "steps": [step], "exports": []})
    assert result.returncode == 2 and word in result.stderr, result.stderr
    assert not list(tmp_path.glob("g.*")) and not list(tmp_path.glob("m.*"))


def changed_layers(tmp_path: Path) -> Studio:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=32)
    lay = {"mode": "lay", "material": studio.surface.materials[0], "tile": 1001, "centre": [0.5, 0.5], "width": 0.5}
    blur = {"do": "adjust", "name": "Soft", "kind": "blur", "map": "colour", "radius": 2}
    for step in ({"do": "wash", "name": "Base", "values": {"colour": "#335577", "roughness": 0.6}},
                 {"do": "decal", "name": "Name port", "label": {"text": "Otter"}, "place": lay},
                 {"do": "mask", "layer": "Name port", "kind": "rule", "rule": "grain", "size": 0.1},
                 {"do": "group", "name": "Over", "steps": [blur, {"do": "wash", "name": "Twice", "values": {"metallic": 1}}]},
                 {"do": "wash", "name": "Twice", "values": {"metallic": 0}}):  # fmt: skip
        do_step(studio, step, tmp_path)
    return studio


def test_set_changes_what_is_there_in_one_step_of_undo(tmp_path: Path) -> None:
    studio = changed_layers(tmp_path)
    layers = {layer.name: layer for layer in studio.project.walk()}
    text, place = layers["Name port"].content, layers["Name port"].content.place
    at = studio.history.at
    do_step(studio, {"do": "set", "layer": "Name port", "text": "Marsh Hen", "opacity": 0.5, "blend": "multiply",
                     "low": 0.3, "size": 0.2, "name": "Bow"}, tmp_path)  # fmt: skip
    assert studio.history.at == at + 1
    bow = next(layer for layer in studio.project.walk() if layer.name == "Bow")
    assert studio.project.pictures[text.picture].text.text == "Marsh Hen"
    assert (bow.opacity, bow.blend, bow.content.picture) == (0.5, "multiply", text.picture)
    assert bow.content.place.centre == place.centre and bow.content.place.width > place.width  # letters keep size
    (entry,) = studio.project.masks[bow.mask].entries
    assert (entry.shape.low, entry.shape.rule.size) == (0.3, 0.2)
    save_png(tmp_path / "dot.png", np.full((4, 8, 3), 200, np.uint8))
    do_step(studio, {"do": "set", "layer": "Bow", "picture": "dot.png", "sampling": "nearest"}, tmp_path)
    bow = next(layer for layer in studio.project.walk() if layer.name == "Bow")
    assert bow.content.sampling == "nearest" and studio.project.pictures[bow.content.picture].width == 8
    do_step(studio, {"do": "set", "layer": "Base", "values": {"roughness": None, "metallic": 0.25}}, tmp_path)
    do_step(studio, {"do": "set", "layer": "Soft", "radius": 3, "visible": False}, tmp_path)
    layers = {layer.name: layer for layer in studio.project.walk()}
    assert set(layers["Base"].channels) == {"colour", "metallic"} and layers["Soft"].content.effect.radius == 3


def test_remove_and_order_name_one_layer(tmp_path: Path) -> None:
    studio = changed_layers(tmp_path)
    do_step(studio, {"do": "order", "layer": "Base", "above": "Name port"}, tmp_path)
    assert [layer.name for layer in studio.project.layers] == ["Name port", "Base", "Over", "Twice"]
    do_step(studio, {"do": "order", "layer": "Base", "below": "Soft"}, tmp_path)
    assert [layer.name for layer in studio.project.layers[1].children] == ["Base", "Soft", "Twice"]
    do_step(studio, {"do": "remove", "layer": "Over"}, tmp_path)
    assert [layer.name for layer in studio.project.walk()] == ["Name port", "Twice"]


@pytest.mark.parametrize(("step", "words"), [
    ({"do": "remove", "layer": "Twice"}, "2 layers are called 'Twice' .number 2 in 'Over', number 4 from the bottom"),
    ({"do": "set", "layer": "Mast", "opacity": 1}, "no layer 'Mast'; there are 'Base'"),
    ({"do": "set", "layer": "Base", "text": "x"}, "shows no label"),
    ({"do": "set", "layer": "Base", "reach": 1}, "no rule with reach to set; its own keys are"),
    ({"do": "set", "layer": "Soft", "radius": "wide"}, "radius"),
    ({"do": "set", "layer": "Base"}, "needs something to set"),
    ({"do": "set", "layer": "Base", "opacity": 2}, "opacity"),
    ({"do": "order", "layer": "Base"}, "'above' and 'below'"),
    ({"do": "order", "layer": "Over", "above": "Soft"}, "into itself"),
    ({"do": "groove", "layer": "Base"}, "no edging"),
])  # fmt: skip
def test_what_cannot_be_changed_is_said_and_nothing_is(step: dict[str, object], words: str, tmp_path: Path) -> None:
    studio = changed_layers(tmp_path)
    before = studio.project
    with pytest.raises(CommandError, match=words):
        do_step(studio, step, tmp_path)
    assert studio.project is before


def test_a_channel_that_was_taken_off_comes_back_with_its_relief_and_relief_can_be_set(
    plane: Path, run_job: Runner, tmp_path: Path
) -> None:
    save_png(tmp_path / "bumps.png", soft_noise((32, 32)))
    wash = {"do": "wash", "name": "Base", "pictures": {"height": "bumps.png"}, "relief": {"strength": 3.0}}

    def normals(name: str, *steps: dict[str, Any]) -> np.ndarray | None:
        done = run_job({"job": 1, "model": plane.name, "sheet_size": 64, "steps": [wash, *steps],
                        "exports": [{"preset": "separate", "out": name}]}, name)  # fmt: skip
        assert done.returncode == 0, done.stderr
        found = list((tmp_path / name).glob("*normal*"))
        return read_png(found[0]) if found else None

    first = normals("first")
    assert normals("off", {"do": "set", "layer": "Base", "channels": {"height": None}}) is None
    back = [{"do": "set", "layer": "Base", "channels": {"height": one}} for one in (None, "picture")]
    assert np.array_equal(normals("back", *back), first)
    assert normals("flat", {"do": "set", "layer": "Base", "relief": False}) is None
    again = [{"do": "set", "layer": "Base", "relief": one} for one in (False, {"strength": 3.0})]
    assert np.array_equal(normals("again", *again), first)


@pytest.mark.parametrize(("step", "words"), [
    (7, "step 1: a step is an object"), ({"do": 5}, "step 1: a step is an object"),
    ({"do": "decal", "picture": "p.png", "place": {"mode": "throw", "point": [0, 0, 0], "normal": [0, 0, 1],
                                                   "up": [0, 1, 0], "width": 0}}, "width"),
])  # fmt: skip
def test_what_is_wrong_with_a_step_is_named_for_what_it_is(
    step: Any, words: str, plane: Path, run_job: Runner, tmp_path: Path
) -> None:
    save_png(tmp_path / "p.png", np.full((4, 4, 3), 9, np.uint8))
    done = run_job({"job": 1, "model": plane.name, "steps": [step]})
    assert done.returncode == 2 and words in done.stderr and "None" not in done.stderr and "depth" not in done.stderr


def test_a_damaged_recipe_asks_for_a_recipe_and_memory_and_rights_are_called_by_their_names(
    plane: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "rust.fernrecipe").write_bytes(b"no recipe at all")
    with pytest.raises(ProjectError, match=r"not a recipe; choose a file that ends in \.fernrecipe"):
        read_recipe((tmp_path / "rust.fernrecipe").read_bytes(), "rust.fernrecipe")
    studio = Studio.new(plane)
    studio.save(tmp_path / "a.fern")

    def fails(error: BaseException) -> None:
        def decode(*_: object) -> None:
            raise error

        monkeypatch.setattr("lucky_fern.core.project.file.convert", decode)

    fails(MemoryError())
    with pytest.raises(ProjectError, match="too little memory"):
        open_project(tmp_path / "a.fern")
    fails(PermissionError(13, "Permission denied"))
    with pytest.raises(ProjectError, match=r"Permission denied.*permissions"):
        open_project(tmp_path / "a.fern")
