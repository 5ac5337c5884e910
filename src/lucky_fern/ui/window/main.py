"""The window: top strip, tool line, two linked views, board, tray.

It shows at once with its start page; what stands in it comes right after (:meth:`Window.furnish`). So nothing is
imported here beforehand that the first sight of it does not need.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QPlainTextEdit, QWidget

from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import icon, sheet, tones, with_text
from lucky_fern.ui.window.letting_go import let_go
from lucky_fern.ui.window.quay_window import QuayWindow
from lucky_fern.ui.window.remembered import Remembered
from lucky_fern.ui.window.start_page import BEGIN, DEMOS, StartPage
from lucky_fern.words import tr

if TYPE_CHECKING:
    from lucky_fern.core.log.reading import Lost
    from lucky_fern.ui.window.parts import Parts

_VIEWS = 0, 92, 440, 135  # pixels round both views, of text of the usual size
_SAID = 12_000  # milliseconds for which a sentence stays
_NARROW = 1100  # pixels; where the menus fold into one button


@guarded
class Window(QMainWindow):
    """Puts the widgets together; owns no state but its parts."""

    parts: Parts

    def __init__(self, parts: Parts | None = None, remembered: Remembered | None = None) -> None:
        """Without ``parts`` it is only to be seen until it is furnished."""
        super().__init__()
        self.remembered = Remembered() if remembered is None else remembered
        self.furnished = False
        self._wish: Callable[[], object] | None = None  # what was asked for before there was anything to do it
        self.setWindowTitle(tr("Lucky Fern"))
        self.setWindowIcon(icon("fern"))
        self.setStyleSheet(sheet(tones()))
        self.start_page = StartPage(self._do, self._open_recent)
        self.start_page.show_recent(self.remembered.there())
        if parts is None:
            self.start_page.lie_over(self._threshold())
        else:
            self.furnish(parts)

    def _threshold(self) -> QWidget:
        """Nothing but where the first view will be, more or less."""
        ground, view = QWidget(objectName="ground"), QWidget()
        row = QHBoxLayout(ground)
        row.setContentsMargins(*map(with_text, _VIEWS))
        row.addWidget(view, 1)
        row.addStretch(1)
        self.setCentralWidget(ground)
        return view

    def furnish(self, parts: Parts) -> None:
        """Make all that stands in the window."""
        from lucky_fern.ui.kit.tray import Tray
        from lucky_fern.ui.layers.board import Board
        from lucky_fern.ui.layers.history import HistoryPanel
        from lucky_fern.ui.layers.matter import Matter
        from lucky_fern.ui.layers.settings import SettingsPanel
        from lucky_fern.ui.session.lighting import Lighting
        from lucky_fern.ui.views.drawing_thread import DrawingThread
        from lucky_fern.ui.views.matter import Matter as ViewMatter
        from lucky_fern.ui.views.model_view import ModelView
        from lucky_fern.ui.views.pinned_pictures import PinnedPictures
        from lucky_fern.ui.views.sheet_view import SheetView
        from lucky_fern.ui.window.clipping import Clipping
        from lucky_fern.ui.window.files import Files
        from lucky_fern.ui.window.ground import Ground
        from lucky_fern.ui.window.hands import hand_over
        from lucky_fern.ui.window.late import TABS, Late
        from lucky_fern.ui.window.menus import fill_menu_bar, folded
        from lucky_fern.ui.window.notice_line import NoticeLine
        from lucky_fern.ui.window.notices import MishapLine, Recovery
        from lucky_fern.ui.window.rest import Rest
        from lucky_fern.ui.window.tool_line import ToolLine
        from lucky_fern.ui.window.top_strip import TopStrip

        self.parts = parts
        self.drawing_thread = parts.make(DrawingThread)
        parts.ending.append(self.drawing_thread.close)
        seen = parts.make(ViewMatter, drawing_thread=self.drawing_thread)
        self.model_view, self.sheet_view = ModelView(seen), SheetView(seen)
        self.drawing_thread.start()
        self.lighting = parts.make(Lighting, show=self.model_view.set_look)
        hand_over(parts, self.model_view, self.sheet_view)
        self.matter = parts.make(Matter)
        self.files = Files(self, parts, lambda: self.may_leave())
        self.clipping = Clipping(parts, self.say, self._place_in_middle)
        self._add_commands()
        self.strip = TopStrip(parts)
        self.tools = ToolLine(parts, self.model_view, self.sheet_view)
        self.board, self.settings = Board(self.matter), SettingsPanel(self.matter)
        self.settings.setAccessibleName(tr("Layer"))
        self.history = parts.make(HistoryPanel, matter=self.matter)
        self.tray = parts.make(Tray)
        parts.ending.append(self.tray.end)
        self.notice, self.recovery, self.mishap = NoticeLine(), Recovery(), MishapLine()
        self.ground = Ground(
            (self.strip, self.tools), (self.model_view, self.sheet_view), self.board, (self.recovery, self.mishap),
            self.notice, self.tray,
        )  # fmt: skip
        self.pages, self.right = self.ground.pages, self.ground.right
        self.pins = parts.make(PinnedPictures, host=self.ground.views)
        self.quay = QuayWindow()
        self.late = Late(
            parts, self.matter, (self.model_view, self.sheet_view), self.pages, self.right, self.files.ask_model,
            self.quay.open, lambda: self.rest.resting,
        )  # fmt: skip
        for page, title in (
            (self.settings, tr("Layer")), (self.late.tab("masks"), TABS["masks"]), (self.history, tr("History")),
            (self.late.tab("slides"), TABS["slides"]), (self.late.tab("brush"), TABS["brush"]),
            (self.late.tab("loans"), TABS["loans"]), (self.late.tab("spot"), TABS["spot"]),
        ):  # fmt: skip
            self.pages.addTab(page, title)
        self._notice_timer = QTimer(self, singleShot=True)
        self._notice_timer.timeout.connect(lambda: self.say("", False))
        self.start_page.lie_over(self.model_view)
        self.setCentralWidget(self.ground)
        parts.commands.keep_within("layer.delete", self.board, self.model_view, self.sheet_view)
        parts.commands.add_to(self)
        self.menus = fill_menu_bar(self.menuBar(), parts.commands)
        self.strip.menu_button.setMenu(folded(self.menuBar(), self.strip.menu_button))
        self.setAcceptDrops(True)
        self.furnished = True
        self._recall()
        self._fit_menus()
        self.rest = Rest(parts, (self.model_view, self.sheet_view), self.drawing_thread, self.settings)
        self._connect()
        self._station_changed(parts.looking.station)
        self.model_view.frame_drawn.connect(self.late.begin, Qt.ConnectionType.SingleShotConnection)
        if self._wish is not None:
            QTimer.singleShot(0, self, self._wish)

    def _do(self, name: str) -> None:
        """Have a command done, as soon as there are any."""
        if self.furnished:
            self.parts.commands[name].trigger()
        else:
            self._wish = partial(self._do, name)

    def _add_commands(self) -> None:
        """What concerns the window as a whole."""
        from lucky_fern.ui.window.leaving import leave

        add, key = self.parts.commands.add, QKeySequence.StandardKey
        add("file.new", BEGIN["file.new"], self.files.ask_model, key.New)
        add("file.open", BEGIN["file.open"], self.files.ask_open, key.Open, icon_name="open")
        add("file.save", tr("Save"), self.files.save, key.Save, icon_name="save")
        add("file.save-as", tr("Save as …"), self.files.ask_save, "Ctrl+Shift+S")
        add("file.pictures", tr("Add pictures …"), self.files.ask_pictures)
        add("file.reload", tr("Read changed pictures again"), self.parts.bringing.reload, "F5")
        add("file.lend", tr("Lend to another program …"), self._show_loans)
        add("file.export", tr("Export again"), self._export_again, "Ctrl+E", icon_name="export")
        for which, title in DEMOS.items():
            add(f"file.demo-{which}", title, partial(self._open_demo, which))
        add("file.quit", tr("Quit"), self.close, key.Quit)
        add("edit.preferences", tr("Preferences …"), self._ask_preferences, key.Preferences)
        add("view.side", tr("Fold the side away"), partial(self._fold, "side"), "F9", checkable=True)
        add("view.tray", tr("Fold the kit away"), partial(self._fold, "tray"), "F8", checkable=True)
        add(
            "view.whole",
            tr("This view takes all the room"),
            self._take_room,
            "Z",
            checkable=True,
            tip=tr("The view under the pointer takes all the room; again, and it gives it back"),
        )
        add("help.keys", tr("Shortcuts …"), self._show_keys, key.HelpContents)
        add("help.about", tr("About Lucky Fern …"), self._show_about)
        add("edit.all", tr("Select all"), self._select_all, key.SelectAll)
        add("edit.take-values", tr("Take values from a place"), self.parts.colour_picking.ask, "Q",
            tip=tr("The paint takes what the next click finds, on every map that it gives to"))  # fmt: skip
        add("view.spot", tr("What made this texel"), self._show_spot, "W",
            tip=tr("Of the spot under the pointer, on the map that is looked at: layer by layer"))  # fmt: skip
        add("edit.leave", tr("Leave what is being done"), partial(leave, self.parts), "Esc")

    def _connect(self) -> None:
        self.parts.looking.station_changed.connect(self._station_changed)
        self.parts.work.said.connect(self.say)
        self.parts.work.project_changed.connect(self._show_title)
        self.parts.errands.changed.connect(self._show_errand)
        self.parts.saves.changed.connect(self._show_errand)
        self.parts.preparing.opened.connect(self._show_preparing)
        self.parts.bringing.waiting_changed.connect(lambda: self._station_changed(self.parts.looking.station))
        self.parts.work.may_replace = self.may_leave
        self.parts.work.studio_changed.connect(self.start_page.hide)
        self.parts.work.undo_room_changed.connect(self._remember_undo)
        self.parts.work.studio_left.connect(partial(let_go, self))
        self.parts.work.project_changed.connect(self._note_recent)
        self.parts.dropping.dropped.connect(self._type_label)
        self.parts.mishaps.told.connect(self.mishap.tell)
        self.parts.keeping.lost_found.connect(self.recovery.show_lost)
        self.recovery.wanted.connect(self._bring_back)
        self.recovery.unwanted.connect(self.parts.keeping.forget)
        self.ground.call_off.clicked.connect(self._call_off)
        from lucky_fern.ui.window.colours import Colours
        from lucky_fern.ui.window.files import follow_tray
        from lucky_fern.ui.window.proposals import Proposals

        self.colours = Colours(self, self.parts)
        follow_tray(self.tray, self.parts, self.files, self._place_in_middle, self._ask_credit)
        self.proposals = Proposals(self.parts, self.notice, self._notice_timer, self.remembered)
        self.tools.slide_asked.connect(self._toggle_slide)
        self.parts.errands.progress.connect(lambda title, share: self.say(f"{title} {share:.0%}", False))

    # --- following the parts -----------------------------------------------------------------------------------

    def _station_changed(self, station: str) -> None:
        if station != "artwork":
            self.parts.preparing.close()
        side = self.late.side_of(station)
        if self.parts.bringing.waiting:
            side = self.late.sequence_panel
        elif self.parts.preparing.picture:
            side = self.late.preparing_panel
        self.right.setCurrentWidget(side or self.ground.layers)
        for tab, place in (("slides", "artwork"), ("brush", "paint")):
            self.pages.setTabVisible(self.pages.indexOf(self.late.tab(tab)), station == place)
        if station == "paint":
            self.pages.setCurrentWidget(self.late.brush)
        self.model_view.refresh()
        self.sheet_view.refresh()
        for name in ("export_panel", "check_panel"):
            if self.late.made(name):
                getattr(self.late, name).follow()

    def _show_preparing(self) -> None:
        """A picture is made ready in the place of the sheets, or they are back."""
        beside, on = self.ground.splitters["views"], bool(self.parts.preparing.picture)
        if on and beside.count() == 2:
            beside.addWidget(self.late.preparing_view)
        if on:
            self.parts.looking.go_to("artwork")
            if self.sheet_view.isVisible():
                sizes = beside.sizes()
                self.sheet_view.hide()
                self.late.preparing_view.show()
                beside.setSizes([int(sum(sizes) * 0.3), 0, int(sum(sizes) * 0.7)])
            self.late.preparing_panel.refresh()
        elif self.late.made("preparing_view") and self.late.preparing_view.isVisibleTo(self):
            self.late.preparing_view.hide()
            self.sheet_view.show()
            beside.setSizes([500, 500, 0])
        self._station_changed(self.parts.looking.station)

    def _ask_credit(self, picture: str) -> None:
        """Go to where a picture's author and licence are written down."""
        self.parts.looking.go_to("export")
        self.late.export_panel.credits.choose(picture)
        self.late.export_panel.ensureWidgetVisible(self.late.export_panel.credits)

    def _show_loans(self) -> None:
        """What goes out to other programs, and what is out."""
        if self.parts.looking.station not in ("artwork", "paint"):
            self.parts.looking.go_to("artwork")
        self.pages.setCurrentWidget(self.late.loans)

    def _export_again(self) -> None:
        """Write what the project is exported as, from every station."""
        self.parts.looking.go_to("export")
        self.late.export_panel.start()

    def _show_spot(self) -> None:
        """Have each layer tell what it did at the spot that was pointed at last."""
        self.late.spot.take()
        self.pages.setCurrentWidget(self.late.spot)

    def _toggle_slide(self) -> None:
        """Hold a picture over the model view, or put it away."""
        self.pages.setCurrentWidget(self.late.slides)
        if self.parts.sliding.up:
            self.parts.sliding.put_away()
        else:
            self.late.slides.hold_up()

    def _select_all(self) -> None:
        if self.parts.looking.station == "model":
            self.parts.faces.all()

    def _show_title(self) -> None:
        studio = self.parts.work.studio
        if studio is not None:
            name = studio.project.name if self.parts.work.path is None else self.parts.work.path.stem
            self.setWindowTitle(tr("{name}[*] – Lucky Fern", name=name))
            self.setWindowModified(studio.changed)

    def event(self, event: QEvent) -> bool:
        if self.furnished and event.type() > QEvent.Type.User and self.colours.answers(event):
            return True
        handled: bool = super().event(event)
        return handled

    def say(self, sentence: str, warning: bool) -> None:
        """One quiet line under the views."""
        self.notice.say(sentence, warning)
        self._notice_timer.start(_SAID)

    def _call_off(self) -> None:
        """Give up what the line says is under way."""
        if self.parts.errands.busy:
            self.parts.errands.call_off()
        else:
            self.parts.saves.stop()

    def _show_errand(self, _: str) -> None:
        """What is being opened, else what is being saved, with a way to call it off."""
        title = self.parts.errands.title or self.parts.saves.title
        self.ground.call_off.setVisible(bool(title))
        if title:
            self.say(title, False)
        elif "…" in self.notice.text():
            self.say("", False)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.furnished:
            self._fit_menus()

    def _fit_menus(self) -> None:
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
        from lucky_fern.ui.widgets import asking
        from lucky_fern.ui.window.kept_tools import recall_tools

        what = self.remembered
        asking.begin_in(what.folders)
        for name, keys in what.keys.items():
            self.parts.commands.set_keys(name, keys)
        for name, splitter in self.ground.splitters.items():
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
        from lucky_fern.ui.widgets import asking
        from lucky_fern.ui.window.kept_tools import note_tools

        what = self.remembered
        what.folders, what.keys = asking.last_folders(), self.parts.commands.own_keys
        what.splitters = {name: splitter.sizes()[:2] for name, splitter in self.ground.splitters.items()}
        what.folded = [name for name in ("side", "tray") if self.parts.commands[f"view.{name}"].isChecked()]
        note_tools(what, self.parts)
        what.whole_screen = self.isMaximized()
        if not what.whole_screen:
            what.size = self.width(), self.height()

    def _apply_choices(self) -> None:
        from lucky_fern.ui.widgets import asking

        self.parts.work.keep_previous = self.remembered.keep_previous
        asking.begin_in({}, self.remembered.home)
        self.parts.changing.wish = self.remembered.reread
        self.parts.my_kit.move_to(self.remembered.my_kit)
        self.parts.work.give_undo(self.remembered.undo_megabytes << 20)
        self.parts.maps.give_room(self.remembered.maps_megabytes << 20)

    def _remember_undo(self, room: int) -> None:
        self.remembered.undo_megabytes = room >> 20

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
        if not self.furnished:
            self._wish = partial(self._open_recent, path)
        elif self.may_leave():
            self.parts.work.open(path)

    def _ask_preferences(self) -> None:
        from lucky_fern.ui.window.preferences import Preferences

        if Preferences(self, self.remembered).exec():
            self._apply_choices()

    def _show_keys(self) -> None:
        from lucky_fern.ui.window.keys_page import KeysPage

        KeysPage(self, self.parts.commands).exec()

    def _show_about(self) -> None:
        from lucky_fern.ui.window.about import About

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
            self.say(tr("The middle of the model view is empty: turn the model so that it is there."), True)

    # --- drops and closing ------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.files.known(_paths(event)):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.files.drop(_paths(event))

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.furnished:
            event.accept()
        elif self.may_leave():
            self._remember()
            self.quay.close()
            self.parts.close()
            event.accept()
        else:
            event.ignore()


def _paths(event: QDropEvent) -> list[Path]:
    return [Path(url.toLocalFile()) for url in event.mimeData().urls()]
