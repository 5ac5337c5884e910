"""A curve through points, bent by dragging them or by keys."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import tones
from lucky_fern.words import tr

_ARROWS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Down: (0, -1), Qt.Key.Key_Up: (0, 1),
}  # fmt: skip
_CURVE_KEYS = (*_ARROWS, Qt.Key.Key_Space, Qt.Key.Key_Insert, Qt.Key.Key_Delete)


@guarded
class CurveField(QWidget):
    """A curve through points that can be dragged.

    By keys: Space goes from point to point, arrows move one (with Shift: far), Insert adds one after it, Del takes it
    out.
    """

    changed = Signal(object)
    let_go = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(130)
        self.setAccessibleName(tr("Curve: input to the right, output upwards"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.points: tuple[tuple[float, float], ...] = ((0.0, 0.0), (1.0, 1.0))
        self._held: int | None = None
        self._at = 0  # the point that keys are for

    def set(self, points: tuple[tuple[float, float], ...]) -> None:
        """Show a curve without telling anybody."""
        if self._held is None:
            self.points = points
        self.update()

    def place(self, point: tuple[float, float]) -> QPointF:
        """Where a point of the curve is drawn."""
        return QPointF(6 + point[0] * (self.width() - 12), self.height() - 6 - point[1] * (self.height() - 12))

    def _under(self, at: QPointF) -> tuple[float, float]:
        x = (at.x() - 6) / max(self.width() - 12, 1)
        y = (self.height() - 6 - at.y()) / max(self.height() - 12, 1)
        return round(min(max(x, 0.0), 1.0), 4), round(min(max(y, 0.0), 1.0), 4)

    def paintEvent(self, event: QPaintEvent) -> None:
        from scipy.interpolate import PchipInterpolator

        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(tones().field))
        painter.setPen(QPen(QColor(tones().line), 1))
        for share in (0.25, 0.5, 0.75):
            painter.drawLine(self.place((share, 0)), self.place((share, 1)))
            painter.drawLine(self.place((0, share)), self.place((1, share)))
        x = np.linspace(0, 1, 120)
        xs, ys = np.array(self.points).T
        y = PchipInterpolator(xs, ys)(np.clip(x, xs[0], xs[-1]))
        painter.setPen(QPen(QColor(tones().text), 1.6))
        painter.drawPolyline(QPolygonF([self.place((float(a), float(b))) for a, b in zip(x, y, strict=True)]))
        for number, point in enumerate(self.points):
            chosen = self.hasFocus() and number == self._at
            painter.setBrush(QColor(tones().active if chosen else "white"))
            painter.drawEllipse(self.place(point), 4, 4)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        near = [k for k, point in enumerate(self.points) if (self.place(point) - at).manhattanLength() < 12]
        if near:
            self._held = self._at = near[0]
            return
        new = self._under(at)
        points = sorted([*self.points, new])
        if min(b[0] - a[0] for a, b in pairwise(points)) < 0.01:
            return
        self.points, self._held = tuple(points), points.index(new)
        self._at = self._held
        self.changed.emit(self.points)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        points = list(self.points)
        beyond = not -24 < event.position().x() < self.width() + 24
        if beyond and 0 < self._held < len(points) - 1:
            del points[self._held]
            self._held = None
        else:
            points[self._held] = self._between(self._held, *self._under(event.position()))
        self.points = tuple(points)
        self.changed.emit(self.points)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None
        self.let_go.emit()

    def _between(self, number: int, x: float, y: float) -> tuple[float, float]:
        """Where a point may go: between its neighbours."""
        low = self.points[number - 1][0] + 0.01 if number else 0.0
        high = self.points[number + 1][0] - 0.01 if number + 1 < len(self.points) else 1.0
        return round(min(max(x, low), high), 4), round(min(max(y, 0.0), 1.0), 4)

    def event(self, event: QEvent) -> bool:
        # Otherwise the window's shortcuts (Del deletes layers) would have them first.
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in _CURVE_KEYS
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._key(Qt.Key(event.key()), event.modifiers()):
            super().keyPressEvent(event)
            return
        self.update()

    def _key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier) -> bool:
        """What the mouse does with points, by keys; whether it was one of them."""
        points = list(self.points)
        self._at = at = min(self._at, len(points) - 1)
        step = 0.1 if modifiers & Qt.KeyboardModifier.ShiftModifier else 0.01
        if key == Qt.Key.Key_Space:
            self._at = (at + 1) % len(points)
            return True
        if key in _ARROWS:
            across, up = _ARROWS[key]
            points[at] = self._between(at, points[at][0] + across * step, points[at][1] + up * step)
        elif key == Qt.Key.Key_Insert:
            after = min(at, len(points) - 2)
            middle = np.mean([points[after], points[after + 1]], axis=0)
            if points[after + 1][0] - points[after][0] < 0.02:
                return True
            points.insert(after + 1, (round(float(middle[0]), 4), round(float(middle[1]), 4)))
            self._at = after + 1
        elif key == Qt.Key.Key_Delete:
            if 0 < at < len(points) - 1:
                del points[at]
        else:
            return False
        if tuple(points) != self.points:
            self.points = tuple(points)
            self.changed.emit(self.points)
            self.let_go.emit()
        return True
