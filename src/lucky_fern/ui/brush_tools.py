"""The Paint station's tools on the tool line, with the settings of the one in hand."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QWidget

from lucky_fern.ui.desk import Desk
from lucky_fern.ui.painting import FILLS
from lucky_fern.ui.style import LIGHT, icon

_TOOLS = (
    ("brush", "Brush", "Paint by dragging; Alt does the opposite, Shift joins to the last stroke"),
    ("line", "Line", "A straight line from press to release; Shift holds it to steps of 15°"),
    ("stamp", "Stamp", "The tip once: click, or drag it out from its middle to its size and turn"),
    ("gradient", "Gradient", "Drag: full where it is pressed, run out where it is let go, over what the list says"),
    ("fill", "Fill", "Click to fill what is there; on the sheet, draw round what is to be filled"),
)  # fmt: skip


class BrushTools(QWidget):
    """Four tools; the fill tool says what it fills."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.buttons = {}
        for name, title, tip in _TOOLS:
            made = QToolButton(icon=icon(f"tool-{name}", LIGHT.text, LIGHT.active), text=title, checkable=True)
            made.setIconSize(QSize(18, 18))
            made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            made.setToolTip(tip)
            made.clicked.connect(lambda _=False, name=name: desk.painting.set(tool=name))
            self.buttons[name] = made
            row.addWidget(made)
        self.fills = QComboBox()
        self.fills.addItems([name.capitalize() for name in FILLS])
        self.fills.setAccessibleName("What a click fills")
        self.fills.activated.connect(lambda at: desk.painting.set(fill=FILLS[at]))
        row.addWidget(self.fills)
        desk.painting.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        painting = self.desk.painting
        for name, button in self.buttons.items():
            button.setChecked(painting.tool == name)
        self.fills.setVisible(painting.tool in ("fill", "gradient"))
        self.fills.setCurrentIndex(FILLS.index(painting.fill))
