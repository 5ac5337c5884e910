"""Echoes of what is no map below: a picture's channel, a rule of the survey; and heights that normals tell."""

import json
from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.checking.wrong_normals import all_wrong_normals
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.rising import risen
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.run import run_job
from lucky_fern.core.preparing.relief import lifted
from lucky_fern.core.preparing.state import State
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, RemovePictures, RenamePicture
from lucky_fern.core.project.document import Channel, Relief, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.preparations import Relief as OpRelief
from lucky_fern.core.project.rules import Edges, Grain, Rim, RuleShape
from lucky_fern.core.project.shapes import MaskEntry
from lucky_fern.core.studio import Studio
from samples import save_png

PLACES = (
    "v -1 -1 0\nv 0 -1 0\nv 1 -1 0\nv 1 1 0\nv 0 1 0\nv -1 1 0\nvt 0 0\nvt .5 0\nvt .5 1\nvt 0 1\nvt 1 1\nvt 1 0\n"
)
WHOLE = PLACES + "usemtl paint\nf 1/1 2/2 5/3 6/4\nf 2/2 3/6 4/5 5/3\n"
HALVES = PLACES + "usemtl paint\nf 1/1 2/2 5/3 6/4\nf 2/6 3/2 4/3 5/5\n"  # the right half mirrored in its place


def shown(studio: Studio, name: str) -> np.ndarray:
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    return composite_sheet(studio.sources, studio.project, name, sheet, 16)[..., 0] / 65535.0


