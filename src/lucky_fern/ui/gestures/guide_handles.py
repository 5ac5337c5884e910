"""Guides in the sheet view: dragged where they stand, off the sheet to be gone, or out of its border to be made."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.commands import SetGuides
from lucky_fern.core.project.helps import Guides
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work

_NEAR = 4.0  # pixels
_WAYS = ("upright", "level")
Grabbed = tuple[SheetKey, str, int]  # a sheet, the way of a guide, and its number


class GuideHandles(Gesture):
    """While guides are shown, at the stations where things are laid."""

    def __init__(self, view: PlaneView, work: Work, looking: Looking) -> None:
        self.view, self.work, self.looking = view, work, looking
        self._held: Grabbed | None = None
        looking.guides_changed.connect(view.refresh)

    @property
    def _active(self) -> bool:
        return self.looking.guides and self.looking.station in ("model", "artwork") and self.work.project is not None

    def _place(self, key: SheetKey, point: F64) -> F64:
        """(2,) the column and row of a sheet, not only on it, at a pixel."""
        assert self.work.project is not None
        size = self.work.project.size_of(key)
        u, v = self.view.tiles.to_uv(key, self.view.plane_at(point)) - corner_of(key.tile)
        return np.array([u * size.width, (1 - v) * size.height])

    def _texel(self, key: SheetKey) -> F64:
        """(2,) how many pixels a texel has."""
        assert self.work.project is not None
        size = self.work.project.size_of(key)
        return self.view.tiles.unit[key.material] * self.view.camera.scale / [size.width, size.height]

    def _grabbed(self, point: F64) -> Grabbed | None:
        project = self.work.project
        for key in self.view.tiles.keys if project is not None else ():
            guides = project.guides.get(str(key)) if project is not None else None
            if guides is None or project is None:
                continue
            size, place, texel = project.size_of(key), self._place(key, point), self._texel(key)
            if (place < -_NEAR / texel).any() or (place > [size.width, size.height] + _NEAR / texel).any():
                continue
            for axis, way in enumerate(_WAYS):
                for number, line in enumerate(getattr(guides, way)):
                    if abs(place[axis] - line) * texel[axis] <= _NEAR:
                        return key, way, number
        return None

    def _border(self, point: F64) -> tuple[SheetKey, str] | None:
        """The sheet out of whose left or upper border a guide is drawn at a pixel."""
        project = self.work.project
        for key in self.view.tiles.keys if project is not None else ():
            assert project is not None
            size, place, texel = project.size_of(key), self._place(key, point), self._texel(key)
            within = (place >= 0) & (place <= [size.width, size.height])
            for axis, way in enumerate(_WAYS):
                if -2 * _NEAR <= place[axis] * texel[axis] < 0 and within[1 - axis]:
                    return key, way
        return None

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self._active or event.button() != Qt.MouseButton.LeftButton:
            return False
        self._held = self._grabbed(point)
        border = self._border(point) if self._held is None else None
        if border is not None and self.work.project is not None:
            key, way = border
            guides = self.work.project.guides.get(str(key), Guides())
            lines = (*getattr(guides, way), 0.0)
            self.work.end_gesture()
            self.work.execute(SetGuides(str(key), replace(guides, **{way: lines})))
            self._held = key, way, len(lines) - 1
        elif self._held is not None:
            self.work.end_gesture()
        return self._held is not None

    def move(self, point: F64, event: QMouseEvent) -> None:
        project = self.work.project
        if self._held is None or project is None:
            return
        key, way, number = self._held
        guides, axis = project.guides.get(str(key), Guides()), _WAYS.index(way)
        lines = list(getattr(guides, way))
        if number < len(lines):
            place = float(self._place(key, point)[axis])
            # Half texels, so that a middle can be marked; with Alt anywhere.
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            lines[number] = round(place, 3) if free else round(place * 2) / 2
            self.work.execute(SetGuides(str(key), replace(guides, **{way: tuple(lines)})), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        held, self._held = self._held, None
        project = self.work.project
        if held is None or project is None:
            return
        key, way, number = held
        guides, size = project.guides.get(str(key), Guides()), project.size_of(key)
        lines = getattr(guides, way)
        if number < len(lines) and not 0 <= lines[number] <= (size.width, size.height)[_WAYS.index(way)]:
            kept = lines[:number] + lines[number + 1 :]
            self.work.execute(SetGuides(str(key), replace(guides, **{way: kept})), merge=True)
        self.work.end_gesture()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if not self._active:
            return None
        found = self._grabbed(point) or self._border(point)
        if found is None:
            return None
        return Qt.CursorShape.SplitHCursor if found[1] == "upright" else Qt.CursorShape.SplitVCursor

    def show(self) -> None:
        project, lines = self.work.project, []
        for name, guides in project.guides.items() if project is not None and self.looking.guides else ():
            key = next((one for one in self.view.tiles.keys if str(one) == name), None)
            if key is not None and project is not None:
                for ends in _ends(guides, project.size_of(key)):
                    line = self.view.line_on(key, ends)
                    if line is not None:
                        lines.append(line)
        self.view.drawn.guides = lines


def _ends(guides: Guides, size: Extent) -> list[F64]:
    """(2, 2) each: where guides begin and end, as (u, v) on the tile."""
    upright = [np.array([(at / size.width, 0.0), (at / size.width, 1.0)]) for at in guides.upright]
    return upright + [np.array([(0.0, 1 - at / size.height), (1.0, 1 - at / size.height)]) for at in guides.level]
