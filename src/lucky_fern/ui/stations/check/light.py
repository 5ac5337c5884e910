"""Other light than one paints by: what holds up in it holds up in a game."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QLabel

from lucky_fern.render import environment
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page, button, choice
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_LIGHTS = (
    ("lamp_deg", tr("Turn of the light"), 0.0, 360.0, 0.0), ("lamp_gain", tr("Sun"), 0.0, 4.0, 1.0),
    ("ambient_gain", tr("Surroundings"), 0.0, 4.0, 1.0), ("exposure", tr("Exposure"), 0.1, 4.0, 1.0),
)  # fmt: skip
_NIGHT = {"lamp_gain": 0.03, "ambient_gain": 0.08, "exposure": 1.0}
AS_EVER: dict[str, float | str | bool] = {
    **{name: start for name, _, _, _, start in _LIGHTS}, "surroundings": environment.STUDIO, "shadows": False,
}  # fmt: skip


class LightRows:
    """Rows of the Check page. The light holds at that station alone, and is found there again."""

    def __init__(self, page: Page, looking: Looking, errands: Errands, habits: Habits, view: ModelView) -> None:
        self.errands, self.habits, self.view = errands, habits, view
        page.heading(tr("In another light"))
        self.lights: dict[str, NumberField] = {}
        for name, title, low, high, start in _LIGHTS:
            field = NumberField(low, high, 0 if high > 10 else 2, "", title)
            field.set(start)
            field.changed.connect(partial(self._set, name))
            self.lights[name] = field
            label = QLabel(title, objectName="quiet")
            label.setFixedWidth(with_text(110))
            label.setBuddy(field.number)
            page.row(label, field, stretch=False)
        self.surroundings = choice(
            tr("Surroundings"),
            [(tr("the studio"), "studio"), (tr("a harbour by day"), "harbour"), (tr("the harbour at dusk"), "dusk")],
        )
        self.surroundings.activated.connect(lambda _: self._set("surroundings", self.surroundings.currentData()))
        label = QLabel(tr("Where"), objectName="quiet")
        label.setFixedWidth(with_text(110))
        self.shadows = QCheckBox(tr("Shadows and crevices"))
        self.shadows.setToolTip(
            tr("Parts throw shadows, and what is closed to the light gets less of it, as in a game")
        )
        self.shadows.toggled.connect(lambda on: self._set("shadows", on))
        page.row(label, self.surroundings, self.shadows)
        page.row(
            button(tr("Night"), tr("Next to no light, so that what glows shows"), lambda: self._take(_NIGHT)),
            button(tr("As ever"), tr("The light that one paints by"), lambda: self._take(AS_EVER)),
        )
        self._here = False
        looking.station_changed.connect(self._only_here)
        self._only_here(looking.station)

    def _only_here(self, station: str) -> None:
        here = station == "check"
        if here != self._here:
            self._here = here
            self._show(self.habits.light if here else AS_EVER)

    def _set(self, name: str, value: float | str | bool) -> None:
        self._take({name: value})

    def _take(self, light: dict[str, float | str | bool] | dict[str, float]) -> None:
        """Have this light from now on."""
        self.habits.light = {**AS_EVER, **self.habits.light, **light}
        self._show(self.habits.light)

    def _show(self, light: dict[str, float | str | bool]) -> None:
        """Draw the model in a light; surroundings that are new are worked out beside the window first."""
        light = {**AS_EVER, **light}
        for name, field in self.lights.items():
            field.set(float(light[name]))
        with QSignalBlocker(self.surroundings), QSignalBlocker(self.shadows):
            self.surroundings.setCurrentIndex(max(self.surroundings.findData(light["surroundings"]), 0))
            self.shadows.setChecked(bool(light["shadows"]))
        kind = str(light.pop("surroundings"))
        self.view.set_look(**light)
        if environment.prepared(kind):
            self.view.set_look(surroundings=kind)
        elif kind in environment.KINDS:
            self.errands.send(tr("Lighting …"), lambda: (environment.reflections(kind), environment.irradiance(kind)),
                              lambda _: self._arrived(kind))  # fmt: skip

    def _arrived(self, kind: str) -> None:
        if self._here and self.habits.light.get("surroundings") == kind:
            self.view.set_look(surroundings=kind)
