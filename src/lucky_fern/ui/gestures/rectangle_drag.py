"""A rectangle drawn on one of the sheets with a drag; what becomes of it is the business of who draws it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_LEAST = 3  # pixels that a rectangle is wide and high


class RectangleDrag(Gesture):
    """While it is ``armed`` the next drag is a rectangle; ``drawn`` gets the sheet and its corners."""

    def __init__(self, view: PlaneView, work: Work) -> None:
        self.view, self.work = view, work
        self._start: F64 | None = None

    @property
    def armed(self) -> bool:
        raise NotImplementedError

    def disarm(self) -> None:
        """The drag is over, whatever came of it."""

    def drawn(self, key: SheetKey, low: F64, high: F64, event: QMouseEvent) -> None:
        """On a sheet, between two corners (2,) in UV space."""
        raise NotImplementedError

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self.armed or event.button() != Qt.MouseButton.LeftButton:
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
        self.view.drawn.outline = None
        self.disarm()
        if start is None or np.abs(point - start).min() < _LEAST:
            self.work.warn(tr("That rectangle is too small; nothing was changed."))
            return
        key = self.view.tiles.sheet_at(self.view.plane_at((start + point) / 2))
        if key is None:
            self.work.warn(tr("Draw the rectangle on one of the sheets."))
            return
        ends = np.stack([self.view.tiles.to_uv(key, self.view.plane_at(end)) for end in (start, point)])
        self.drawn(key, ends.min(axis=0), ends.max(axis=0), event)

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.armed else None
