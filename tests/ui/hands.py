"""A person at the window: drops, drags, clicks and keys as real Qt events."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QByteArray, QEvent, QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from lucky_fern.core.studio import Studio
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.views.drops import PICTURE_MIME
from lucky_fern.ui.views.view import View
from lucky_fern.ui.window.main import Window
from lucky_fern.ui.window.start import settle

PATIENCE = 120.0  # seconds; two cores may be busy with the other half of the tests


class Fields:
    """The inputs of the layer that is shown, by name."""

    def __init__(self, form: Form) -> None:
        self._form = form

    def __getitem__(self, name: str) -> Any:
        return self._form.named(name, QWidget)

    def __contains__(self, name: str) -> bool:
        return self._form.has(name)


class Hands:
    """A person at the window."""

    def __init__(self, window: Window, world: Path) -> None:
        self.window = window
        self.world = world
        self.parts = window.parts

    @property
    def fields(self) -> Fields:
        return Fields(self.window.settings.form)

    def wait(self) -> None:
        """Until everything is worked out and drawn."""
        assert settle(self.window, PATIENCE), self.window.rest.under_way

    def until(self, done: Callable[[], bool], seconds: float = 30.0) -> None:
        """Let the window work until something is so."""
        end = time.monotonic() + seconds
        while not done() and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.01)
        assert done(), self.window.notice.text()

    def open(self, studio: Studio) -> None:
        self.parts.work.take(studio)
        self.wait()

    def facts(self) -> str:
        """What is said of the selected decal."""
        self.wait()
        return self.fields["facts"].text()

    def save(self, path: Path) -> bool:
        """Save the project under a name; whether it was."""
        done: list[bool] = []
        self.parts.work.save(path, done.append)
        self.wait()
        return done == [True]

    def put_label(self) -> None:
        """Take a label in hand and put it into the middle of the model view."""
        view = self.window.model_view
        self.window.tools.label.click()
        QTest.mouseClick(
            view,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
            QPoint(view.width() // 2, view.height() // 2),
        )
        self.wait()

    def drop(
        self, view: QWidget, what: str | QMimeData, at: np.ndarray, kind: str = PICTURE_MIME,
        keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:  # fmt: skip
        """Drag a kit picture (or a recipe, or what the board hands out) over a view and let go."""
        mime = what if isinstance(what, QMimeData) else QMimeData()
        if isinstance(what, str):
            mime.setData(kind, QByteArray(what.encode()))
        point, none, left = QPointF(*at), keys, Qt.MouseButton.LeftButton
        copy = Qt.DropAction.CopyAction | (Qt.DropAction.MoveAction if mime is what else Qt.DropAction.CopyAction)
        for event in (
            QDragEnterEvent(point.toPoint(), copy, mime, left, none),
            QDragMoveEvent(point.toPoint(), copy, mime, left, none),
            QDropEvent(point, copy, mime, left, none),
        ):
            QApplication.sendEvent(view, event)
        self.wait()

    def drag(self, view: QWidget, start: np.ndarray, end: np.ndarray, steps: int = 5) -> None:
        """Press, move and release the left button."""
        QTest.mousePress(
            view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(*np.round(start).astype(int))
        )
        for k in range(1, steps + 1):
            at = QPointF(*(start + (end - start) * k / steps))
            event = QMouseEvent(
                QEvent.Type.MouseMove, at, view.mapToGlobal(at), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )  # fmt: skip
            QApplication.sendEvent(view, event)
        QTest.mouseRelease(
            view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(*np.round(end).astype(int))
        )
        self.wait()

    def drag_move(self, widget: QWidget, at: QPoint) -> None:
        """Move with the left button held down."""
        place = QPointF(at)
        none, left = Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton
        event = QMouseEvent(
            QEvent.Type.MouseMove, place, widget.mapToGlobal(place), none, left, Qt.KeyboardModifier.NoModifier
        )
        QApplication.sendEvent(widget, event)

    def hover(self, view: View, at: np.ndarray) -> None:
        point = QPointF(*at)
        none = Qt.MouseButton.NoButton
        event = QMouseEvent(
            QEvent.Type.MouseMove, point, view.mapToGlobal(point), none, none, Qt.KeyboardModifier.NoModifier
        )
        QApplication.sendEvent(view, event)

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.ControlModifier) -> None:
        QTest.keyClick(self.window, key, modifiers)
        self.wait()

    def click_cell(self, row: int, column: int) -> None:
        """Click on a cell of the board."""
        grid = self.window.board.grid
        QTest.mouseClick(
            grid.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
            grid.visualRect(grid.model().index(row, column)).center(),
        )  # fmt: skip
        self.wait()

    def pixels(self, view: View) -> np.ndarray:
        """What a view shows, (rows, columns, 3) uint8."""
        self.wait()
        image = view.image.convertToFormat(QImage.Format.Format_RGB888)
        rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()
