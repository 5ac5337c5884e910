"""What the pages are put together from: pages that scroll, rows of buttons, quiet notes, choices."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import with_text

Button = tuple[str, str, Callable[[], object]]  # its text, its tip, what it does


@guarded
class Page(QScrollArea):
    """A column that scrolls when the window is low; it follows what it shows while it is looked at."""

    def __init__(self) -> None:
        super().__init__()
        self._stale = True
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget(objectName="panel")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(14, 10, 14, 10)
        self.column.setSpacing(6)
        self.setWidget(inner)

    def refresh(self) -> None:
        """Show how things are now."""

    def follow(self, *_: object) -> None:
        """Refresh now if the page is seen, otherwise when it is next."""
        self._stale = not self.isVisible()
        if not self._stale:
            self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._stale:
            self._stale = False
            self.refresh()

    def heading(self, text: str, tip: str = "") -> QLabel:
        if self.column.count():
            line = QFrame(objectName="rule")
            self.column.addSpacing(2)
            self.column.addWidget(line)
        label: QLabel = QLabel(text, objectName="heading")
        label.setToolTip(tip)
        self.column.addWidget(label)
        return label

    def note(self, text: str = "", name: str = "quiet") -> QLabel:
        label: QLabel = QLabel(text, objectName=name)
        label.setWordWrap(True)
        self.column.addWidget(label)
        return label

    def row(self, *items: QWidget | str, stretch: bool = True) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        for item in items:
            row.addWidget(QLabel(item, objectName="quiet") if isinstance(item, str) else item)
        if stretch:
            row.addStretch(1)
        self.column.addLayout(row)
        return row

    def buttons(self, *made: Button, label: str = "") -> list[QPushButton]:
        """A row of buttons that do something at once."""
        found = [button(*one) for one in made]
        self.row(*([label] if label else []), *found)
        return found


def button(text: str, tip: str, action: Callable[[], object]) -> QPushButton:
    made = QPushButton(text)
    made.setToolTip(tip)
    made.clicked.connect(lambda _=False: action())
    return made


def menu_button(text: str, tip: str, fill: Callable[[QMenu], object]) -> QToolButton:
    """A button that opens a menu, which ``fill`` fills each time."""
    made = QToolButton(text=f"{text} ▾", popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
    made.setStyleSheet("QToolButton::menu-indicator { image: none; }")
    made.setToolTip(tip)
    menu = QMenu(made)
    menu.aboutToShow.connect(lambda: fill(menu))
    made.setMenu(menu)
    return made


def clear(row: QBoxLayout) -> None:
    """Take everything out of a row or a column."""
    while row.count():
        item = row.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()  # at once, or it would show through what comes in its place
            widget.deleteLater()


def choice(title: str, items: Iterable[tuple[str, Any]]) -> QComboBox:
    """A box to choose from; its name is for those who cannot see it."""
    box = QComboBox()
    for text, data in items:
        box.addItem(text, data)
    box.setAccessibleName(title)
    return box


def offer(box: QComboBox, items: Iterable[tuple[str, Any]]) -> None:
    """Have a box offer these, without telling anybody; what is chosen stays where they are the same."""
    new = list(items)
    if [(box.itemText(row), box.itemData(row)) for row in range(box.count())] != new:
        with QSignalBlocker(box):
            box.clear()
            for text, data in new:
                box.addItem(text, data)


def picker(names: Iterable[str], tip: str, act: Callable[[int], object]) -> QComboBox:
    """A box of a tool: what is picked is told by its number."""
    box = choice(tip, [(name, None) for name in names])
    box.setToolTip(tip)
    box.activated.connect(act)
    return box


def whole(title: str, low: int, high: int, value: int, suffix: str = "", width: int = 64) -> QSpinBox:
    box = QSpinBox(minimum=low, maximum=high, suffix=suffix)
    box.setValue(value)
    box.setAccessibleName(title)
    box.setFixedWidth(with_text(width))
    return box


def number(title: str, low: float, high: float, value: float, decimals: int = 2, suffix: str = "") -> QDoubleSpinBox:
    box = QDoubleSpinBox(minimum=low, maximum=high, decimals=decimals, suffix=suffix)
    box.setValue(value)
    box.setAccessibleName(title)
    box.setFixedWidth(with_text(82))
    box.setKeyboardTracking(False)
    box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    return box
