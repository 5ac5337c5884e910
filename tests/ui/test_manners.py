"""The manners of a desktop program: menus, shortcuts, what is remembered, room."""

from __future__ import annotations

from pathlib import Path

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAccessible, QColor, QDragEnterEvent, QDropEvent, QGuiApplication, QImage, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QFrame,
    QListView,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QSpinBox,
    QTabBar,
    QWidget,
)

from hands import Hands
from lucky_fern.core import easel
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.levels import usual_room
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.project.commands import AddMaskEntry
from lucky_fern.core.project.document import Group
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.presets import PRESETS
from lucky_fern.core.project.shapes import MaskEntry, PictureShape, ScopeShape
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio
from lucky_fern.licences import parts_used
from lucky_fern.render.sheet_scene import FlatCamera
from lucky_fern.ui.layers.pages.copies import add_copies
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.style import choose, desktop_text
from lucky_fern.ui.window.kept_tools import note_tools, recall_tools
from lucky_fern.ui.window.keys_page import KeysPage
from lucky_fern.ui.window.main import Window
from lucky_fern.ui.window.parts import Parts
from lucky_fern.ui.window.preferences import Preferences
from lucky_fern.ui.window.remembered import Remembered, recall, remember
from samples import PLANE


def listed(menu: QMenu) -> list[str]:
    """The commands of a menu and of those inside it."""
    found = [action.objectName() for action in menu.actions() if action.objectName()]
    for action in menu.actions():
        found += [] if action.menu() is None else listed(action.menu())
    return found


def test_every_command_stands_in_a_menu_and_has_keys_of_its_own(hands: Hands) -> None:
    bar = hands.window.menuBar()
    assert [action.text() for action in bar.actions()] == ["&File", "&Edit", "&Layer", "&View", "&Help"]
    names = [name for action in bar.actions() for name in listed(action.menu())]
    commands = hands.parts.commands
    assert sorted(names) == sorted(commands.names)
    keys = [key for name in commands.names for key in commands.keys_of(name)]
    assert len(keys) == len(set(keys)) > 15


def test_shortcuts_are_searched_and_changed_but_never_doubled(hands: Hands) -> None:
    page = KeysPage(hands.window, hands.parts.commands)
    page.search.setText("move up")
    shown = [page.tree.topLevelItem(k) for k in range(page.tree.topLevelItemCount())]
    shown = [item for item in shown if not item.isHidden()]
    assert [item.text(0) for item in shown] == ["Move up"] and shown[0].text(1) == "Alt+Up"
    page.tree.setCurrentItem(shown[0])
    page.keys.setKeySequence(QKeySequence("Ctrl+G"))
    page.keys.editingFinished.emit()
    assert "belongs to ‘Group’" in page.words.text() and hands.parts.commands.keys_of("layer.up") == ["Alt+Up"]
    page.keys.setKeySequence(QKeySequence("Ctrl+Shift+U"))
    page.keys.editingFinished.emit()
    assert hands.parts.commands.own_keys == {"layer.up": ["Ctrl+Shift+U"]}
    hands.click_cell(3, 1)
    name = hands.parts.selection.layer.name
    hands.key(Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert hands.parts.work.project.layers[1].name == name


def test_a_view_takes_all_the_room_and_gives_it_back_and_parts_fold(hands: Hands) -> None:
    window = hands.window
    width = window.model_view.width()
    window.model_view.setFocus()
    hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.NoModifier)
    shown = [part.isVisible() for part in (window.model_view, window.sheet_view, window.right, window.tray)]
    assert sorted(shown) == [False, False, False, True]
    assert max(window.model_view.width(), window.sheet_view.width()) > 1200
    hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.NoModifier)
    assert window.tray.isVisible() and window.right.isVisible() and abs(window.model_view.width() - width) < 8
    hands.key(Qt.Key.Key_F9, Qt.KeyboardModifier.NoModifier)
    assert not window.right.isVisible() and window.model_view.width() > width + 100


