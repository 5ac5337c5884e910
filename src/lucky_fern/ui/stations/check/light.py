"""Other light than one usually paints by: what holds up in it holds up in a game. It is the project's."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QFileDialog, QLabel, QWidget

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import read_file
from lucky_fern.core.lighting import LARGEST_PANORAMA, panorama_of
from lucky_fern.core.project.commands import SetLight
from lucky_fern.core.project.light import Light, Panorama
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page, button, choice
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_LIGHTS = (
    ("lamp_deg", tr("Turn of the light"), 0.0, 360.0), ("lamp_gain", tr("Sun"), 0.0, 4.0),
    ("ambient_gain", tr("Surroundings"), 0.0, 4.0), ("exposure", tr("Exposure"), 0.1, 4.0),
)  # fmt: skip
_OWN = (("sky_deg", tr("Turn of these"), 0.0, 360.0), ("blur", tr("Soft behind"), 0.0, 1.0))
_PLACES = (
    (tr("the studio"), "studio"), (tr("a harbour by day"), "harbour"), (tr("the harbour at dusk"), "dusk"),
)  # fmt: skip
_FILES = tr("Panoramas") + " (*.hdr *.exr *.png *.jpg *.jpeg *.webp *.tif *.tiff)"


class LightRows:
    """Rows of the Check page. What they set holds at every station, and travels in the project."""

    def __init__(self, page: Page, work: Work, errands: Errands) -> None:
        self.work, self.errands = work, errands
        page.heading(tr("In another light"))
        self.lights: dict[str, NumberField] = {}
        self._own: list[QWidget] = []
        for name, title, low, high in _LIGHTS:
            self._number(page, name, title, low, high)
        self.surroundings = choice(tr("Surroundings"), [*_PLACES, (tr("my own …"), "own")])
        self.surroundings.activated.connect(lambda _: self._choose(str(self.surroundings.currentData())))
        label = QLabel(tr("Where"), objectName="quiet")
        label.setFixedWidth(with_text(110))
        self.shadows = QCheckBox(tr("Shadows and crevices"))
        self.shadows.setToolTip(
            tr("Parts throw shadows, and what is closed to the light gets less of it, as in a game")
        )
        self.shadows.clicked.connect(lambda on: self._do(shadows=on))
        page.row(label, self.surroundings, self.shadows)
        for name, title, low, high in _OWN:
            self._own += self._number(page, name, title, low, high)
        self.behind, self.mirror = QCheckBox(tr("Seen behind")), QCheckBox(tr("Mirrored"))
        self.other = button(tr("Another …"), tr("Another panorama, from an HDR or EXR file"), self.ask)
        self.behind.clicked.connect(lambda on: self._do(behind=on))
        self.mirror.clicked.connect(self._mirror)
        page.row(self.behind, self.mirror, self.other)
        self._own += [self.behind, self.mirror, self.other]
        page.row(
            button(tr("Night"), tr("Next to no light, so that what glows shows"),
                   lambda: self._do(lamp_gain=0.03, ambient_gain=0.08, exposure=1.0)),
            button(tr("As ever"), tr("The light that one paints by"), lambda: self._put(self._fresh())),
        )  # fmt: skip
        work.project_changed.connect(lambda _: self.refresh())
        work.studio_changed.connect(self.refresh)
        self.refresh()

    def _number(self, page: Page, name: str, title: str, low: float, high: float) -> list[QWidget]:
        field = NumberField(low, high, 0 if high > 10 else 2, "", title)
        field.changed.connect(partial(self._set, name))
        field.let_go.connect(self.work.end_gesture)
        self.lights[name] = field
        label = QLabel(title, objectName="quiet")
        label.setFixedWidth(with_text(110))
        label.setBuddy(field.number)
        page.row(label, field, stretch=False)
        return [label, field]

    @property
    def light(self) -> Light:
        """What the project is looked at by."""
        project = self.work.project
        return Light() if project is None or project.light is None else project.light

    def refresh(self) -> None:
        """Show the light as it is."""
        light = self.light
        for name, field in self.lights.items():
            field.set(float(getattr(light, name)))
        with QSignalBlocker(self.surroundings):
            self.surroundings.setCurrentIndex(max(self.surroundings.findData(light.surroundings), 0))
            at, named = self.surroundings.findData("own"), light.panorama
            self.surroundings.setItemText(at, tr("my own …") if named is None else named.name)
        self.shadows.setChecked(light.shadows)
        self.behind.setChecked(light.behind)
        self.mirror.setChecked(light.panorama is not None and light.panorama.mirror)
        for widget in self._own:
            widget.setVisible(light.surroundings == "own")

    def _fresh(self) -> Light:
        return Light(panorama=self.light.panorama)  # it is not read again for coming back

    def _set(self, name: str, value: float) -> None:
        self._put(replace(self.light, **{name: round(value, 4)}), merge=True)

    def _do(self, **changes: object) -> None:
        self.work.end_gesture()
        self._put(replace(self.light, **changes))

    def _put(self, light: Light, merge: bool = False) -> None:
        if self.work.studio is not None and light != self.light:
            self.work.execute(SetLight(light), merge)

    def _mirror(self, on: bool) -> None:
        if self.light.panorama is not None:
            self._do(panorama=replace(self.light.panorama, mirror=on))

    def _choose(self, where: str) -> None:
        if where == "own" and self.light.panorama is None:
            self.refresh()
            self.ask()
        else:
            self._do(surroundings=where)

    def ask(self) -> None:
        """Ask for a panorama's file."""
        name, _ = QFileDialog.getOpenFileName(self.surroundings.window(), tr("Surroundings of your own"), "", _FILES)
        if name:
            self.take(Path(name))

    def take(self, path: Path) -> None:
        """Look by a panorama's light; it is read beside the window."""
        studio = self.work.studio
        if studio is None:
            return
        blobs = studio.blobs

        def read() -> tuple[Panorama, tuple[str, ...]]:
            return panorama_of(blobs, read_file(path, CommandError, LARGEST_PANORAMA), path.name)

        def show(found: tuple[Panorama, tuple[str, ...]]) -> None:
            panorama, notes = found
            self._do(panorama=panorama, surroundings="own")
            if notes:
                self.work.said.emit(f"{path.name}: {'; '.join(notes)}.", False)

        self.errands.send(tr("Reading {name} …", name=path.name), read, show)
