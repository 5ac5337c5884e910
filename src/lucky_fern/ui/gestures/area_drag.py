"""A rectangle of texels chosen on a sheet at the Model station: an area that copies take texels from, what is cut."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.sheets.grid import SheetKey, to_texels
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.gestures.face_picker import how_of
from lucky_fern.ui.gestures.rectangle_drag import RectangleDrag
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.texel_area import TexelArea

if TYPE_CHECKING:
    from PySide6.QtGui import QMouseEvent


class AreaDrag(RectangleDrag):
    """Armed for one drag; Shift adds to what is chosen, Ctrl takes away."""

    def __init__(self, view: PlaneView, work: Work, area: TexelArea) -> None:
        super().__init__(view, work)
        self.area = area

    @property
    def armed(self) -> bool:
        return self.area.armed

    def drawn(self, key: SheetKey, low: F64, high: F64, event: QMouseEvent) -> None:
        assert self.work.project is not None
        size = self.work.project.size_of(key)
        ends = to_texels(np.stack([low, high]) - corner_of(key.tile), size)
        self.area.choose_box(key, size.box_round(ends.min(axis=0), ends.max(axis=0)), how_of(event))
