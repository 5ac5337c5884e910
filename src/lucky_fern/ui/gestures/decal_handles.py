"""The selected decal under the pointer: moved, scaled and turned by its handles, in either view."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, cast

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.compositing.sources import triangles_in
from lucky_fern.core.placing.box import reach_lines
from lucky_fern.core.placing.pose import SMALLEST_SHARE, move_to, nudged
from lucky_fern.core.placing.snap import in_line, snapped_hit, squared_up
from lucky_fern.core.placing.under import rim_of
from lucky_fern.core.placing.whole_texels import on_whole_texels
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import Framed, Throw, place_height
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.texels.guides import step_to
from lucky_fern.ui.gestures.gesture import Gesture, cursor_over
from lucky_fern.ui.gestures.grip import GripDrag
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.handles import Handles
from lucky_fern.ui.tools.sliding import Sliding
from lucky_fern.words import tr

_SNAP = 8.0  # pixels
_SQUARE = 3.0  # degrees


def _held_off(event: QMouseEvent) -> bool:
    """Alt lets go of everything that a decal would snap to."""
    return bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)


class DecalHandles(Gesture):
    """The Artwork station's. A press on another decal selects it and takes hold of it at once."""

    def __init__(
        self,
        view: SurfaceView,
        work: Work,
        selection: Selection,
        looking: Looking,
        faces: Faces,
        handles: Handles,
        sliding: Sliding,
    ) -> None:
        self.view = view
        self.work, self.selection, self.looking, self.faces, self.handles, self.sliding = (
            work,
            selection,
            looking,
            faces,
            handles,
            sliding,
        )
        self._drag: GripDrag | None = None
        self._moving: tuple[Framed, F64] | None = None  # the place and where in it the pointer holds

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or self.looking.station != "artwork" or self.sliding.up:
            return False
        if self._grab(point):
            return True
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            return False
        under = self._layer_at(point)
        if under is None:
            return False
        self.selection.select(under)
        return self._grab(point)

    def _layer_at(self, point: F64) -> int | None:
        """The topmost visible decal under a pixel."""
        project = self.work.project
        for layer in reversed(list(project.walk()) if project is not None else []):
            if project is None or not layer.visible or layer.content.place is None:
                continue
            place = layer.content.place
            height = place_height(place, project.picture_size(layer.content.picture))
            grip = self.view.grip_of(place, height) if isinstance(place, Framed) else None
            inner = None if grip is None else grip.coordinates(point)
            if inner is not None and (np.abs(inner) <= 1).all():
                return layer.id
        return None

    def _grab(self, point: F64) -> bool:
        grip, decal = self.view.grip(), self.selection.decal
        handle = None if grip is None else grip.grabbed(point)
        if grip is None or handle is None or decal is None or self.work.studio is None:
            return False
        if handle != "move" and self._pulled():
            return False
        _, place, height = decal
        self.work.end_gesture()
        if handle == "move":
            self._moving = (place, point - grip.centre)
        else:
            smallest = self.work.studio.model.diagonal * SMALLEST_SHARE
            self._drag = GripDrag(grip, handle, point, place, height, smallest)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        decal = self.selection.decal
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if decal is None:
            return
        place: Framed | None = None
        if self._drag is not None:
            place = self._drag.place_at(point, free=shift, stepped=shift)
            if self._drag.handle == "turn" and not _held_off(event):
                place = squared_up(place, _SQUARE)
        elif self._moving is not None:
            place = self._moved_to(point - self._moving[1], event)
        if place is not None:
            if not _held_off(event):
                place = self._exact(place)
            self.work.execute(SetPlace(decal[0].id, place), merge=True)

    def _exact(self, place: Any) -> Any:
        """On pixel art: in quarter turns and whole texels; moved, on guides that are near."""
        project, decal = self.work.project, self.selection.decal
        if project is None or decal is None or place.on_surface:
            return place
        key, content = SheetKey(place.material, place.tile), decal[0].content
        size, picture = project.size_of(key), project.picture_size(content.picture)
        if project.is_pixel_art(key):
            place = on_whole_texels(place, size, picture)
        guides = project.guides.get(str(key))
        outline = self.view.grip_of(place, place_height(place, picture)) if self._moving is not None else None
        if guides is None or outline is None or not self.looking.guides:
            return place
        places = [self.view.sheet_at(corner) for corner in outline.outline]
        if any(found is None or found[0] != key for found in places):
            return place
        uv = np.array([found[1] for found in places if found is not None])
        texels = np.stack([uv[:, 0] * size.width, (1 - uv[:, 1]) * size.height], axis=1)
        pixels = float(np.ptp(outline.outline, axis=0).max()) / max(float(np.ptp(texels, axis=0).max()), 1e-9)
        step = step_to(np.stack([texels.min(axis=0), texels.max(axis=0)]), guides, _SNAP / max(pixels, 1e-9))
        u, v = place.centre
        return replace(place, centre=(u + float(step[0]) / size.width, v - float(step[1]) / size.height))

    def _moved_to(self, point: F64, event: QMouseEvent) -> Framed | None:
        """The decal with its middle under a pixel, or where near by it would rather lie."""
        decal, studio = self.selection.decal, self.work.studio
        assert decal is not None and studio is not None
        layer, place, height = decal
        self.view.drawn.hint_line = ""
        moved = self.view.moved(place, point)
        hit = self.view.surface_at(point)
        if moved is None or hit is None or not moved.on_surface or _held_off(event):
            return moved
        within = self.view.length_of(_SNAP, hit)
        snapped = snapped_hit(studio.model, hit, within, self.faces.chosen)
        if snapped.to:
            self.view.drawn.hint_line = tr("on the {to}", to=snapped.to)
            return move_to(studio.surface, place, snapped.hit)
        lined, words = in_line(studio.surface, cast(Any, moved), height, self._others(layer.id), within)
        if words:
            self.view.drawn.hint_line = tr("in line with the {words}", words=words[0])
        return lined

    def _others(self, but: int) -> Iterator[tuple[Place, float]]:
        """The visible decals beside one, with their heights."""
        project = self.work.project
        for layer in project.walk() if project is not None else ():
            if project is not None and layer.id != but and layer.visible and layer.content.place is not None:
                place = layer.content.place
                yield place, place_height(place, project.picture_size(layer.content.picture))

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._drag = self._moving = None
        self.view.drawn.hint_line = ""
        self.view.redraw()

    def nudge(self, step: tuple[int, int], event: QKeyEvent) -> bool:
        """By a texel (Shift: by ten); with Ctrl the arrow keys are the view's."""
        decal, studio = self.selection.decal, self.work.studio
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if ctrl or decal is None or studio is None or self.looking.station != "artwork":
            return False
        far = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        layer, place, height = decal
        # On a sheet along u and v, on the model along the decal's own right and up.
        new = nudged(studio.surface, studio.project, place, height, np.array(step) * far, not self.view.flat)
        return new == place or self.work.execute(SetPlace(layer.id, new), merge=event.isAutoRepeat())

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self.view.grip() if self.looking.station == "artwork" else None
        return cursor_over(None if grip is None else grip.grabbed(point))

    def _show_reach(self) -> None:
        """The space that a throw reaches, in the model view."""
        decal, drawn = self.selection.decal, self.view.drawn
        drawn.box = []
        studio = self.work.studio
        if self.faces.stretch_shown and decal is not None and studio is not None:
            # With the stretch goes the picture's edge as it really lies: broken where it finds no surface.
            chosen = triangles_in(studio.project, decal[0].scope)
            placed = None if not decal[1].on_surface else studio.sources.pose(decal[1], decal[2], chosen)
            rims = [self.view.line_through(line) for line in rim_of(studio.surface, decal[1], decal[2], placed)]
            drawn.box += [line for line in rims if line is not None]
        if self.handles.reach_shown and decal is not None and decal[1].straight:
            drawn.box += [line for line in map(self.view.line_through, reach_lines(cast(Throw, decal[1]), decal[2]))
                           if line is not None]  # fmt: skip

    def _pulled(self) -> bool:
        """Whether the points of its warp are shown instead of its own handles."""
        decal = self.selection.decal
        return self.handles.pulling and decal is not None and decal[1].warp is not None

    def show(self) -> None:
        self._show_reach()
        busy = (
            self._pulled()
            or self.sliding.up
            or self.handles.mask_entry is not None
            or self.handles.moved_map is not None
        )
        if self.looking.station == "artwork" and not busy:
            self.view.drawn.grip = self.view.grip()
