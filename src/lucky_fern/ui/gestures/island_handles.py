"""Handles round the selected islands in the sheet view: move, scale, turn, with what comes of it shown at once."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.layout.arrange import linear_part
from lucky_fern.core.project.layouts import SnapTo, Transform
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.laying import Laying

_SMALLEST = 0.02  # of the size before, that one drag can shrink to


class IslandHandles(Gesture):
    """A frame round the islands that have selected faces, as long as all of them are of one material."""

    def __init__(
        self, view: PlaneView, work: Work, looking: Looking, errands: Errands, faces: Faces, laying: Laying
    ) -> None:
        self.view = view
        self.work, self.looking, self.errands, self.faces, self.laying = work, looking, errands, faces, laying
        self._drag: IslandDrag | None = None
        self._key: tuple[object, bytes] | None = None
        self._rows: Bool = np.zeros(0, np.bool_)
        self._one = False  # whether they are of one material
        self._box: F64 | None = None  # of those rows' UVs, once it is asked for

    def rows(self) -> Bool | None:
        """(T,) bool, all faces of the selected islands; None if they cannot be moved as one."""
        studio = self.work.studio
        if self.looking.station != "model" or studio is None or not self.faces.any:
            return None
        model = studio.model
        key = (model, self.faces.chosen.tobytes())
        if self._key is None or self._key[0] is not model or self._key[1] != key[1]:
            numbers = np.unique(model.islands[self.faces.chosen])
            self._key, self._rows, self._box = key, np.isin(model.islands, numbers[numbers >= 0]), None
            self._one = bool(self._rows.any()) and np.ptp(model.material[self._rows]) == 0
        return self._rows if self._one else None

    def grip(self) -> Grip | None:
        """The frame on the screen; it follows what is being dragged."""
        rows, studio = self.rows(), self.work.studio
        if rows is None or studio is None:
            return None
        if self._drag is not None:
            return self._drag.grip_now()
        origin = self.view.tiles.origin.get(studio.model.materials[studio.model.material[rows][0]])
        if origin is None:
            return None
        if self._box is None:
            flat = studio.model.uv[rows].reshape(-1, 2)
            self._box = np.array([[f(flat[:, k]) for k in range(2)] for f in (np.min, np.max)])
        ends = self.view.camera.to_screen(self._box + origin, self.view.width(), self.view.height())
        half = np.maximum(np.abs(ends[1] - ends[0]) / 2, 0.5)
        return Grip(ends.mean(axis=0), np.array([half[0], 0.0]), np.array([0.0, -half[1]]))

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        grip, rows, studio = self.grip(), self.rows(), self.work.studio
        if grip is None or rows is None or studio is None or self.errands.busy:
            return False
        handle = self._handle(grip, point)
        if handle is None:
            return False
        scale = self.view.camera.scale
        origin = self.view.tiles.origin[studio.model.materials[studio.model.material[rows][0]]]
        self._drag = IslandDrag(grip, handle, point, scale, studio.model.uv, rows, self._to_uv(origin))
        return True

    def _to_uv(self, origin: F64) -> Callable[[F64], F64]:
        view = self.view
        camera, width, height = view.camera, view.width(), view.height()
        return lambda pixel: camera.to_plane(float(pixel[0]), float(pixel[1]), width, height) - origin

    def _handle(self, grip: Grip, point: F64) -> str | None:
        """What is grabbed; inside the frame only what is selected itself, so that a click can select others."""
        handle = grip.grabbed(point)
        if handle != "move":
            return handle
        face, rows = self.view.face_at(point), self.rows()
        if self.faces.tool != "pick" or face is None or rows is None or not rows[face]:
            return None
        return "move"

    def move(self, point: F64, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag.follow(point, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            self.faces.show_preview(self._drag.uv_now())

    def release(self, point: F64, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, None
        if drag is None:
            return
        if float(np.abs(point - drag.start).max()) < 2.0:
            self.faces.show_preview(None)
            if drag.handle == "move":  # it was a click after all
                self.faces.click(self.view.face_at(point), "new")
            return
        laying = self.laying
        edit = drag.transform(laying.snap)
        laying.do(edit, drag.rows, lambda: self.faces.show_preview(None))

    def show(self) -> None:
        if self.looking.station == "model":
            self.view.drawn.grip = self.grip()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self.grip()
        handle = None if grip is None else self._handle(grip, point)
        if handle is None:
            return None
        return Qt.CursorShape.SizeAllCursor if handle == "move" else Qt.CursorShape.PointingHandCursor


class IslandDrag:
    """A drag of the frame or one of its handles, from where it began."""

    def __init__(
        self, grip: Grip, handle: str, start: F64, scale: float, uv: F64, rows: Bool, to_uv: Callable[[F64], F64]
    ) -> None:
        self.grip, self.handle, self.start, self.rows = grip, handle, start, rows
        self._uv, self._to_uv, self._tiles = uv, to_uv, 1.0 / scale
        self._move, self._turn, self._grow = np.zeros(2), 0.0, np.ones(2)
        self._about = to_uv(grip.centre)

    def follow(self, point: F64, shift: bool) -> None:
        """The pointer is at a pixel now; Shift frees the proportions, or turns in steps of 15 degrees."""
        if self.handle == "move":
            step = (point - self.start) * self._tiles
            self._move = np.array([step[0], -step[1]])
            if shift:
                self._move[np.abs(self._move).argmin()] = 0.0
            return
        if self.handle == "turn":
            before, now = self.start - self.grip.centre, point - self.grip.centre
            degrees = float(np.degrees(np.arctan2(before[1], before[0]) - np.arctan2(now[1], now[0])))
            self._turn = round(degrees / 15.0) * 15.0 if shift else (degrees + 180.0) % 360.0 - 180.0
            return
        kind, a, b = self.handle.split()
        sign = np.array([float(a), float(b)])
        anchor = self.grip.at(-sign[0], -sign[1])
        self._about = self._to_uv(anchor)
        size = np.array([float(np.linalg.norm(self.grip.half_x)), float(np.linalg.norm(self.grip.half_y))]) * 2
        pulled = (point - self.start) * (1.0, -1.0) * sign
        grow = np.maximum(1 + pulled / size, _SMALLEST)
        if kind == "corner" and not shift:
            grow[:] = max(1 + float((pulled * size).sum() / (size * size).sum()), _SMALLEST)
        self._grow = np.where(sign == 0, 1.0, grow)

    def transform(self, snap: SnapTo | None = None) -> Transform:
        """The edit that this drag means."""
        return Transform(
            (float(self._move[0]), float(self._move[1])), self._turn, (float(self._grow[0]), float(self._grow[1])),
            (float(self._about[0]), float(self._about[1])), snap=snap,
        )  # fmt: skip

    def uv_now(self) -> F64:
        """(T, 3, 2) UVs as they are dragged."""
        edit, uv = self.transform(), self._uv.copy()
        uv[self.rows] = (uv[self.rows] - self._about) @ linear_part(edit).T + self._about + edit.move
        return uv

    def grip_now(self) -> Grip:
        """The frame as it is dragged, on the screen."""
        matrix = linear_part(self.transform())
        flip = np.array([1.0, -1.0])
        about = self._pixel_of_about()

        def carried(offset: F64) -> F64:
            return np.asarray((matrix @ (offset * flip)) * flip)

        centre = about + carried(self.grip.centre - about) + self._move / self._tiles * flip
        return Grip(centre, carried(self.grip.half_x), carried(self.grip.half_y))

    def _pixel_of_about(self) -> F64:
        if self.handle in ("move", "turn"):
            return self.grip.centre
        _, a, b = self.handle.split()
        return self.grip.at(-float(a), -float(b))
