"""The points by which a picture is pulled out of shape, under the pointer in either view."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.places import Warp
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.grip import REACH, Grip
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.handles import Handles


def pulled_points(grip: Grip, warp: Warp) -> F64:
    """(N, 2) pixels of the points of a warp."""
    return np.array([grip.at(2 * s - 1, 1 - 2 * t) for s, t in warp.points])


def pulled_to(grip: Grip, warp: Warp, number: int, point: F64) -> Warp | None:
    """A warp with one of its points under a pixel."""
    inner = grip.coordinates(point)
    if inner is None:
        return None
    place = (round(float(inner[0] + 1) / 2, 5), round(float(1 - inner[1]) / 2, 5))
    return replace(warp, points=(*warp.points[:number], place, *warp.points[number + 1 :]))


class PullHandles(Gesture):
    """In place of a decal's own handles while it is being pulled."""

    def __init__(
        self, view: SurfaceView, work: Work, selection: Selection, looking: Looking, handles: Handles
    ) -> None:
        self.view = view
        self.work, self.selection, self.looking, self.handles = work, selection, looking, handles
        self._held: int | None = None

    def _state(self) -> tuple[Grip, Warp] | None:
        decal = self.selection.decal
        if self.looking.station != "artwork" or not self.handles.pulling or decal is None or decal[1].warp is None:
            return None
        grip = self.view.grip()
        return None if grip is None else (grip, decal[1].warp)

    def _near(self, point: F64) -> int | None:
        state = self._state()
        if state is None:
            return None
        far = np.linalg.norm(pulled_points(*state) - point, axis=1)
        return int(far.argmin()) if far.min() <= REACH else None

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if event.button() != Qt.MouseButton.LeftButton:
            return False
        self._held = self._near(point)
        if self._held is None:
            return False
        self.work.end_gesture()
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        state, decal = self._state(), self.selection.decal
        if state is None or decal is None or self._held is None:
            return
        warp = pulled_to(*state, self._held, point)
        if warp is not None:
            self.work.execute(SetPlace(decal[0].id, replace(decal[1], warp=warp)), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._held = None

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.PointingHandCursor if self._near(point) is not None else None

    def show(self) -> None:
        state = self._state()
        self.view.drawn.mesh = None
        if state is not None:
            grip, warp = state
            self.view.drawn.grip = None
            self.view.drawn.mesh = pulled_points(grip, warp).reshape(warp.rows, warp.columns, 2)
