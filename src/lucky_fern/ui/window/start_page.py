"""What shows while nothing is open: recent projects, the demos, a new one from a model."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.ui.window.menus import DEMOS

_SHOWN = 6


class StartPage(QWidget):
    """Lies in the middle of a view, and is gone as soon as something is open."""

    def __init__(self, over: QWidget, commands: Commands, open_: Callable[[Path], object]) -> None:
        super().__init__(over)
        self._over, self._open = over, open_
        self.setObjectName("startPage")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 16)
        column.setSpacing(5)
        column.addWidget(QLabel("Begin", objectName="heading"))
        for name in ("file.new", "file.open"):
            column.addWidget(self._button(commands[name].text(), commands[name].trigger))
        self.heading = QLabel("Go on with", objectName="heading")
        column.addWidget(self.heading)
        self._recent = QVBoxLayout()
        self._recent.setSpacing(5)
        column.addLayout(self._recent)
        column.addWidget(QLabel("Look round", objectName="heading"))
        for which in DEMOS:
            action = commands[f"file.demo-{which}"]
            column.addWidget(self._button(action.text(), action.trigger))
        over.installEventFilter(self)

    def show_recent(self, found: list[Path]) -> None:
        """The projects that were worked on last."""
        while self._recent.count():
            item = self._recent.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for path in found[:_SHOWN]:
            button = self._button(path.stem, partial(self._open, path))
            button.setToolTip(str(path))
            self._recent.addWidget(button)
        self.heading.setVisible(bool(found))
        self._settle()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._settle()
        return False

    def _button(self, text: str, act: Callable[[], object]) -> QPushButton:
        made = QPushButton(text)
        made.clicked.connect(lambda _=False: act())
        return made

    def _settle(self) -> None:
        size = self.sizeHint()
        width = min(max(size.width(), 260), max(self._over.width() - 24, 120))
        self.resize(width, min(size.height(), max(self._over.height() - 24, 120)))
        self.move((self._over.width() - self.width()) // 2, (self._over.height() - self.height()) // 2)
