"""Blending and compositing against the recommendation in float64, and what an edit may dirty."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.compositing.blend import MODE_NUMBERS, blend_normals, blend_rgba
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import (
    AddLayer,
    DuplicateLayers,
    MoveLayers,
    RemoveLayers,
    SetChannel,
    SetLayer,
    SetPlace,
    from_plain,
    to_plain,
)
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.core.project.plain import BLEND_MODES, Scope
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from recommendation import w3c
from samples import save_png


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 10**6), st.lists(st.tuples(st.sampled_from(BLEND_MODES), st.floats(0, 1)), min_size=1, max_size=6)
)
def test_random_stacks_agree_with_the_recommendation(seed: int, stack: list[tuple[str, float]]) -> None:
    rng = np.random.default_rng(seed)
    kind = np.uint8 if seed % 2 else np.uint16
    top = np.iinfo(kind).max
    acc = rng.random((8, 8, 3)).astype(np.float32)
    exact = acc.astype(np.float64)
    for mode, opacity in stack:
        rgba = rng.integers(0, top + 1, (8, 8, 4)).astype(kind)
        rgba[0] = [[0, 0, 0, top]] * 4 + [[top, top, top, top]] * 4
        blend_rgba(acc, rgba, opacity, MODE_NUMBERS[mode])
        source, alpha = rgba[..., :3] / top, rgba[..., 3:] / top * opacity
        exact = exact + alpha * (w3c(mode, exact, source) - exact)
        # Dodge and burn jump at 0 and 1: where rounding stands on the other side of the step, follow it.
        jump = np.abs(exact - acc) > 0.3 / 255
        assert jump.mean() < 0.02 or mode in ("color-dodge", "color-burn")
        exact = np.where(jump & (mode in ("color-dodge", "color-burn")), acc, exact)
    assert np.abs(acc - exact).max() < 1 / 255


def test_flat_detail_leaves_normals_alone_and_detail_on_flat_is_itself() -> None:
    rng = np.random.default_rng(3)
    tilted = rng.normal(0, 0.4, (6, 6, 3)) + (0, 0, 1)
    tilted /= np.linalg.norm(tilted, axis=2, keepdims=True)
    acc = (tilted * 0.5 + 0.5).astype(np.float32)
    flat = np.full((6, 6, 4), 65535, np.uint16)
    flat[..., :2] = 32768
    before = acc.copy()
    blend_normals(acc, flat, 1.0)
    assert np.abs(acc - before).max() < 1e-4
    base = np.full((6, 6, 3), 0.5, np.float32)
    base[..., 2] = 1
    detail = np.dstack([np.round(before * 65535), np.full((6, 6), 65535)]).astype(np.uint16)
    blend_normals(base, detail, 1.0)
    assert np.abs(base - before).max() < 1e-4


@pytest.fixture
def studio(plane: Path, tmp_path: Path) -> Studio:
    """The board at 1024 with a wash and a small decal in its lower left corner."""
    studio = Studio.new(plane)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((8, 8, 3), 255, np.uint8)))
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#335577"), "roughness": Channel(0.6)}))
    place = Throw((-0.75, -0.75, 0), (0, 0, 1), (0, 1, 0), 0.2, depth=0.1)
    studio.execute(AddLayer("Mark", Decal(picture, place), {"colour": Channel("picture")}))
    return studio


def test_only_what_an_edit_touches_is_composited_again_and_equals_a_fresh_start(studio: Studio) -> None:
    key = studio.surface.keys[0]
    store = MapStore(studio.sources)

    def follow(before, after):
        for piece, chunks in dirtied(studio.sources, before, after).items():
            store.update(after, piece, chunks)

    def same_as_fresh() -> None:
        for name in ("colour", "roughness", "emissive"):
            fresh = composite_sheet(studio.sources, studio.project, name, studio.surface.sheet(key, square(1024)), 8)
            assert (store.get(MapKey(key, name), square(1024)) == fresh).all(), name

    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)
    same_as_fresh()
    mark, base = studio.project.layers[1], studio.project.layers[0]
    moved = Throw((0.75, 0.75, 0), (0, 0, 1), (0, 1, 0), 0.2, depth=0.1)
    edits = [
        (SetPlace(mark.id, moved), {"colour": 2}),
        (SetChannel(mark.id, "emissive", Channel("#ff8800")), {"emissive": 1}),
        (SetLayer(base.id, opacity=0.5), {"colour": 16, "roughness": 16}),
        (SetLayer(mark.id, visible=False), {"colour": 1, "emissive": 1}),
        (DuplicateLayers((base.id,)), {"colour": 16, "roughness": 16}),
        (RemoveLayers((mark.id,)), {}),
    ]
    for command, expected in edits:
        before, done = studio.project, store.composited
        after = studio.execute(command)
        dirty = dirtied(studio.sources, before, after)
        assert {piece.map: len(chunks) for piece, chunks in dirty.items()} == expected, command
        follow(before, after)
        assert store.composited - done == sum(expected.values())
        same_as_fresh()
    before = studio.project
    for _ in edits:
        follow(studio.project, studio.history.undo())
    follow(before, studio.project)
    same_as_fresh()


def test_every_command_survives_as_plain_data_and_undo_brings_back_the_same_project(studio: Studio) -> None:
    mark = studio.project.layers[1].id
    commands = [
        AddLayer("Flat", Decal("p.png", Lay("paint", 1001, (0.5, 0.5), 0.2)), {"colour": Channel("picture")}),
        MoveLayers((mark,), 0),
        SetLayer(mark, opacity=0.25, blend="multiply"),
        SetChannel(mark, "metallic", Channel(1.0, opacity=0.5)),
        SetPlace(mark, Lay("paint", 1001, (0.1, 0.2), 0.3, rotate=12)),
        DuplicateLayers((mark,)),
        RemoveLayers((mark,)),
    ]
    states = [studio.project]
    for command in commands:
        again = from_plain(to_plain(command))
        assert again == command
        states.append(studio.execute(again))
        assert states[-1] != states[-2]
    for state in reversed(states[:-1]):
        assert studio.history.undo() == state
    for state in states[1:]:
        assert studio.history.redo() == state


def test_one_drag_is_one_step_of_undo(studio: Studio) -> None:
    start, mark = studio.project, studio.project.layers[1]
    assert isinstance(mark.content, Decal) and isinstance(mark.content.place, Throw)
    for x in np.linspace(-0.7, 0.7, 9):
        place = Throw((float(x), 0, 0), (0, 0, 1), (0, 1, 0), 0.2, depth=0.1)
        studio.execute(SetPlace(mark.id, place), merge=True)
    studio.history.seal()
    studio.execute(SetPlace(mark.id, mark.content.place), merge=True)
    studio.history.undo()
    assert studio.history.undo() == start


def test_texels_beside_an_island_take_its_colour_so_that_no_seam_shows(tmp_path: Path) -> None:
    (tmp_path / "inset.obj").write_text(
        "o a\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt .2 .2\nvt .45 .2\nvt .45 .8\nvt .2 .8\nf 1/1 2/2 3/3 4/4\n"
        "o b\nv 2 0 0\nv 3 0 0\nv 3 1 0\nv 2 1 0\nvt .6 .2\nvt .8 .2\nvt .8 .8\nvt .6 .8\nf 5/5 6/6 7/7 8/8\n"
    )
    studio = Studio.new(tmp_path / "inset.obj", sheet_size=256)
    studio.execute(AddLayer("A", Wash(), {"colour": Channel("#ff0000")}, scope=Scope(parts=("a",))))
    studio.execute(AddLayer("B", Wash(), {"colour": Channel("#0000ff")}, scope=Scope(parts=("b",))))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(256))
    whole = composite_sheet(studio.sources, studio.project, "colour", sheet, 8)
    half = int(0.525 * 256)
    assert (whole[:, : half - 1] == (255, 0, 0)).all() and (whole[:, half + 2 :] == (0, 0, 255)).all()
    some = composite_sheet(studio.sources, studio.project, "colour", sheet, 8, padding=5)
    changed = (some != 255).any(axis=2)
    columns = np.flatnonzero(changed[128])
    left, right = round(0.2 * 256), round(0.45 * 256)
    assert columns.min() == left - 5 and right + 5 in (
        columns[columns < half].max(),
        columns[columns < half].max() + 1,
    )


@pytest.mark.parametrize("name", list(MAPS))
def test_a_map_without_layers_holds_its_starting_value(studio: Studio, name: str) -> None:
    for layer in studio.project.layers:
        studio.execute(RemoveLayers((layer.id,)))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(64))
    out = composite_sheet(studio.sources, studio.project, name, sheet, 16)
    assert np.allclose(out / 65535, MAPS[name].start, atol=1 / 65535)