def bump(size: int, sigma: float, tall: float, long: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """A hill in texels (``long`` times as long as wide), and its normals as stored."""
    y, x = np.mgrid[0:size, 0:size] + 0.5 - size / 2
    y *= long
    height = tall * np.exp(-(x**2 + y**2) / (2 * sigma**2))
    slope = np.stack([height * x / sigma**2, -height * y / sigma**2, np.ones_like(x)], axis=2)
    return height, (slope / np.linalg.norm(slope, axis=2, keepdims=True) * 0.5 + 0.5).astype(np.float32)


@pytest.mark.parametrize(("sigma", "near"), [(3.0, 0.03), (6.0, 0.06)])
def test_hills_rise_from_their_normals_as_they_stood(sigma: float, near: float) -> None:
    height, normals = bump(128, sigma, 4.0)
    found = risen(normals, np.ones((128, 128), np.bool_), 48.0)
    found -= np.median(found)
    assert np.abs(found - height).max() < near * 4.0
    height, longer = bump(128, sigma, 4.0, 1.5)
    found = risen(longer, np.ones((128, 128), np.bool_), 48.0, 1.5)
    assert np.abs(found - np.median(found) - height).max() < 2 * near * 4.0
    height, normals = bump(128, sigma, 4.0)
    # An island's own border cuts nothing off: what is not known is no slope.
    y, x = np.mgrid[0:128, 0:128] - 64
    known = x**2 + y**2 < 40**2
    wild = np.where(known[..., None], normals, np.float32(0.9))
    part = risen(wild, known, 48.0)
    assert np.abs(part - part[known].min() - height)[known].max() < 2 * near * 4.0 and (part[~known] == 0).all()


def studio_of(folder: Path, model: str, size: int = 320) -> Studio:
    (folder / "m.obj").write_text(model)
    return Studio.new(folder / "m.obj", sheet_size=size)


def test_what_rises_shapes_the_same_normals_again_over_seams_and_chunks(tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    waves = sum(np.sin(rng.uniform(0, 7) + 2 * np.pi * (a * np.arange(320)[None] + b * np.arange(320)[:, None]) / 320)
                for a, b in rng.integers(10, 26, (6, 2)))  # fmt: skip
    grey = np.rint((waves / 12 + 0.5).clip(0, 1) * 65535).astype(np.uint16)
    import cv2

    done, data = cv2.imencode(".png", grey)
    assert done
    (tmp_path / "waves height.png").write_bytes(bytes(data))
    found = []
    for name, text in (("whole", WHOLE), ("halves", HALVES)):
        (tmp_path / name).mkdir()
        studio = studio_of(tmp_path / name, text)
        picture = studio.add_picture(tmp_path / "waves height.png")
        wash = Wash(by="triplanar")
        studio.execute(AddLayer("Waves", wash, {"height": Channel("picture", picture=picture, relief=Relief(8.0))}))
        normal, height = (
            composite_sheet(
                studio.sources, studio.project, "normal", studio.surface.sheets(studio.project.size_of)[0], 16
            ),
            shown(studio, "height"),
        )
        (tmp_path / name / "n normal.png").write_bytes(
            bytes(cv2.imencode(".png", np.ascontiguousarray(normal[..., ::-1]))[1])
        )
        again = studio_of(tmp_path / name, text)
        normals = again.add_picture(tmp_path / name / "n normal.png")
        again.execute(AddLayer("Normals", Wash(), {"normal": Channel("picture", picture=normals)}))
        again.execute(AddLayer("Rise", Echo("normal", "rise", wide=32.0, tall=8.0), {"height": Channel(ECHO)}))
        lift = shown(again, "height")
        apart = (lift - lift.mean()) - (height - height.mean())
        assert np.abs(apart[20:-20, 20:-20]).max() < 0.03 < np.ptp(height)
        steps = np.abs(np.diff(apart, axis=1)).max(axis=0)
        assert steps[255] < 1.2 * np.median(steps) + 0.001  # chunks meet
        found.append(lift)
    mirrored = found[1].copy()
    mirrored[:, 160:] = mirrored[:, 160:][:, ::-1]
    assert np.abs(found[0] - mirrored).max() < 0.02  # the seam is none


def test_one_channel_of_a_packed_picture_and_a_rule_are_heard(tmp_path: Path) -> None:
    studio = studio_of(tmp_path, WHOLE, 64)
    pixels = np.random.default_rng(1).integers(0, 256, (64, 64, 4), np.uint8)
    picture = studio.add_picture(save_png(tmp_path / "packed mask.png", pixels))
    for part, name in (("r", "roughness"), ("g", "metallic"), ("b", "occlusion"), ("a", "opacity")):
        studio.execute(AddLayer(part, Echo("picture", part, picture=picture), {name: Channel(ECHO)}))
        assert np.abs(shown(studio, name) * 255 - pixels[..., "rgba".index(part)]).max() <= 0.51, part
    with pytest.raises(CommandError, match="packed"):
        studio.execute(RemovePictures((picture,)))
    studio.execute(RenamePicture(picture, "other.png"))
    assert np.abs(shown(studio, "roughness") * 255 - pixels[..., 0]).max() <= 0.51
    studio.execute(AddLayer("Grain", Echo("rule", rule=Grain(size=0.3)), {"height": Channel(ECHO)}))
    studio.execute(AddLayer("White", Wash(), {"roughness": Channel(0.0)}))
    studio.execute(AddLayer("Masked", Wash(), {"roughness": Channel(1.0)}))
    studio.execute(AddMaskEntry(studio.project.layers[-1].id, MaskEntry(RuleShape(Grain(size=0.3)))))
    assert np.abs(shown(studio, "height") - shown(studio, "roughness")).max() < 1e-4
    saved = tmp_path / "x.fern"
    studio.save(saved)
    assert Studio.open(saved).project == studio.project
    for bad, words in (
        (Echo("picture", picture="none.png"), "none.png"), (Echo("rule"), "names none"),
        (Echo("rule", rule=Rim(1)), "mask"), (Echo("colour", "rise"), "only normals"),
        (Echo("colour", "a"), "alpha"), (Echo("rule", rule=Edges(reach=-1.0)), "reach"),
    ):  # fmt: skip
        with pytest.raises(CommandError, match=words):
            studio.execute(AddLayer("x", bad, {"height": Channel(ECHO)}))


def test_jobs_hear_them_too(tmp_path: Path) -> None:
    (tmp_path / "m.obj").write_text(WHOLE)
    save_png(tmp_path / "orm.png", np.full((8, 8, 3), (10, 60, 200), np.uint8))
    steps = [
        {"do": "echo", "name": "Shine", "picture": "orm.png", "part": "g", "to": "roughness"},
        {"do": "echo", "rule": {"rule": "grain", "size": 0.2}, "to": "occlusion"},
        {"do": "adjust", "kind": "paintstrokes", "maps": ["colour", "normal"], "size": 8, "length": 3, "detail": 0.2,
         "seed": 4},
    ]  # fmt: skip
    job = {"job": 1, "model": "m.obj", "sheet_size": 64, "steps": steps, "save": "m.fern"}
    (tmp_path / "j.json").write_text(json.dumps(job))
    assert run_job(tmp_path / "j.json").warnings == ()
    studio = Studio.open(tmp_path / "m.fern")
    assert np.abs(shown(studio, "roughness") * 255 - 60).max() < 0.6 and np.ptp(shown(studio, "occlusion")) > 0.3
    assert set(studio.project.layers[-1].channels) == {"colour", "normal"}


@pytest.mark.parametrize("wraps", [False, True])
def test_a_picture_of_normals_gives_the_height_that_has_them(wraps: bool) -> None:
    y, x = np.mgrid[0:96, 0:128] + 0.5
    a, b = 2 * np.pi * x / 128, 2 * np.pi * y / 96
    if wraps:
        height = 3 * np.sin(a) + 2 * np.cos(2 * b) + np.sin(a + b)
        along = (3 * np.cos(a) + np.cos(a + b)) * 2 * np.pi / 128
        down = (-4 * np.sin(2 * b) + np.cos(a + b)) * 2 * np.pi / 96
    else:  # a slope that never comes back
        height, along, down = 0.1 * x + 0.002 * y**2, np.full_like(x, 0.1), 0.004 * y
    vector = np.stack([-along, down, np.ones_like(along)], axis=2)
    vector /= np.linalg.norm(vector, axis=2, keepdims=True)
    rgba = np.full((96, 128, 4), 65535, np.uint16)
    rgba[..., :3] = np.rint((vector * 0.5 + 0.5) * 65535)
    made = lifted(State(rgba), OpRelief(strength=40.0, source="normals"))
    wanted = (height - np.median(height)) / 40 + 0.5
    assert np.abs(made - wanted).max() < 0.002 < np.ptp(wanted)


def test_heights_given_as_normals_are_told_and_mended(tmp_path: Path) -> None:
    studio = studio_of(tmp_path, WHOLE, 64)
    grey = np.repeat(np.random.default_rng(2).integers(0, 256, (32, 32, 1), np.uint8), 3, axis=2)
    heights = studio.add_picture(save_png(tmp_path / "bricks normal.png", grey))
    good = studio.add_picture(save_png(tmp_path / "true normal.png", (bump(32, 4, 2.0)[1] * 255).astype(np.uint8)))
    colours = studio.add_picture(save_png(tmp_path / "photo.png", np.full((8, 8, 3), (200, 30, 10), np.uint8)))
    for name in (heights, good, colours):
        studio.execute(AddLayer(name, Wash(), {"normal": Channel("picture", picture=name)}))
    found = list(all_wrong_normals(studio.sources, studio.project))
    assert [one.layer for one in found] == [studio.project.layers[0].id, studio.project.layers[2].id]
    assert "grey" in found[0].sentence and "no directions" in found[1].sentence
    studio.execute(found[0].remedy)
    assert set(studio.project.layers[0].channels) == {"height"}
    assert studio.project.layers[0].channels["height"].relief == Relief()
    assert len(list(all_wrong_normals(studio.sources, studio.project))) == 1
