"""Handles of one map's picture, put right against the layer's other maps: dragged and scaled on the sheets."""

from __future__ import annotations

from typing import Any, cast

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.pose import SMALLEST_SHARE
from lucky_fern.core.project.commands import SetChannel
from lucky_fern.core.project.document import Channel, Layer
from lucky_fern.core.project.places import Lay, place_height
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.gestures.gesture import Gesture, cursor_over
from lucky_fern.ui.gestures.grip import Grip, GripDrag
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.handles import Handles

_LEAST, _MOST = 1e-3, 1e3  # times as large as on the other maps


class MapHandles(Gesture):
    """At work while ``Handles.moved_map`` names a map that the selected layer takes from a picture."""

    def __init__(self, view: PlaneView, work: Work, selection: Selection, handles: Handles) -> None:
        self.view, self.work, self.selection, self.handles = view, work, selection, handles
        self._drag: GripDrag | None = None
        self._moving: tuple[Lay, F64] | None = None
        self._of: int | None = None
        handles.changed.connect(self._note)
        selection.changed.connect(self._forget)

    def _note(self) -> None:
        self._of = self.selection.selected if self.handles.moved_map is not None else None
        self.view.refresh()

    def _forget(self) -> None:
        """Another layer is selected: its maps have no handles yet."""
        if self.handles.moved_map is not None and self.selection.selected != self._of:
            self.handles.show_moved(None)

    def _found(self) -> tuple[Layer, str, Channel, Lay] | None:
        """The layer, the map, its channel, and where the picture would lie if it lay as on the other maps."""
        layer, name = self.selection.layer, self.handles.moved_map
        channel = None if layer is None or name is None else layer.channels.get(name)
        if layer is None or name is None or channel is None or not channel.pictured:
            return None
        base = self._base(layer)
        return None if base is None else (layer, name, channel, base)

    def _base(self, layer: Layer) -> Lay | None:
        content: Any = layer.content
        if content.place is not None:
            return None if content.place.on_surface else cast(Lay, content.place)
        if content.by != "uv":
            return None
        key = next((key for key in self.view.tiles.keys if layer.scope.holds_sheet(key)), None)
        if key is None:
            return None
        wide, high = (1 / abs(times) for times in content.repeat)  # one of its pictures
        u, v = corner_of(key.tile)
        centre = (u + content.offset[0] + wide / 2, v + content.offset[1] + high / 2)
        return Lay(key.material, key.tile, centre, wide, high)

    def _lying(self, layer: Layer, channel: Channel, base: Lay) -> tuple[Lay, float]:
        """Where it lies now, and its height."""
        high = base.height
        if high is None:
            project, placed = self.work.project, layer.content.placed
            assert project is not None and placed is not None
            high = place_height(base, project.picture_size(channel.picture or placed[0]))
        return self._put(layer, base, high, channel.shift, channel.scale), high * channel.scale

    @staticmethod
    def _put(layer: Layer, base: Lay, high: float, shift: tuple[float, float], scale: float) -> Lay:
        (u, v), wide = base.centre, base.width
        if layer.content.everywhere:  # it grows about its lower left corner
            u, v = u + wide * (scale - 1) / 2, v + high * (scale - 1) / 2
        return replace(base, centre=(u + shift[0], v + shift[1]), width=wide * scale, height=high * scale)

    def _grip(self) -> Grip | None:
        found = self._found()
        if found is None:
            return None
        layer, _, channel, base = found
        return self.view.grip_of(*self._lying(layer, channel, base))

    def press(self, point: F64, event: QMouseEvent) -> bool:
        found, grip = self._found(), self._grip()
        handle = None if grip is None else grip.grabbed(point)
        if event.button() != Qt.MouseButton.LeftButton or found is None or grip is None or handle in (None, "turn"):
            return False
        layer, _, channel, base = found
        place, high = self._lying(layer, channel, base)
        self.work.end_gesture()
        if handle == "move":
            self._moving = (place, point - grip.centre)
        else:
            assert self.work.studio is not None and handle is not None
            smallest = self.work.studio.model.diagonal * SMALLEST_SHARE
            self._drag = GripDrag(grip, handle, point, place, high, smallest)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        found = self._found()
        if found is None:
            return
        layer, name, channel, base = found
        place: Any = None
        if self._drag is not None:
            place = self._drag.place_at(point, free=False, stepped=False)
        elif self._moving is not None:
            place = self.view.moved(self._moving[0], point - self._moving[1])
        if place is None or place.on_surface:
            return
        scale = min(max(round(place.width / base.width, 4), _LEAST), _MOST)
        _, high = self._lying(layer, channel, base)
        still = self._put(layer, base, high / channel.scale, (0.0, 0.0), scale)
        shift = tuple(round(now - then, 5) for now, then in zip(place.centre, still.centre, strict=True))
        changed = replace(channel, shift=(shift[0], shift[1]), scale=scale)
        self.work.execute(SetChannel(layer.id, name, changed), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._drag = self._moving = None
        self.work.end_gesture()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self._grip()
        return cursor_over(None if grip is None else grip.grabbed(point))

    def show(self) -> None:
        if self._found() is not None:
            self.view.drawn.grip = self._grip()