def test_what_is_remembered_comes_back_and_nonsense_is_passed_over(hands: Hands, tmp_path: Path) -> None:
    path = tmp_path / "mine.fern"
    assert hands.save(path)
    hands.parts.commands.set_keys("view.frame", ["G"])
    hands.key(Qt.Key.Key_F8, Qt.KeyboardModifier.NoModifier)
    hands.window.close()
    remember(hands.window.remembered, tmp_path / "settings.json")
    back = recall(tmp_path / "settings.json")
    assert back.recent == [str(path)] and back.keys == {"view.frame": ["G"]} and back.folded == ["tray"]
    other = Window(Parts(), back)
    try:
        other.show()
        page = other.start_page
        assert page.isVisible() and not other.tray.isVisible()
        assert other.parts.commands.keys_of("view.frame") == ["G"]
        (button,) = [one for one in page.findChildren(QPushButton) if one.text() == "mine"]
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        assert other.rest.wait(60) and other.parts.work.path == path and not page.isVisible()
    finally:
        other.close()
        other.deleteLater()
    (tmp_path / "bad.json").write_text('{"recent": 7, "undo_megabytes": 128, "nobody": []}')
    assert recall(tmp_path / "bad.json") == Remembered(undo_megabytes=128)
    assert recall(tmp_path / "none.json") == Remembered()


