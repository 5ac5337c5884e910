"""The Model station's panel: its pages as tabs."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QTabWidget

from lucky_fern.ui.desk import Desk
from lucky_fern.ui.model_station.check_page import CheckPage
from lucky_fern.ui.model_station.files_page import FilesPage
from lucky_fern.ui.model_station.layout_page import LayoutPage
from lucky_fern.ui.model_station.names_page import NamesPage
from lucky_fern.ui.model_station.select_page import SelectPage
from lucky_fern.ui.model_view import ModelView
from lucky_fern.ui.sheet_view import SheetView


class ModelPanel(QTabWidget):
    """In the order of the work: look, select, lay out, name, write."""

    open_asked = Signal()
    finding_chosen = Signal(object)

    def __init__(self, desk: Desk, model_view: ModelView, sheet_view: SheetView) -> None:
        super().__init__(documentMode=True)
        self.check = CheckPage(desk)
        self.select = SelectPage(desk)
        self.lay_out = LayoutPage(desk, model_view, sheet_view)
        self.names = NamesPage(desk)
        self.files = FilesPage(desk)
        for page, title in (
            (self.check, "Check"), (self.select, "Select"), (self.lay_out, "Lay out"), (self.names, "Names"),
            (self.files, "In and out"),
        ):  # fmt: skip
            self.addTab(page, title)
        self.check.finding_chosen.connect(self.finding_chosen)
        self.files.open_asked.connect(self.open_asked)
