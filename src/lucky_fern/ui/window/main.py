"""The window: top strip, tool line, two linked views, board, tray."""

from __future__ import annotations

from functools import cached_property, partial
from pathlib import Path
from threading import Event
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QSignalBlocker, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QPlainTextEdit,
    QSplitter,
    QStackedWidget,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.compiled import load_kernels
from lucky_fern.core.log.reading import Lost
from lucky_fern.quay.delivery import Delivery
from lucky_fern.ui.kit.tray import Tray
from lucky_fern.ui.layers.board import Board
from lucky_fern.ui.layers.history import HistoryPanel
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.settings import SettingsPanel
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.views.drawing_thread import DrawingThread
from lucky_fern.ui.views.matter import Matter as ViewMatter
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.views.sheet_view import SheetView
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.style import icon, sheet, tones, with_text
from lucky_fern.ui.widgets.tidying import Tidying
from lucky_fern.ui.window.about import About
from lucky_fern.ui.window.clipping import Clipping
from lucky_fern.ui.window.files import Files
from lucky_fern.ui.window.hands import hand_over
from lucky_fern.ui.window.kept_tools import note_tools, recall_tools
from lucky_fern.ui.window.keys_page import KeysPage
from lucky_fern.ui.window.menus import DEMOS, fill_menu_bar, folded
from lucky_fern.ui.window.notice_line import NoticeLine
from lucky_fern.ui.window.notices import MishapLine, Recovery
from lucky_fern.ui.window.parts import Parts
from lucky_fern.ui.window.preferences import Preferences
from lucky_fern.ui.window.remembered import Remembered
from lucky_fern.ui.window.rest import Rest
from lucky_fern.ui.window.start_page import StartPage
from lucky_fern.ui.window.tool_line import ToolLine
from lucky_fern.ui.window.top_strip import TopStrip

if TYPE_CHECKING:
    from lucky_fern.ui.kit.sequence_panel import SequencePanel
    from lucky_fern.ui.layers.mask import MaskPanel
    from lucky_fern.ui.stations.artwork.slide_page import SlidePanel
    from lucky_fern.ui.stations.check.panel import CheckPanel
    from lucky_fern.ui.stations.export.panel import ExportPanel
    from lucky_fern.ui.stations.model.check_page import CheckPage
    from lucky_fern.ui.stations.model.files_page import FilesPage
    from lucky_fern.ui.stations.model.layout_page import LayoutPage
    from lucky_fern.ui.stations.model.names_page import NamesPage
    from lucky_fern.ui.stations.model.panel import ModelPanel
    from lucky_fern.ui.stations.model.select_page import SelectPage
    from lucky_fern.ui.stations.paint.brush_page import BrushPanel

BOARD_WIDTH = 440
_NARROW = 1100  # pixels; where the menus fold into one button
_BREATH = 60  # milliseconds between two parts that are made beforehand
_Tab = TypeVar("_Tab", bound=QWidget)
# What is not seen at first is made when it is first looked at, or once the window stands.
_LATER = (
    "masks", "slides", "brush", "model_check", "model_select", "model_layout", "model_names", "model_files",
    "model_panel", "check_panel", "export_panel", "sequence_panel",
)  # fmt: skip
_TABS = {"masks": "Mask", "slides": "Slide", "brush": "Brush"}


