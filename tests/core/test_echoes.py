"""Echoes: what is below in one map becomes another, live; held against the formula in float64."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.compositing.layers.echoed import bends, echoed
from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands import (
    AddLayer,
    AddMaskEntry,
    MoveLayers,
    SetChannel,
    SetContent,
    SetLayer,
    SetMaskEntry,
)
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Relief, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.effects import Blur
from lucky_fern.core.project.shapes import HeardShape, MaskEntry
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.studio import Studio
from lucky_fern.core.taking import snapshot
from lucky_fern.core.texels.setting import set_block
from samples import Runner, read_png

SIZE = Extent(300, 270)  # more than one chunk


def reference(rgb: np.ndarray, echo: Echo) -> np.ndarray:
    """The contract's formula, in float64."""
    x = {
        "luminance": rgb @ [0.2126, 0.7152, 0.0722], "r": rgb[..., 0], "g": rgb[..., 1], "b": rgb[..., 2],
        "value": rgb.max(axis=2),
        "saturation": (rgb.max(axis=2) - rgb.min(axis=2)) / np.maximum(rgb.max(axis=2), 1e-30),
    }[echo.part]  # fmt: skip
    q = np.clip((x - echo.black) / (echo.white - echo.black), 0, 1) ** (1 / echo.gamma)
    q = 1 - q if echo.invert else q
    return echo.low + (echo.high - echo.low) * q


