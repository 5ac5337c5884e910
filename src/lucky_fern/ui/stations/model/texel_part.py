"""Faces laid by whole texels: boxes unfolded, parts onto one spot and apart, copies by chance, sheets gathered."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.layouts import Apart, BoxNet, GatherSheets, OneSpot, Vary
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.tools.texel_area import TexelArea
from lucky_fern.ui.widgets.page import button, number, whole
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import tr


class TexelPart(QWidget):
    """About the selected faces; ``do`` does an edit to them."""

    def __init__(self, work: Work, laying: Laying, area: TexelArea, do: Callable[[LayoutEdit], object]) -> None:
        super().__init__()
        self.work, self.laying, self.area, self.do = work, laying, area, do
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(5)
        self.alone = QCheckBox(tr("Drags take just the selected faces"))
        self.alone.setToolTip(tr("They part from the islands that they hang together with"))
        self.alone.clicked.connect(laying.set_alone)
        self._row(self.alone)
        self.density = number(tr("Texels a unit"), 1e-4, 1e6, 1.0, 3)
        self._row(
            button(tr("Box layout"), tr("Each box as an unfolded cross, each side in whole texels, where there is "
                                        "room"), lambda: self.do(BoxNet(self.density.value()))),
            self.density, QLabel(tr("texels a unit"), objectName="quiet"),
        )  # fmt: skip
        self._row(
            button(tr("Onto one spot"), tr("All selected parts onto that of the uppermost: they show the same "
                                           "texels"), lambda: self.do(OneSpot())),
            button(tr("Apart"), tr("Selected parts off each other, to free room"), lambda: self.do(Apart())),
        )  # fmt: skip
        self.seed = whole(tr("Seed of chance"), 0, 99999, 1)
        self.told = QLabel(objectName="quiet", wordWrap=True)
        self._row(
            button(tr("Area …"), tr("Draw the area of the sheet that copies take their texels from"), area.arm),
            button(tr("Vary"), tr("Each selected part takes its texels from a place by chance in the area"),
                   self._vary),
            QLabel(tr("seed"), objectName="quiet"), self.seed,
        )  # fmt: skip
        self.column.addWidget(self.told)
        self.name = QLineEdit(placeholderText=tr("name of the sheet"))
        self.name.setMinimumWidth(170)
        self.name.setAccessibleName(tr("Material of the sheet that all others come onto"))
        self._row(
            button(tr("Gather sheets"), tr("The sheets of the selected faces as blocks of one, every texel as it is"),
                   self._gather),
            self.name,
        )  # fmt: skip
        area.changed.connect(self.refresh)

    def _row(self, *items: QWidget) -> None:
        line = QHBoxLayout()
        line.setSpacing(5)
        for item in items:
            line.addWidget(item)
        line.addStretch(1)
        self.column.addLayout(line)

    def _vary(self) -> None:
        studio, key, box = self.work.studio, self.area.key, self.area.box
        if studio is None or key is None or box is None:
            self.work.warn(tr("Draw the area first that copies take their texels from."))
            return
        model, chosen = studio.model, self.laying.chosen()
        rows = np.arange(model.triangle_count) if chosen is None else np.flatnonzero(chosen)
        if {model.materials[number] for number in np.unique(model.material[rows])} != {key.material}:
            self.work.warn(tr("The area lies on {sheet}; select parts of that material alone.", sheet=key))
            return
        self.do(Vary(box, self.seed.value()))

    def _gather(self) -> None:
        name = self.name.text().strip()
        if not name:
            self.work.warn(tr("Type a name for the material of that one sheet."))
            return
        self.do(GatherSheets(name))

    def refresh(self) -> None:
        show_check(self.alone, self.laying.alone)
        box, key = self.area.box, self.area.key
        self.told.setVisible(box is not None)
        if box is not None:
            left, upper, right, lower = box
            self.told.setText(
                tr("Chosen on {sheet}: {wide} × {high} texels from {left}, {upper}.", sheet=key, wide=right - left,
                   high=lower - upper, left=left, upper=upper)
            )  # fmt: skip
