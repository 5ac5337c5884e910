"""Selecting faces in a view: by click, painting, rectangle or lasso."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.selecting.seen import faces_at, inside, stroke
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces, How


def how_of(event: QMouseEvent) -> How:
    """Shift adds, Ctrl takes away."""
    if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
        return "less"
    return "add" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "new"


class FacePicker(Gesture):
    """The selecting tools of the Model station. ``flat``: on sheets nothing hides anything."""

    def __init__(self, view: SurfaceView, work: Work, looking: Looking, faces: Faces, flat: bool = False) -> None:
        self.view = view
        self.work, self.looking, self.faces = work, looking, faces
        self.flat = flat
        self._path: list[F64] = []
        self._how: How = "new"
        self._before: Bool = np.zeros(0, np.bool_)

    @property
    def active(self) -> bool:
        return self.looking.station == "model" and self.work.studio is not None

    @property
    def draws(self) -> bool:
        return self.active and self.faces.tool != "pick"

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or not self.draws:
            return False
        self._how, self._before, self._path = how_of(event), self.faces.chosen, [point]
        if self._how == "new":
            self._before = np.zeros_like(self._before)
        self._take(point)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        self._take(point)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._path = []
        self.show()

    def click(self, point: F64, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.active and self.faces.tool == "pick":
            self.faces.click(self.view.face_at(point), how_of(event))

    def _take(self, point: F64) -> None:
        """Select what the drag so far holds, starting anew from what was selected before it."""
        width, height = self.view.width(), self.view.height()
        owner, corners = self.view.owners()
        through = self.faces.through or self.flat
        if self.faces.tool == "paint":
            mask = stroke(self._path[-1], point, self.faces.radius, width, height)
            self._path = [point]
            found = faces_at(owner, mask, corners, self.faces.through, self.faces.shown)
            if found.any():
                self.faces.last = int(np.argmax(found))
            self.faces.chosen = self._before  # what was painted before goes along
            self.faces.choose(found, "less" if self._how == "less" else "add")
            self._before = self.faces.chosen
            if not found.any():
                self.faces.changed.emit()
        else:
            if self.faces.tool == "lasso":
                self._path.append(point)
                outline = np.array(self._path)
            else:
                first = self._path[0]
                outline = np.array([first, (point[0], first[1]), point, (first[0], point[1])])
            found = faces_at(owner, inside(outline, width, height), corners, through, self.faces.shown)
            self.faces.chosen = self._before
            self.faces.choose(found, "less" if self._how == "less" else "add")
            if not found.any():
                self.faces.changed.emit()
            self.view.drawn.outline = outline
        self.show(point)

    def show(self, point: F64 | None = None) -> None:
        drawn = self.view.drawn
        painting = self.draws and self.faces.tool == "paint"
        drawn.disc = (point, self.faces.radius) if painting and point is not None else None
        if not self._path:
            drawn.outline = None
        self.view.redraw()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if not self.draws:
            return None
        self.show(point)
        return Qt.CursorShape.CrossCursor
