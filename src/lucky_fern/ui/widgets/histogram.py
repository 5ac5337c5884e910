"""How often each value occurs, with the levels that are set on it drawn over and dragged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from lucky_fern.core.arrays import F64, I64
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import Tones, tones
from lucky_fern.words import tr

_EDGE = 6  # pixels left and right, so that markers at the ends can be taken
_FOOT = 10  # pixels below, for the markers
_COLOURS = ("#c8372d", "#2e8b46", "#2d62c8")


@dataclass(frozen=True)
class Scale:
    """Levels on a line from 0 to 1 that lies ``left`` … ``left + width`` in pixels, margins included."""

    left: float
    width: float
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0

    @property
    def markers(self) -> dict[str, float]:
        """Where each marker is, 0…1: the middle is what becomes ½."""
        return {"black": self.black, "gamma": self.black + (self.white - self.black) * 0.5**self.gamma,
                "white": self.white}  # fmt: skip

    def across(self, value: float) -> float:
        """The pixel of a value."""
        return self.left + _EDGE + value * (self.width - 2 * _EDGE)

    def nearest(self, x: float) -> str:
        """The marker that is nearest to a pixel."""
        return min(self.markers, key=lambda name: abs(self.across(self.markers[name]) - x))

    def dragged(self, name: str, x: float) -> float:
        """What a marker that is dragged to a pixel says; whoever takes it keeps black and white apart."""
        value = min(max((x - self.left - _EDGE) / max(self.width - 2 * _EDGE, 1), 0.0), 1.0)
        if name == "gamma":
            share = (value - self.black) / (self.white - self.black)
            value = np.clip(np.log(np.clip(share, 1e-3, 0.999)) / np.log(0.5), 0.1, 4)
        return round(float(value), 4)


def paint_levels(painter: QPainter, top: float, bottom: float, counts: I64, scale: Scale, look: Tones) -> None:
    """Draw counts (n, 256) as heights, high ones cut, and the markers of levels, between two rows of pixels."""
    floor = bottom - _FOOT
    for number, heights in enumerate(_heights(counts)):
        colour = QColor(_COLOURS[number] if len(counts) > 1 else look.quiet)
        colour.setAlpha(110 if len(counts) > 1 else 255)
        tops = [
            QPointF(scale.across(k / 255), floor - height * (floor - top - 4)) for k, height in enumerate(heights)
        ]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(QPolygonF([QPointF(scale.across(0), floor), *tops, QPointF(scale.across(1), floor)]))
    fills = {"black": QColor("black"), "gamma": QColor("#808080"), "white": QColor("white")}
    for name, value in scale.markers.items():
        x = scale.across(value)
        painter.setPen(QPen(QColor(look.active), 1))
        painter.drawLine(QPointF(x, top + 2), QPointF(x, floor))
        painter.setBrush(fills[name])
        painter.setPen(QPen(QColor(look.text), 1))
        painter.drawEllipse(QRectF(x - 4, floor, 8, 8))


@guarded
class Histogram(QWidget):
    """Counts (n, 256) as heights; markers of black, white and the middle (gamma).

    ``moved`` tells which of ``black``, ``white``, ``gamma`` is what now, ``let_go`` that it is done;
    ``stale`` asks for other counts.
    """

    moved = Signal(str, float)
    let_go = Signal()
    stale = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(84)
        self.setAccessibleName(tr("How often each value occurs below; drag black, middle and white"))
        self.setToolTip(tr("How often each value occurs below. Drag black, the middle, or white."))
        self.counts: I64 = np.zeros((1, 256), np.int64)
        self._levels = (0.0, 1.0, 1.0)
        self._held = ""

    @property
    def scale(self) -> Scale:
        return Scale(0.0, self.width(), *self._levels)

    def show_counts(self, counts: I64) -> None:
        """Show other counts."""
        self.counts = counts
        self.update()

    def look_again(self) -> None:
        """Something else is to be counted."""
        self.stale.emit()

    def show_levels(self, black: float, white: float, gamma: float) -> None:
        """Put the markers, without telling anybody."""
        self._levels = (black, white, gamma)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look = QPainter(self), tones()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(look.field))
        paint_levels(painter, 0, self.height(), self.counts, self.scale, look)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = self.scale.nearest(event.position().x())
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self.moved.emit(self._held, self.scale.dragged(self._held, event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = ""
            self.let_go.emit()


def _heights(counts: I64) -> F64:
    """0…1; a few values that are far more frequent than all others (flat ground) do not flatten the rest."""
    usual = np.sort(counts.ravel())[-max(4, counts.size // 64)]
    return np.clip(counts / max(float(usual), 1.0), 0, 1)
