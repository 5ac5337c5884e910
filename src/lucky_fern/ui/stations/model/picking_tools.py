"""The selecting tools in the tool line of the Model station, and the settings of the one in hand."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, QSize
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QLabel, QSpinBox, QToolButton, QWidget

from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.widgets.style import icon, tones

_TOOLS = (
    ("pick", "Click to select; drag to look round"),
    ("paint", "Paint over faces to select them; look round with the right button"),
    ("rectangle", "Draw a rectangle round faces; look round with the right button"),
    ("lasso", "Draw a line round faces; look round with the right button"),
)
_UNITS = (("faces", "face"), ("islands", "island"), ("pieces", "piece"), ("parts", "part"), ("materials", "material"))


class PickingTools(QWidget):
    """A button a tool; what is selected at a time; whether hidden faces count."""

    def __init__(self, faces: Faces, painting: Painting) -> None:
        super().__init__()
        self.faces = faces
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(QLabel("Select", objectName="quiet"))
        group = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for tool, tip in _TOOLS:
            made = QToolButton(icon=icon(f"select-{tool}", tones().text, tones().active), checkable=True, toolTip=tip)
            made.setIconSize(QSize(18, 18))
            made.setAccessibleName(tip)
            made.clicked.connect(lambda _=False, tool=tool: faces.use(tool=tool))
            group.addButton(made)
            row.addWidget(made)
            self.buttons[tool] = made
        self.units = QComboBox()
        for text, unit in _UNITS:
            self.units.addItem(text, unit)
        self.units.setAccessibleName("What is selected at a time")
        self.units.activated.connect(lambda _: faces.use(unit=self.units.currentData()))
        row.addWidget(self.units)
        self.through = QToolButton(icon=icon("through", tones().text, tones().active), checkable=True)
        self.through.setToolTip("Through: also faces that others hide")
        self.through.setAccessibleName("Also select faces that others hide")
        self.through.clicked.connect(lambda on: faces.use(through=on))
        row.addWidget(self.through)
        self.radius = QSpinBox(minimum=1, maximum=200, suffix=" px")
        self.radius.setAccessibleName("Radius of the painting tool in pixels")
        self.radius.setToolTip("How far painting reaches")
        self.radius.valueChanged.connect(lambda value: faces.use(radius=float(value)))
        row.addWidget(self.radius)
        faces.tool_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        faces = self.faces
        for tool, made in self.buttons.items():
            made.setChecked(tool == faces.tool)
        self.units.setCurrentIndex(self.units.findData(faces.unit))
        self.through.setChecked(faces.through)
        with QSignalBlocker(self.radius):
            self.radius.setValue(int(faces.radius))
        self.radius.setVisible(faces.tool == "paint")
