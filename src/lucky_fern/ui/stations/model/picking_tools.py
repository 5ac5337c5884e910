"""The selecting tools in the tool line of the Model station, and the settings of the one in hand."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSpinBox, QToolButton, QWidget

from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.tools.faces import Faces, Tool
from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.words import tr

_TOOLS: tuple[tuple[Tool, str], ...] = (
    ("pick", tr("Click to select; drag to look round")),
    ("paint", tr("Paint over faces to select them; look round with the right button")),
    ("rectangle", tr("Draw a rectangle round faces; look round with the right button")),
    ("lasso", tr("Draw a line round faces; look round with the right button")),
)
_UNITS = ((tr("faces"), "face"), (tr("islands"), "island"), (tr("pieces"), "piece"), (tr("parts"), "part"),
          (tr("materials"), "material"))  # fmt: skip


class PickingTools(QWidget):
    """A button a tool; what is selected at a time; whether hidden faces count."""

    def __init__(self, commands: Commands, looking: Looking, faces: Faces) -> None:
        super().__init__()
        self.commands, self.looking, self.faces = commands, looking, faces
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(QLabel(tr("Select"), objectName="quiet"))
        self.buttons: dict[str, QToolButton] = {}
        for tool, tip in _TOOLS:
            commands.add(f"select.{tool}", tip, partial(self._take, tool), icon_name=f"select-{tool}", checkable=True)
            self.buttons[tool] = commands.button(f"select.{tool}")
            row.addWidget(self.buttons[tool])
        self.units = QComboBox()
        for text, unit in _UNITS:
            self.units.addItem(text, unit)
        self.units.setAccessibleName(tr("What is selected at a time"))
        self.units.activated.connect(lambda _: faces.use(unit=self.units.currentData()))
        row.addWidget(self.units)
        commands.add(
            "select.through",
            tr("Also select faces that others hide"),
            self._go_through,
            icon_name="through",
            tip=tr("Through: also faces that others hide"),
            checkable=True,
        )
        self.through = commands.button("select.through")
        row.addWidget(self.through)
        self.radius = QSpinBox(minimum=1, maximum=200, suffix=" px")
        self.radius.setAccessibleName(tr("Radius of the painting tool in pixels"))
        self.radius.setToolTip(tr("How far painting reaches"))
        self.radius.valueChanged.connect(lambda value: faces.use(radius=float(value)))
        row.addWidget(self.radius)
        faces.tool_changed.connect(self.refresh)
        self.refresh()

    def _take(self, tool: Tool) -> None:
        """Take a tool in hand, wherever one is."""
        self.looking.go_to("model")
        self.faces.use(tool=tool)
        self.refresh()

    def _go_through(self) -> None:
        self.faces.use(through=self.commands["select.through"].isChecked())

    def refresh(self) -> None:
        faces = self.faces
        for tool in self.buttons:
            self.commands[f"select.{tool}"].setChecked(tool == faces.tool)
        self.units.setCurrentIndex(self.units.findData(faces.unit))
        self.commands["select.through"].setChecked(faces.through)
        with QSignalBlocker(self.radius):
            self.radius.setValue(int(faces.radius))
        self.radius.setVisible(faces.tool == "paint")
