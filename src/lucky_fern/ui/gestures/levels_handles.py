"""Levels set over the map itself: the histogram at the foot of the sheets, its markers dragged."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.ui.gestures.drawn import Levelled
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.levelling import Held, Levelling
from lucky_fern.ui.widgets.histogram import Scale

_HIGH, _WIDEST, _ASIDE, _FOOT = 120, 560, 12, 46  # pixels; the line of facts stands below


class LevelsHandles(Gesture):
    """At work while the selected layer's page shows levels and they are to be seen over the sheets."""

    def __init__(self, view: SurfaceView, work: Work, selection: Selection, levelling: Levelling) -> None:
        self.view, self.work, self.selection, self.levelling = view, work, selection, levelling
        self._dragged = ""
        levelling.changed.connect(self._note)

    def _note(self) -> None:
        before = self.view.drawn.levels
        self.show()
        if before is not None or self.view.drawn.levels is not None:
            self.view.redraw()

    def _held(self) -> Held | None:
        held = self.levelling.held
        return held if self.levelling.over and held is not None and held.layer == self.selection.selected else None

    def _box(self) -> QRectF:
        wide = min(self.view.width() - 2 * _ASIDE, _WIDEST)
        return QRectF((self.view.width() - wide) / 2, self.view.height() - _FOOT - _HIGH, wide, _HIGH)

    def _scale(self, held: Held) -> Scale:
        box = self._box()
        return Scale(box.left(), box.width(), *held.levels)

    def press(self, point: F64, event: QMouseEvent) -> bool:
        held = self._held()
        if held is None or event.button() != Qt.MouseButton.LeftButton or not self._box().contains(*point):
            return False
        self.work.end_gesture()
        self._dragged = self._scale(held).nearest(point[0])
        self.move(point, event)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        held = self._held()
        if held is not None:
            held.put(self._dragged, self._scale(held).dragged(self._dragged, point[0]))

    def release(self, point: F64, event: QMouseEvent) -> None:
        self.work.end_gesture()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        inside = self._held() is not None and self._box().contains(*point)
        return Qt.CursorShape.SplitHCursor if inside else None

    def show(self) -> None:
        held = self._held()
        self.view.drawn.levels = None if held is None else Levelled(self._box(), self._scale(held), held.counts)
