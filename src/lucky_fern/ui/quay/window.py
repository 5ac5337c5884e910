"""The quay's window: the item as the game shows it, beside the item as it was painted."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QFileSystemWatcher, Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.exporting.numbers import NUMBERS, numbers_json
from lucky_fern.core.files import write_whole
from lucky_fern.quay.advice import NOTES, import_notes, read_wrongly, why_other
from lucky_fern.quay.cargo import Cargo, maps_of, open_cargo
from lucky_fern.quay.delivery import Delivery, Scene
from lucky_fern.quay.stage import NIGHT, Filtering
from lucky_fern.render.model_scene import Look
from lucky_fern.ui.quay.numbers_part import NumbersPart
from lucky_fern.ui.quay.view import QuayView
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.lighting import STANDING, prepare
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import sheet, tones
from lucky_fern.words import tr

_TOLD = 1.0  # of 255; less is not seen
_NUMBERS = (
    ("ambient_gain", tr("Ambient"), tr("The light from all around")),
    ("lamp_gain", tr("Diffuse"), tr("The sun on what is no mirror")),
    ("specular_gain", tr("Specular"), tr("Highlights and mirrored surroundings")),
    ("gloss_gain", tr("Gloss"), tr("How sharp highlights are")),
    ("fresnel_gain", tr("Fresnel"), tr("How much more the rims mirror")),
    ("glow_gain", tr("Glow"), tr("How many times as bright what glows is")),
)  # fmt: skip


@dataclass(frozen=True)
class _Landed:
    """Files that were read: as the game reads them, and what they are held against."""

    cargo: Cargo
    left: Scene
    right: Scene


@guarded
class Quay(QMainWindow):
    """Reads a folder and a model, watches them, and says what a wrong setting does."""

    def __init__(self, delivery: Delivery) -> None:
        super().__init__()
        self.delivery, self.folder = delivery, delivery.folder
        self.cargo: Cargo | None = None
        self._landed: _Landed | None = None
        self.figure = 0.0
        self.failed = False
        self.setWindowTitle(tr("Quay – {name}", name=self.folder.name))
        self.setStyleSheet(sheet(tones()))
        self.errands = Errands()
        self.errands.failed.connect(self._show_failed)
        self._lighting = Errands()
        self._lighting.failed.connect(self._show_failed)
        self.view = QuayView()
        self.view.name_left("As it was painted" if delivery.painted is not None else "Rightly read")
        self.view.measured.connect(self._show_figure)
        page = QWidget(objectName="ground")
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.view, 1)
        row.addWidget(self._panel())
        self.setCentralWidget(page)
        self.turning = QTimer(self, interval=40)
        self.turning.timeout.connect(self._turn)
        self._watcher = QFileSystemWatcher([str(self.folder)], self)
        self._soon = QTimer(self, singleShot=True, interval=400)
        self._soon.timeout.connect(self.load)
        self._light()
        self._surround()
        self._watcher.directoryChanged.connect(lambda _: self._soon.start())
        self.load()

    def _panel(self) -> QWidget:
        panel = QWidget(objectName="panel")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(330)
        scroll = QScrollArea(horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidgetResizable(True)
        scroll.setFixedWidth(346)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self.column = QVBoxLayout(panel)
        self.column.setContentsMargins(14, 10, 14, 10)
        self.column.setSpacing(4)
        self.column.addWidget(QLabel(tr("How the game reads the files"), objectName="heading"))
        self.readings: dict[str, QComboBox] = {}
        self.lines: dict[str, QWidget] = {}
        self._words = QVBoxLayout()
        self._words.setSpacing(4)
        self.column.addLayout(self._words)
        self.green = self._choice(tr("normal, green"), [tr("up (+Y)"), tr("down (−Y)")], self._flip)
        self.filters = self._choice(
            "filtering", [tr("as each is made for"), tr("smooth"), tr("nearest")],
            lambda at: self._filter((None, False, True)[at], self.view.filtering.mips),
        )  # fmt: skip
        self.mips = self._choice("mips", ["on", "off"], lambda at: self._filter(self.view.filtering.nearest, not at))
        self.verdict = QLabel()
        self.verdict.setWordWrap(True)
        self.verdict.setMinimumHeight(68)  # so that nothing moves when there is more to say
        self.verdict.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.column.addWidget(self.verdict)
        self.shading = QComboBox()
        self.shading.setAccessibleName(tr("Shading"))
        self.shading.addItems([tr("Light, by metal and roughness"), tr("Light, by numbers as in older games")])
        self.shading.activated.connect(self._shade)
        self.column.addWidget(self.shading)
        self.by_numbers = NumbersPart(self.delivery.numbers, self.delivery.keep)
        self.by_numbers.changed.connect(self._light)
        self.by_numbers.hide()
        self.column.addWidget(self.by_numbers)
        self.sliders: dict[str, QSlider] = {}
        self._gains = QWidget()
        gains = QVBoxLayout(self._gains)
        gains.setContentsMargins(0, 0, 0, 0)
        gains.setSpacing(4)
        self.column.addWidget(self._gains)
        for name, title, tip in _NUMBERS:
            slider = QSlider(Qt.Orientation.Horizontal, minimum=0, maximum=300)
            slider.setValue(100)
            slider.setToolTip(tip)
            slider.setAccessibleName(title)
            slider.valueChanged.connect(lambda value, name=name: self._light(**{name: value / 100}))
            self.sliders[name] = slider
            gains.addWidget(_line(title, slider))
            told = QLabel(tip, objectName="quiet")
            told.setStyleSheet("font-size: 11px;")
            gains.addWidget(told)
        boxes = QHBoxLayout()
        self.night, self.turn, self.both = (
            QCheckBox(tr("Night")),
            QCheckBox(tr("Turntable")),
            QCheckBox(tr("Side by side"), checked=True),
        )
        self.night.setToolTip(tr("So that what glows shows"))
        self.night.toggled.connect(lambda _: self._light())
        self.turn.toggled.connect(lambda on: self.turning.start() if on else self.turning.stop())
        self.both.toggled.connect(self._side_by_side)
        self.bloom = QCheckBox(tr("Bloom"))
        self.bloom.setToolTip(tr("What glows shines beyond itself"))
        self.bloom.toggled.connect(lambda _: self._light())
        for box in (self.night, self.turn, self.both, self.bloom):
            boxes.addWidget(box)
        boxes.addStretch(1)
        self.column.addLayout(boxes)
        self.notes = QPushButton(tr("Write {NOTES}", NOTES=NOTES))
        self.notes.setToolTip(tr("How each file must be read, beside the maps"))
        self.notes.clicked.connect(self.write_notes)
        self.column.addWidget(self.notes)
        self.said = QLabel(objectName="quiet")
        self.said.setWordWrap(True)
        self.column.addWidget(self.said)
        self.column.addStretch(1)
        scroll.setWidget(panel)
        return scroll

    def _choice(self, title: str, items: list[str], act: Callable[[int], None]) -> QComboBox:
        box = _box(title, items, act)
        self.lines[title] = _line(title, box)
        self.column.addWidget(self.lines[title])
        return box

    def _surround(self) -> None:
        """Have the project's surroundings here too; they are worked out beside the window."""
        light, panorama = self.delivery.light, self.delivery.panorama
        if light is None or light.surroundings == "studio":
            return

        def show(kind: str) -> None:
            self.view.look = replace(self.view.look, surroundings=kind)
            self.view.refresh()

        self._lighting.send(tr("Lighting …"), lambda: prepare(light, panorama), show)

    # --- reading --------------------------------------------------------------------------------------------

    def load(self) -> None:
        """Read the folder anew, beside the window; settings stay as they are."""
        before, delivery = self.cargo, self.delivery

        def work() -> _Landed:
            with tempfile.TemporaryDirectory(prefix="fern-quay-") as place:
                model = None if before is not None else delivery.model
                if callable(model):
                    model = model(Path(place))
                fresh = open_cargo(
                    delivery.folder, model, delivery.normal_down, delivery.presets, before, delivery.pixel_art
                )
            for word, crate in before.kinds.items() if before is not None else ():
                if word in fresh.kinds:
                    fresh = fresh.read_as(word, encoded=crate.encoded, flipped=crate.flipped)
            if delivery.painted is not None:
                left = delivery.painted()
            else:
                left = (fresh.surface, maps_of(fresh.rightly()))
            return _Landed(fresh, left, (fresh.surface, maps_of(fresh)))

        self._fetch(tr("Reading the files …"), work)

    def _read(self, cargo: Cargo) -> None:
        """The same files, read otherwise."""
        landed = self._landed
        if landed is not None:
            self.cargo = cargo
            self._fetch(tr("Reading them otherwise …"),
                        lambda: replace(landed, cargo=cargo, right=(cargo.surface, maps_of(cargo))))  # fmt: skip

    def _fetch(self, title: str, work: Callable[[], _Landed]) -> None:
        self.errands.call_off()
        self.said.setText(title)
        self.errands.send(title, work, self._show)

    def _show(self, landed: _Landed) -> None:
        first = self._landed is None
        self.cargo, self._landed, self.failed = landed.cargo, landed, False
        kinds = landed.cargo.kinds
        self._name_kinds(list(kinds))
        self.by_numbers.name_materials(list(landed.cargo.surface.materials))
        for word, crate in kinds.items():
            self.readings[word].setCurrentIndex(0 if crate.encoded else 1)
        normals = [crate for crate in kinds.values() if any(pick.of == "normal" for pick in crate.file.channels)]
        self.lines["normal, green"].setVisible(bool(normals))
        if normals:
            self.green.setCurrentIndex(int(normals[0].flipped))
        self.view.show_scenes(landed.left, landed.right, first, landed.cargo.pixel_art)
        count = len(landed.cargo.crates)
        self.said.setText(
            tr(
                "{count} maps from {folder}; it is watched and read again when it changes.",
                count=count,
                folder=self.folder,
            )
        )

    def _show_failed(self, sentence: str) -> None:
        self.failed = True
        self.said.setText(sentence)

    def _name_kinds(self, words: list[str]) -> None:
        """A line for each kind of file."""
        if list(self.readings) == words:
            return
        for word in self.readings:
            line = self.lines.pop(word)
            line.hide()
            line.deleteLater()
        self.readings = {
            word: _box(word, [tr("as sRGB"), tr("as linear")], partial(self._read_at, word)) for word in words
        }
        for word, box in self.readings.items():
            self.lines[word] = _line(word, box)
            self._words.addWidget(self.lines[word])

    def _read_at(self, word: str, at: int) -> None:
        if self.cargo is not None:
            self._read(self.cargo.read_as(word, encoded=at == 0))

    def _flip(self, down: int) -> None:
        """All that holds normals at once: a game has one setting for them."""
        cargo = self.cargo
        for word, crate in cargo.kinds.items() if cargo is not None else ():
            if cargo is not None and any(pick.of == "normal" for pick in crate.file.channels):
                cargo = cargo.read_as(word, flipped=bool(down))
        if cargo is not None:
            self._read(cargo)

    def _filter(self, nearest: bool | None, mips: bool) -> None:
        self.view.filtering = Filtering(nearest, mips)
        self.view.refresh()

    def _shade(self, at: int) -> None:
        self.by_numbers.setVisible(at == 1)
        self._gains.setVisible(at == 0)
        self._light()

    def _light(self, **changes: float) -> None:
        by_numbers = self.shading.currentIndex() == 1
        gains: dict[str, Any] = {
            name: 1.0 if by_numbers else slider.value() / 100 for name, slider in self.sliders.items()
        }
        light = self.delivery.light
        if light is not None:  # the project's, and what is set here on top of it
            gains = {**{name: getattr(light, name) for name in STANDING}, **gains}
            for name in ("lamp_gain", "ambient_gain"):
                gains[name] *= getattr(light, name)
        look = replace(self.view.look, **gains, bloom=float(self.bloom.isChecked()),
                       numbers=self.by_numbers.look() if by_numbers else ())  # fmt: skip
        if self.night.isChecked():
            look = replace(look, lamp_gain=look.lamp_gain * NIGHT["lamp_gain"],
                           ambient_gain=look.ambient_gain * NIGHT["ambient_gain"],
                           backdrop_low=(0.05, 0.05, 0.07), backdrop_high=(0.02, 0.02, 0.03))  # fmt: skip
        else:
            plain = Look()
            look = replace(look, backdrop_low=plain.backdrop_low, backdrop_high=plain.backdrop_high)
        self.view.look = look
        self.view.refresh()

    def _side_by_side(self, on: bool) -> None:
        self.view.apart = on
        self.view.refresh()

    def _turn(self) -> None:
        self.view.camera = self.view.camera.orbited(1.2, 0.0)
        self.view.update()

    # --- saying ---------------------------------------------------------------------------------------------

    def _show_figure(self, figure: float) -> None:
        landed = self._landed
        if landed is None or self.errands.busy:
            return
        self.figure = figure
        wrong = read_wrongly(landed.cargo)
        if self.view.filtering.nearest is False and landed.cargo.pixel_art:
            wrong.append(tr("Pixel art is smoothed: the game must read it nearest, without mips."))
        other = tr("what was painted") if self.delivery.painted is not None else tr("the same files rightly read")
        words = tr("Differs by {figure:.1f} of 255 from {other}.", figure=figure, other=other)
        if figure < _TOLD and not wrong:
            words = tr("It looks as it was painted ({figure:.1f} of 255).", figure=figure)
            if self.delivery.painted is None:
                words = tr("It looks as the files have it ({figure:.1f} of 255).", figure=figure)
        elif not wrong and self.delivery.painted is not None and not self._filtered:
            wrong = why_other(landed.cargo, landed.left[1])
        self.verdict.setText(" ".join([words, *wrong]))

    @property
    def _filtered(self) -> bool:
        """Whether texels are read otherwise than they are here."""
        return self.view.filtering != Filtering()

    def write_notes(self) -> None:
        """How each file must be read, as a text beside the maps."""
        if self.cargo is None:
            return
        try:
            numbers = self.by_numbers.numbers
            write_whole(self.folder / NOTES, import_notes(self.cargo, numbers).encode())
            if numbers:
                write_whole(self.folder / NUMBERS, numbers_json(numbers))
            self.said.setText(tr("Wrote {NOTES}.", NOTES=" and ".join([NOTES, *([NUMBERS] if numbers else [])])))
        except LuckyFernError as error:
            self.said.setText(str(error))

    def closeEvent(self, event: QCloseEvent) -> None:
        self.errands.call_off()
        self._lighting.call_off()
        self.turning.stop()
        super().closeEvent(event)


def _line(title: str, widget: QWidget) -> QWidget:
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    label = QLabel(title, objectName="quiet")
    label.setFixedWidth(120)
    row.addWidget(label)
    row.addWidget(widget, 1)
    return line


def _box(title: str, items: list[str], act: Callable[[int], None]) -> QComboBox:
    box = QComboBox()
    box.addItems(items)
    box.setAccessibleName(title)
    box.activated.connect(act)
    return box
