"""In the place of the sheet view: the picture as the chosen op is given it, with handles, beside what comes out."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.arrays import Array
from lucky_fern.core.colour import to_hex
from lucky_fern.core.preparing.state import State
from lucky_fern.core.project.preparations import CutOut, Point
from lucky_fern.ui.kit.op_handles import HANDS, Hand, stroked
from lucky_fern.ui.kit.op_rows import shown_as, titled
from lucky_fern.ui.kit.picture_canvas import PictureCanvas
from lucky_fern.ui.session.preparing import Preparing
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import tones
from lucky_fern.words import tr

_NEAR = 12.0  # pixels from a handle that still take it
_KEEP, _DROP = QColor(60, 140, 90, 150), QColor(200, 70, 50, 150)
_ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}


@guarded
class BeforeCanvas(PictureCanvas):
    """Handles of the chosen op over what it is given. By keys: Space goes from handle to handle, arrows move one."""

    picked = Signal(str)  # a colour, #rrggbb

    def __init__(self, preparing: Preparing) -> None:
        super().__init__(tr("The picture before the chosen op"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.preparing = preparing
        self.doing = ""  # "keep" or "drop": what strokes do; "pick": the next press takes a colour
        self._held: int | None = None
        self._at = 0
        self._first: Point | None = None
        self._stroke: list[Point] = []
        self._pixels: Array | None = None

    def show_before(self, rgba: Array | None, by: float) -> None:
        self._pixels = rgba
        self.set_picture(rgba, by)

    def do(self, what: str) -> None:
        """What the mouse does here: "keep", "drop", "pick", or "" for the handles."""
        self.doing = "" if what == self.doing else what
        self.setCursor(Qt.CursorShape.CrossCursor if self.doing else Qt.CursorShape.ArrowCursor)
        self.update()

    @property
    def hand(self) -> Hand:
        op = self.preparing.op
        return HANDS[shown_as(op).hand] if op is not None else HANDS[""]

    def _points(self) -> list[QPointF]:
        op = self.preparing.op
        return [] if op is None else [self.to_widget(*point) for point in self.hand.points(op)]

    def paint_over(self, painter: QPainter) -> None:
        op = self.preparing.op
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if isinstance(op, CutOut):
            across = max(op.radius * 2 * abs(self.to_widget(1, 0).x() - self.to_widget(0, 0).x()), 2)
            drawn = {True: op.keep, False: op.drop}
            for keep, points in drawn.items():
                mine = [*points, *(self._stroke if (self.doing == "keep") is keep else [])]
                painter.setPen(QPen(_KEEP if keep else _DROP, across, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawPoints(QPolygonF([self.to_widget(*point) for point in mine]))
        handles = self._points()
        if handles:
            for colour, width in ((QColor(0, 0, 0, 160), 3.0), (QColor(255, 255, 255), 1.4)):
                painter.setPen(QPen(colour, width))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolygon(QPolygonF(handles))
            painter.setPen(QPen(QColor(0, 0, 0), 1))
            for number, point in enumerate(handles):
                painter.setBrush(QColor(tones().active if number == self._at and self.hasFocus() else "white"))
                painter.drawEllipse(point, 5, 5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if event.button() != Qt.MouseButton.LeftButton:
            return
        point = self.to_picture(event.position())
        if self.doing == "pick":
            self.do("")
            self.picked.emit(self._colour_at(point))
            return
        if self.doing and isinstance(self.preparing.op, CutOut):
            self._stroke = [point]
            self.update()
            return
        near = [(QPointF(one - event.position()).manhattanLength(), at) for at, one in enumerate(self._points())]
        if near and min(near)[0] < _NEAR:
            self._held = self._at = min(near)[1]
        else:
            self._first = point
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        super().mouseMoveEvent(event)
        op, point = self.preparing.op, self.to_picture(event.position())
        if op is None:
            return
        if self._stroke:
            self._stroke += _between(self._stroke[-1], point, max(op.radius if isinstance(op, CutOut) else 1.0, 0.5))
        elif self._held is not None:
            self.preparing.set_op(self.hand.moved(op, self._held, point))
        elif self._first is not None:
            drawn = self.hand.drawn(op, self._first, point)
            if drawn is not None:
                self.preparing.set_op(drawn)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        op = self.preparing.op
        if self._stroke and isinstance(op, CutOut):
            self.preparing.set_op(stroked(op, tuple(self._stroke), self.doing == "keep"))
        if self._held is not None or self._first is not None:
            self.preparing.settle()
        self._stroke, self._held, self._first = [], None, None
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        op, points = self.preparing.op, self._points()
        key = Qt.Key(event.key())
        if op is None or not points or key not in (*_ARROWS, Qt.Key.Key_Space):
            super().keyPressEvent(event)
            return
        self._at %= len(points)
        if key == Qt.Key.Key_Space:
            self._at = (self._at + 1) % len(points)
        else:
            step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            x, y = self.hand.points(op)[self._at]
            self.preparing.set_op(self.hand.moved(op, self._at, (x + _ARROWS[key][0] * step,
                                                                 y + _ARROWS[key][1] * step)))  # fmt: skip
        self.update()

    def _colour_at(self, point: Point) -> str:
        """The mean of a few pixels there."""
        if self._pixels is None:
            return "#000000"
        by = self.preparing.by
        row = min(max(int(point[1] * by), 0), self._pixels.shape[0] - 1)
        column = min(max(int(point[0] * by), 0), self._pixels.shape[1] - 1)
        some = self._pixels[max(row - 1, 0) : row + 2, max(column - 1, 0) : column + 2, :3]
        r, g, b = (float(one) for one in some.reshape(-1, 3).mean(axis=0) / np.iinfo(some.dtype).max)
        return to_hex((r, g, b))


def _between(start: Point, end: Point, step: float) -> list[Point]:
    """Points on the way from one to another, so many pixels apart."""
    count = int(np.hypot(end[0] - start[0], end[1] - start[1]) / step)
    return [(start[0] + (end[0] - start[0]) * k / count, start[1] + (end[1] - start[1]) * k / count)
            for k in range(1, count + 1)]  # fmt: skip


@guarded
class PreparingView(QWidget):
    """Both canvases, and a word over each."""

    def __init__(self, preparing: Preparing) -> None:
        super().__init__()
        self.preparing = preparing
        self.look = "picture"  # or what lies beside it: "height", "normal"
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(tr("A picture being made ready"))
        self.before, self.after = BeforeCanvas(preparing), PictureCanvas(tr("What comes out"))
        self.told_before, self.told_after = QLabel(objectName="quiet"), QLabel(objectName="quiet")
        self.row = row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        for canvas, told in ((self.before, self.told_before), (self.after, self.told_after)):
            column = QVBoxLayout()
            column.setSpacing(0)
            told.setContentsMargins(10, 4, 10, 4)
            told.setMinimumWidth(10)
            column.addWidget(told)
            column.addWidget(canvas, 1)
            row.addLayout(column, 1)
        preparing.shown.connect(self.refresh)
        preparing.changed.connect(self._tell)
        preparing.opened.connect(self.refresh)

    def show_beside(self, what: str) -> None:
        """Look at what comes out as a picture, or at its height or normal picture."""
        self.look = what
        self.refresh()

    def refresh(self) -> None:
        found = self.preparing.view
        self._turn()
        self.before.show_before(None if found is None else found.before, self.preparing.by)
        if found is None:
            self.after.set_picture(None)
        elif found.after is not None:
            self.after.set_picture(_seen(found.after, self.look), self.preparing.by)
        self._tell()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._turn()

    def _turn(self) -> None:
        """Side by side or one above the other, whichever shows them larger."""
        found = self.preparing.view
        wide, high = (1, 1) if found is None else (found.before.shape[1], found.before.shape[0])
        beside = min(self.width() / 2 / wide, self.height() / high)
        above = min(self.width() / wide, (self.height() - 50) / 2 / high)
        way = QBoxLayout.Direction.LeftToRight if beside >= above else QBoxLayout.Direction.TopToBottom
        if self.row.direction() != way:
            self.row.setDirection(way)

    def _tell(self) -> None:
        op, found = self.preparing.op, self.preparing.view
        anew = op is not None and op.drawn_size is not None  # what was before is not seen any more
        for widget in (self.before, self.told_before):
            widget.setVisible(not anew)
        self.told_before.setText(tr("The original") if op is None or self.preparing.at == 0 else
                                 tr("Before: {op}", op=titled(op)))  # fmt: skip
        if found is not None and found.after is not None:
            wide, high = (round(one / self.preparing.by) for one in found.after.size)
            self.told_after.setText(tr("What comes out, {wide} × {high} pixels", wide=wide, high=high))
        self.before.update()


def _seen(state: State, look: str) -> Array:
    """What is to be looked at, as (rows, columns, 3 or 4)."""
    if look not in state.beside:
        return state.rgba
    found = state.beside[look]
    return found if found.ndim == 3 else np.repeat(found[..., None], 3, axis=2)