def test_preferences_hold_and_licences_are_told(
    hands: Hands, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    dialog = Preferences(hands.window, hands.window.remembered)
    dialog.undo.setValue(256)
    dialog.numbers.setCurrentIndex(dialog.numbers.findData("comma"))
    dialog.home.setText(str(tmp_path))
    dialog.keep.setChecked(True)
    dialog.text.setCurrentIndex(dialog.text.findData(150))
    dialog.accept()
    assert hands.window.remembered.text == 150
    assert hands.window.remembered.undo_megabytes == 256
    monkeypatch.setattr(Preferences, "exec", lambda self: True)
    hands.parts.commands["edit.preferences"].trigger()
    assert hands.parts.work.studio.history.limit == 256 << 20 and hands.parts.work.keep_previous
    assert hands.window.remembered.numbers == "comma"
    monkeypatch.setattr(asking, "_last", {})
    begun: list[str] = []
    monkeypatch.setattr(asking, "_asked", lambda dialog, title: begun.append(dialog.directory().absolutePath()) or [])
    assert asking.open_file(hands.window, "A picture", "All (*)") is None and begun == [str(tmp_path)]
    told = {part.name: part.licence for part in parts_used()}
    assert "PySide6_Essentials" in told and all(told.values())


def test_text_grows_as_the_desktop_has_it_or_as_one_chose(qapp: QApplication, hands: Hands) -> None:
    assert [desktop_text(points) for points in (9.0, 11.0, 16.5, 90.0)] == [1.0, 1.0, 1.5, 2.0]
    choose(False, 1.5)
    try:
        window = Window(Parts())
        window.parts.work.take(hands.parts.work.studio)
        window.resize(1280, 800)
        window.show()
        assert window.rest.wait(30) and window.width() == 1280  # the window does not grow with it
        rows = [each.board.grid.visualRect(each.board.model.index(0, 0)).height() for each in (hands.window, window)]
        assert rows[1] == pytest.approx(1.5 * rows[0], abs=1)
        fonts = [each.board.empty.fontInfo().pixelSize() for each in (hands.window, window)]
        assert fonts == [12, 18]
        window.parts.close()
        window.deleteLater()
    finally:
        choose(False)


def test_a_new_label_is_typed_at_once(hands: Hands) -> None:
    hands.put_label()
    text = hands.fields["label text"]
    assert isinstance(text, QPlainTextEdit) and text.hasFocus()
    QTest.keyClicks(text, "Hello")
    hands.wait()
    label = hands.parts.work.project.pictures[hands.parts.selection.layer.content.picture].text
    assert label.text == "Hello"


def test_pictures_are_pasted_as_decals_and_maps_copied(hands: Hands) -> None:
    board = QGuiApplication.clipboard()
    red = QImage(40, 20, QImage.Format.Format_RGB888)
    red.fill(QColor("#cc2211"))
    board.setImage(red)
    count = len(hands.parts.work.project.layers)
    hands.key(Qt.Key.Key_V)
    layer = hands.parts.work.project.layers[-1]
    assert len(hands.parts.work.project.layers) == count + 1 and layer.name == "Pasted"
    svg = QMimeData()
    svg.setData(
        "image/svg+xml",
        b'<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8"><rect width="8" height="8"/></svg>',
    )
    board.setMimeData(svg)
    hands.key(Qt.Key.Key_V)
    assert hands.parts.work.project.pictures[hands.parts.selection.layer.content.picture].name == "pasted.svg"
    board.setText("words")
    hands.key(Qt.Key.Key_V)
    assert "no picture" in hands.window.notice.text() and len(hands.parts.work.project.layers) == count + 2
    hands.key(Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    copied = board.image()
    (key,) = hands.parts.work.studio.surface.keys
    store = hands.parts.maps.store.maps[MapKey(key, "colour")]
    assert copied.width() == store.shape[1]
    assert [copied.pixelColor(200, 300).red(), copied.pixelColor(200, 300).blue()] == [
        store[300, 200, 0],
        store[300, 200, 2],
    ]


def test_del_takes_out_what_has_the_keyboard(hands: Hands) -> None:
    hands.click_cell(3, 1)
    layer = hands.parts.selection.layer
    for material in ("flask", None):
        scope = Scope(materials=None if material is None else (material,))
        hands.parts.work.execute(AddMaskEntry(layer.id, MaskEntry(ScopeShape(scope))))
    page = hands.window.late.masks
    hands.window.pages.setCurrentWidget(page)
    hands.wait()
    page.list.setCurrentRow(0)
    page.list.setFocus()
    QTest.keyClick(page.list, Qt.Key.Key_Delete)
    hands.wait()
    assert len(hands.parts.work.project.layers) == 4
    assert len(hands.parts.work.project.masks[hands.parts.selection.layer.mask].entries) == 1
    hands.window.board.grid.setFocus()
    QTest.keyClick(hands.window.board.grid, Qt.Key.Key_Delete)
    hands.wait()
    assert len(hands.parts.work.project.layers) == 3


def test_del_is_the_layers_only_where_layers_are_in_hand(hands: Hands) -> None:
    """Beside the tray, or with faces selected at the Model station, it deletes no layer."""
    window, parts = hands.window, hands.parts
    hands.click_cell(1, 1)
    parts.looking.go_to("model")
    parts.faces.choose(np.arange(len(parts.faces.chosen)) < 5)
    for widget in (window.model_view, window.sheet_view, window.tray.strip, window.history.room):
        widget.setFocus()
        QTest.keyClick(widget, Qt.Key.Key_Delete)
        hands.wait()
        assert len(parts.work.project.layers) == 4, widget
    parts.faces.choose(np.zeros_like(parts.faces.chosen))
    window.sheet_view.setFocus()
    QTest.keyClick(window.sheet_view, Qt.Key.Key_Delete)
    assert len(parts.work.project.layers) == 3


def test_memory_for_undo_is_one_number_wherever_it_is_set(hands: Hands, plane: Path) -> None:
    window, work = hands.window, hands.parts.work
    window.history.room.setValue(128)
    assert window.remembered.undo_megabytes == 128 and Preferences(window, window.remembered).undo.value() == 128
    work.take(Studio.new(plane))
    assert work.studio.history.limit == 128 << 20 and window.history.room.value() == 128
    window.remembered.undo_megabytes = 512
    window._apply_choices()
    assert work.studio.history.limit == 512 << 20 and window.history.room.value() == 512


def test_memory_for_maps_is_a_quarter_or_what_was_chosen(hands: Hands) -> None:
    window, maps = hands.window, hands.parts.maps
    assert maps.levels.room == usual_room() > 256 << 20
    chosen = Preferences(window, window.remembered)
    chosen.maps.setValue(64)
    chosen.accept()
    window._apply_choices()
    hands.wait()
    assert window.remembered.maps_megabytes == 64 and maps.levels.room == 64 << 20
    hands.parts.work.open_demo("kettle")
    hands.wait()
    assert maps.levels.room == 64 << 20


def test_copies_arrive_in_one_folded_group_and_kit_pictures_leave_as_files(hands: Hands) -> None:
    view = hands.window.model_view
    hands.drop(view, "kettle-and-reed.png", np.array([view.width() * 0.42, view.height() * 0.6]))
    layer = hands.parts.selection.layer
    count = QSpinBox(minimum=2, maximum=20)
    count.setValue(5)
    add_copies(hands.window.matter, "ring", count)
    hands.wait()
    group = hands.parts.work.project.layers[-1]
    assert isinstance(group.content, Group) and group.content.folded and len(group.children) == 4
    assert hands.parts.selection.layer.id == layer.id and len(hands.parts.work.project.layers) == 6
    hands.parts.work.undo()
    assert len(hands.parts.work.project.layers) == 5
    file = hands.window.tray.strip.file_of("kettle-and-reed.png")
    kit = hands.parts.work.project.pictures["kettle-and-reed.png"]
    assert file.name == "kettle-and-reed.png"
    assert file.read_bytes() == hands.parts.work.studio.blobs[kit.digest]


def test_a_twin_may_be_a_mirror_image_and_has_the_mask(hands: Hands) -> None:
    view = hands.window.model_view
    hands.drop(view, "kettle-and-reed.png", np.array([view.width() * 0.42, view.height() * 0.6]))
    work, layer = hands.parts.work, hands.parts.selection.layer
    work.execute(AddMaskEntry(layer.id, MaskEntry(PictureShape("kettle-and-reed.png", layer.content.place))))
    stroke = easel.begin_stroke(work.studio, Brush(0.05))
    stroke.go_to(np.array(layer.content.place.point), np.array(layer.content.place.normal))
    easel.paint_on_mask(work.studio, layer.id, stroke, 0.0)
    form = hands.window.settings.form
    QTest.mouseClick(form.named("readable", QCheckBox), Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    assert not hands.parts.habits.twins_readable
    form.named("twin x", QPushButton).click()
    hands.wait()
    twin = next(one for one in work.project.walk() if one.name.endswith(" 2"))
    assert twin.content.place.flip != layer.content.place.flip
    placed, painted = (entry.shape for entry in work.project.masks[twin.mask].entries)
    assert placed.place.point == pytest.approx(twin.content.place.point) and painted.sheets
    work.undo()
    assert all(one.mask is None or one.id == layer.id for one in work.project.walk())


def test_of_several_dropped_models_one_is_asked_for(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("one.obj", "two.obj"):
        (tmp_path / name).write_text(PLANE)
    asked: list[list[str]] = []
    monkeypatch.setattr(asking, "which", lambda *args: (asked.append(args[3]), 1)[1])
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(tmp_path / name)) for name in ("one.obj", "two.obj", "words.txt")])
    left, none, copy = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, Qt.DropAction.CopyAction
    for event in (
        QDragEnterEvent(QPoint(5, 5), copy, mime, left, none),
        QDropEvent(QPointF(5, 5), copy, mime, left, none),
    ):
        QApplication.sendEvent(hands.window, event)
    hands.wait()
    assert asked == [["one.obj", "two.obj"]] and hands.parts.work.studio.model.name == "two.obj"


def test_tools_and_presets_are_as_they_were_left_and_light_is_the_projects(hands: Hands) -> None:
    parts = hands.parts
    parts.painting.set_brush(hardness=0.25, tip=None)
    parts.painting.set(size=0.07)
    parts.painting.values["colour"] = "#123456"
    parts.looking.go_to("check")
    hands.window.late.check_panel.light.lights["exposure"].number.setValue(2.5)
    assert hands.window.model_view.look.exposure == 2.5
    parts.looking.go_to("artwork")
    assert hands.window.model_view.look.exposure == 2.5  # it holds at all stations, and is the project's
    assert parts.work.project.light.exposure == 2.5
    parts.work.undo()
    assert hands.window.model_view.look.exposure == 1.0
    parts.exports.use("mine", True, replace(PRESETS["separate"], title="Mine"))
    what = Remembered()
    note_tools(what, parts)
    written = msgspec.json.decode(msgspec.json.encode(what), type=Remembered)
    other = Parts()
    recall_tools(written, other)
    assert other.painting.brush.hardness == 0.25 and other.painting.size == 0.07
    assert other.painting.values["colour"] == "#123456"
    assert other.exports.shelf == {"mine": replace(PRESETS["separate"], title="Mine")}
    # What a file says wrongly is as at first.
    for wrong in ({"brush": {"hardness": 7}}, {"size": "large"}, {"paint": {"colour": 3.0}}, {"onto": [1]}):
        fresh = Parts()
        recall_tools(Remembered(tools=wrong, presets={"bad": "{"}), fresh)
        assert fresh.painting.brush.hardness == 0.7 and fresh.painting.values["colour"] == "#a3542c"
        assert not fresh.exports.shelf
        fresh.close()
    other.close()


def test_layers_are_copied_into_another_window(hands: Hands, world: Path) -> None:
    chosen = [layer.id for layer in hands.parts.work.project.layers][-2:]
    hands.parts.selection.select(chosen[-1], tuple(chosen))
    hands.parts.commands["edit.copy"].trigger()
    hands.wait()
    assert "Copied 2 layers" in hands.window.notice.text()
    other = Parts()
    window = Window(other)
    other.work.take(demo_studio("kettle", world))
    layers, pictures = len(other.work.project.layers), len(other.work.project.pictures)
    other.commands["edit.paste"].trigger()
    assert window.rest.wait(60)
    assert len(other.work.project.layers) == layers + 2 and len(other.work.project.pictures) >= pictures
    assert other.work.studio.history.titles[-1] == "Paste 2 layers"
    other.work.undo()
    assert len(other.work.project.layers) == layers
    other.close()
    window.deleteLater()


def test_the_menus_fold_into_one_button_where_there_is_no_room(hands: Hands) -> None:
    assert hands.window.menuBar().isVisible() and not hands.window.strip.menu_button.isVisible()
    hands.window.resize(1000, 800)
    hands.wait()
    assert not hands.window.menuBar().isVisible() and hands.window.strip.menu_button.isVisible()
    titles = [action.text() for action in hands.window.strip.menu_button.menu().actions()]
    assert titles == ["&File", "&Edit", "&Layer", "&View", "&Help"]
    hands.key(Qt.Key.Key_F9, Qt.KeyboardModifier.NoModifier)  # keys work all the same
    assert not hands.window.right.isVisible()


def unnamed(window: Window) -> set[str]:
    """Controls that take the keyboard and say to nobody what they are."""
    found = set()
    for widget in window.findChildren(QWidget):
        inner = isinstance(widget.parent(), QAbstractSpinBox | QComboBox | QAbstractScrollArea)
        popup = widget.window() is not window or (isinstance(widget.parentWidget(), QFrame) and inner)
        if widget.focusPolicy() == Qt.FocusPolicy.NoFocus or inner or popup or isinstance(widget, QTabBar):
            continue
        if isinstance(widget, QListView) and isinstance(widget.parent().parent(), QComboBox):
            continue  # the list that unfolds
        told = QAccessible.queryAccessibleInterface(widget)
        if told is not None and not told.text(QAccessible.Text.Name):
            found.add(f"{type(widget).__name__} {widget.toolTip()} in {type(widget.parentWidget()).__name__}")
    return found


def test_every_control_has_a_name(hands: Hands) -> None:
    parts, window = hands.parts, hands.window
    for station in ("model", "paint", "check", "export", "artwork"):
        parts.looking.go_to(station)
        hands.wait()
        assert not unnamed(window), station
    hands.put_label()
    assert hands.fields["label text"].accessibleName() and not unnamed(window)
    for layer in parts.work.project.layers:
        parts.selection.select(layer.id)
        assert hands.fields is not None and not unnamed(window), layer.name


def test_a_sheet_bears_as_much_of_its_name_as_has_room_on_it(hands: Hands) -> None:
    view = hands.window.sheet_view
    (key,) = view.tiles.keys
    shown = {}
    for scale in (400.0, 55.0, 25.0):
        view.set_camera(FlatCamera((0.5, 0.5), scale))
        shown[scale] = [text for _, text in view.overlay.labels]
    assert shown == {400.0: [f"{key.material} {key.tile}"], 55.0: [str(key.tile)], 25.0: []}
