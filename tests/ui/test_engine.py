"""The picture engine in the window: groups, strengths, masks, history, comparing, sequences."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from hands import Hands
from lucky_fern.core.project.commands import SetPixelArt
from lucky_fern.core.project.document import Adjustment, Brushwork, Group
from lucky_fern.core.project.effects import Curve, Levels
from lucky_fern.core.project.shapes import ScopeShape
from lucky_fern.demo.world import demo_studio
from lucky_fern.ui.layers.board_model import EYE, NAME
from samples import save_png
from test_board import column, names

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CONTROL = Qt.KeyboardModifier.ControlModifier


def cell(hands: Hands, row: int, at: int) -> QPoint:
    grid = hands.window.board.grid
    index = grid.model().index(0, at)
    for _ in range(row):
        index = grid.indexBelow(index).siblingAtColumn(at)
    return grid.visualRect(index).center()


def choose(menu: QMenu, *path: str) -> None:
    """Click through a menu by its texts."""
    for text in path[:-1]:
        menu = next(action for action in menu.actions() if action.text() == text).menu()
        menu.aboutToShow.emit()
    next(action for action in menu.actions() if action.text() == path[-1]).trigger()
    QApplication.processEvents()


def click(hands: Hands, row: int, at: int = NAME, modifiers: Qt.KeyboardModifier = NONE) -> None:
    QTest.mouseClick(hands.window.board.grid.viewport(), LEFT, modifiers, cell(hands, row, at))
    hands.wait()


def test_rows_are_chosen_together_grouped_folded_and_dropped_into_groups(hands: Hands) -> None:
    board, parts = hands.window.board, hands.parts
    click(hands, 1)
    click(hands, 2, modifiers=CONTROL)
    assert {layer.name for layer in parts.selection.layers} == {"Strap cloth", "Green lid"}
    click(hands, 1, EYE)
    assert [layer.visible for layer in parts.work.project.walk()] == [True, False, False, True]
    assert parts.work.studio.history.titles[-1] == "Hide layer"  # both in one step
    hands.key(Qt.Key.Key_G)
    assert names(hands) == ["Steel rings", "Group", "Strap cloth", "Green lid", "Enamel"]
    group = parts.work.project.layers[1]
    assert isinstance(group.content, Group) and parts.selection.selected == group.id
    box = board.grid.itemDelegate().fold_box(board.grid.visualRect(board.model.index(1, NAME)))
    QTest.mouseClick(board.grid.viewport(), LEFT, NONE, box.center())
    assert names(hands) == ["Steel rings", "Group", "Enamel"]
    mime = board.model.mimeData([board.model.index(0, NAME)])
    board.model.dropMimeData(mime, Qt.DropAction.MoveAction, -1, 0, board.model.index(1, NAME))
    QTest.mouseClick(board.grid.viewport(), LEFT, NONE, QPoint(box.center().x(), cell(hands, 0, NAME).y()))
    assert names(hands) == ["Group", "Steel rings", "Strap cloth", "Green lid", "Enamel"]
    parts.selection.select(parts.work.project.layers[1].children[-1].id)
    hands.key(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)  # out of its group at the top
    assert names(hands) == ["Steel rings", "Group", "Strap cloth", "Green lid", "Enamel"]
    choose(board.menu_of(parts.work.project.layers[1], NAME), "Ungroup")
    assert names(hands) == ["Steel rings", "Strap cloth", "Green lid", "Enamel"]


def test_a_drag_on_a_cell_sets_its_strength_and_its_menu_the_blend(hands: Hands) -> None:
    grid, parts = hands.window.board.grid.viewport(), hands.parts
    start = cell(hands, 2, column("colour"))
    steps = len(parts.work.studio.history.titles)
    QTest.mousePress(grid, LEFT, NONE, start)
    for across in (-10, -30, -45):
        event_at = start + QPoint(across, 0)
        hands.drag_move(grid, event_at)
    QTest.mouseRelease(grid, LEFT, NONE, start + QPoint(-45, 0))
    hands.wait()
    lid = parts.work.project.layers[1]
    assert lid.channels["colour"].opacity == pytest.approx(0.55, abs=0.02) and lid.channels["colour"].on
    assert lid.channels["roughness"].opacity == 1.0
    assert len(parts.work.studio.history.titles) == steps + 1
    choose(hands.window.board.menu_of(lid, column("colour")), "Blend", "multiply")
    assert parts.work.project.layers[1].channels["colour"].blend == "multiply"
    menu = hands.window.board.menu_of(parts.work.project.layers[1], column("roughness"))
    blends = next(action for action in menu.actions() if action.text() == "Blend").menu()
    assert [action.text() for action in blends.actions()][1:] == [
        "normal",
        "add",
        "subtract",
        "multiply",
        "min",
        "max",
    ]
    choose(hands.window.board.menu_of(parts.work.project.layers[1], column("roughness")), "Take this map off")
    assert "roughness" not in parts.work.project.layers[1].channels


def test_adjustments_come_from_the_menu_and_are_bent_under_the_board(hands: Hands) -> None:
    parts, settings = hands.parts, hands
    before = hands.pixels(hands.window.sheet_view)
    choose(hands.window.board.buttons["plus"].menu(), "Levels")
    assert isinstance(parts.selection.layer.content, Adjustment) and set(parts.selection.layer.channels) == {"colour"}
    number = settings.fields["gamma"].number
    number.selectAll()
    QTest.keyClicks(number, "2.5")
    QTest.keyClick(number, Qt.Key.Key_Return)
    hands.wait()
    assert parts.selection.layer.content.effect == Levels(gamma=2.5)
    assert (hands.pixels(hands.window.sheet_view) != before).any(2).mean() > 0.2
    parts.looking.show_map("roughness")
    choose(hands.window.board.buttons["plus"].menu(), "Curve")
    bend = settings.fields["curve"]
    QTest.mousePress(bend, LEFT, NONE, bend.place((0.5, 0.5)).toPoint())
    hands.drag_move(bend, bend.place((0.5, 0.8)).toPoint())
    QTest.mouseRelease(bend, LEFT, NONE, bend.place((0.5, 0.8)).toPoint())
    effect = parts.selection.layer.content.effect
    assert isinstance(effect, Curve) and effect.points[1] == pytest.approx((0.5, 0.8), abs=0.02)
    assert set(parts.selection.layer.channels) == {"roughness"}
    choose(hands.window.board.buttons["plus"].menu(), "Brushwork")
    assert isinstance(parts.selection.layer.content, Brushwork)


def test_a_mask_is_made_shared_copied_and_pasted_inverted(hands: Hands) -> None:
    parts, panel, board = hands.parts, hands.window.late.masks, hands.window.board
    hands.window.pages.setCurrentIndex(1)
    click(hands, 3)
    before = hands.pixels(hands.window.sheet_view)
    panel.add.menu().aboutToShow.emit()
    choose(panel.add.menu(), "Materials, tiles or parts")
    panel.scope_buttons["parts"].choose("body")
    hands.wait()
    mask = parts.selection.layer.mask
    assert parts.work.project.masks[mask].entries[0].shape == ScopeShape(
        parts.work.project.masks[mask].entries[0].shape.scope
    )
    assert parts.work.project.masks[mask].entries[0].shape.scope.parts == ("body",)
    assert "body" in panel.list.item(0).text()
    choose(board.menu_of(parts.work.project.layers[1], NAME), "Share the mask of", "Enamel")
    assert parts.work.project.layers[1].mask == mask and "shared with Enamel" in panel.title.text()
    panel.acts["Copy"].click()
    click(hands, 1)
    panel.acts["Paste inverted"].click()
    assert (
        parts.selection.layer.mask not in (None, mask) and parts.work.project.masks[parts.selection.layer.mask].invert
    )
    panel.acts["Remove"].click()
    assert parts.selection.layer.mask is None
    click(hands, 3)
    panel.entry_invert.click()
    hands.wait()
    assert (hands.pixels(hands.window.sheet_view) != before).any(2).mean() > 0.1


def test_the_history_is_a_list_to_click_into(hands: Hands) -> None:
    parts, panel = hands.parts, hands.window.history
    hands.window.pages.setCurrentIndex(2)
    start = parts.work.project
    for row in (0, 1, 2):
        click(hands, row, EYE)
    assert [panel.list.item(row).text() for row in range(4)] == ["Opened", "Hide layer", "Hide layer", "Hide layer"]
    QTest.mouseClick(panel.list.viewport(), LEFT, NONE, panel.list.visualItemRect(panel.list.item(0)).center())
    assert parts.work.project == start
    QTest.mouseClick(panel.list.viewport(), LEFT, NONE, panel.list.visualItemRect(panel.list.item(2)).center())
    assert [layer.visible for layer in parts.work.project.layers] == [True, True, False, False]
    panel.room.setValue(64)
    assert parts.work.studio.history.limit == 64 << 20


def test_holding_a_key_shows_the_stack_without_the_selected_layers(hands: Hands) -> None:
    view = hands.window.sheet_view
    click(hands, 2)
    before = hands.pixels(view)
    view.setFocus()
    project = hands.parts.work.project
    for kind, same in ((QKeyEvent.Type.KeyPress, False), (QKeyEvent.Type.KeyRelease, True)):
        QApplication.sendEvent(view, QKeyEvent(kind, Qt.Key.Key_K, NONE))
        hands.wait()
        assert bool((hands.pixels(view) != before).any(2).sum() < 50) is same
    assert hands.parts.work.project is project


def test_a_pinned_state_is_wiped_against_the_one_of_now(hands: Hands) -> None:
    view, parts = hands.window.sheet_view, hands.parts
    before = hands.pixels(view)
    QTest.mouseClick(hands.window.tools.pin, LEFT)
    hands.wait()
    click(hands, 2, EYE)
    after = hands.pixels(view)
    middle = view.width() // 2
    assert (after[:, : middle - 10] == before[:, : middle - 10]).all()
    assert (after[:, middle + 10 :] != before[:, middle + 10 :]).any()
    line = np.array([view.width() * 0.5, 40.0])
    hands.drag(view, line, line + (80, 0))
    assert parts.comparing.wipe == pytest.approx(0.5 + 80 / view.width(), abs=0.01)
    moved = hands.pixels(view)
    assert (moved[:, : middle + 60] == before[:, : middle + 60]).all()
    QTest.mouseClick(hands.window.tools.pin, LEFT)
    hands.wait()
    assert parts.comparing.pinned is None and (hands.pixels(view)[:, : middle - 10] != before[:, : middle - 10]).any()


def test_sequences_wait_for_a_word_and_become_one_wash(hands: Hands, tmp_path: Path) -> None:
    parts, panel = hands.parts, hands.window.late.sequence_panel
    colour = np.full((16, 16, 3), (200, 40, 90), np.uint8)
    for name in ("cup_baseColor.1001.png", "cup_rough.1001.png", "cup_rough.1002.png"):
        save_png(tmp_path / name, colour)
    start = parts.work.project
    parts.bringing.bring([tmp_path / "cup_baseColor.1001.png", tmp_path / "cup_rough.1002.png"])
    hands.wait()
    assert parts.work.project is start and hands.window.right.currentWidget() is panel
    assert panel.chosen() == ["colour", "roughness"]
    panel.targets[1].setCurrentIndex(panel.targets[1].findData("colour"))
    panel.targets[1].activated.emit(0)
    assert not panel.accept.isEnabled()  # two sequences on one map
    panel.targets[1].setCurrentIndex(panel.targets[1].findData("metallic"))
    panel.targets[1].activated.emit(0)
    panel.accept.click()
    hands.wait()
    wash = parts.selection.layer
    assert wash.content.by == "tiles" and set(wash.channels) == {"colour", "metallic"}
    assert hands.window.right.currentWidget() is hands.window.ground.layers
    hands.window.sheet_view.set_wires(False)
    assert ((hands.pixels(hands.window.sheet_view) == (200, 40, 90)).all(2)).mean() > 0.3
    assert hands.window.tray.model.item(0).text() == "cup_baseColor.<UDIM>"


def test_what_a_picture_is_taken_as_is_said_and_can_be_changed(hands: Hands, tmp_path: Path) -> None:
    save_png(tmp_path / "lid_rough.png", np.full((8, 8, 3), 90, np.uint8))
    hands.parts.bringing.bring([tmp_path / "lid_rough.png"])
    hands.wait()
    assert "taken as data" in hands.window.notice.text()
    choose(hands.window.tray.strip.menu_of(["lid_rough.png"]), "Take as colour (sRGB)")
    assert hands.parts.work.project.pictures["lid_rough.png"].taken == "colour"


def test_the_value_under_the_pointer_is_read_out_in_both_views(hands: Hands) -> None:
    view = hands.window.model_view
    hands.parts.looking.show_map("roughness")
    hands.wait()
    at = np.array([view.width() * 0.42, view.height() * 0.6])
    hands.hover(view, at)
    assert "1001  column" in view.overlay.facts and "Roughness 0.3412  87" in view.overlay.facts
    hands.hover(hands.window.sheet_view, hands.window.sheet_view.overlay.marker)
    assert "Roughness 0.3412  87" in hands.window.sheet_view.overlay.facts
    point = QPointF(3, 3)
    hands.hover(view, np.array([point.x(), point.y()]))
    assert view.overlay.facts == ""


def test_a_sentence_about_the_layout_leads_both_views_there_and_heat_brings_its_legend(hands: Hands) -> None:
    hands.open(demo_studio("kettle", hands.world))
    hands.key(Qt.Key.Key_1)
    hands.until(lambda: not hands.parts.layout_watch.busy)
    panel, model_view, sheet_view = (
        hands.window.late.model_panel.check,
        hands.window.model_view,
        hands.window.sheet_view,
    )
    work, art = hands.parts.work, hands.parts.work.project.pixel_art
    assert art and "nothing to worry about" in panel.check_state.text()  # pixel art lies close and shares its texels
    for sheet in art:
        work.execute(SetPixelArt(sheet, False))
    hands.until(lambda: "to look at" in panel.check_state.text())
    assert panel.findings.count() == len(hands.parts.layout_watch.findings) > 0
    hands.wait()
    before = hands.pixels(model_view), hands.pixels(sheet_view), model_view.camera
    item = panel.findings.item(0)
    QTest.mouseClick(panel.findings.viewport(), LEFT, NONE, panel.findings.visualItemRect(item).center())
    hands.wait()
    assert hands.parts.faces.finding is hands.parts.layout_watch.findings[0] and model_view.camera != before[2]
    for view, old in ((model_view, before[0]), (sheet_view, before[1])):
        shown = hands.pixels(view)
        assert (shown != old).any(2).sum() > 500
        red = (shown[..., 0].astype(int) - shown[..., 2] > 60) & (shown[..., 1] < 140)
        assert red.sum() > 200, view.accessibleName()
    panel.heat_box.setCurrentIndex(1)
    panel.heat_box.activated.emit(1)
    hands.wait()
    assert model_view.overlay.heat.title == "Stretch" and sheet_view.overlay.heat is not None
    hands.key(Qt.Key.Key_2)
    assert model_view.overlay.heat is None
