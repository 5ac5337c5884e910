"""The Check station's panel: what will go wrong in the game, each with its remedy."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QLabel, QListWidget, QListWidgetItem

from lucky_fern.core.checking.found import Found
from lucky_fern.core.checking.result import check_result, maps_read
from lucky_fern.core.layout.findings import shared_faces
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.exports import Exports
from lucky_fern.ui.session.layout_watch import LayoutWatch
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.stations.check.light import LightRows
from lucky_fern.ui.widgets.page import Page, button, clear
from lucky_fern.ui.widgets.style import icon
from lucky_fern.words import tr


class CheckPanel(Page):
    """Checks when it is first seen and when the project has changed since; a click goes to where it is."""

    def __init__(
        self,
        work: Work,
        selection: Selection,
        looking: Looking,
        maps: Maps,
        errands: Errands,
        layout_watch: LayoutWatch,
        exports: Exports,
    ) -> None:
        super().__init__()
        self.work = work
        self.selection = selection
        self.looking = looking
        self.maps = maps
        self.errands = errands
        self.layout_watch = layout_watch
        self.exports = exports
        self.found: list[Found] = []
        self._of: object = None  # the project that was checked last
        self._asked: object = None
        self.heading(tr("Before it goes out"))
        self.state = QLabel(objectName="quiet")
        self.budget = QDoubleSpinBox(
            minimum=0, maximum=4096, decimals=1, suffix=" MB", specialValueText=tr("any size")
        )
        self.budget.setAccessibleName(tr("Budget"))
        self.budget.setToolTip(tr("What all files together may have on disk"))
        self.budget.valueChanged.connect(lambda _: self._again())
        again = button(tr("Check again"), tr("Reads all maps anew"), self._again)
        self.row(again, tr("budget"), self.budget)
        self.column.addWidget(self.state)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setAccessibleName(tr("What the check found; choose one to go there"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._go_to)
        self.column.addWidget(self.list, 1)
        self.remedies = QHBoxLayout()
        self.column.addLayout(self.remedies)
        self.light = LightRows(self, work, errands)
        work.project_changed.connect(self.follow)
        work.studio_changed.connect(self.follow)

    def _again(self) -> None:
        self._of = None
        self.follow()

    def refresh(self) -> None:
        """Check the project as it is now, beside the window, unless that was done."""
        studio = self.work.studio
        if (
            studio is None
            or self.looking.station != "check"
            or studio.project is self._of
            or studio.project is self._asked
        ):
            return
        project, sources = studio.project, studio.sources
        self._asked = project
        self.state.setText(tr("checking …"))
        shared = shared_faces(self.layout_watch.findings, studio.model.triangle_count)
        setups, stem = self.exports.setups, self.exports.stem
        budget = int(self.budget.value() * 1e6) or None

        def work() -> list[Found]:
            done = partial(self.maps.finished, project)
            return check_result(
                sources, project, maps_read(sources, project, done), setups, stem, shared, budget, finished=done
            )

        self.errands.send_long(
            tr("Checking …"), lambda told: work(), lambda found: self._show(project, found), self._not_checked
        )

    def _not_checked(self) -> None:
        """It was called off, or went wrong: it can be asked for again."""
        self._asked = None
        self.state.setText(tr("not checked"))

    def _show(self, project: object, found: list[Found]) -> None:
        self._of, self._asked, self.found = project, None, found
        with QSignalBlocker(self.list):
            self.list.clear()
            for one in found:
                self.list.addItem(QListWidgetItem(icon("warning" if one.worry else "model"), one.sentence))
        worries = sum(one.worry for one in found)
        words = tr("{worries} to look at", worries=worries) if worries else tr("nothing to worry about")
        self.state.setText(
            tr("{words}, {found} good to know", words=words, found=len(found) - worries)
            if len(found) > worries
            else words
        )
        clear(self.remedies)
        self.follow()  # it may have changed meanwhile

    def _go_to(self, row: int) -> None:
        """Show where it is, and what mends it."""
        clear(self.remedies)
        if not 0 <= row < len(self.found):
            return
        one = self.found[row]
        if one.map is not None and self.looking.shown_map != one.map:
            self.looking.show_map(one.map)
        if one.layer is not None:
            self.selection.select(one.layer)
        if one.title:
            made = button(one.title, tr("Mends this; can be undone"), partial(self._mend, one))
            made.setObjectName("primary")
            self.remedies.addWidget(made)
        self.remedies.addStretch(1)

    def _mend(self, one: Found) -> None:
        self.work.end_gesture()
        if one.command is not None:
            self.work.execute(one.command)
        elif one.mend == "padding":
            self.exports.change(padding=None)
        elif one.mend == "rims":
            self.exports.change(rims=True)
