"""Twins, rows and rings bring their masks along: painted, thrown and laid ones alike."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core import easel
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.copying import copied
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.placing.copies import ring, row, twin, unmoved
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry
from lucky_fern.core.project.document import Channel, Decal
from lucky_fern.core.project.places import Lay, Roll, Throw
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.studio import Studio
from samples import PLANE, save_png

SIZE = 256
OUT = np.array([0.0, 0.0, 1.0])


@pytest.fixture
def board(tmp_path: Path) -> Studio:
    """A square from −1 to 1, white everywhere under a decal left of its middle, which a mask cuts to an odd shape."""
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=SIZE)
    white = studio.add_picture(save_png(tmp_path / "white.png", np.full((8, 8, 3), 255, np.uint8)))
    place = Throw((-0.5, 0.3, 0.0), (0.0, 0.0, 1.0), (0.0, 1.0, 0.0), 0.5, 0.5, 0.2)
    studio.execute(AddLayer("Plate", Decal(white, place), {"metallic": Channel(1.0)}))
    return studio


def shown(studio: Studio) -> np.ndarray:
    """(SIZE, SIZE) what is metal, row 0 at y = 1."""
    key = studio.surface.keys[0]
    return (
        composite_sheet(
            studio.sources, studio.project, "metallic", studio.surface.sheet(key, studio.project.size_of(key)), 8
        )[..., 0]
        / 255.0
    )


def masked(studio: Studio, kind: str, tmp_path: Path) -> None:
    layer = studio.project.layers[0].id
    if kind == "painted":
        # Nothing but what is painted shows.
        stroke = easel.begin_stroke(studio, Brush(0.14, 1.0))
        stroke.go_to(np.array([-0.62, 0.42, 0.0]), OUT)
        stroke.go_to(np.array([-0.40, 0.30, 0.0]), OUT)
        stroke.end()
        do_step(studio, {"do": "mask", "layer": "Plate", "kind": "fill", "value": 0}, tmp_path)
        easel.paint_on_mask(studio, layer, stroke, 1.0)
        return
    half = np.zeros((16, 16, 4), np.uint8)
    half[:9, :11, 3] = 255
    picture = studio.add_picture(save_png(tmp_path / "half.png", half))
    if kind == "laid":
        place = Lay("paint", 1001, (0.25, 0.65), 0.2, 0.2)
    else:
        place = Throw((-0.5, 0.3, 0.0), (0.0, 0.0, 1.0), (0.2, 1.0, 0.0), 0.4, 0.4, 0.2)
    studio.execute(AddMaskEntry(layer, MaskEntry(PictureShape(picture, place), "intersect")))


@pytest.mark.parametrize("kind", ["painted", "thrown", "laid"])
def test_a_twin_has_the_mirror_image_of_the_mask(board: Studio, kind: str, tmp_path: Path) -> None:
    masked(board, kind, tmp_path)
    before = shown(board)
    assert 0.002 < before.mean() < 0.05
    layer = board.project.layers[0]
    board.execute(copied(board, layer, [twin(unmoved(layer.content.place), "x", 0.0)], "Twin"))
    after = shown(board)
    assert np.abs(after - np.maximum(before, before[:, ::-1])).max() < 0.05
    assert len(board.project.masks) == 2
    board.history.undo()
    assert np.array_equal(shown(board), before)


@pytest.mark.parametrize("kind", ["painted", "thrown", "laid"])
def test_rows_and_rings_move_the_mask(board: Studio, kind: str, tmp_path: Path) -> None:
    masked(board, kind, tmp_path)
    before = shown(board)
    layer = board.project.layers[0]
    board.execute(copied(board, layer, row(board.surface, layer.content.place, 1, 1.5), "Row"))
    moved = np.roll(before, round(0.75 * SIZE / 2), axis=1)
    assert np.abs(shown(board) - np.maximum(before, moved)).max() < 0.05
    board.history.undo()
    board.execute(copied(board, layer, ring(layer.content.place, 4, OUT, np.zeros(3)), "Ring", "Plates"))
    quarters = [np.rot90(before, turn) for turn in range(4)]
    assert np.abs(shown(board) - np.maximum.reduce(quarters)).max() < 0.06
    assert board.project.layers[-1].name == "Plates" and len(board.project.layers[-1].children) == 3


def test_a_twin_of_a_ring_is_where_its_parts_are(board: Studio, tmp_path: Path) -> None:
    masked(board, "thrown", tmp_path)
    before, layer = shown(board), board.project.layers[0]
    turned = ring(layer.content.place, 4, OUT, np.zeros(3))[0]
    board.execute(copied(board, layer, [twin(turned, "x", 0.09375)], "Twin"))
    whole = np.rot90(before)  # counter-clockwise, then mirrored about x = 0.09375
    mirrored = np.roll(whole[:, ::-1], round(0.1875 * SIZE / 2), axis=1)
    assert np.abs(shown(board) - np.maximum(before, mirrored)).max() < 0.06


def test_places_are_moved_by_any_turn_and_way() -> None:
    rng = np.random.default_rng(4)
    from lucky_fern.core.placing.copies import Move
    from lucky_fern.core.placing.frame import pose_frame

    for _ in range(20):
        turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
        turn *= np.sign(np.linalg.det(turn))
        shift = rng.normal(size=3)
        throw = Throw(*(tuple(rng.normal(size=3)) for _ in range(3)), 1.0, 1.0, rotate=30.0)
        roll = Roll((0.1, 0.2, 0.3), (0.0, 1.0, 0.2), (1.0, 0.4, 0.3), 1.0, 1.0)
        for place in (throw, roll):
            moved = Move(turn, shift).of(place)
            assert moved is not None
            one, other = pose_frame(place), pose_frame(moved)
            assert np.allclose(other.origin, turn @ one.origin + shift) and np.allclose(other.right, turn @ one.right)
            assert np.allclose(other.towards, turn @ one.towards)


def test_jobs_copy_a_decal_that_is_there_with_its_mask(board: Studio, tmp_path: Path) -> None:
    masked(board, "thrown", tmp_path)
    before = shown(board)
    do_step(board, {"do": "copies", "layer": "Plate", "twin": {"across": "x"}}, tmp_path)
    assert np.abs(shown(board) - np.maximum(before, before[:, ::-1])).max() < 0.05
    assert [layer.name for layer in board.project.layers] == ["Plate", "Plate 2"]
