"""The quay's window: the item as the game shows it, beside the item as it was painted."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import moderngl
from PySide6.QtCore import QFileSystemWatcher, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent, QResizeEvent, QWheelEvent
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.files import write_whole
from lucky_fern.quay.cargo import ENCODED, WORDS, Cargo, import_notes, open_cargo
from lucky_fern.quay.stage import NIGHT, Filtering, Stage, difference
from lucky_fern.render.camera import Camera
from lucky_fern.render.model_scene import Look
from lucky_fern.ui.style import LIGHT, sheet

NOTES = "IMPORT-NOTES.txt"
_TOLD = 1.0  # of 255; less is not seen
_NUMBERS = (
    ("ambient_gain", "Ambient", "The light from all around"),
    ("lamp_gain", "Diffuse", "The sun on what is no mirror"),
    ("specular_gain", "Specular", "Highlights and mirrored surroundings"),
    ("gloss_gain", "Gloss", "How sharp highlights are"),
    ("fresnel_gain", "Fresnel", "How much more the rims mirror"),
    ("glow_gain", "Glow", "How many times as bright what glows is"),
)  # fmt: skip


class QuayView(QOpenGLWidget):
    """Left as it was painted, right as the game reads it; dragging turns, the wheel comes nearer."""

    measured = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(480, 360)
        self.camera, self.look, self.filtering = Camera(), Look(), Filtering()
        self.apart = True  # whether both are shown
        self._cargo: Cargo | None = None
        self._context: moderngl.Context | None = None
        self._stages: tuple[Stage, Stage] | None = None
        self._last = QPointF()
        self._measure = QTimer(self, singleShot=True, interval=120)
        self._measure.timeout.connect(self._measure_now)
        self.names = [QLabel(text, self) for text in ("As it was painted", "As this game reads it")]
        for name in self.names:
            name.setStyleSheet("background: rgba(245, 245, 245, 200); padding: 2px 6px; border-radius: 4px;")

    def show_cargo(self, cargo: Cargo, frame: bool) -> None:
        """Show another cargo, or the same one read otherwise."""
        self._cargo = cargo
        if frame:
            self.camera = self.camera.framing(cargo.surface.model.bounds, self.width() / 2 / max(self.height(), 1))
        self._drop()
        self.refresh()

    def refresh(self) -> None:
        self._place_names()
        self._measure.start()
        self.update()

    def _drop(self) -> None:
        if self._stages is not None:
            self.makeCurrent()
            for stage in self._stages:
                stage.release()
            self._stages = None
            self.doneCurrent()

    def initializeGL(self) -> None:
        self._context = moderngl.create_context()

    def _ready(self) -> tuple[Stage, Stage] | None:
        if self._stages is None and self._context is not None and self._cargo is not None:
            self._stages = Stage(self._context, self._cargo.rightly()), Stage(self._context, self._cargo)
        return self._stages

    def paintGL(self) -> None:
        stages = self._ready()
        if self._context is None or stages is None:
            return
        ratio = self.devicePixelRatio()
        width, height = max(int(self.width() * ratio), 2), max(int(self.height() * ratio), 1)
        screen = self._context.detect_framebuffer(self.defaultFramebufferObject())
        screen.use()
        halves = [(0, width, stages[1], self.filtering)]
        if self.apart:
            half = width // 2
            halves = [(0, half, stages[0], Filtering()), (half, width - half, stages[1], self.filtering)]
        for left, wide, stage, filtering in halves:
            screen.viewport = screen.scissor = (left, 0, wide, height)
            stage.draw(self.camera, wide / height, self.look, filtering)
        screen.scissor = None  # type: ignore[assignment]  # takes it off
        screen.viewport = (0, 0, width, height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_names()

    def _place_names(self) -> None:
        """Which half is which."""
        self.names[0].setVisible(self.apart)
        self.names[0].move(10, 8)
        self.names[1].move(self.width() // 2 + 10 if self.apart else 10, 8)

    def _measure_now(self) -> None:
        if self._context is None or self._stages is None:
            return
        self.makeCurrent()
        filtering = (Filtering(), self.filtering)
        figure = difference(self._context, *self._stages, self.camera, self.look, filtering)
        self.doneCurrent()
        self.measured.emit(figure)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        delta = event.position() - self._last
        self._last = event.position()
        self.camera = self.camera.orbited(-delta.x() * 0.45, delta.y() * 0.45)
        self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.camera = self.camera.zoomed(1.15 ** (event.angleDelta().y() / 120.0))
        self.refresh()


class Quay(QMainWindow):
    """Reads a folder and a model, watches them, and says what a wrong setting does."""

    def __init__(self, folder: Path, model: Path | None = None, normal_down: bool = False) -> None:
        super().__init__()
        self.folder, self.model, self.normal_down = folder, model, normal_down
        self.cargo: Cargo | None = None
        self.figure = 0.0
        self.setWindowTitle(f"Quay – {folder.name}")
        self.setStyleSheet(sheet(LIGHT))
        self.view = QuayView()
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
        self._watcher = QFileSystemWatcher([str(folder)], self)
        self._soon = QTimer(self, singleShot=True, interval=400)
        self._soon.timeout.connect(lambda: self.load(False))
        self._watcher.directoryChanged.connect(lambda _: self._soon.start())
        self.load(True)

    def _panel(self) -> QWidget:
        panel = QWidget(objectName="panel")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(330)
        self.column = QVBoxLayout(panel)
        self.column.setContentsMargins(14, 10, 14, 10)
        self.column.setSpacing(4)
        self.column.addWidget(QLabel("How the game reads the files", objectName="heading"))
        self.readings: dict[str, QComboBox] = {}
        self.lines: dict[str, QWidget] = {}
        for word in WORDS:
            self.readings[word] = self._choice(word, ["as sRGB", "as linear"], partial(self._read_at, word))
        self.green = self._choice("normal, green", ["up (+Y)", "down (−Y)"], self._flip)
        self.filters = self._choice("filtering", ["smooth", "nearest"], lambda at: self._filter(nearest=bool(at)))
        self.mips = self._choice("mips", ["on", "off"], lambda at: self._filter(mips=not at))
        self.verdict = QLabel()
        self.verdict.setWordWrap(True)
        self.verdict.setMinimumHeight(68)  # so that nothing moves when there is more to say
        self.verdict.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.column.addWidget(self.verdict)
        self.column.addWidget(QLabel("Light", objectName="heading"))
        self.sliders: dict[str, QSlider] = {}
        for name, title, tip in _NUMBERS:
            slider = QSlider(Qt.Orientation.Horizontal, minimum=0, maximum=300)
            slider.setValue(100)
            slider.setToolTip(tip)
            slider.setAccessibleName(title)
            slider.valueChanged.connect(lambda value, name=name: self._light(**{name: value / 100}))
            self.sliders[name] = slider
            self._line(title, slider)
            told = QLabel(tip, objectName="quiet")
            told.setStyleSheet("font-size: 11px;")
            self.column.addWidget(told)
        boxes = QHBoxLayout()
        self.night, self.turn, self.both = (
            QCheckBox("Night"),
            QCheckBox("Turntable"),
            QCheckBox("Side by side", checked=True),
        )
        self.night.setToolTip("So that what glows shows")
        self.night.toggled.connect(lambda _: self._light())
        self.turn.toggled.connect(lambda on: self.turning.start() if on else self.turning.stop())
        self.both.toggled.connect(self._side_by_side)
        self.bloom = QCheckBox("Bloom")
        self.bloom.setToolTip("What glows shines beyond itself")
        self.bloom.toggled.connect(lambda _: self._light())
        for box in (self.night, self.turn, self.both, self.bloom):
            boxes.addWidget(box)
        boxes.addStretch(1)
        self.column.addLayout(boxes)
        self.notes = QPushButton(f"Write {NOTES}")
        self.notes.setToolTip("How each file must be read, beside the maps")
        self.notes.clicked.connect(self.write_notes)
        self.column.addWidget(self.notes)
        self.said = QLabel(objectName="quiet")
        self.said.setWordWrap(True)
        self.column.addWidget(self.said)
        self.column.addStretch(1)
        return panel

    def _line(self, title: str, widget: QWidget) -> QWidget:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        label = QLabel(title, objectName="quiet")
        label.setFixedWidth(120)
        row.addWidget(label)
        row.addWidget(widget, 1)
        self.column.addWidget(line)
        return line

    def _choice(self, title: str, items: list[str], act: Callable[[int], None]) -> QComboBox:
        box = QComboBox()
        box.addItems(items)
        box.setAccessibleName(title)
        box.activated.connect(act)
        self.lines[title] = self._line(title, box)
        return box

    # --- reading --------------------------------------------------------------------------------------------

    def load(self, frame: bool) -> None:
        """Read the folder anew; settings stay as they are."""
        try:
            known = None if self.cargo is None else self.cargo.surface
            fresh = open_cargo(self.folder, self.model, self.normal_down, known)
        except (LuckyFernError, OSError) as error:
            self.said.setText(str(error))
            return
        if self.cargo is not None:
            for word in WORDS:
                one = next((crate for crate in self.cargo.crates if crate.word == word), None)
                if one is not None:
                    fresh = fresh.read_as(word, encoded=one.encoded, flipped=one.flipped)
        self._show(fresh, frame)
        self.said.setText(
            f"{len(fresh.crates)} maps from {self.folder}; it is watched and read again when it changes."
        )

    def _show(self, cargo: Cargo, frame: bool = False) -> None:
        self.cargo = cargo
        words = {crate.word: crate for crate in cargo.crates}
        for word, box in self.readings.items():
            self.lines[word].setVisible(word in words)
            if word in words:
                box.setCurrentIndex(0 if words[word].encoded else 1)
        self.lines["normal, green"].setVisible("normal" in words)
        if "normal" in words:
            self.green.setCurrentIndex(int(words["normal"].flipped))
        try:
            self.view.show_cargo(cargo, frame)
        except LuckyFernError as error:
            self.said.setText(str(error))

    def _read_at(self, word: str, at: int) -> None:
        if self.cargo is not None:
            self._show(self.cargo.read_as(word, encoded=at == 0))

    def _flip(self, down: int) -> None:
        if self.cargo is not None:
            self._show(self.cargo.read_as("normal", flipped=bool(down)))

    def _filter(self, **changes: bool) -> None:
        self.view.filtering = replace(self.view.filtering, **changes)
        self.view.refresh()

    def _light(self, **changes: float) -> None:
        gains: dict[str, Any] = {name: slider.value() / 100 for name, slider in self.sliders.items()}
        look = replace(self.view.look, **gains, bloom=float(self.bloom.isChecked()))
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

    def wrong(self) -> list[str]:
        """What is read otherwise than it was written, and what that does."""
        found = []
        for crate in {crate.word: crate for crate in self.cargo.crates}.values() if self.cargo is not None else ():
            if not crate.right:
                taken = "linear: it looks pale" if crate.word in ENCODED else "sRGB: its numbers are bent"
                found.append(f"{crate.word} is read as {taken}.")
            if crate.word == "normal" and self.cargo is not None and crate.flipped != self.cargo.normal_down:
                found.append("The green of the normals is the wrong way round: dents look like bumps.")
        return found

    def _show_figure(self, figure: float) -> None:
        self.figure = figure
        wrong = self.wrong()
        words = f"Differs by {figure:.1f} of 255 from what was painted."
        if figure < _TOLD and not wrong:
            words = f"It looks as it was painted ({figure:.1f} of 255)."
        self.verdict.setText(" ".join([words, *wrong]))

    def write_notes(self) -> None:
        """How each file must be read, as a text beside the maps."""
        if self.cargo is None:
            return
        try:
            write_whole(self.folder / NOTES, import_notes(self.cargo).encode())
            self.said.setText(f"Wrote {NOTES}.")
        except LuckyFernError as error:
            self.said.setText(str(error))
