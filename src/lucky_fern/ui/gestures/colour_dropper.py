"""A click that takes the colour of what is under it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.colour_picking import ColourPicking
from lucky_fern.words import tr


class ColourDropper(Gesture):
    """Before all others: whatever is in hand waits until a colour was taken."""

    def __init__(self, view: SurfaceView, work: Work, colour_picking: ColourPicking) -> None:
        self.view, self.work, self.picking = view, work, colour_picking

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self.picking.active or event.button() != Qt.MouseButton.LeftButton:
            return False
        hit = self.view.surface_at(point)
        if hit is None:
            self.work.warn(tr("There is no surface there; click on the model or on a sheet."))
        else:
            self.picking.take_at(hit)
        return True

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.picking.active else None
