"""The quay's picture: left as it was painted, right as the game reads it."""

from __future__ import annotations

import time

import moderngl
from PySide6.QtCore import QPointF, QTimer, Signal
from PySide6.QtGui import QMouseEvent, QResizeEvent, QWheelEvent
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QLabel

from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.quay.delivery import Scene
from lucky_fern.quay.stage import Filtering, Stage, difference
from lucky_fern.render.camera import Camera
from lucky_fern.render.model_scene import Look
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.words import tr

_SLICE = 0.03  # seconds that maps are sent for between two looks at the mouse
_FRAME = 0.5  # seconds between two pictures meanwhile


@guarded
class QuayView(QOpenGLWidget):
    """Dragging turns, the wheel comes nearer. ``measured`` says how far both sides are apart, of 255."""

    measured = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(480, 360)
        self.camera, self.look, self.filtering = Camera(), Look(), Filtering()
        self.apart = True  # whether both are shown
        self._wanted: tuple[Scene, Scene] | None = None
        self._context: moderngl.Context | None = None
        self._stages: list[Stage] = []
        self._pixel_art: frozenset[SheetKey] = frozenset()
        self._next_frame = 0.0
        self._last = QPointF()
        self._sending = QTimer(self, interval=0)
        self._sending.timeout.connect(self._send)
        self._measure = QTimer(self, singleShot=True, interval=120)
        self._measure.timeout.connect(self._measure_now)
        self.names = [QLabel(self), QLabel(tr("As this game reads it"), self)]
        for name in self.names:
            name.setStyleSheet("background: rgba(245, 245, 245, 200); padding: 2px 6px; border-radius: 4px;")
        self.name_left("As it was painted")

    def name_left(self, text: str) -> None:
        """Say what the left side is."""
        self.names[0].setText(text)
        self.names[0].adjustSize()

    @property
    def sending(self) -> bool:
        """Whether maps are still on their way to the card."""
        return self._sending.isActive()

    def show_scenes(self, left: Scene, right: Scene, frame: bool, pixel_art: frozenset[SheetKey]) -> None:
        """Show other maps; what did not change stays on the card."""
        self._wanted, self._pixel_art = (left, right), pixel_art
        if frame:
            aspect = self.width() / 2 / max(self.height(), 1)
            self.camera = self.camera.framing(right[0].model.bounds, aspect)
        if self._context is not None:
            self._sending.start()

    def refresh(self) -> None:
        self._place_names()
        self._measure.start()
        self.update()

    def initializeGL(self) -> None:
        self._context = moderngl.create_context()
        if self._wanted is not None:
            self._sending.start()

    def _send(self) -> None:
        """Bring what is wanted to the card, a slice at a time."""
        if self._context is None or self._wanted is None:
            return
        self.makeCurrent()
        left, right = self._wanted
        # Where both sides are the same there is one stage, and nothing is sent twice.
        same = left[0] is right[0] and all(
            left[1].get(key, {}).get(name) is pixels
            for key, maps in right[1].items()
            for name, pixels in maps.items()
        )
        scenes = [right] if same else [right, left]
        kept = [
            stage for stage, (surface, _) in zip(self._stages, scenes, strict=False) if stage.scene.surface is surface
        ]
        for stage in self._stages[len(kept) :]:
            stage.release()
        self._stages = kept
        done = True
        for number, (surface, maps) in enumerate(scenes):
            if number == len(self._stages):
                self._stages.append(Stage(self._context, surface, self._pixel_art))
            self._stages[number].put(maps)
            done = done and self._stages[number].send(_SLICE)
        self.doneCurrent()
        if done:
            self._sending.stop()
            self.refresh()
        elif time.monotonic() > self._next_frame:  # drawing may take longer than a slice
            self._next_frame = time.monotonic() + _FRAME
            self.update()

    def paintGL(self) -> None:
        if self._context is None or not self._stages:
            return
        ratio = self.devicePixelRatio()
        width, height = max(int(self.width() * ratio), 2), max(int(self.height() * ratio), 1)
        screen = self._context.detect_framebuffer(self.defaultFramebufferObject())
        screen.use()
        parts = [(0, width, self._stages[0], self.filtering)]
        if self.apart:
            half = width // 2
            right = (half, width - half, self._stages[0], self.filtering)
            parts = [(0, half, self._stages[-1], Filtering()), right]
        for left, wide, stage, filtering in parts:
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
        if self._context is None or not self._stages or self.sending:
            return
        self.makeCurrent()
        filtering = (Filtering(), self.filtering)
        figure = difference(self._context, self._stages[-1], self._stages[0], self.camera, self.look, filtering)
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