@given(
    st.sampled_from(["luminance", "r", "g", "b", "saturation", "value"]), st.floats(0, 0.45), st.floats(0.55, 1),
    st.floats(0.3, 3), st.floats(0, 1), st.floats(0, 1), st.booleans(),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_an_echo_is_the_formula(
    part: Any, black: float, white: float, gamma: float, low: float, high: float, invert: bool
) -> None:
    rgb = np.random.default_rng(5).random((24, 31, 3))
    echo = Echo("colour", part, black, white, gamma, low, high, invert)
    echo.check(None)
    found = echoed(rgb.astype(np.float32), echo, 1)[..., 0]
    assert np.abs(found - reference(rgb, echo)).max() < 1 / 510


@pytest.fixture
def studio(plane: Path) -> Studio:
    """A plane of noise, larger than a chunk; roughness and emissive hear its colour, occlusion hears roughness."""
    studio = Studio.new(plane, sheet_size=SIZE)
    studio.execute(AddLayer("Noise", Brushwork(), {}))
    layer, key = studio.project.layers[-1].id, studio.surface.keys[0]
    block = np.random.default_rng(3).integers(0, 256, (*SIZE.shape, 4), dtype=np.uint8)
    block[..., 3] = 255
    edit = set_block(studio, layer, key, "colour", (0, 0), block)
    assert edit is not None
    studio.execute(edit)
    studio.execute(
        AddLayer("Gloss", Echo("colour", "luminance", 0.1, 0.9, 1.4, 0.2, 0.8, True), {"roughness": Channel(ECHO)})
    )
    studio.execute(AddLayer("Glow", Echo("colour", "r", ramp=((0.0, "#000000"), (0.5, "#ff0000"), (1.0, "#ffff00"))),
                            {"emissive": Channel(ECHO), "metallic": Channel(ECHO)}))  # fmt: skip
    studio.execute(AddLayer("Shade", Echo("roughness"), {"occlusion": Channel(ECHO)}))
    return studio


def shown(studio: Studio, name: str) -> np.ndarray:
    sheet = studio.surface.sheet(studio.surface.keys[0], SIZE)
    return composite_sheet(studio.sources, studio.project, name, sheet, 8).astype(np.float64) / 255


def test_echoes_give_numbers_and_colours_of_what_is_below_and_chain(studio: Studio) -> None:
    rgb = shown(studio, "colour")
    gloss = studio.project.layers[1].content
    assert np.abs(shown(studio, "roughness")[..., 0] - reference(rgb, gloss)).max() <= 1.01 / 255
    assert np.abs(shown(studio, "occlusion") - shown(studio, "roughness")).max() <= 1.01 / 255
    red = rgb[..., 0]
    ramp = np.stack([np.interp(red, [0, 0.5, 1], [0, 1, 1]), np.interp(red, [0, 0.5, 1], [0, 0, 1]), 0 * red], axis=2)
    assert np.abs(shown(studio, "emissive") - ramp).max() <= 1.01 / 255
    assert np.abs(shown(studio, "metallic")[..., 0] - ramp[..., 0]).max() <= 1.01 / 255
    # What lies above an echo is not heard.
    before = shown(studio, "roughness")
    studio.execute(AddLayer("Red", Wash(), {"colour": Channel("#ff0000")}))
    assert np.array_equal(shown(studio, "roughness"), before)


def test_maps_follow_every_edit_below_and_only_where_it_touched(studio: Studio) -> None:
    key, ids = studio.surface.keys[0], {layer.name: layer.id for layer in studio.project.walk()}
    store, before = MapStore(studio.sources), studio.project
    for piece, chunks in everything(studio.sources, before).items():
        store.update(before, piece, chunks)
    spot = np.zeros((4, 4, 4), np.uint8)
    spot[...] = 255
    edits = [
        set_block(studio, ids["Noise"], key, "colour", (5, 7), spot),
        SetContent(ids["Gloss"], Echo("colour", "g", high=0.5)),
        AddLayer("Soft", Adjustment(Blur(6.0)), {"colour": Channel()}, above=ids["Noise"]),
        SetLayer(ids["Glow"], opacity=0.5), MoveLayers((ids["Shade"],), 1),
        SetLayer(ids["Noise"], visible=False),
    ]  # fmt: skip
    for number, edit in enumerate(edits):
        assert edit is not None
        studio.execute(edit)
        dirty = dirtied(studio.sources, before, studio.project)
        for piece, chunks in dirty.items():
            store.update(studio.project, piece, chunks)
        if number == 0:
            names = ("colour", "roughness", "emissive", "metallic", "occlusion")
            assert {piece.map: len(chunks) for piece, chunks in dirty.items()} == dict.fromkeys(names, 1)
        for name in ("roughness", "emissive", "metallic", "occlusion"):
            kept = store.get(MapKey(key, name), SIZE) / 255
            assert np.array_equal(kept, shown(studio, name)), (number, name)
        before = studio.project


def test_a_height_that_hears_shapes_normals_and_bends_know_ridges(studio: Studio) -> None:
    flat = shown(studio, "normal")
    studio.execute(AddLayer("Grain", Echo("colour"), {"height": Channel(ECHO, relief=Relief(4.0))}))
    assert np.abs(shown(studio, "normal") - flat).max() > 0.1
    y, x = np.mgrid[0:40, 0:40] - 20.0
    dome = np.stack([x / 60, -y / 60, np.sqrt(1 - (x**2 + y**2) / 3600)], axis=2) * 0.5 + 0.5
    assert np.allclose(bends(dome.astype(np.float32))[5:-5, 5:-5], 0.5 + 1 / 60, atol=1e-4)  # (2/60 + 2/60) / 4
    hollow = dome * [1, 1, 1]
    hollow[..., :2] = 1 - hollow[..., :2]
    assert np.allclose(bends(hollow.astype(np.float32))[5:-5, 5:-5], 0.5 - 1 / 60, atol=1e-4)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"source": "shine"}, "no map called 'shine'"), ({"part": "bend"}, "only normals"), ({"white": 0.0}, "white"),
        ({"ramp": ((0.0, "#ff0000"),)}, "two stops"), ({"ramp": ((0.5, "#ff0000"), (0.1, "#ff0000"))}, "rising"),
        ({"ramp": ((0.0, "red"), (1.0, "#ff0000"))}, "'red'"), ({"curve": ((0.0, 0.0),)}, "two points"),
        ({"gamma": 0.0}, "gamma"), ({"low": float("nan")}, "low"),
    ],
)  # fmt: skip
def test_what_no_echo_can_hear_is_refused(studio: Studio, change: dict[str, Any], words: str) -> None:
    number = studio.project.layers[1].id
    with pytest.raises(CommandError, match=words):
        studio.execute(SetContent(number, replace(Echo(), **change)))
    with pytest.raises(CommandError, match="no directions"):
        studio.execute(SetChannel(number, "normal", Channel(ECHO)))
    with pytest.raises(CommandError, match="hears below"):
        studio.execute(SetChannel(number, "roughness", Channel(0.5)))


