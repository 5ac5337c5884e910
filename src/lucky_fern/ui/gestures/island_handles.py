"""Handles round the selected islands in the sheet view: move, scale, turn, with what comes of it shown at once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.layout.arrange import linear_part
from lucky_fern.core.project.helps import Guides
from lucky_fern.core.project.layouts import SnapTo, Transform
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.texels.guides import step_to
from lucky_fern.core.udim import tile_of
from lucky_fern.ui.gestures.gesture import Gesture, cursor_over
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.laying import Laying

_HELD = 6.0  # pixels from a guide
_SMALLEST = 0.02  # of the size before, that one drag can shrink to


class IslandHandles(Gesture):
    """A frame round the islands that have selected faces, as long as all of them are of one material."""

    def __init__(
        self, view: PlaneView, work: Work, looking: Looking, errands: Errands, faces: Faces, laying: Laying
    ) -> None:
        self.view = view
        self.work, self.looking, self.errands, self.faces, self.laying = work, looking, errands, faces, laying
        self._drag: IslandDrag | None = None
        self._key: tuple[object, bytes, bool] | None = None
        self._rows: Bool = np.zeros(0, np.bool_)
        self._one = False  # whether they are of one material
        self._box: F64 | None = None  # of those rows' UVs, once it is asked for

    def rows(self) -> Bool | None:
        """(T,) bool, all faces of the selected islands; None if they cannot be moved as one."""
        studio = self.work.studio
        if self.looking.station != "model" or studio is None or not self.faces.any:
            return None
        model = studio.model
        key = (model, self.faces.chosen.tobytes(), self.laying.alone)
        if self._key is None or self._key[0] is not model or self._key[1:] != key[1:]:
            numbers = np.unique(model.islands[self.faces.chosen])
            rows = self.faces.chosen & model.has_uv
            self._rows = rows if self.laying.alone else np.isin(model.islands, numbers[numbers >= 0])
            self._key, self._box = key, None
            self._one = bool(self._rows.any()) and np.ptp(model.material[self._rows]) == 0
        return self._rows if self._one else None

    def grip(self) -> Grip | None:
        """The frame on the screen; it follows what is being dragged."""
        rows, studio = self.rows(), self.work.studio
        if rows is None or studio is None:
            return None
        if self._drag is not None:
            return self._drag.grip_now()
        material = studio.model.materials[studio.model.material[rows][0]]
        if material not in self.view.tiles.origin:
            return None
        if self._box is None:
            flat = studio.model.uv[rows].reshape(-1, 2)
            self._box = np.array([[f(flat[:, k]) for k in range(2)] for f in (np.min, np.max)])
        ends = self.view.pixel_of(self.view.tiles.to_plane(material, self._box))
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
        material = studio.model.materials[studio.model.material[rows][0]]
        tile = np.floor(studio.model.uv[rows].mean(axis=(0, 1)))
        key = SheetKey(material, tile_of(int(tile[0]), int(tile[1])))
        size, snap = studio.project.size_of(key), self.laying.snap
        if snap is None and studio.project.is_pixel_art(key):
            snap = "texels"
        texels: F64 = np.array([size.width, size.height], np.float64)
        unit, scale = self.view.tiles.unit[material], self.view.camera.scale
        guides = studio.project.guides.get(str(key), Guides()) if self.looking.guides else Guides()
        ground = Ground(1.0 / scale, unit, texels, snap == "texels", guides, snap, self._to_uv(material))
        self._drag = IslandDrag(grip, handle, point, studio.model.uv, rows, ground, self.laying.alone)
        return True

    def _to_uv(self, material: str) -> Callable[[F64], F64]:
        view, tiles = self.view, self.view.tiles
        camera, width, height = view.camera, view.width(), view.height()

        def uv(pixel: F64) -> F64:
            plane = camera.to_plane(float(pixel[0]), float(pixel[1]), width, height)
            return np.asarray((plane - tiles.origin[material]) / tiles.unit[material])

        return uv

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
        self.laying.do(drag.transform(True), drag.rows, lambda: self.faces.show_preview(None))

    def show(self) -> None:
        if self.looking.station == "model":
            self.view.drawn.grip = self.grip()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self.grip()
        return cursor_over(None if grip is None else self._handle(grip, point))


@dataclass(frozen=True)
class Ground:
    """What a drag runs over: how long a pixel is, how wide and high a tile, in plane units; its (2,) texels."""

    pixel: float
    unit: F64
    texels: F64  # of the sheet, across and down
    whole: bool  # whether it goes by whole ones
    guides: Guides
    snap: SnapTo | None
    to_uv: Callable[[F64], F64]


class IslandDrag:
    """A drag of the frame or one of its handles, from where it began."""

    def __init__(
        self, grip: Grip, handle: str, start: F64, uv: F64, rows: Bool, ground: Ground, alone: bool = False
    ) -> None:
        self.grip, self.handle, self.start, self.rows = grip, handle, start, rows
        self._uv, self._ground, self._alone = uv, ground, alone
        flat = uv[rows].reshape(-1, 2)
        self._low, self._size = flat.min(axis=0), np.ptp(flat, axis=0)
        # Lengths are those of the plane, where texels are square.
        self._move, self._turn, self._grow = np.zeros(2), 0.0, np.ones(2)
        self._about = ground.to_uv(grip.centre)

    def follow(self, point: F64, shift: bool) -> None:
        """The pointer is at a pixel now; Shift frees the proportions, or turns in steps of 15 degrees."""
        if self.handle == "move":
            step = (point - self.start) * self._ground.pixel
            self._move = np.array([step[0], -step[1]])
            if shift:
                self._move[np.abs(self._move).argmin()] = 0.0
            self._move = self._onto_guides(self._whole(self._low, self._move))
            return
        if self.handle == "turn":
            before, now = self.start - self.grip.centre, point - self.grip.centre
            degrees = float(np.degrees(np.arctan2(before[1], before[0]) - np.arctan2(now[1], now[0])))
            self._turn = (degrees + 180.0) % 360.0 - 180.0
            if shift or self._ground.whole:
                by = 90.0 if self._ground.whole else 15.0
                self._turn = round(degrees / by) * by
            return
        kind, a, b = self.handle.split()
        sign = np.array([float(a), float(b)])
        self._about = self._ground.to_uv(self.grip.at(-sign[0], -sign[1]))
        size = np.array([float(np.linalg.norm(self.grip.half_x)), float(np.linalg.norm(self.grip.half_y))]) * 2
        pulled = (point - self.start) * (1.0, -1.0) * sign
        grow = np.maximum(1 + pulled / size, _SMALLEST)
        if kind == "corner" and not shift:
            grow[:] = max(1 + float((pulled * size).sum() / (size * size).sum()), _SMALLEST)
        self._grow = self._whole_sides(np.where(sign == 0, 1.0, grow))

    def _whole(self, low: F64, move: F64) -> F64:
        """A move that brings a corner onto a whole texel, where the drag goes by them."""
        texels, unit = self._ground.texels, self._ground.unit
        if not self._ground.whole:
            return move
        there = np.rint((low + move / unit) * texels) / texels
        return np.asarray((there - low) * unit)

    def _onto_guides(self, move: F64) -> F64:
        """A move that brings an edge or the middle onto a guide that is near."""
        ground = self._ground
        if not ground.guides.any:
            return move
        low = self._low + move / ground.unit
        inside = np.stack([low, low + self._size]) - np.floor(self._low + self._size / 2)
        box = np.stack([inside[:, 0] * ground.texels[0], (1 - inside[::-1, 1]) * ground.texels[1]], axis=1)
        step = step_to(box, ground.guides, _HELD * ground.pixel * float((ground.texels / ground.unit).max()))
        return np.asarray(move + step * (1, -1) / ground.texels * ground.unit)

    def _whole_sides(self, grow: F64) -> F64:
        """A scale that makes the frame a whole number of texels wide and high."""
        texels = self._ground.texels
        if not self._ground.whole:
            return grow
        before = np.maximum(self._size * texels, 1e-9)
        return np.where(grow == 1.0, 1.0, np.maximum(np.rint(before * grow), 1.0) / before)

    def transform(self, snapped: bool = False) -> Transform:
        """The edit that this drag means."""
        move = self._move / self._ground.unit
        return Transform(
            (float(move[0]), float(move[1])), self._turn, (float(self._grow[0]), float(self._grow[1])),
            (float(self._about[0]), float(self._about[1])), snap=self._ground.snap if snapped else None,
            alone=self._alone,
        )  # fmt: skip

    def uv_now(self) -> F64:
        """(T, 3, 2) UVs as they are dragged."""
        edit, uv, unit = self.transform(), self._uv.copy(), self._ground.unit
        turned = ((uv[self.rows] - self._about) * unit) @ linear_part(edit).T
        uv[self.rows] = turned / unit + self._about + edit.move
        return uv

    def grip_now(self) -> Grip:
        """The frame as it is dragged, on the screen."""
        matrix = linear_part(self.transform())
        flip = np.array([1.0, -1.0])
        about = self._pixel_of_about()

        def carried(offset: F64) -> F64:
            return np.asarray((matrix @ (offset * flip)) * flip)

        centre = about + carried(self.grip.centre - about) + self._move / self._ground.pixel * flip
        return Grip(centre, carried(self.grip.half_x), carried(self.grip.half_y))

    def _pixel_of_about(self) -> F64:
        if self.handle in ("move", "turn"):
            return self.grip.centre
        _, a, b = self.handle.split()
        return self.grip.at(-float(a), -float(b))
