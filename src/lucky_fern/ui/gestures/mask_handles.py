"""Handles of a picture that lies in a mask: moved, scaled and turned in either view, as a decal is."""

from __future__ import annotations

from typing import Any, cast

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.pose import SMALLEST_SHARE
from lucky_fern.core.project.commands import SetMaskEntry
from lucky_fern.core.project.places import Framed, place_height
from lucky_fern.core.project.shapes import MaskEntry
from lucky_fern.ui.gestures.gesture import Gesture, cursor_over
from lucky_fern.ui.gestures.grip import Grip, GripDrag
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.handles import Handles


class MaskHandles(Gesture):
    """At work while ``Handles.mask_entry`` names an entry of the selected layer's mask."""

    def __init__(self, view: SurfaceView, work: Work, selection: Selection, handles: Handles) -> None:
        self.view = view
        self.work, self.selection, self.handles = work, selection, handles
        self._drag: GripDrag | None = None
        self._moving: tuple[Framed, F64] | None = None

    def _entry(self) -> tuple[int, int, MaskEntry, Framed, float] | None:
        """Mask, number of the entry, the entry, its place and its height."""
        layer, project, at = self.selection.layer, self.work.project, self.handles.mask_entry
        if layer is None or project is None or layer.mask is None or at is None:
            return None
        entries = project.masks[layer.mask].entries
        shape: Any = entries[at].shape if at < len(entries) else None
        if shape is None or not isinstance(shape.place, Framed):
            return None
        height = place_height(shape.place, project.picture_size(shape.picture))
        return layer.mask, at, entries[at], shape.place, height

    def _grip(self) -> Grip | None:
        found = self._entry()
        return None if found is None else self.view.grip_of(found[3], found[4])

    def press(self, point: F64, event: QMouseEvent) -> bool:
        found, grip = self._entry(), self._grip()
        handle = None if grip is None else grip.grabbed(point)
        if event.button() != Qt.MouseButton.LeftButton or found is None or grip is None or handle is None:
            return False
        self.work.end_gesture()
        if handle == "move":
            self._moving = (found[3], point - grip.centre)
        else:
            assert self.work.studio is not None
            smallest = self.work.studio.model.diagonal * SMALLEST_SHARE
            self._drag = GripDrag(grip, handle, point, found[3], found[4], smallest)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        found = self._entry()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if found is None:
            return
        place: Framed | None = None
        if self._drag is not None:
            place = self._drag.place_at(point, free=shift, stepped=shift)
        elif self._moving is not None:
            place = self.view.moved(self._moving[0], point - self._moving[1])
        mask, at, entry, _, _ = found
        if place is not None:
            shape = replace(cast(Any, entry.shape), place=place)
            self.work.execute(SetMaskEntry(mask, at, replace(entry, shape=shape)), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._drag = self._moving = None

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self._grip()
        return cursor_over(None if grip is None else grip.grabbed(point))

    def show(self) -> None:
        if self.handles.mask_entry is not None:
            self.view.drawn.grip = self._grip()