def test_jobs_make_echoes_set_them_and_say_what_nobody_writes(plane: Path, run_job: Runner) -> None:
    steps = [
        {"do": "wash", "name": "Paint", "values": {"colour": "#4080c0"}},
        {"do": "echo", "name": "Gloss", "from": "colour", "part": "b", "to": "roughness", "low": 0.25, "high": 1},
        {"do": "echo", "name": "Glow", "from": "height", "to": "emissive"},
        {"do": "set", "layer": "Gloss", "part": "r", "invert": True},
    ]
    job = {"job": 1, "model": "plane.obj", "sheet_size": 32, "steps": steps, "save": "a.fern",
           "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
    result = run_job(job)
    assert result.returncode == 0, result.stderr
    assert "nothing writes to height" in result.stderr + result.stdout
    rough = read_png(plane.parent / "maps" / "job_paint_roughness.png")
    assert abs(int(rough[5, 5].max()) - round(255 * (0.25 + 0.75 * (1 - 0x40 / 255)))) <= 1
    again = Studio.open(plane.parent / "a.fern").project
    assert again.layers[1].content == Echo("colour", "r", low=0.25, invert=True)
    for wrong, words in (({"from": "shine"}, "shine"), ({"to": "shine"}, "shine"), ({"to": "normal"}, "directions"),
                         ({"hue": 3}, "hue"), ({"ramp": [[0, "#ffffff"]]}, "two stops")):  # fmt: skip
        refused = run_job({**job, "steps": [{"do": "echo", **wrong}]})
        assert refused.returncode == 2 and words in refused.stderr, refused.stderr


def test_live_masks_follow_what_is_below_and_a_snapshot_does_not(studio: Studio) -> None:
    key, noise = studio.surface.keys[0], studio.project.layers[0].id
    white = studio.execute(AddLayer("White", Wash(), {"opacity": Channel(1.0), "height": Channel(1.0)})).layers[-1].id
    studio.execute(AddMaskEntry(white, MaskEntry(HeardShape("colour"))))
    store, before = MapStore(studio.sources), studio.project
    for piece, chunks in everything(studio.sources, before).items():
        store.update(before, piece, chunks)

    def light() -> np.ndarray:
        return shown(studio, "colour") @ [0.2126, 0.7152, 0.0722]

    def height() -> np.ndarray:
        return shown(studio, "height")[..., 0]

    assert np.abs(height() - (0.5 + 0.5 * light())).max() < 2 / 255
    spot = np.zeros((9, 9, 4), np.uint8)
    spot[...] = (0, 255, 0, 255)
    edit = set_block(studio, noise, key, "colour", (40, 60), spot)
    assert edit is not None
    studio.execute(edit)
    assert np.abs(height() - (0.5 + 0.5 * light())).max() < 2 / 255
    for piece, chunks in dirtied(studio.sources, before, studio.project).items():
        store.update(studio.project, piece, chunks)
    kept = store.get(MapKey(key, "height"), SIZE)[..., 0] / 65535
    assert np.abs(kept - (0.5 + 0.5 * light())).max() < 2 / 255
    # Where it is like a colour: just that square, whatever lies above.
    green = HeardShape("colour", "#00ff00", 0.02, 0.0)
    studio.execute(SetMaskEntry(studio.project.layer(white).mask or 0, 0, MaskEntry(green)))
    there = np.abs(shown(studio, "colour") - [0, 1, 0]).max(axis=2) <= 0.02
    assert there[60:69, 40:49].all() and there.sum() < 100
    assert np.array_equal(height() > 0.9, there)
    painted = snapshot(studio, white, green)
    studio.execute(SetMaskEntry(studio.project.layer(white).mask or 0, 0, MaskEntry(painted)))
    studio.execute(SetLayer(noise, visible=False))
    assert np.array_equal(height() > 0.9, there)
    with pytest.raises(CommandError, match="no map called"):
        studio.execute(AddMaskEntry(white, MaskEntry(HeardShape("shine"))))
