"""The boxes of sheets that are on loan, and the one that is drawn to go out next."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.loans import Box
from lucky_fern.core.sheets.grid import Extent, SheetKey, to_texels
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.gestures.rectangle_drag import RectangleDrag
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.lending import Lending
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr


class LoanBox(RectangleDrag):
    """Armed for one drag."""

    def __init__(self, view: PlaneView, work: Work, lending: Lending) -> None:
        super().__init__(view, work)
        self.lending = lending
        lending.changed.connect(view.refresh)

    @property
    def armed(self) -> bool:
        return self.lending.drawing

    def disarm(self) -> None:
        self.lending.draw_box(False)

    def drawn(self, key: SheetKey, low: F64, high: F64, event: QMouseEvent) -> None:
        assert self.work.project is not None
        size = self.work.project.size_of(key)
        ends = to_texels(np.stack([low, high]) - corner_of(key.tile), size)
        self.lending.choose(key, size.box_round(ends.min(axis=0), ends.max(axis=0)))

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

    def _outline(self, key: SheetKey, box: Box, size: Extent, title: str) -> list[tuple[F64, str]]:
        if key not in self.view.tiles.keys:
            return []
        left, upper, right, lower = np.array(box) / ([size.width, size.height] * 2)
        uv = np.array([(left, 1 - upper), (right, 1 - upper), (right, 1 - lower), (left, 1 - lower)])
        plane = self.view.tiles.to_plane(key.material, uv + corner_of(key.tile))
        return [(self.view.pixel_of(plane), title)]
