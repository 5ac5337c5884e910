"""Levels of sheets: which there are, what is asked of them, and that at rest they are the exported maps, halved."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.compositor import MapKey, composite_sheet
from lucky_fern.core.compositing.levels import Levels, at_level, finer_chunks, first_look, last_level, wanted_by_level
from lucky_fern.core.project.commands import AddLayer, SetChannel, SetLayer
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.project.first_look import MEMBER, MOST, pack_look, unpack_look
from lucky_fern.core.sheets.grid import Chunk, Extent, every_chunk, square
from lucky_fern.core.sheets.needs import UNSEEN, needs_of_box, needs_of_faces, texels_a_unit
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio
from lucky_fern.render.camera import Camera
from lucky_fern.render.parcels import packed


@pytest.fixture(scope="module")
def flask() -> Studio:
    return demo_studio("flask")


@pytest.mark.parametrize(("size", "art", "last"), [
    (square(4096), False, 4), (square(1024), False, 2), (Extent(2048, 1024), False, 2), (Extent(1536, 1536), False, 1),
    (square(256), False, 0), (square(64), False, 0), (Extent(1000, 1000), False, 0), (square(2048), True, 0),
])  # fmt: skip
def test_sheets_halve_as_long_as_they_are_whole_chunks(size: Extent, art: bool, last: int) -> None:
    assert last_level(size, art) == last and at_level(size, last).width << last == size.width
    fine = every_chunk(size)
    coarse = every_chunk(at_level(size, last))
    assert sorted(one for chunk in coarse for one in finer_chunks(chunk, last, size)) == sorted(fine)


@given(st.integers(0, 2**32 - 1))
@settings(max_examples=30, deadline=None)
def test_all_that_is_seen_is_asked_for_coarsely_and_then_where_it_is_seen_more_finely(seed: int) -> None:
    studio = demo_studio("flask")
    key, rng = studio.surface.keys[0], np.random.default_rng(seed)
    need = rng.choice(np.array([0, 1, 2, 3, 5, UNSEEN], np.int8), (4, 4))
    found = wanted_by_level(studio.project, {key: need})
    levels = [level for level, _ in found]
    assert levels == sorted(levels, reverse=True) and set(levels) <= {1, 2}
    asked = {level: sheets[key] for level, sheets in found}
    for row, column in np.ndindex(4, 4):
        mine = int(need[row, column])
        assert (mine != UNSEEN) <= (Chunk(row >> 2, column >> 2) in asked.get(2, set()))
        if mine == 1:
            assert Chunk(row >> 1, column >> 1) in asked[1]
    for chunk in asked.get(1, set()):
        assert any(need[one] == 1 for one in finer_chunks(chunk, 1, square(1024)))


def test_a_level_follows_edits_as_a_fresh_one_would_and_level_0_is_what_is_exported(flask: Studio) -> None:
    levels, project = Levels(flask.sources), flask.project
    key, rng = flask.surface.keys[0], np.random.default_rng(5)
    projects = [project]
    for _ in range(3):
        layer = projects[-1].layers[int(rng.integers(len(projects[-1].layers)))]
        projects.append(SetLayer(layer.id, visible=not layer.visible).apply(projects[-1]))
    base = projects[-1].layers[0].id
    projects.append(SetChannel(base, "colour", Channel("#123456")).apply(projects[-1]))
    projects.append(AddLayer("Top", Wash(), {"roughness": Channel(0.25)}).apply(projects[-1]))

    def bring(levels: Levels, number: int, project: object) -> dict[str, np.ndarray]:
        level = levels.level(number)
        level.follow(project)
        for map_key in list(level.left):
            chunks = sorted(level.left.pop(map_key))
            level.store.update(level.project, map_key, chunks)
        return {map_key.map: kept.copy() for map_key, kept in level.store.maps.items()}

    for step, now in enumerate(projects):
        for number in (2, 0) if step % 2 else (0,):  # a level that is asked seldom follows several edits at once
            mine, fresh = bring(levels, number, now), bring(Levels(flask.sources), number, now)
            for name, pixels in fresh.items():
                assert np.array_equal(mine[name], pixels), (step, number, name)
            if not number:
                sheet = flask.surface.sheet(key, square(1024))
                assert np.array_equal(mine["colour"], composite_sheet(flask.sources, now, "colour", sheet, 8))


def test_a_level_made_of_the_layers_looks_as_the_finest_one_halved(flask: Studio) -> None:
    key, whole = flask.surface.keys[0], square(1024)
    fine = composite_sheet(flask.sources, flask.project, "colour", flask.surface.sheet(key, whole), 8)
    level = Levels(flask.sources).level(2)
    level.follow(flask.project)
    size = level.project.size_of(key)
    made = composite_sheet(flask.sources, level.project, "colour", flask.surface.sheet(key, size), 8)
    light = decode_srgb(fine / 255).reshape(256, 4, 256, 4, 3).mean(axis=(1, 3))
    off = np.abs(encode_srgb(light) * 255 - made)[flask.surface.sheet(key, size).covered]
    assert size == square(256) and off.mean() < 1.5 and np.median(off) < 0.5


def test_maps_that_nobody_looks_at_closely_make_room_and_come_back_the_same(flask: Studio) -> None:
    levels, key = Levels(flask.sources), flask.surface.keys[0]
    zero, every = levels.level(0), every_chunk(square(1024))
    zero.follow(flask.project)

    def make() -> dict[MapKey, np.ndarray]:
        for one in list(zero.left):
            zero.store.update(flask.project, one, sorted(zero.left.pop(one)))
        return dict(zero.store.maps)

    before = make()
    assert len(before) > 2 and sum(one.nbytes for one in before.values()) < levels.room
    levels.make_room({})
    assert zero.store.maps.keys() == before.keys()  # there is room
    levels.room = 0
    levels.make_room({key: np.where(np.eye(4), 0, UNSEEN).astype(np.int8)})
    assert zero.store.maps.keys() == before.keys()  # a few chunks of it are looked at texel by texel
    levels.room = sum(one.nbytes for one in before.values()) - 1
    levels.make_room({key: np.full((4, 4), 1, np.int8)})
    (gone,) = before.keys() - zero.store.maps.keys()  # no more than there has to be
    assert zero.left[gone] == every and not zero.whole(flask.project, gone)
    levels.room = 0
    levels.make_room({})
    assert not zero.store.maps
    after = make()
    assert after.keys() == before.keys() and all(np.array_equal(after[one], before[one]) for one in before)


def test_what_is_not_looked_at_closely_any_more_makes_room_on_the_card() -> None:
    ferry = demo_studio("ferry")
    levels, keys, project = Levels(ferry.sources), ferry.surface.keys, ferry.project
    whole = 2048 * 2048 * 22

    def near(*some: int) -> dict:
        return {key: np.full((8, 8), 0 if number in some else 3, np.int8) for number, key in enumerate(keys)}

    assert set(levels.show(project, near())) == set(keys) and set(levels.shown.values()) == {3}
    levels.card = int(2.5 * whole)
    for number in (0, 1):
        assert levels.show(project, near(number)) == [keys[number]]
    assert levels.shown == {keys[0]: 0, keys[1]: 0, keys[2]: 3, keys[3]: 3}  # there is room
    levels.show(project, near(0))  # looked at again: it goes last
    assert set(levels.show(project, near(2))) == {keys[1], keys[2]}
    assert levels.shown == {keys[0]: 0, keys[1]: 3, keys[2]: 0, keys[3]: 3}
    assert set(levels.show(project, near(0, 1, 2, 3))) == {
        keys[1],
        keys[3],
    }  # what is needed is shown, whatever it takes
    assert set(levels.shown.values()) == {0} and levels.turns == {keys[0]: 2, keys[1]: 4, keys[2]: 2, keys[3]: 2}
    assert levels.show(project, near(0, 1, 2, 3)) == []


def test_pieces_of_other_levels_are_halved_and_enlarged_onto_the_one_that_is_shown(flask: Studio) -> None:
    levels, key = Levels(flask.sources), flask.surface.keys[0]
    for number in (0, 2):
        level = levels.level(number)
        level.follow(flask.project)
        colour = MapKey(key, "colour")
        level.store.update(level.project, colour, sorted(every_chunk(level.project.size_of(key))))
    fine = levels.store.maps[colour]
    piece = packed(levels.store, key, "colour_map", square(1024), Chunk(1, 2), 0, 2)
    assert piece.size == square(256) and piece.corner == (128, 128) and piece.levels[0].shape == (64, 64, 4)
    light = decode_srgb(fine[256:512, 512:768] / 255).reshape(64, 4, 64, 4, 3).mean(axis=(1, 3))[::-1]
    assert np.abs(encode_srgb(light) * 255 - piece.levels[0][..., :3]).max() <= 1
    coarse = levels.level(2).store.maps[colour]
    piece = packed(levels.level(2).store, key, "colour_map", square(256), Chunk(0, 0), 2, 1)
    assert piece.size == square(512) and piece.corner == (0, 0)
    assert np.array_equal(piece.levels[0][..., :3], coarse[::-1].repeat(2, axis=0).repeat(2, axis=1))


def test_faces_need_a_level_on_which_no_texel_is_larger_than_a_pixel(flask: Studio) -> None:
    surface, model, sizes = flask.surface, flask.model, {key: square(1024) for key in flask.surface.keys}
    high, camera = 400.0, Camera(distance=3 * flask.model.diagonal, target=tuple(flask.model.bounds.mean(axis=0)))
    middle = model.corners.mean(axis=1)
    fine = texels_a_unit(surface, sizes)
    # Against a step of one unit across the picture, projected.
    ends = np.stack([camera.project(middle + sign * camera.axes[0] * 1e-4, 1.0) for sign in (-1, 1)])
    pixels = np.linalg.norm(ends[1] - ends[0], axis=1) * high / 2 / 2e-4
    assert np.allclose(camera.units_a_pixel(middle, high), 1 / pixels, rtol=1e-3)
    seen = np.zeros(model.triangle_count, bool)
    row = int(np.argmax(fine))
    seen[row] = True
    (key,) = surface.keys
    need = needs_of_faces(surface, sizes, seen, fine / pixels)[key]
    level = int(np.floor(np.log2(fine[row] / pixels[row])))
    xy = model.uv[row] * (1024, -1024) + (0, 1024)
    touched = {(int(y) // 256, int(x) // 256) for x, y in xy.clip(0, 1023)}
    assert level > 0 and {*map(tuple, np.argwhere(need != UNSEEN).tolist())} >= touched
    assert set(np.unique(need)) == {level, UNSEEN}


def test_a_box_of_a_sheet_is_seen_by_its_chunks() -> None:
    need = needs_of_box(Extent(1024, 512), np.array([300.0, -50.0]), np.array([520.0, 200.0]), 5.0)
    assert need.tolist() == [[UNSEEN, 2, 2, UNSEEN], [UNSEEN] * 4]
    assert (needs_of_box(square(256), np.zeros(2), np.ones(2), 0.01) == 0).all()


def test_a_file_keeps_a_small_look_of_its_maps_that_is_never_stale(flask: Studio, tmp_path: Path) -> None:
    look = first_look(flask.sources, flask.project)
    path, key = tmp_path / "flask.fern", str(flask.surface.keys[0])
    flask.write(path, flask.project, look=look)
    opened = Studio.open(path)
    assert opened.look.keys() == look.keys() and np.array_equal(opened.look[key, "colour"], look[key, "colour"])
    assert sum(map(len, (pack_look(look, b"") or b"",))) <= MOST
    # It is the last level, where nothing is to be done until something changes.
    levels = Levels(opened.sources)
    levels.take_look(opened.project, opened.look)
    store, colour = levels.level(2).store, MapKey(flask.surface.keys[0], "colour")
    assert np.array_equal(store.maps[colour], look[key, "colour"]) and levels.shown == {flask.surface.keys[0]: 2}
    assert not levels.level(2).follow(opened.project) and levels.look(opened.project).keys() == look.keys()
    assert levels.level(2).whole(opened.project, colour)
    first = opened.project.layers[0]
    opened.execute(SetLayer(first.id, opacity=first.opacity / 2))
    levels.level(2).follow(opened.project)
    assert levels.level(2).left[colour] and not levels.look(opened.project)
    opened.history.undo()
    # Another document in the same file, a damaged look, one of another program: it is passed over.
    with zipfile.ZipFile(path) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    assert list(members)[-1] == MEMBER
    for name, change in (
        ("project.json", lambda data: data.replace(b'"Enamel"', b'"Enamels"')),
        (MEMBER, lambda data: data[: len(data) // 2]),
        (MEMBER, lambda data: data[:-40] + bytes(40)),
        (MEMBER, lambda data: data.replace(b"revision\x01", b"revision\x02")),
    ):
        other = tmp_path / "other.fern"
        with zipfile.ZipFile(other, "w") as archive:
            for member, data in members.items():
                archive.writestr(member, change(data) if member == name else data)
        again = Studio.open(other)
        assert again.look == {} and len(again.project.layers) == len(flask.project.layers)
    # What is large is made smaller, and fills its level all the same, where all of it is still to be done.
    rng = np.random.default_rng(1)
    noise = {(key, name): rng.integers(0, 256, (256, 256, 3), dtype=np.uint8) for name in ("colour", "emissive")}
    noise |= {(f"other:{n}", "colour"): noise[key, "colour"] for n in range(16)}
    small = unpack_look(pack_look(noise, b"x"), b"x")
    assert small[key, "colour"].shape == (128, 128, 3)
    levels = Levels(opened.sources)
    levels.take_look(opened.project, small)
    store = levels.level(2).store
    levels.level(2).follow(opened.project)
    assert levels.level(2).left[colour]
    assert np.array_equal(store.maps[colour][::2, ::2], noise[key, "colour"][::2, ::2])
