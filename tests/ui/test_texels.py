"""Texels drawn by the hand, and canvases set at the Model station: real events, exact texels."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.studio import Studio
from samples import PLANE

SIZE = Extent(48, 24)


@pytest.fixture
def board(hands: Hands, tmp_path: Path) -> Hands:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=SIZE)
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#204060")}))
    studio.execute(AddLayer("Art", Brushwork(), {}))
    hands.open(studio)
    hands.parts.selection.select(studio.project.layers[-1].id)
    hands.parts.commands["paint.texels"].trigger()
    hands.wait()
    return hands


def colour(hands: Hands) -> np.ndarray:
    hands.wait()
    store, studio = hands.parts.maps.store, hands.parts.work.studio
    assert store is not None and studio is not None
    key = studio.surface.keys[0]
    return store.get(MapKey(key, "colour"), studio.project.size_of(key))


def at(hands: Hands, row: int, column: int) -> np.ndarray:
    """The middle of a texel in the sheet view."""
    view = hands.window.sheet_view
    ((key, own),) = hands.parts.work.sheet_sizes().items()
    uv = np.array([(column + 0.5) / own.width, 1 - (row + 0.5) / own.height])
    return view.pixel_of(view.tiles.to_plane(key.material, uv))


def drawn(hands: Hands) -> set[tuple[int, int]]:
    return {(int(r), int(c)) for r, c in np.argwhere((colour(hands) != (0x20, 0x40, 0x60)).any(axis=2))}


def test_a_pencil_a_frame_and_a_fill_are_exact_and_one_step_each(board: Hands) -> None:
    texels, view = board.parts.texels, board.window.sheet_view
    board.parts.painting.values["colour"] = "#ff8800"
    board.drag(view, at(board, 5, 4), at(board, 5, 12))
    assert drawn(board) == {(5, column) for column in range(4, 13)}
    assert (colour(board)[5, 8] == (0xFF, 0x88, 0)).all()
    tools = board.window.tools.brushes
    tools.shapes.setCurrentIndex(2)
    tools.shapes.activated.emit(2)
    assert texels.shape == "frame"
    board.drag(view, at(board, 10, 20), at(board, 14, 25))
    frame = {(r, c) for r in range(10, 15) for c in range(20, 26) if r in (10, 14) or c in (20, 25)}
    assert drawn(board) == {(5, column) for column in range(4, 13)} | frame
    texels.set(shape="fill")
    point = QPoint(*np.round(at(board, 12, 22)).astype(int))
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point)
    assert len(drawn(board)) == 9 + 30
    texels.set(shape="pencil")
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, point)
    assert len(drawn(board)) == 9 + 29  # Alt takes away
    for left in (9 + 30, 9 + 18, 9, 0):
        board.parts.work.undo()
        assert len(drawn(board)) == left
    board.hover(view, at(board, 7, 9))
    (outline,) = view.drawn.box
    assert np.allclose(outline[:4].mean(axis=0), at(board, 7, 9), atol=0.6)  # the texel under the pointer
    model = board.window.model_view
    board.hover(model, np.array([model.width() / 2, model.height() / 2]))
    assert len(model.drawn.box) == 1
    ends = (np.array([model.width() * share, model.height() / 2]) for share in (0.45, 0.55))
    board.drag(model, *ends)
    assert len({row for row, _ in drawn(board)}) <= 2 and len(drawn(board)) > 2  # in the model view, too


def test_a_canvas_is_set_and_held_where_one_wants(board: Hands) -> None:
    view = board.window.sheet_view
    board.drag(view, at(board, 3, 3), at(board, 3, 6))
    before = colour(board).copy()
    board.key(Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    part = board.window.late.model_panel.check.canvas
    assert (part.width_.value(), part.height_.value()) == (48, 24) and part.isVisible()
    part.width_.setValue(60)
    part.height_.setValue(50)
    part.how.setCurrentIndex(part.how.findText("held lower left"))
    assert part.told.isVisible()  # no powers of two
    part.apply_.click()
    board.until(lambda: Extent(60, 50) in board.parts.work.sheet_sizes().values())
    assert (colour(board)[26:, :48] == before).all()
    part.pixels.click()
    assert board.parts.work.project is not None and board.parts.work.project.pixel_art == ("paint:1001",)
    board.parts.work.undo()
    board.parts.work.undo()
    assert (colour(board) == before).all()


def test_texels_of_a_colour_are_cut_off_and_glow(board: Hands) -> None:
    view = board.window.sheet_view
    board.parts.painting.values["colour"] = "#ffee88"
    board.drag(view, at(board, 3, 3), at(board, 3, 6))
    board.key(Qt.Key.Key_1)
    names = board.window.late.model_panel.names
    names.material.setEditText("glow")
    names.cutting.colour.take("#ffee88")
    names.cutting.cut.click()
    board.until(lambda: "glow" in board.parts.work.studio.model.materials)
    studio = board.parts.work.studio
    assert [str(key) for key in studio.surface.keys] == ["paint:1001", "glow:1001"]
    glow = studio.surface.sheet(studio.surface.keys[1], SIZE).covered
    assert {(int(r), int(c)) for r, c in np.argwhere(glow)} == {(3, column) for column in range(3, 7)}
    board.parts.work.undo()
    assert board.parts.work.studio.model.materials == ("paint",)
    names.cutting.colour.take("#123456")
    names.cutting.cut.click()
    board.wait()
    assert "No texel has that colour" in board.window.notice.text()
