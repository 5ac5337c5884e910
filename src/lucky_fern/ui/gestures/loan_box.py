"""The boxes of sheets that are on loan, and the one that is drawn to go out next."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.loans import Box
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.lending import Lending
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_LEAST = 3  # pixels that a box is wide and high


class LoanBox(Gesture):
    """Armed for one drag."""

    def __init__(self, view: PlaneView, work: Work, lending: Lending) -> None:
        self.view, self.work, self.lending = view, work, lending
        self._start: F64 | None = None
        lending.changed.connect(view.refresh)

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self.lending.drawing or event.button() != Qt.MouseButton.LeftButton:
            return False
        self._start = point
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        if self._start is not None:
            (x0, y0), (x1, y1) = self._start, point
            self.view.drawn.outline = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
            self.view.redraw()

    def release(self, point: F64, event: QMouseEvent) -> None:
        start, self._start = self._start, None
        self.view.drawn.outline = None
        if start is None or np.abs(point - start).min() < _LEAST:
            self.work.warn(tr("That box is too small; draw it over the texels that are to go out."))
            return
        key = self.view.tiles.sheet_at(self.view.plane_at((start + point) / 2))
        if key is None or self.work.project is None:
            self.work.warn(tr("Draw the box on one of the sheets."))
            return
        size = self.work.project.size_of(key)
        ends = np.stack([self.view.tiles.to_uv(key, self.view.plane_at(end)) for end in (start, point)])
        low, high = (ends - corner_of(key.tile)).min(axis=0) * size, (ends - corner_of(key.tile)).max(axis=0) * size
        left, right = max(int(np.floor(low[0])), 0), min(int(np.ceil(high[0])), size)
        upper, lower = max(int(np.floor(size - high[1])), 0), min(int(np.ceil(size - low[1])), size)
        self.lending.choose(key, (left, upper, max(right, left + 1), max(lower, upper + 1)))

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return Qt.CursorShape.CrossCursor if self.lending.drawing else None

    def show(self) -> None:
        """Outlines of what is out, and of what is to go."""
        project = self.work.project
        found: list[tuple[F64, str]] = []
        if project is not None:
            for name, loan in project.loans.items():
                material, _, tile = loan.sheet.rpartition(":")
                key = SheetKey(material, int(tile))
                found += self._outline(key, loan.box, loan.size, tr("on loan: {name}", name=name))
            if self.lending.key is not None and self.lending.box is not None:
                size = project.size_of(self.lending.key)
                found += self._outline(self.lending.key, self.lending.box, size, tr("to go out"))
        self.view.drawn.loans = found

    def _outline(self, key: SheetKey, box: Box, size: int, title: str) -> list[tuple[F64, str]]:
        if key not in self.view.tiles.keys:
            return []
        left, upper, right, lower = (number / size for number in box)
        uv = np.array([(left, 1 - upper), (right, 1 - upper), (right, 1 - lower), (left, 1 - lower)])
        plane = self.view.tiles.to_plane(key.material, uv + corner_of(key.tile))
        return [(self.view.pixel_of(plane), title)]
