"""Dither, matched regions, and layers that are set as another is."""

import json
from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.compositing.compositor import composite_chunk, composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.run import run_job
from lucky_fern.core.project.commands import AddLayer, DuplicateLayers, LinkLayer, SetContent
from lucky_fern.core.project.document import Adjustment, Channel, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.effects import Blur, Levels
from lucky_fern.core.project.more_effects import Dither, Match
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.studio import Studio
from samples import save_png

BOARD = """o left\nv -1 -1 0\nv 0 -1 0\nv 0 1 0\nv -1 1 0\nvt 0 0\nvt .5 0\nvt .5 1\nvt 0 1\nusemtl paint\nf 1/1 2/2 3/3 4/4
o right\nv 1 -1 0\nv 1 1 0\nvt 1 0\nvt 1 1\nf 2/2 5/5 6/6 3/3\n"""


def studio_of(folder: Path, pixels: np.ndarray, size: int, target: str = "colour") -> Studio:
    (folder / "m.obj").write_text(BOARD)
    made = Studio.new(folder / "m.obj", sheet_size=size)
    picture = made.add_picture(save_png(folder / "p.png", pixels))
    made.execute(AddLayer("Base", Wash(sampling="nearest"), {target: Channel("picture", picture=picture)}))
    return made


def shown(studio: Studio, name: str = "colour") -> np.ndarray:
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    return composite_sheet(studio.sources, studio.project, name, sheet, 8).astype(float) / 255


def test_dither_keeps_the_mean_with_few_tones_and_goes_on_over_chunks(tmp_path: Path) -> None:
    ramp = np.tile(np.linspace(0, 255, 320).astype(np.uint8)[None, :, None], (320, 1, 3))
    studio = studio_of(tmp_path, ramp, 320)
    plain = shown(studio)
    studio.execute(AddLayer("Dither", Adjustment(Dither(3.0)), {"colour": Channel()}))
    found = shown(studio)
    assert set(np.unique(found)) <= {0.0, 128 / 255, 1.0}
    blocks = found.reshape(40, 8, 40, 8, 3).mean(axis=(1, 3)) - plain.reshape(40, 8, 40, 8, 3).mean(axis=(1, 3))
    assert np.abs(blocks).max() < 1 / 64 + 0.02
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    alone = composite_chunk(studio.sources, studio.project, "colour", sheet, Chunk(1, 1), None)
    assert np.abs(alone - found[256:, 256:]).max() < 0.003  # the pattern does not begin anew
    studio.execute(SetContent(studio.project.layers[-1].id, Adjustment(Dither(3.0, 0.0))))
    assert np.abs(shown(studio) - np.round(plain * 2) / 2).max() < 0.003


def test_a_region_is_brought_to_the_brightness_and_colour_of_another(tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    left = rng.normal((90, 60, 140), (12, 20, 8), (64, 32, 3))
    right = rng.normal((170, 150, 60), (6, 5, 16), (64, 32, 3))
    pixels = np.concatenate([left, right], axis=1).clip(0, 255).astype(np.uint8)
    job = {"job": 1, "model": "m.obj", "sheet_size": 64, "save": "m.fern", "steps": [
        {"do": "wash", "name": "Base", "pictures": {"colour": "p.png"}, "sampling": "nearest"},
        {"do": "select", "name": "l", "scope": {"parts": ["left"]}},
        {"do": "select", "name": "r", "scope": {"parts": ["right"]}},
        {"do": "adjust", "kind": "match", "name": "Match", "of": "l", "to": "r", "scope": {"parts": ["left"]}},
    ]}  # fmt: skip
    (tmp_path / "m.obj").write_text(BOARD)
    save_png(tmp_path / "p.png", pixels)
    (tmp_path / "j.json").write_text(json.dumps(job))
    run_job(tmp_path / "j.json")
    studio = Studio.open(tmp_path / "m.fern")
    found = shown(studio).reshape(64, 64, 3)
    there = pixels[:, 32:].reshape(-1, 3) / 255
    here = found[:, :32].reshape(-1, 3)
    assert np.abs(here.mean(axis=0) - there.mean(axis=0)).max() < 1.5 / 255
    assert np.abs(here.std(axis=0) - there.std(axis=0)).max() < 1.5 / 255
    assert np.array_equal(np.round(found[:, 32:] * 255), pixels[:, 32:])
    job["steps"][-1] = {"do": "adjust", "kind": "match", "of": "l", "to": "nowhere"}  # type: ignore[index]
    (tmp_path / "j.json").write_text(json.dumps(job))
    with pytest.raises(Exception, match="no selection 'nowhere'"):
        run_job(tmp_path / "j.json")


def test_layers_set_as_another_change_together(tmp_path: Path) -> None:
    studio = studio_of(tmp_path, np.full((8, 8, 3), 100, np.uint8), 32)
    for name, effect in (("One", Levels(0.1)), ("Two", Levels(0.2)), ("Other", Blur(2.0))):
        studio.execute(AddLayer(name, Adjustment(effect), {"colour": Channel()}))
    studio.execute(AddLayer("Echo", Echo(), {"roughness": Channel(ECHO)}))
    one, two, other, echo = (layer.id for layer in studio.project.layers[1:])

    def effect(number: int) -> object:
        return studio.project.layer(number).content.effect

    studio.execute(LinkLayer(two, one))
    assert effect(two) == Levels(0.1)
    studio.execute(SetContent(one, Adjustment(Levels(0.3))))
    assert effect(two) == Levels(0.3)
    studio.execute(DuplicateLayers((two,)))
    copy = studio.project.next_id - 1
    studio.execute(SetContent(copy, Adjustment(Levels(0.4))))
    assert effect(one) == effect(two) == Levels(0.4)
    studio.save(tmp_path / "x.fern")
    again = Studio.open(tmp_path / "x.fern")
    again.execute(SetContent(two, Adjustment(Levels(0.5))))
    assert again.project.layer(one).content.effect == Levels(0.5)
    studio.execute(LinkLayer(two, None))
    studio.execute(SetContent(two, Adjustment(Levels(0.6))))
    assert effect(one) == effect(copy) == Levels(0.4)
    with pytest.raises(CommandError, match="of their kind"):
        studio.execute(LinkLayer(echo, one))
    studio.execute(LinkLayer(other, one))  # another effect of the same kind of layer: it becomes that
    assert effect(other) == Levels(0.4)
    studio.history.undo()
    assert effect(other) == Blur(2.0)


def test_what_no_adjustment_can_be_is_refused() -> None:
    for bad in (Dither(1.0), Dither(amount=2.0), Match(mean=(2.0, 0.0, 0.0)), Match(amount=float("nan"))):
        with pytest.raises(CommandError):
            bad.check()
