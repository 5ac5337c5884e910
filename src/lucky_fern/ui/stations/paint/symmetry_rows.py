"""Painting more than once at a time, and a steady hand: rows of the brush's page."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QMenu, QSpinBox, QToolButton, QVBoxLayout

from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.words import tr

_STEADYING = ("off", "string", "average")


class SymmetryRows:
    """Mirrors, turns and steadying."""

    def __init__(self, faces: Faces, painting: Painting, column: QVBoxLayout) -> None:
        self.painting = painting
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("Mirror"), objectName="quiet"))
        self.mirrors = {}
        for axis in "xyz":
            box = QCheckBox(axis.upper())
            box.setToolTip(tr("Across the plane through the middle, along {upper}", upper=axis.upper()))
            box.toggled.connect(lambda on, axis=axis: self._mirror(axis, on))
            self.mirrors[axis] = box
            row.addWidget(box)
        row.addWidget(QLabel(tr("Round"), objectName="quiet"))
        self.rounds = QSpinBox(minimum=1, maximum=64)
        self.rounds.setAccessibleName(tr("Rounds"))
        self.rounds.setToolTip(tr("So many times round the upright axis through the middle"))
        self.rounds.valueChanged.connect(lambda value: self.painting.set(rounds=value))
        row.addWidget(self.rounds)
        self.plane = QToolButton(text=tr("Through ▾"), popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        self.plane.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        self.plane.setToolTip(tr("Where planes and axis go through"))
        menu = QMenu(self.plane)
        menu.addAction(tr("The model's middle"), lambda: self.painting.set(about=None, normal=None))
        menu.addAction(tr("The selected faces' middle"), lambda: self.painting.mirror_at_selection(False))
        menu.addAction(
            tr("A plane that lies as the selected faces do"), lambda: self.painting.mirror_at_selection(True)
        )
        self.plane.setMenu(menu)
        row.addWidget(self.plane)
        row.addStretch(1)
        column.addLayout(row)
        row = QHBoxLayout()
        self.steady = QComboBox()
        self.steady.addItems([tr("Not steadied"), tr("On a string"), tr("Averaged")])
        self.steady.activated.connect(lambda at: self.painting.set(steadying=_STEADYING[at]))
        row.addWidget(self.steady)
        self.strength = NumberField(2, 120, 0, " px", tr("How much the hand is steadied"))
        self.strength.changed.connect(lambda value: self.painting.set(steady_strength=value))
        row.addWidget(self.strength, 1)
        column.addLayout(row)

    def _mirror(self, axis: str, on: bool) -> None:
        planes = self.painting.planes.replace(axis, "")
        self.painting.set(planes=planes + axis if on else planes)

    def refresh(self) -> None:
        painting = self.painting
        for axis, box in self.mirrors.items():
            with QSignalBlocker(box):
                box.setChecked(axis in painting.planes)
        with QSignalBlocker(self.rounds):
            self.rounds.setValue(painting.rounds)
        own = painting.about is not None or painting.normal is not None
        self.plane.setText(tr("Through the selection ▾") if own else tr("Through ▾"))
        self.steady.setCurrentIndex(_STEADYING.index(painting.steadying))
        self.strength.set(painting.steady_strength)
        self.strength.setEnabled(painting.steadying != "off")
