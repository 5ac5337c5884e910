"""A rectangle drawn on a sheet, into which the selected islands go in one step."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.layouts import FitRectangle
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.gestures.rectangle_drag import RectangleDrag
from lucky_fern.ui.gestures.surface_view import PlaneView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.fitting import Fitting
from lucky_fern.ui.tools.laying import Laying


class RectangleFitter(RectangleDrag):
    """Armed for one drag; Shift then keeps the islands' proportions."""

    def __init__(self, view: PlaneView, work: Work, looking: Looking, laying: Laying, fitting: Fitting) -> None:
        super().__init__(view, work)
        self.looking, self.laying, self.fitting = looking, laying, fitting

    @property
    def armed(self) -> bool:
        return self.fitting.armed and self.looking.station == "model"

    def disarm(self) -> None:
        self.fitting.arm(False)

    def drawn(self, key: SheetKey, low: F64, high: F64, event: QMouseEvent) -> None:
        keep = self.fitting.keep or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.laying.do(FitRectangle((float(low[0]), float(low[1])), (float(high[0]), float(high[1])), keep))
