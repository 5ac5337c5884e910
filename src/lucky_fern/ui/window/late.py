"""Parts of the window that are made when they are first looked at, or once it stands."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from threading import Event
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QObject, QSignalBlocker, QTimer
from PySide6.QtWidgets import QStackedWidget, QTabWidget, QWidget

from lucky_fern.core.compiled import load_kernels
from lucky_fern.quay.delivery import Delivery
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.session.beside import beside, somebody_waits
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.views.sheet_view import SheetView
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import tr

if TYPE_CHECKING:
    from lucky_fern.ui.kit.loans_page import LoansPage
    from lucky_fern.ui.kit.preparing_panel import PreparingPanel
    from lucky_fern.ui.kit.preparing_view import PreparingView
    from lucky_fern.ui.kit.sequence_panel import SequencePanel
    from lucky_fern.ui.layers.mask import MaskPanel
    from lucky_fern.ui.layers.spot import SpotPanel
    from lucky_fern.ui.stations.artwork.slide_page import SlidePanel
    from lucky_fern.ui.stations.check.panel import CheckPanel
    from lucky_fern.ui.stations.export.panel import ExportPanel
    from lucky_fern.ui.stations.model.check_page import CheckPage
    from lucky_fern.ui.stations.model.files_page import FilesPage
    from lucky_fern.ui.stations.model.layout_page import LayoutPage
    from lucky_fern.ui.stations.model.names_page import NamesPage
    from lucky_fern.ui.stations.model.panel import ModelPanel
    from lucky_fern.ui.stations.model.select_page import SelectPage
    from lucky_fern.ui.stations.model.survey_page import SurveyPage
    from lucky_fern.ui.stations.paint.brush_page import BrushPanel

_BREATH = 60  # milliseconds between two parts that are made beforehand
_Tab = TypeVar("_Tab", bound=QWidget)
_NAMES = (
    "masks", "slides", "brush", "loans", "spot", "model_check", "model_select", "model_layout", "model_names",
    "model_survey", "model_files", "model_panel", "check_panel", "export_panel", "sequence_panel", "preparing_view",
)  # fmt: skip
TABS = {"masks": tr("Mask"), "slides": tr("Slide"), "brush": tr("Brush"), "loans": tr("Loans"), "spot": tr("Spot")}
_AT = {"model": "model_panel", "check": "check_panel", "export": "export_panel"}  # station → its own side


class Late(QObject):
    """Each part by its name; it is made when it is asked for."""

    def __init__(
        self, parts: Parts, matter: Matter, views: tuple[ModelView, SheetView], pages: QTabWidget,
        right: QStackedWidget, ask_model: Callable[[], object], open_quay: Callable[[Delivery], object],
        resting: Callable[[], bool],
    ) -> None:  # fmt: skip
        """``pages`` gets those that are tabs, ``right`` those that take the whole side; ``resting`` says whether
        nothing else is to be done."""
        super().__init__(pages)  # and ends with them
        self.parts, self.matter, self.pages, self.right = parts, matter, pages, right
        self.model_view, self.sheet_view = views
        self._ask_model, self._open_quay, self._resting = ask_model, open_quay, resting
        self._stand_ins = {name: QWidget() for name in TABS}
        self._timer = QTimer(self, interval=_BREATH)
        self._timer.timeout.connect(self._make_next)
        pages.currentChanged.connect(self.make_current)

    def tab(self, name: str) -> QWidget:
        """A page among the tabs, or what stands in its place until somebody looks at it."""
        found: QWidget = self._stand_ins.get(name) or getattr(self, name)
        return found

    def side_of(self, station: str) -> QWidget | None:
        """What takes the whole side at a station, if anything does."""
        return getattr(self, _AT[station]) if station in _AT else None

    @cached_property
    def masks(self) -> MaskPanel:
        from lucky_fern.ui.layers.mask import MaskPanel

        return self._in_tab("masks", MaskPanel(self.matter))

    @cached_property
    def spot(self) -> SpotPanel:
        from lucky_fern.ui.layers.spot import SpotPanel

        return self._in_tab("spot", SpotPanel(self.matter))

    @cached_property
    def slides(self) -> SlidePanel:
        from lucky_fern.ui.stations.artwork.slide_page import SlidePanel

        return self._in_tab("slides", self.parts.make(SlidePanel))

    @cached_property
    def loans(self) -> LoansPage:
        from lucky_fern.ui.kit.loans_page import LoansPage

        return self._in_tab("loans", self.parts.make(LoansPage))

    @cached_property
    def brush(self) -> BrushPanel:
        from lucky_fern.ui.stations.paint.brush_page import BrushPanel

        return self._in_tab("brush", self.parts.make(BrushPanel))

    @cached_property
    def model_check(self) -> CheckPage:
        from lucky_fern.ui.stations.model.check_page import CheckPage

        return self.parts.make(CheckPage)

    @cached_property
    def model_select(self) -> SelectPage:
        from lucky_fern.ui.stations.model.select_page import SelectPage

        return self.parts.make(SelectPage)

    @cached_property
    def model_layout(self) -> LayoutPage:
        from lucky_fern.ui.stations.model.layout_page import LayoutPage

        return self.parts.make(LayoutPage, model_view=self.model_view, sheet_view=self.sheet_view)

    @cached_property
    def model_names(self) -> NamesPage:
        from lucky_fern.ui.stations.model.names_page import NamesPage

        return self.parts.make(NamesPage)

    @cached_property
    def model_survey(self) -> SurveyPage:
        from lucky_fern.ui.stations.model.survey_page import SurveyPage

        return self.parts.make(SurveyPage)

    @cached_property
    def model_files(self) -> FilesPage:
        from lucky_fern.ui.stations.model.files_page import FilesPage

        return self.parts.make(FilesPage)

    @cached_property
    def model_panel(self) -> ModelPanel:
        from lucky_fern.ui.stations.model.panel import ModelPanel

        panel = ModelPanel(
            self.model_check, self.model_select, self.model_layout, self.model_names, self.model_survey,
            self.model_files,
        )  # fmt: skip
        panel.open_asked.connect(self._ask_model)
        panel.finding_chosen.connect(self.model_view.go_to_triangles)
        panel.finding_chosen.connect(self.sheet_view.go_to_triangles)
        self.right.addWidget(panel)
        return panel

    @cached_property
    def check_panel(self) -> CheckPanel:
        from lucky_fern.ui.stations.check.panel import CheckPanel

        panel = self.parts.make(CheckPanel)
        panel.setAccessibleName(tr("Check"))
        self.right.addWidget(panel)
        return panel

    @cached_property
    def export_panel(self) -> ExportPanel:
        from lucky_fern.ui.stations.export.panel import ExportPanel

        panel = self.parts.make(ExportPanel)
        panel.setAccessibleName(tr("Export"))
        panel.quay_asked.connect(self._open_quay)
        self.right.addWidget(panel)
        return panel

    @cached_property
    def preparing_view(self) -> PreparingView:
        from lucky_fern.ui.kit.preparing_view import PreparingView

        return self.parts.make(PreparingView)

    @cached_property
    def preparing_panel(self) -> PreparingPanel:
        from lucky_fern.ui.kit.preparing_panel import PreparingPanel

        panel = self.parts.make(PreparingPanel, view=self.preparing_view)
        panel.setAccessibleName(tr("A picture made ready"))
        self.right.addWidget(panel)
        return panel

    @cached_property
    def sequence_panel(self) -> SequencePanel:
        from lucky_fern.ui.kit.sequence_panel import SequencePanel

        panel = self.parts.make(SequencePanel)
        panel.setAccessibleName(tr("Sequences"))
        panel.refresh()
        self.right.addWidget(panel)
        return panel

    def _in_tab(self, name: str, panel: _Tab) -> _Tab:
        """Put a page where its stand-in was."""
        stand_in = self._stand_ins.pop(name)
        panel.setAccessibleName(TABS[name])
        at = self.pages.indexOf(stand_in)
        visible, current = self.pages.isTabVisible(at), self.pages.currentWidget() is stand_in
        with QSignalBlocker(self.pages):
            self.pages.removeTab(at)
            self.pages.insertTab(at, panel, TABS[name])
            self.pages.setTabVisible(at, visible)
            if current:
                self.pages.setCurrentIndex(at)
        stand_in.deleteLater()
        return panel

    def made(self, name: str) -> bool:
        return name in self.__dict__

    def begin(self) -> None:
        """The window stands: have made what it will need."""
        ended = Event()
        self.parts.ending.append(ended.set)

        def next_one() -> bool:
            while somebody_waits() and not ended.wait(_BREATH / 1000):
                pass  # that comes first
            return not ended.is_set()

        QTimer.singleShot(_BREATH * 8, self, lambda: beside("Loading kernels", partial(load_kernels, next_one)))
        self._timer.start()

    def _make_next(self) -> None:
        """One part at a time when nothing else is to be done, so that the window answers in between."""
        if not self._resting():
            return
        name = next((name for name in _NAMES if not self.made(name)), None)
        if name is None:
            self._timer.stop()
        else:
            getattr(self, name)

    def make_current(self) -> None:
        """Make the page that is being looked at."""
        shown = self.pages.currentWidget()
        for name, stand_in in list(self._stand_ins.items()):
            if stand_in is shown:
                getattr(self, name)
