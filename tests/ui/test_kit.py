"""The kit in the window: found, described, exchanged; my kit and its folder; files that change on disk."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from hands import Hands
from lucky_fern.core.project.commands import AddPicture
from lucky_fern.core.studio import Studio
from lucky_fern.ui.kit.strip import ID, Strip
from lucky_fern.ui.widgets import asking
from samples import save_png

RED, BLUE = (np.full((16, 16, 3), colour, np.uint8) for colour in ((200, 20, 20), (20, 60, 200)))

DRAG = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def press(menu: QMenu, *path: str) -> None:
    for text in path[:-1]:
        menu = next(action.menu() for action in menu.actions() if action.text() == text)
    next(action for action in menu.actions() if action.text().startswith(path[-1])).trigger()


def shown(strip: Strip) -> list[str]:
    return [strip.items.item(row).data(ID) for row in range(strip.items.rowCount()) if not strip.isRowHidden(row)]


@pytest.fixture
def kit(hands: Hands, tmp_path: Path) -> Path:
    """A folder that is my kit, empty; the project's kit has ``red.png`` from a file beside it."""
    hands.parts.my_kit.move_to(str(tmp_path / "mine"))
    hands.parts.changing.answer("ask")
    hands.parts.bringing.bring([save_png(tmp_path / "red.png", RED)])
    hands.wait()
    return tmp_path / "mine"


def test_pictures_are_described_and_found_again(hands: Hands, kit: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tray, work = hands.window.tray, hands.parts.work
    said = iter(["Port, night", "signs/old", "signal"])
    monkeypatch.setattr(asking, "text", lambda *_: next(said))
    press(tray.strip.menu_of(["red.png"]), "Tags")
    press(tray.strip.menu_of(["red.png"]), "Folder")
    press(tray.strip.menu_of(["red.png"]), "Favourite")
    press(tray.strip.menu_of(["red.png"]), "Rename")
    found = work.project.pictures["signal"]
    assert (found.tags, found.folder, found.favourite) == (("port", "night"), "signs/old", True)
    menu = QMenu()
    tray.fill_sorting(menu)
    press(menu, "Tag", "night")
    assert shown(tray.strip) == ["signal"] and tray.search.text() == "tag:night"
    press(menu, "Everything")
    assert len(shown(tray.strip)) > 5
    tray.search.setText("#c81414")
    assert "signal" in shown(tray.strip)
    tray.search.setText("")
    before = tray.height()
    press(menu, "As a list")
    assert tray.strip.as_list and tray.height() == before
    press(menu, "As a list")


def test_what_is_shown_stays_in_the_kit_and_the_rest_leaves(hands: Hands, kit: Path) -> None:
    tray, view = hands.window.tray, hands.window.model_view
    hands.drop(view, "red.png", np.array([view.width() / 2, view.height() / 2]))
    layer = hands.parts.selection.layer
    hands.parts.selection.select(hands.parts.work.project.layers[0].id)
    press(tray.strip.menu_of(["red.png"]), "Take out")
    assert "red.png" in hands.parts.work.project.pictures and f"layer '{layer.name}'" in hands.window.notice.text()
    press(tray.strip.menu_of(["red.png"]), "Select what shows it")
    assert hands.parts.selection.selected == layer.id
    hands.parts.work.undo()
    press(tray.strip.menu_of(["red.png"]), "Take out")
    assert "red.png" not in hands.parts.work.project.pictures


def test_a_picture_dropped_from_my_kit_is_copied_with_what_is_known_of_it(hands: Hands, kit: Path) -> None:
    tray, my_kit, view = hands.window.tray, hands.parts.my_kit, hands.window.model_view
    tray.kinds.setCurrentIndex(1)
    press(tray.strip.menu_of(["red.png"]), "Keep in my kit")
    hands.until(lambda: shown(tray.mine) == ["red.png"])
    save_png(kit / "by hand.png", BLUE)  # the folder is watched
    hands.until(lambda: shown(tray.mine) == ["by hand.png", "red.png"])
    my_kit.change(lambda one: one.describe(["by hand.png"], add=("dusk",)))
    hands.until(lambda: my_kit.find("by hand.png").note.tags == ("dusk",))
    hands.wait()
    tray.search.setText("blue")
    assert shown(tray.mine) == ["by hand.png"]
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(tray.mine.file_of("by hand.png")))])
    at, (copy, left, plain) = QPointF(view.width() / 2, view.height() / 2), DRAG
    for event in (QDragEnterEvent(at.toPoint(), copy, mime, left, plain), QDropEvent(at, copy, mime, left, plain)):
        QApplication.sendEvent(view, event)
    hands.wait()
    assert hands.parts.work.project.pictures["by hand.png"].tags == ("dusk",)
    assert hands.parts.selection.layer.content.picture == "by hand.png"
    tray.search.setText("")
    tray.mine.setCurrentIndex(tray.mine.items.index(1, 0))
    QTest.keyClick(tray.mine, Qt.Key.Key_Return)  # the project has it already
    hands.wait()
    assert hands.parts.selection.layer.content.picture == "red.png"
    tray.kinds.setCurrentIndex(0)


