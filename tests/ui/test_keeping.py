"""Nothing is lost: after a crash, when leaving, when saving fails, when something goes wrong inside."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox

from hands import Hands
from lucky_fern.core.log.place import running, sessions_folder
from lucky_fern.core.project.commands import AddLayer, SetLayer
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.studio import Studio
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.window.main import Window

BUTTONS = QMessageBox.StandardButton


def wash(hands: Hands, name: str) -> None:
    hands.parts.work.execute(AddLayer(name, Wash(), {"colour": Channel("#336699")}))


def push(hands: Hands, line: object, text: str) -> None:
    (button,) = [one for one in line.buttons if one.text() == text]
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    hands.wait()


def crashed() -> Path:
    """What the session that runs would leave behind if it ended now."""
    (folder,) = running()
    return Path(shutil.copytree(folder, sessions_folder() / "20260101-000000-1"))


def test_what_a_crash_left_is_offered_and_comes_back_with_its_history(hands: Hands) -> None:
    wash(hands, "One")
    wash(hands, "Two")
    project, titles = hands.parts.work.project, hands.parts.work.studio.history.titles
    left = crashed()
    hands.parts.work.undo()
    hands.parts.keeping.look_for_lost()
    hands.wait()
    line = hands.window.recovery
    assert line.isVisible() and "Soup flask, 2 steps" in line.words.text()
    push(hands, line, "Bring it back")
    assert hands.parts.work.project == project and hands.parts.work.studio.history.titles == titles
    assert not line.isVisible() and not left.exists() and hands.parts.work.studio.changed
    hands.window.close()
    assert not list(sessions_folder().iterdir())  # it ended well: nothing is left behind


def test_a_project_that_is_open_in_another_window_is_opened_as_a_copy(hands: Hands, tmp_path: Path) -> None:
    path = tmp_path / "mine.fern"
    assert hands.save(path) and hands.parts.work.path == path
    other = Window(type(hands.parts)())
    try:
        other.show()
        other.parts.work.open(path)
        assert other.rest.wait(60)
        assert other.parts.work.path is None and "open in another window" in other.notice.text()
        assert other.parts.work.project == hands.parts.work.project
    finally:
        other.close()
        other.deleteLater()


def test_leaving_asks_once_and_a_failed_save_says_so_and_stays(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []
    answers = [BUTTONS.Cancel, BUTTONS.Save, BUTTONS.Save, BUTTONS.Discard]
    monkeypatch.setattr(QMessageBox, "question", lambda *args: (asked.append(args[2]), answers.pop(0))[1])
    wash(hands, "One")

    def leave() -> bool:
        return Window.may_leave(hands.window)

    assert not leave() and asked == ["Save the changes to Soup flask?"]
    (tmp_path / "file").write_text("no folder")
    monkeypatch.setattr(asking, "save_file", lambda *_: tmp_path / "file" / "flask.fern")
    assert not leave() and hands.window.notice.label.objectName() == "warn" and hands.parts.work.studio.changed
    monkeypatch.setattr(asking, "save_file", lambda *_: tmp_path / "flask.fern")
    assert leave() and len(Studio.open(tmp_path / "flask.fern").project.layers) == 5
    assert leave() and len(asked) == 3  # nothing is unsaved now
    wash(hands, "Two")
    assert leave()


def test_saving_keeps_the_previous_file_if_wished_and_runs_beside_the_window(hands: Hands, tmp_path: Path) -> None:
    path = tmp_path / "flask.fern"
    assert hands.save(path)
    first = path.read_bytes()
    hands.parts.work.keep_previous = True
    wash(hands, "One")
    hands.parts.work.save(path)
    hands.parts.work.execute(SetLayer(1, opacity=0.25))  # while it is being saved
    hands.wait()
    assert (tmp_path / "flask.fern~").read_bytes() == first and hands.parts.work.studio.changed
    kept = Studio.open(path).project
    assert kept.layers[-1].name == "One" and kept.layer(1).opacity == 1.0


def test_what_goes_wrong_in_slots_threads_and_the_compositor_is_told_and_work_goes_on(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "mishaps.log"
    hands.parts.mishaps.listen(file)
    line = hands.window.mishap

    def clumsy(*_: object) -> None:
        raise ZeroDivisionError("in a slot")

    QTimer.singleShot(0, clumsy)
    hands.until(line.isVisible)
    assert "in a slot" in line.words.text()
    push(hands, line, "Copy details")
    assert "ZeroDivisionError" in QApplication.clipboard().text() and "clumsy" in QApplication.clipboard().text()
    hands.parts.errands.send("Counting", clumsy, lambda _: None)
    hands.until(line.isVisible)
    assert "Counting" in line.words.text()
    push(hands, line, "Close")
    with monkeypatch.context() as patch:
        patch.setattr(hands.parts.maps.store, "update", clumsy)
        wash(hands, "One")
        hands.until(line.isVisible)
    assert "maps" in line.words.text()
    wash(hands, "Two")
    hands.wait()
    assert len(hands.parts.work.project.layers) == 6 and file.read_text().count("Traceback") == 3


def test_leaving_waits_for_an_export_that_was_begun_and_one_that_breaks_does_not_hold_it_up(
    hands: Hands, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    panel = hands.window.late.export_panel
    hands.parts.looking.go_to("export")
    panel.folder.setText(str(tmp_path / "maps"))
    answers = [BUTTONS.Cancel, BUTTONS.Yes, BUTTONS.Discard, BUTTONS.Discard]  # the folder is not saved either
    monkeypatch.setattr(QMessageBox, "question", lambda *_: answers.pop(0))
    panel.start()
    assert panel.working and not Window.may_leave(hands.window)
    assert Window.may_leave(hands.window) and not panel.working and list((tmp_path / "maps").iterdir())

    def breaks(*_: object) -> None:
        raise ValueError("of no use")

    monkeypatch.setattr("lucky_fern.ui.stations.export.panel.export", breaks)
    hands.parts.mishaps.listen(tmp_path / "mishaps.log")
    panel.start()
    hands.until(lambda: not panel.working)
    assert "of no use" in panel.summary.text() and hands.window.mishap.isVisible()
    assert Window.may_leave(hands.window) and not answers
