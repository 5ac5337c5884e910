"""Clicking on parts, materials, tiles or islands to say where the selected layers show."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.commands import SetLayer
from lucky_fern.core.project.document import Layer
from lucky_fern.core.sheets.picking import SurfaceHit, sheet_of
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.handles import Handles
from lucky_fern.words import tr


class ScopePicker(Gesture):
    """Armed with a kind; each click adds what is under the pointer, or takes it out again."""

    def __init__(self, view: SurfaceView, work: Work, selection: Selection, handles: Handles) -> None:
        self.view = view
        self.work, self.selection, self.handles = work, selection, handles

    @property
    def draws(self) -> bool:
        return self.handles.scope_kind is not None

    def press(self, point: F64, event: QMouseEvent) -> bool:
        kind = self.handles.scope_kind
        if kind is None or event.button() != Qt.MouseButton.LeftButton:
            return False
        hit = self.view.surface_at(point)
        item = None if hit is None else self._named(kind, hit)
        if item is None:
            self.work.said.emit(tr("There is nothing there to choose."), True)
            return True

        def make(layer: Layer) -> SetLayer:
            chosen = list(getattr(layer.scope, kind) or ())
            chosen = [one for one in chosen if one != item] if item in chosen else [*chosen, item]
            return SetLayer(layer.id, scope=replace(layer.scope, **{kind: tuple(chosen) or None}))

        self.selection.execute_each(make)
        return True

    def _named(self, kind: str, hit: SurfaceHit) -> Any:
        studio = self.work.studio
        if studio is None:
            return None
        model = studio.model
        if kind == "materials":
            return model.materials[model.material[hit.triangle]]
        if kind == "parts":
            return model.parts[model.part[hit.triangle]]
        if kind == "islands":
            number = int(model.islands[hit.triangle])
            return number if number >= 0 else None
        key = sheet_of(studio.surface, hit)
        return None if key is None else key.tile

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.PointingHandCursor if self.handles.scope_kind is not None else None
