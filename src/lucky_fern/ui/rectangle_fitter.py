"""A rectangle drawn on a sheet, into which the selected islands go in one step."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.layouts import FitRectangle
from lucky_fern.ui.gesture import Gesture

if TYPE_CHECKING:
    from lucky_fern.ui.sheet_view import SheetView


class RectangleFitter(Gesture):
    """Armed for one drag; Shift then keeps the islands' proportions."""

    def __init__(self, view: SheetView) -> None:
        self.view = view
        self.armed = False
        self._keep = False
        self._start: F64 | None = None

    def arm(self, on: bool, keep: bool) -> None:
        self.armed, self._keep, self._start = on, keep, None
        desk = self.view.desk
        if on:
            desk.said.emit("Draw a rectangle on the sheet; the selected islands will fill it.", False)
        desk.faces.tool_changed.emit()

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self.armed or event.button() != Qt.MouseButton.LeftButton or self.view.desk.station != "model":
            return False
        self._start = point
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        if self._start is not None:
            (x0, y0), (x1, y1) = self._start, point
            self.view.overlay.outline = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
            self.view.overlay.update()

    def release(self, point: F64, event: QMouseEvent) -> None:
        start, desk = self._start, self.view.desk
        keep = self._keep or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.view.overlay.outline = None
        self.arm(False, False)
        if start is None or np.abs(point - start).min() < 3:
            desk.said.emit("That rectangle is too small; nothing was changed.", True)
            return
        key = self.view.tiles.sheet_at(self.view.plane_at((start + point) / 2))
        if key is None:
            desk.said.emit("Draw the rectangle on one of the sheets.", True)
            return
        ends = np.stack([self.view.tiles.to_uv(key, self.view.plane_at(end)) for end in (start, point)])
        low, high = ends.min(axis=0), ends.max(axis=0)
        desk.laying.do(FitRectangle((float(low[0]), float(low[1])), (float(high[0]), float(high[1])), keep))

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.armed else None
