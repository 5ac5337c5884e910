"""The selected decal under the pointer: moved, scaled and turned by its handles, in either view."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.pose import SMALLEST_SHARE
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.document import Decal
from lucky_fern.core.project.places import Along, Framed, place_height
from lucky_fern.ui.gesture import Gesture
from lucky_fern.ui.grip import GripDrag

if TYPE_CHECKING:
    from lucky_fern.ui.view import View


class DecalHandles(Gesture):
    """The Artwork station's. A press on another decal selects it and takes hold of it at once."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.desk = view.desk
        self._drag: GripDrag | None = None
        self._moving: tuple[Framed, F64] | None = None  # the place and where in it the pointer holds

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or self.desk.station != "artwork":
            return False
        if self._grab(point):
            return True
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            return False
        under = self._layer_at(point)
        if under is None:
            return False
        self.desk.select(under)
        return self._grab(point)

    def _layer_at(self, point: F64) -> int | None:
        """The topmost visible decal under a pixel."""
        project = self.desk.project
        for layer in reversed(list(project.walk()) if project is not None else []):
            if project is None or not layer.visible or not isinstance(layer.content, Decal):
                continue
            place = layer.content.place
            height = place_height(place, project.picture_size(layer.content.picture))
            grip = None if isinstance(place, Along) else self.view.grip_of(place, height)
            inner = None if grip is None else grip.coordinates(point)
            if inner is not None and (np.abs(inner) <= 1).all():
                return layer.id
        return None

    def _grab(self, point: F64) -> bool:
        grip, decal = self.view.grip(), self.desk.decal
        handle = None if grip is None else grip.grabbed(point)
        if grip is None or handle is None or decal is None or self.desk.studio is None:
            return False
        _, place, height = decal
        self.desk.end_gesture()
        if handle == "move":
            self._moving = (place, point - grip.centre)
        else:
            smallest = self.desk.studio.model.diagonal * SMALLEST_SHARE
            self._drag = GripDrag(grip, handle, point, place, height, smallest)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        decal = self.desk.decal
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if decal is None:
            return
        place: Framed | None = None
        if self._drag is not None:
            place = self._drag.place_at(point, free=shift, stepped=shift)
        elif self._moving is not None:
            place = self.view.moved(decal[1], point - self._moving[1])
        if place is not None:
            self.desk.execute(SetPlace(decal[0].id, place), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._drag = self._moving = None

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self.view.grip() if self.desk.station == "artwork" else None
        handle = None if grip is None else grip.grabbed(point)
        if handle is None:
            return None
        return Qt.CursorShape.SizeAllCursor if handle == "move" else Qt.CursorShape.PointingHandCursor

    def show(self) -> None:
        if self.desk.station == "artwork":
            self.view.overlay.grip = self.view.grip()
