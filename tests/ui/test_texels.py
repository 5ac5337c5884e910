"""Texels drawn by the hand, and canvases set at the Model station: real events, exact texels."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.project.commands import AddLayer, PinPicture, SetPixelArt, SetSheetSize
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.project.layouts import FitRectangle
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.studio import Studio, read_picture_file
from samples import PLANE, save_png

SIZE = Extent(48, 24)
MARK = np.random.default_rng(2).integers(0, 256, (3, 5, 4), np.uint8)


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
    tools = board.window.tools.brushes.texel_tools
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


def test_a_fill_on_a_large_sheet_is_made_beside_the_window_and_sees_the_edit_before_it(board: Hands) -> None:
    work, texels, painting, view = board.parts.work, board.parts.texels, board.parts.painting, board.window.sheet_view
    work.execute(SetSheetSize(Extent(300, 200), "paint:1001"))
    board.wait()
    painting.values["colour"] = "#ff8800"
    texels.set(shape="frame")
    board.drag(view, at(board, 20, 30), at(board, 60, 90))
    row, column = sorted(drawn(board))[0]
    frame = drawn(board)
    low, right = max(r for r, _ in frame), max(c for _, c in frame)
    texels.set(shape="fill")
    painting.values["colour"] = "#0088ff"
    ((key, _),) = work.sheet_sizes().items()
    texels.begin((key, (row, column)), False)  # at once, whatever was composited so far
    texels.end()
    assert work.project is not None
    board.wait()
    assert drawn(board) == frame and (colour(board)[low, right] == (0, 0x88, 0xFF)).all()
    texels.begin((key, (row + 1, column + 1)), False)
    work.undo()  # another project than the one that was looked through
    texels.end()
    board.wait()
    assert drawn(board) == frame and "changed meanwhile" in board.window.notice.text()


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


def test_texels_are_chosen_step_by_step_cut_off_and_joined_again(board: Hands) -> None:
    view, area = board.window.sheet_view, board.parts.area
    board.parts.painting.values["colour"] = "#ffee88"
    board.drag(view, at(board, 3, 3), at(board, 3, 6))
    board.parts.painting.values["colour"] = "#ff4400"
    board.drag(view, at(board, 8, 3), at(board, 8, 4))
    board.key(Qt.Key.Key_1)
    panel = board.window.late.model_panel
    names, cutting = panel.names, panel.names.cutting
    panel.setCurrentWidget(names)
    names.material.setEditText("glow")
    cutting.colour.take("#ffee88")
    cutting.by_colour("new")
    board.until(lambda: area.count == 4)
    cutting.colour.take("#ff4400")
    cutting.by_colour("add")
    board.until(lambda: area.count == 6)
    area.arm()
    board.drag(view, at(board, 1, 2), at(board, 3, 4))  # a rectangle takes its place
    board.until(lambda: area.count == 9)
    cutting.by_colour("new")
    board.until(lambda: area.count == 2)
    cutting.cut.click()
    board.until(lambda: "glow" in board.parts.work.studio.model.materials)
    studio = board.parts.work.studio
    assert [str(key) for key in studio.surface.keys] == ["paint:1001", "glow:1001"]
    glow = studio.surface.sheet(studio.surface.keys[1], SIZE).covered
    assert {(int(r), int(c)) for r, c in np.argwhere(glow)} == {(8, 3), (8, 4)} and not area.any
    board.wait()
    names.material.setEditText("glow")
    cutting.join()
    board.until(lambda: board.parts.work.studio.model.materials == ("paint",))
    board.parts.work.undo()
    assert "glow" in board.parts.work.studio.model.materials
    board.parts.work.undo()
    assert board.parts.work.studio.model.materials == ("paint",)
    board.wait()
    cutting.colour.take("#123456")
    cutting.by_colour("new")
    board.until(lambda: "No texel" in board.window.notice.text())


def test_a_block_is_copied_turned_and_put_down_by_hand(board: Hands) -> None:
    view, parts = board.window.sheet_view, board.parts
    for column, colour_ in ((4, "#ff0000"), (5, "#00ff00"), (6, "#0000ff")):
        parts.painting.values["colour"] = colour_
        point = QPoint(*np.round(at(board, 5, column)).astype(int))
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point)
    board.wait()
    before = colour(board).copy()
    parts.texels.set(shape="choose")
    board.drag(view, at(board, 5, 4), at(board, 5, 6))
    assert parts.area.count == 3
    board.key(Qt.Key.Key_C)
    board.key(Qt.Key.Key_V)
    assert parts.blocks.in_hand is not None and parts.blocks.in_hand.shape == (1, 3)
    parts.commands["texels.turn"].trigger()
    for column in (20, 30):  # as often as one likes
        point = QPoint(*np.round(at(board, 11, column)).astype(int))
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, point)
    board.key(Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier)
    assert parts.blocks.in_hand is None
    expected = before.copy()
    for column in (20, 30):
        expected[10:13, column] = before[5, [6, 5, 4]]  # counter-clockwise: what was on the right is above
    assert np.array_equal(colour(board), expected)
    # Shifted round the edge of what is chosen, and its colours brought to two.
    QTest.keyClick(view, Qt.Key.Key_Right)
    board.until(lambda: (colour(board)[5, 4:7] == before[5, [6, 4, 5]]).all())
    parts.blocks.fewer(2)
    board.until(lambda: len(np.unique(colour(board)[5, 4:7], axis=0)) == 2)
    parts.commands["texels.clear"].trigger()
    assert (colour(board)[5, 4:7] == (0x20, 0x40, 0x60)).all()
    parts.work.undo()
    assert len(np.unique(colour(board)[5, 4:7], axis=0)) == 2


def test_a_face_goes_alone_by_whole_texels_and_a_picture_lands_on_them(board: Hands, tmp_path: Path) -> None:
    studio, view = board.parts.work.studio, board.window.sheet_view
    key = studio.surface.keys[0]
    board.parts.work.execute(SetPixelArt(str(key)))
    board.key(Qt.Key.Key_1)
    layout = board.window.late.model_panel.lay_out
    board.window.late.model_panel.setCurrentWidget(layout)
    layout.do(FitRectangle((0.0, 0.0), (0.5, 0.5)))
    board.until(lambda: board.parts.work.studio.model.uv.max() < 0.51)
    board.wait()
    faces = np.zeros(2, bool)
    faces[0] = True
    board.parts.faces.choose(faces, whole_units=False)
    layout.by_texels.alone.click()
    before = board.parts.work.studio.model.uv.copy()
    board.drag(view, at(board, 20, 15), at(board, 12, 25))
    board.until(lambda: not np.array_equal(board.parts.work.studio.model.uv, before))
    moved = (board.parts.work.studio.model.uv - before) * [SIZE.width, SIZE.height]
    assert np.allclose(moved[1], 0) and np.allclose(moved[0], np.rint(moved[0])) and np.abs(moved[0]).max() >= 8
    board.wait()
    name = board.parts.work.studio.keep_picture(*read_picture_file(save_png(tmp_path / "mark.png", MARK)))
    assert view.drop_picture(name, at(board, 6, 30) + (3, -2))
    place = board.parts.work.project.layers[-1].content.place
    corner = np.array(place.centre) * [SIZE.width, SIZE.height] - np.array([5, 3]) / 2
    assert place.width * SIZE.width == pytest.approx(5) and place.height * SIZE.height == pytest.approx(3)
    assert np.allclose(corner, np.rint(corner), atol=1e-9)


BRICKS = PLANE.replace("vt 1 0", "vt 3 0").replace("vt 1 1", "vt 3 2").replace("vt 0 1", "vt 0 2")


def test_a_switch_in_the_summary_has_uvs_repeat_and_gives_the_tiles_back(hands: Hands, tmp_path: Path) -> None:
    (tmp_path / "path.obj").write_text(BRICKS)
    hands.open(Studio.new(tmp_path / "path.obj", sheet_size=64))
    parts, check = hands.parts, hands.window.late.model_panel.check
    assert len(parts.work.studio.surface.keys) == 6
    hands.key(Qt.Key.Key_1)
    hands.window.late.model_panel.setCurrentWidget(check)

    def switch() -> QCheckBox | None:
        hands.wait()
        item = check.repeats.itemAt(0)
        return None if item is None else item.widget()

    hands.until(lambda: switch() is not None)
    assert "repeat over 6 tiles" in switch().text() and not switch().isChecked()
    switch().click()
    hands.until(lambda: len(parts.work.studio.surface.keys) == 1)
    hands.until(lambda: switch() is not None and switch().isChecked())
    assert "e+" not in check.lines["texels"].text()
    switch().click()
    hands.until(lambda: len(parts.work.studio.surface.keys) == 6)
    parts.work.undo()
    assert len(parts.work.studio.surface.keys) == 1


def test_a_picture_is_pinned_beside_the_work_and_gives_its_colours(board: Hands, tmp_path: Path) -> None:
    parts, pins = board.parts, board.window.pins
    flat = np.full((40, 60, 4), (12, 200, 99, 255), np.uint8)
    name = parts.work.studio.keep_picture(*read_picture_file(save_png(tmp_path / "flat.png", flat)))
    parts.work.execute(PinPicture(name))
    board.wait()
    board.until(lambda: name in pins.shown and pins.shown[name].width() > pins.shown[name].height())
    pin, room = pins.shown[name], board.window.ground.views
    assert pin.isVisible() and pin.geometry().left() < 20 and pin.geometry().bottom() > room.height() - 20
    parts.commands["edit.take-values"].trigger()
    QTest.mouseClick(pin, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, pin.rect().center())
    assert parts.painting.values["colour"] == "#0cc863"
    small = pin.width()
    QTest.mouseDClick(pin, Qt.MouseButton.LeftButton)
    assert pin.width() > 1.8 * small
    board.drag(pin, np.array([30.0, 30.0]), np.array([room.width() - 40.0, -room.height() / 1.2]))
    assert parts.work.project.pinned[name].corner == "upper-right"
    pin.close_button.click()
    assert not parts.work.project.pinned and not pins.shown
    parts.work.undo()
    assert name in parts.work.project.pinned


def test_a_guide_is_drawn_out_of_the_border_and_holds_what_is_dragged(board: Hands) -> None:
    view, parts = board.window.sheet_view, board.parts
    key = parts.work.studio.surface.keys[0]
    board.key(Qt.Key.Key_1)
    texel = at(board, 0, 1) - at(board, 0, 0)
    border = at(board, 12, 0) - texel / 2 - (4, 0)
    board.drag(view, border, at(board, 12, 10) - texel / 2)
    assert parts.work.project.guides[str(key)].upright == (10.0,)
    board.window.late.model_panel.lay_out.do(FitRectangle((0.0, 0.0), (0.25, 0.5)))
    board.until(lambda: parts.work.studio.model.uv.max() < 0.51)
    board.wait()
    parts.faces.all()
    board.drag(view, at(board, 18, 8), at(board, 18, 17) + texel * 0.7)  # its left edge comes near the guide
    board.until(lambda: parts.work.studio.model.uv[..., 0].min() > 0.1)
    assert parts.work.studio.model.uv[..., 0].min() * SIZE.width == pytest.approx(10)
    board.wait()
    parts.faces.none()
    board.drag(view, at(board, 2, 10) - texel / 2, at(board, 2, 0) - texel * 3)
    assert str(key) not in parts.work.project.guides
