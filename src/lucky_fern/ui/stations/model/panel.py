"""The Model station's panel: its pages as tabs."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QTabWidget

from lucky_fern.ui.stations.model.check_page import CheckPage
from lucky_fern.ui.stations.model.files_page import FilesPage
from lucky_fern.ui.stations.model.layout_page import LayoutPage
from lucky_fern.ui.stations.model.names_page import NamesPage
from lucky_fern.ui.stations.model.select_page import SelectPage
from lucky_fern.ui.stations.model.survey_page import SurveyPage
from lucky_fern.words import tr


class ModelPanel(QTabWidget):
    """In the order of the work: look, select, lay out, name, write."""

    open_asked = Signal()
    finding_chosen = Signal(object)

    def __init__(
        self, check: CheckPage, select: SelectPage, lay_out: LayoutPage, names: NamesPage, survey: SurveyPage,
        files: FilesPage,
    ) -> None:  # fmt: skip
        super().__init__(documentMode=True)
        self.setAccessibleName(tr("Model"))
        self.check, self.select, self.lay_out, self.names = check, select, lay_out, names
        self.survey, self.files = survey, files
        for page, title in (
            (self.check, tr("Check")),
            (self.select, tr("Select")),
            (self.lay_out, tr("Lay out")),
            (self.names, tr("Names")),
            (self.survey, tr("Survey")),
            (self.files, tr("In and out")),
        ):
            page.setAccessibleName(title)
            self.addTab(page, title)
        self.check.finding_chosen.connect(self.finding_chosen)
        self.files.open_asked.connect(self.open_asked)