def test_a_pack_dropped_on_the_window_comes_in_whole(hands: Hands, kit: Path) -> None:
    with zipfile.ZipFile(kit.parent / "market.zip", "w") as file:
        file.write(save_png(kit.parent / "blue.png", BLUE), "signs/blue.png")
        file.writestr("LICENCE", "CC0 1.0")
    hands.window.files.drop([kit.parent / "market.zip"])
    hands.wait()
    found = hands.parts.work.project.pictures["blue.png"]
    assert (found.folder, found.licence) == ("market/signs", "CC0-1.0") and "CC0-1.0" in hands.window.notice.text()


def test_changed_files_are_asked_about_once_and_then_read_by_themselves(hands: Hands, kit: Path) -> None:
    file, notice, work = kit.parent / "red.png", hands.window.notice, hands.parts.work
    first = work.project.pictures["red.png"].digest
    save_png(file, BLUE)
    hands.until(lambda: notice.offer.isVisible())
    assert "red.png" in notice.text() and work.project.pictures["red.png"].digest == first
    notice.offer.click()
    hands.until(lambda: work.project.pictures["red.png"].digest != first)
    assert hands.window.remembered.reread == "yes"
    second = work.project.pictures["red.png"].digest
    path = kit.parent / "a.fern"
    assert hands.save(path)
    new = save_png(kit.parent / "new.png", RED + 40)
    new.replace(file)  # another file in its place, while the project is closed
    hands.open(Studio.open(path))
    hands.until(lambda: work.project.pictures["red.png"].digest != second)
    work.undo()
    assert work.project.pictures["red.png"].digest == second
    file.write_bytes(b"half")  # being written: left alone, nothing is said
    hands.until(lambda: hands.parts.changing.busy)
    hands.wait()
    assert work.project.pictures["red.png"].digest == second
    hands.parts.changing.answer("ask")


def test_a_picture_is_edited_elsewhere_and_comes_back(hands: Hands, kit: Path) -> None:
    opened: list[Path] = []
    changing, work = hands.parts.changing, hands.parts.work
    changing.ready.disconnect()
    changing.ready.connect(opened.append)
    changing.answer("yes")
    name = "leek-soup-label.png"
    work.execute(AddPicture(name, replace(work.project.pictures[name], file="")))  # it came without a file
    press(hands.window.tray.strip.menu_of([name]), "Edit elsewhere")
    hands.wait()
    (file,) = opened
    before = work.project.pictures[name].digest
    assert file.name == name and work.project.pictures[name].file == str(file)
    save_png(file, RED)
    hands.until(lambda: work.project.pictures[name].digest != before)
    changing.answer("ask")