class Window(QMainWindow):
    """Puts the widgets together; owns no state but its parts."""

    def __init__(self, parts: Parts, remembered: Remembered | None = None) -> None:
        super().__init__()
        self.parts = parts
        self.remembered = Remembered() if remembered is None else remembered
        self.setWindowTitle("Lucky Fern")
        self.setWindowIcon(icon("fern"))
        self.setStyleSheet(sheet(tones()))
        self.setAcceptDrops(True)
        self.drawing_thread = parts.make(DrawingThread)
        parts.ending.append(self.drawing_thread.close)
        seen = parts.make(ViewMatter, drawing_thread=self.drawing_thread)
        self.model_view, self.sheet_view = ModelView(seen), SheetView(seen)
        self.drawing_thread.start()
        hand_over(parts, self.model_view, self.sheet_view)
        self.matter = parts.make(Matter)
        self.files = Files(self, parts, lambda: self.may_leave())
        self._add_commands()
        self.strip = TopStrip(parts)
        self.tools = ToolLine(parts, self.model_view, self.sheet_view)
        self.board = Board(self.matter)
        self.settings = SettingsPanel(self.matter)
        self.history = parts.make(HistoryPanel, matter=self.matter)
        self.tray = parts.make(Tray)
        self.notice = NoticeLine()
        self.recovery, self.mishap = Recovery(), MishapLine()
        self._lay_out()
        self._notice_timer = QTimer(self, singleShot=True, interval=12000)
        self._notice_timer.timeout.connect(lambda: self.say("", False))
        self.parts.commands.add_to(self)
        self.menus = fill_menu_bar(self.menuBar(), self.parts.commands)
        self.strip.menu_button.setMenu(folded(self.menuBar(), self.strip.menu_button))
        self.start_page = StartPage(self.model_view, parts.commands, self._open_recent)
        self._recall()
        self.rest = Rest(parts, (self.model_view, self.sheet_view), self.drawing_thread, self.settings)
        self._connect()
        self._station_changed(self.parts.looking.station)
        self._later = QTimer(self, interval=_BREATH)
        self._later.timeout.connect(self._make_next)
        self.model_view.frame_drawn.connect(self._get_ready, Qt.ConnectionType.SingleShotConnection)

    # --- parts that are made when they are first looked at ----------------------------------------------------

    @cached_property
    def masks(self) -> MaskPanel:
        from lucky_fern.ui.layers.mask import MaskPanel

        return self._in_tab("masks", MaskPanel(self.matter))

    @cached_property
    def slides(self) -> SlidePanel:
        from lucky_fern.ui.stations.artwork.slide_page import SlidePanel

        return self._in_tab("slides", self.parts.make(SlidePanel))

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
    def model_files(self) -> FilesPage:
        from lucky_fern.ui.stations.model.files_page import FilesPage

        return self.parts.make(FilesPage)

    @cached_property
    def model_panel(self) -> ModelPanel:
        from lucky_fern.ui.stations.model.panel import ModelPanel

        panel = ModelPanel(
            self.model_check, self.model_select, self.model_layout, self.model_names, self.model_files
        )  # fmt: skip
        panel.open_asked.connect(self.files.ask_model)
        panel.finding_chosen.connect(self.model_view.go_to_triangles)
        panel.finding_chosen.connect(self.sheet_view.go_to_triangles)
        self.right.addWidget(panel)
        return panel

    @cached_property
    def check_panel(self) -> CheckPanel:
        from lucky_fern.ui.stations.check.panel import CheckPanel

        panel = self.parts.make(CheckPanel, view=self.model_view)
        panel.setAccessibleName("Check")
        self.right.addWidget(panel)
        return panel

    @cached_property
    def export_panel(self) -> ExportPanel:
        from lucky_fern.ui.stations.export.panel import ExportPanel

        panel = self.parts.make(ExportPanel)
        panel.setAccessibleName("Export")
        panel.quay_asked.connect(self.open_quay)
        self.right.addWidget(panel)
        return panel

    @cached_property
    def sequence_panel(self) -> SequencePanel:
        from lucky_fern.ui.kit.sequence_panel import SequencePanel

        panel = self.parts.make(SequencePanel)
        panel.setAccessibleName("Sequences")
        panel.refresh()
        self.right.addWidget(panel)
        return panel

    def _in_tab(self, name: str, panel: _Tab) -> _Tab:
        """Put a page where its stand-in was."""
        stand_in = self._stand_ins.pop(name)
        panel.setAccessibleName(_TABS[name])
        at = self.pages.indexOf(stand_in)
        visible, current = self.pages.isTabVisible(at), self.pages.currentWidget() is stand_in
        with QSignalBlocker(self.pages):
            self.pages.removeTab(at)
            self.pages.insertTab(at, panel, _TABS[name])
            self.pages.setTabVisible(at, visible)
            if current:
                self.pages.setCurrentIndex(at)
        stand_in.deleteLater()
        return panel

    def _made(self, name: str) -> bool:
        return name in self.__dict__

    def _get_ready(self) -> None:
        """The window stands: have made what it will need."""
        ended = Event()
        self.parts.ending.append(ended.set)

        def next_one() -> bool:
            while self.parts.errands.busy and not ended.wait(_BREATH / 1000):
                pass  # what a person waits for comes first
            return not ended.is_set()

        QTimer.singleShot(_BREATH * 8, self, lambda: beside("Loading kernels", partial(load_kernels, next_one)))
        self._later.start()

    def _make_next(self) -> None:
        """One part at a time when nothing else is to be done, so that the window answers in between."""
        if not self.rest.resting:
            return
        name = next((name for name in _LATER if not self._made(name)), None)
        if name is None:
            self._later.stop()
        else:
            getattr(self, name)

    def _make_current(self) -> None:
        """Make the page that is being looked at."""
        shown = self.pages.currentWidget()
        for name, stand_in in list(self._stand_ins.items()):
            if stand_in is shown:
                getattr(self, name)

    def _lay_out(self) -> None:
        ground = QWidget(objectName="ground")
        column = QVBoxLayout(ground)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(self.strip)
        column.addWidget(self.tools)
        self._splitters: dict[str, QSplitter] = {}
        views = QSplitter(Qt.Orientation.Horizontal)
        views.setHandleWidth(4)
        views.addWidget(self.model_view)
        views.addWidget(self.sheet_view)
        views.setSizes([500, 500])
        views.setChildrenCollapsible(False)
        self._splitters["views"] = views
        layers = QSplitter(Qt.Orientation.Vertical)
        layers.setHandleWidth(4)
        layers.setChildrenCollapsible(False)
        layers.addWidget(self.board)
        self.pages = QTabWidget(documentMode=True)
        self.pages.setAccessibleName("About the layer")
        self.settings.setAccessibleName("Layer")
        self._stand_ins = {name: QWidget() for name in _TABS}
        self.pages.addTab(self.settings, "Layer")
        self.pages.addTab(self._stand_ins["masks"], _TABS["masks"])
        self.pages.addTab(self.history, "History")
        self.pages.addTab(self._stand_ins["slides"], _TABS["slides"])
        self.pages.addTab(self._stand_ins["brush"], _TABS["brush"])
        self.pages.currentChanged.connect(self._make_current)
        layers.addWidget(self.pages)
        layers.setSizes([320, 290])
        self._splitters["layers"] = layers
        self.layers = QWidget(objectName="panel")
        self.layers.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        inner = QVBoxLayout(self.layers)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addWidget(layers)
        self.right = QStackedWidget()
        self.right.addWidget(self.layers)
        self.right.setFixedWidth(with_text(BOARD_WIDTH))
        middle = QHBoxLayout()
        middle.setSpacing(4)
        middle.addWidget(views, 1)
        middle.addWidget(self.right)
        column.addLayout(middle, 1)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 8, 0)
        self.call_off = QToolButton(text="Cancel", toolTip="Forget what is being opened")
        self.call_off.hide()
        line.addWidget(self.notice, 1)
        line.addWidget(self.call_off)
        column.addWidget(self.recovery)
        column.addWidget(self.mishap)
        column.addLayout(line)
        column.addWidget(self.tray)
        self.setCentralWidget(ground)

    def _add_commands(self) -> None:
        """What concerns the window as a whole."""
        add, key = self.parts.commands.add, QKeySequence.StandardKey
        add("file.new", "New from a model …", self.files.ask_model, key.New)
        add("file.open", "Open …", self.files.ask_open, key.Open, icon_name="open")
        add("file.save", "Save", self.files.save, key.Save, icon_name="save")
        add("file.save-as", "Save as …", self.files.ask_save, "Ctrl+Shift+S")
        add("file.pictures", "Add pictures …", self.files.ask_pictures)
        add("file.export", "Export again", self._export_again, "Ctrl+E", icon_name="export")
        for which, title in DEMOS.items():
            add(f"file.demo-{which}", f"Demo: {title}", partial(self._open_demo, which))
        add("file.quit", "Quit", self.close, key.Quit)
        add("edit.preferences", "Preferences …", self._ask_preferences, key.Preferences)
        add("view.side", "Fold the side away", partial(self._fold, "side"), "F9", checkable=True)
        add("view.tray", "Fold the kit away", partial(self._fold, "tray"), "F8", checkable=True)
        add(
            "view.whole",
            "This view takes all the room",
            self._take_room,
            "Z",
            checkable=True,
            tip="The view under the pointer takes all the room; again, and it gives it back",
        )
        add("help.keys", "Shortcuts …", self._show_keys, key.HelpContents)
        add("help.about", "About Lucky Fern …", self._show_about)
        self.clipping = Clipping(self.parts, self.say, self._place_in_middle)
        add("edit.all", "Select all", self._select_all, key.SelectAll)
        add("edit.leave", "Leave what is being done", self._escape, "Esc")

    def _connect(self) -> None:
        self.parts.looking.station_changed.connect(self._station_changed)
        self.parts.work.said.connect(self.say)
        self.parts.work.project_changed.connect(self._show_title)
        self.parts.errands.changed.connect(self._show_errand)
        self.parts.bringing.waiting_changed.connect(lambda: self._station_changed(self.parts.looking.station))
        self.parts.work.may_replace = self.may_leave
        self.parts.work.studio_changed.connect(self.start_page.hide)
        self.parts.work.studio_changed.connect(self._limit_undo)
        self.parts.work.studio_left.connect(self._let_go)
        self.parts.work.project_changed.connect(self._note_recent)
        self.parts.dropping.dropped.connect(self._type_label)
        self.parts.mishaps.told.connect(self.mishap.tell)
        self.parts.keeping.lost_found.connect(self.recovery.show_lost)
        self.recovery.wanted.connect(self._bring_back)
        self.recovery.unwanted.connect(self.parts.keeping.forget)
        self.call_off.clicked.connect(self.parts.errands.call_off)
        self.tray.add_asked.connect(self.files.ask_pictures)
        self.tray.credit_asked.connect(self._ask_credit)
        self.tray.strip.place_asked.connect(self._place_in_middle)
        self.tools.slide_asked.connect(self._toggle_slide)
        self.parts.errands.progress.connect(lambda title, share: self.say(f"{title} {share:.0%}", False))

    # --- following the parts -----------------------------------------------------------------------------------

    def _station_changed(self, station: str) -> None:
        own = {"model": "model_panel", "check": "check_panel", "export": "export_panel"}
        name = own.get(station, "layers")
        if self.parts.bringing.waiting:
            name = "sequence_panel"
        self.right.setCurrentWidget(getattr(self, name))
        for tab, place in (("slides", "artwork"), ("brush", "paint")):
            page = self._stand_ins.get(tab) or getattr(self, tab)
            self.pages.setTabVisible(self.pages.indexOf(page), station == place)
        if station == "paint":
            self.pages.setCurrentWidget(self.brush)
        self.model_view.refresh()
        self.sheet_view.refresh()
        for name in ("export_panel", "check_panel"):
            if self._made(name):
                getattr(self, name).follow()

    def open_quay(self, delivery: Delivery) -> None:
        """Show exported files in the stand-in game, in a window of their own."""
        from lucky_fern.ui.quay.window import Quay  # only whoever goes there waits for it

        self.quay = Quay(delivery)
        self.quay.resize(1120, 700)
        self.quay.show()

    def _ask_credit(self, picture: str) -> None:
        """Go to where a picture's author and licence are written down."""
        self.parts.looking.go_to("export")
        self.export_panel.credits.choose(picture)
        self.export_panel.ensureWidgetVisible(self.export_panel.credits)

    def _export_again(self) -> None:
        """Write what the project is exported as, from every station."""
        self.parts.looking.go_to("export")
        self.export_panel.start()

    def _escape(self) -> None:
        """Back to all maps; at the Model station, out of what is being drawn and selected too."""
        if self.parts.sliding.up:
            if self.parts.sliding.brushing:
                self.parts.sliding.set_brushing(False)
            else:
                self.parts.sliding.put_away()
            return
        if self.parts.dropping.thing is not None:
            self.parts.dropping.take(None)
            return
        if self.parts.striping.armed or self.parts.handles.pulling or self.parts.handles.scope_kind is not None:
            self.parts.handles.pick_scope(None)
            self.parts.striping.arm(False)
            self.parts.handles.set_pulling(False)
            return
        self.parts.looking.show_map(None)
        if self.parts.looking.station == "model":
            self.parts.fitting.arm(False)
            self.parts.faces.none()

    def _toggle_slide(self) -> None:
        """Hold a picture over the model view, or put it away."""
        self.pages.setCurrentWidget(self.slides)
        if self.parts.sliding.up:
            self.parts.sliding.put_away()
        else:
            self.slides.hold_up()

    def _select_all(self) -> None:
        if self.parts.looking.station == "model":
            self.parts.faces.all()

    def _show_title(self) -> None:
        studio = self.parts.work.studio
        if studio is not None:
            name = studio.project.name if self.parts.work.path is None else self.parts.work.path.stem
            self.setWindowTitle(f"{name}[*] – Lucky Fern")
            self.setWindowModified(studio.changed)

    def say(self, sentence: str, warning: bool) -> None:
        """One quiet line under the views."""
        self.notice.say(sentence, warning)
        self._notice_timer.start()

    def _show_errand(self, title: str) -> None:
        """What is being opened, with a way to call it off."""
        self.call_off.setVisible(bool(title))
        if title:
            self.say(title, False)
        elif "…" in self.notice.text():
            self.say("", False)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        narrow = self.width() < _NARROW
        self.menuBar().setVisible(not narrow)
        self.strip.menu_button.setVisible(narrow)

    # --- room, and what is remembered -------------------------------------------------------------------------

    def _fold(self, name: str) -> None:
        """Fold a part of the window away, or bring it back."""
        folded = self.parts.commands[f"view.{name}"].isChecked()
        {"side": self.right, "tray": self.tray}[name].setVisible(not folded)

    def _take_room(self) -> None:
        """Give all the room to the view under the pointer (or the one that has the keyboard); again: back."""
        views = (self.model_view, self.sheet_view)
        one = next((view for view in views if view.underMouse()), None)
        one = one or next((view for view in views if view.hasFocus()), self.model_view)
        alone = self.parts.commands["view.whole"].isChecked()
        for view in views:
            view.setVisible(not alone or view is one)
        for name, part in (("side", self.right), ("tray", self.tray)):
            part.setVisible(not alone and not self.parts.commands[f"view.{name}"].isChecked())

    def _recall(self) -> None:
        """Be as the person left the window."""
        what = self.remembered
        asking.begin_in(what.folders)
        for name, keys in what.keys.items():
            self.parts.commands.set_keys(name, keys)
        for name, splitter in self._splitters.items():
            sizes = what.splitters.get(name)
            if sizes is not None and len(sizes) == splitter.count():
                splitter.setSizes(sizes)
        for name in what.folded:
            if f"view.{name}" in self.parts.commands:
                self.parts.commands[f"view.{name}"].setChecked(True)
                self._fold(name)
        recall_tools(what, self.parts)
        self._apply_choices()
        self._show_recent()

    def _remember(self) -> None:
        """Note how the window is left."""
        what = self.remembered
        what.folders, what.keys = asking.last_folders(), self.parts.commands.own_keys
        what.splitters = {name: splitter.sizes() for name, splitter in self._splitters.items()}
        what.folded = [name for name in ("side", "tray") if self.parts.commands[f"view.{name}"].isChecked()]
        note_tools(what, self.parts)
        what.whole_screen = self.isMaximized()
        if not what.whole_screen:
            what.size = self.width(), self.height()

    def _apply_choices(self) -> None:
        self.parts.work.keep_previous = self.remembered.keep_previous
        asking.begin_in({}, self.remembered.home)
        self._limit_undo()

    def _let_go(self) -> None:
        """A project was closed for another one: what it held is to be given back."""
        application = QGuiApplication.instance()
        tidying = application.findChild(Tidying) if application is not None else None
        if tidying is not None:
            QTimer.singleShot(0, tidying, tidying.look_everywhere)

    def _limit_undo(self) -> None:
        studio = self.parts.work.studio
        if studio is not None:
            studio.history.limit = self.remembered.undo_megabytes << 20

    def _show_recent(self) -> None:
        found = self.remembered.there()
        menu = self.menus["recent"]
        menu.clear()
        for path in found:
            menu.addAction(path.stem, partial(self._open_recent, path)).setToolTip(str(path))
        menu.setEnabled(bool(found))
        self.start_page.show_recent(found)

    def _note_recent(self) -> None:
        path = self.parts.work.path
        if path is not None and str(path.resolve()) not in self.remembered.recent[:1]:
            self.remembered.opened(path)
            self._show_recent()

    def _open_recent(self, path: Path) -> None:
        if self.may_leave():
            self.parts.work.open(path)

    def _ask_preferences(self) -> None:
        if Preferences(self, self.remembered).exec():
            self._apply_choices()

    def _show_keys(self) -> None:
        KeysPage(self, self.parts.commands).exec()

    def _show_about(self) -> None:
        About(self).exec()

    def _type_label(self) -> None:
        """A label was just made: the first key replaces what it says."""
        self.pages.setCurrentWidget(self.settings)
        if self.settings.being_made:
            self.settings.shown.connect(self._type_label, Qt.ConnectionType.SingleShotConnection)
        elif self.settings.form.has("label text"):
            text = self.settings.form.named("label text", QPlainTextEdit)
            text.setFocus()
            text.selectAll()

    def may_leave(self) -> bool:
        """Ask, once, what to do with unsaved changes and running exports; False if the person would rather stay."""
        return self.files.may_leave()

    def _bring_back(self, lost: Lost) -> None:
        if self.may_leave():
            self.parts.keeping.bring_back(lost)

    def _open_demo(self, which: str) -> None:
        if self.may_leave():
            self.parts.work.open_demo(which)

    def _place_in_middle(self, picture: str) -> None:
        """Place a kit picture by keyboard: in the middle of the model view."""
        import numpy as np

        point = np.array([self.model_view.width() / 2, self.model_view.height() / 2])
        if not self.model_view.drop_picture(picture, point):
            self.say("The middle of the model view is empty: turn the model so that it is there.", True)

    # --- drops and closing ------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.files.known(_paths(event)):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.files.drop(_paths(event))

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.may_leave():
            self._remember()
            self.parts.close()
            event.accept()
        else:
            event.ignore()


def _paths(event: QDropEvent) -> list[Path]:
    return [Path(url.toLocalFile()) for url in event.mimeData().urls()]
