"""The Check station's panel: what will go wrong in the game, each with its remedy."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QListWidget, QListWidgetItem

from lucky_fern.core.checking.result import Found, check_result, maps_read
from lucky_fern.core.layout.findings import shared_faces
from lucky_fern.render import environment
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.exports import Exports
from lucky_fern.ui.session.layout_watch import LayoutWatch
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page, button, choice, clear
from lucky_fern.ui.widgets.style import icon

_LIGHTS = (
    ("lamp_deg", "Turn of the light", 0.0, 360.0, 0.0), ("lamp_gain", "Sun", 0.0, 4.0, 1.0),
    ("ambient_gain", "Surroundings", 0.0, 4.0, 1.0), ("exposure", "Exposure", 0.1, 4.0, 1.0),
)  # fmt: skip


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
        view: ModelView,
    ) -> None:
        super().__init__()
        self.work = work
        self.selection = selection
        self.looking = looking
        self.maps = maps
        self.errands = errands
        self.layout_watch = layout_watch
        self.exports = exports
        self.view = view
        self.found: list[Found] = []
        self._of: object = None  # the project that was checked last
        self._asked: object = None
        self._here = False
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
        self._light_part()
        looking.station_changed.connect(self._light_only_here)
        work.project_changed.connect(self.follow)
        work.studio_changed.connect(self.follow)

    def _light_part(self) -> None:
        """Other light than one paints by: what holds up in it holds up in a game."""
        self.heading("In another light")
        self.lights: dict[str, NumberField] = {}
        for name, title, low, high, start in _LIGHTS:
            field = NumberField(low, high, 0 if high > 10 else 2, "", title)
            field.set(start)
            field.changed.connect(lambda value, name=name: self.view.set_look(**{name: value}))
            self.lights[name] = field
            label = QLabel(title, objectName="quiet")
            label.setFixedWidth(110)
            self.row(label, field, stretch=False)
        self.surroundings = choice("Surroundings", [("the studio", "studio"), ("a harbour by day", "harbour"),
                                                    ("the harbour at dusk", "dusk")])  # fmt: skip
        self.surroundings.activated.connect(lambda _: self._surround(self.surroundings.currentData()))
        label = QLabel("Where", objectName="quiet")
        label.setFixedWidth(110)
        self.shadows = QCheckBox("Shadows and crevices")
        self.shadows.setToolTip("Parts throw shadows, and what is closed to the light gets less of it, as in a game")
        self.shadows.toggled.connect(lambda on: self.view.set_look(shadows=on))
        self.row(label, self.surroundings, self.shadows)
        self.row(button("Night", "Next to no light, so that what glows shows", self._night),
                 button("As ever", "The light that one paints by", self._as_ever))  # fmt: skip

    def _night(self) -> None:
        for name, value in (("lamp_gain", 0.03), ("ambient_gain", 0.08), ("exposure", 1.0)):
            self.lights[name].set(value)
            self.view.set_look(**{name: value})

    def _surround(self, kind: str) -> None:
        """Work out other surroundings beside the window, and show them."""
        self.errands.send("Lighting …", lambda: (environment.reflections(kind), environment.irradiance(kind)),
                               lambda _: self.view.set_look(surroundings=kind))  # fmt: skip

    def _as_ever(self) -> None:
        self.surroundings.setCurrentIndex(0)
        self.shadows.setChecked(False)
        self.view.set_look(surroundings=environment.STUDIO)
        for name, _, _, _, start in _LIGHTS:
            self.lights[name].set(start)
            self.view.set_look(**{name: start})

    def _light_only_here(self, station: str) -> None:
        if self._here and station != "check":
            self._as_ever()
        self._here = station == "check"

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
        self.state.setText("checking …")
        shared = shared_faces(self.layout_watch.findings, studio.model.triangle_count)
        setups, stem = self.exports.setups, self.exports.stem
        budget = int(self.budget.value() * 1e6) or None

        def work() -> list[Found]:
            done = partial(self.maps.finished, project)
            return check_result(
                sources, project, maps_read(sources, project, done), setups, stem, shared, budget, finished=done
            )

        self.errands.send_long(
            "Checking …", lambda told: work(), lambda found: self._show(project, found), self._not_checked
        )

    def _not_checked(self) -> None:
        """It was called off, or went wrong: it can be asked for again."""
        self._asked = None
        self.state.setText("not checked")

    def _show(self, project: object, found: list[Found]) -> None:
        self._of, self._asked, self.found = project, None, found
        with QSignalBlocker(self.list):
            self.list.clear()
            for one in found:
                self.list.addItem(QListWidgetItem(icon("warning" if one.worry else "model"), one.sentence))
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
        one = self.found[row]
        if one.map is not None and self.looking.shown_map != one.map:
            self.looking.show_map(one.map)
        if one.layer is not None:
            self.selection.select(one.layer)
        if one.title:
            made = button(one.title, "Mends this; can be undone", partial(self._mend, one))
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
