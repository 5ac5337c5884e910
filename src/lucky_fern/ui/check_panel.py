"""The Check station's panel: what will go wrong in the game, each with its remedy."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QLabel, QListWidget, QListWidgetItem

from lucky_fern.core import taking
from lucky_fern.core.checking.result import Found, check_result
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.parts import Page, button, clear
from lucky_fern.ui.style import icon


class CheckPanel(Page):
    """Checks when it is first seen and when the project has changed since; a click goes to where it is."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.found: list[Found] = []
        self._of: object = None  # the project that was checked last
        self._asked: object = None
        self.heading("Before it goes out")
        self.state = QLabel(objectName="quiet")
        self.budget = QDoubleSpinBox(minimum=0, maximum=4096, decimals=1, suffix=" MB", specialValueText="any size")
        self.budget.setToolTip("What all files together may have on disk")
        self.budget.valueChanged.connect(lambda _: self._again())
        again = button("Check again", "Reads all maps anew", self._again)
        self.row(again, "budget", self.budget)
        self.column.addWidget(self.state)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setAccessibleName("What the check found; choose one to go there")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._go_to)
        self.column.addWidget(self.list, 1)
        self.remedies = QHBoxLayout()
        self.column.addLayout(self.remedies)
        desk.project_changed.connect(self.follow)
        desk.studio_changed.connect(self.follow)

    def _again(self) -> None:
        self._of = None
        self.follow()

    def refresh(self) -> None:
        """Check the project as it is now, beside the window, unless that was done."""
        studio, desk = self.desk.studio, self.desk
        if studio is None or desk.station != "check" or studio.project is self._of or studio.project is self._asked:
            return
        project, sources = studio.project, studio.sources
        self._asked = project
        self.state.setText("checking …")
        shared = np.zeros(studio.model.triangle_count, np.bool_)
        for finding in desk.layout.findings:
            if finding.kind in ("twins", "overlap") and int(finding.triangles.max(initial=-1)) < len(shared):
                shared[finding.triangles] = True
        setups, stem = desk.exports.setups, desk.exports.stem
        budget = int(self.budget.value() * 1e6) or None

        def work() -> list[Found]:
            return check_result(sources, project, partial(taking.whole_map, studio), setups, stem, shared, budget)

        desk.errands.send("Checking …", work, lambda found: self._show(project, found))

    def _show(self, project: object, found: list[Found]) -> None:
        self._of, self._asked, self.found = project, None, found
        self.list.blockSignals(True)
        self.list.clear()
        for one in found:
            self.list.addItem(QListWidgetItem(icon("warning" if one.worry else "model"), one.sentence))
        self.list.blockSignals(False)
        worries = sum(one.worry for one in found)
        words = f"{worries} to look at" if worries else "nothing to worry about"
        self.state.setText(f"{words}, {len(found) - worries} good to know" if len(found) > worries else words)
        clear(self.remedies)
        self.follow()  # it may have changed meanwhile

    def _go_to(self, row: int) -> None:
        """Show where it is, and what mends it."""
        clear(self.remedies)
        if not 0 <= row < len(self.found):
            return
        one, desk = self.found[row], self.desk
        if one.map is not None and desk.shown_map != one.map:
            desk.show_map(one.map)
        if one.layer is not None:
            desk.select(one.layer)
        if one.title:
            made = button(one.title, "Mends this; can be undone", partial(self._mend, one))
            made.setObjectName("primary")
            self.remedies.addWidget(made)
        self.remedies.addStretch(1)

    def _mend(self, one: Found) -> None:
        self.desk.end_gesture()
        if one.command is not None:
            self.desk.execute(one.command)
        elif one.mend == "padding":
            self.desk.exports.change(padding=None)
        elif one.mend == "rims":
            self.desk.exports.change(rims=True)
