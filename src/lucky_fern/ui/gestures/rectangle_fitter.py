"""A rectangle drawn on a sheet, into which the selected islands go in one step."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.layouts import FitRectangle
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.fitting import Fitting
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.words import tr


class RectangleFitter(Gesture):
    """Armed for one drag; Shift then keeps the islands' proportions."""

    def __init__(self, view: PlaneView, work: Work, looking: Looking, laying: Laying, fitting: Fitting) -> None:
        self.view = view
        self.work, self.looking, self.laying, self.fitting = work, looking, laying, fitting
        self._start: F64 | None = None

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self.fitting.armed or event.button() != Qt.MouseButton.LeftButton or self.looking.station != "model":
            return False
        self._start = point
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        if self._start is not None:
            (x0, y0), (x1, y1) = self._start, point
            self.view.drawn.outline = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
            self.view.redraw()

    def release(self, point: F64, event: QMouseEvent) -> None:
        start, self._start = self._start, None
        keep = self.fitting.keep or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.view.drawn.outline = None
        self.fitting.arm(False)
        if start is None or np.abs(point - start).min() < 3:
            self.work.said.emit(tr("That rectangle is too small; nothing was changed."), True)
            return
        key = self.view.tiles.sheet_at(self.view.plane_at((start + point) / 2))
        if key is None:
            self.work.said.emit(tr("Draw the rectangle on one of the sheets."), True)
            return
        ends = np.stack([self.view.tiles.to_uv(key, self.view.plane_at(end)) for end in (start, point)])
        low, high = ends.min(axis=0), ends.max(axis=0)
        self.laying.do(FitRectangle((float(low[0]), float(low[1])), (float(high[0]), float(high[1])), keep))

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.fitting.armed else None
