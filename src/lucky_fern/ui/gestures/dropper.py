"""A click that puts what is in hand onto the surface."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.dropping import Dropping
from lucky_fern.words import tr


class Dropper(Gesture):
    """The Artwork station's labels and figures."""

    def __init__(self, view: SurfaceView, work: Work, dropping: Dropping) -> None:
        self.view, self.work, self.dropping = view, work, dropping

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if self.dropping.thing is None or event.button() != Qt.MouseButton.LeftButton:
            return False
        self._drop(point)
        return True

    def finish(self) -> None:
        if self.dropping.thing is not None and not self.view.flat:
            self._drop(np.array([self.view.width() / 2, self.view.height() / 2]))

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.dropping.thing is not None else None

    def _drop(self, point: F64) -> None:
        hit = self.view.surface_at(point)
        picture = None if hit is None else self.dropping.picture(hit)
        if picture is not None and self.view.drop_picture(picture, point, self.dropping.landing()):
            self.dropping.take(None)
        else:
            self.work.said.emit(tr("There is no surface there; click on the model or on a sheet."), True)
