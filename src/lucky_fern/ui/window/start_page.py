"""What shows while nothing is open: recent projects, the demos, a new one from a model."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.words import tr

# Commands with their titles.
BEGIN = {"file.new": tr("New from a model …"), "file.open": tr("Open …")}
DEMOS = {"flask": tr("Demo: soup flask"), "ferry": tr("Demo: Marsh Hen"), "kettle": tr("Demo: tea kettle")}
_SHOWN = 6


@guarded
class StartPage(QWidget):
    """Lies in the middle of a view, and is gone as soon as something is open."""

    painted = Signal()  # it is on the screen

    def __init__(self, do: Callable[[str], object], open_: Callable[[Path], object]) -> None:
        """``do`` is handed the name of a command, ``open_`` a project's file."""
        super().__init__()
        self._open = open_
        self._over: QWidget | None = None
        self.setObjectName("startPage")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 16)
        column.setSpacing(5)
        column.addWidget(QLabel(tr("Begin"), objectName="heading"))
        for name, title in BEGIN.items():
            column.addWidget(self._button(title, partial(do, name)))
        self.heading = QLabel(tr("Go on with"), objectName="heading")
        column.addWidget(self.heading)
        self._recent = QVBoxLayout()
        self._recent.setSpacing(5)
        column.addLayout(self._recent)
        column.addWidget(QLabel(tr("Look round"), objectName="heading"))
        for which, title in DEMOS.items():
            column.addWidget(self._button(title, partial(do, f"file.demo-{which}")))

    def lie_over(self, over: QWidget) -> None:
        """Lie in the middle of a widget from now on."""
        if self._over is not None:
            self._over.removeEventFilter(self)
        self._over = over
        self.setParent(over)
        over.installEventFilter(self)
        self._settle()
        self.show()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        self.painted.emit()

    def show_recent(self, found: list[Path]) -> None:
        """The projects that were worked on last."""
        while self._recent.count():
            item = self._recent.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.setParent(None)  # gone at once
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
        if self._over is None:
            return
        size = self.sizeHint()
        width = min(max(size.width(), 260), max(self._over.width() - 24, 120))
        self.resize(width, min(size.height(), max(self._over.height() - 24, 120)))
        self.move((self._over.width() - self.width()) // 2, (self._over.height() - self.height()) // 2)
