"""The top strip: project, the five stations as steps, undo and redo, save state."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QActionGroup, QKeySequence
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import tr

# Station → how it is called, and how the command that goes there is.
STATIONS = {
    "model": (tr("Model"), tr("Model station")), "artwork": (tr("Artwork"), tr("Artwork station")),
    "paint": (tr("Paint"), tr("Paint station")), "check": (tr("Check"), tr("Check station")),
    "export": (tr("Export"), tr("Export station")),
}  # fmt: skip
_TICK = 400  # milliseconds between two looks at how far it has come
_LONG = 2  # ticks after which what takes long can be stopped
_MEASURES = {"lean": tr("edges"), "covered": tr("what is covered"), "thin": tr("thin places"), "drips": tr("runs")}


class TopStrip(QWidget):
    """Stations in the order of the work; everything about the project as a whole."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(4)
        self.menu_button = QToolButton(text=tr("Menu ▾"), popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setStyleSheet(
            "QToolButton::menu-indicator { image: none; } QToolButton { padding: 5px 9px; }"
        )
        self.menu_button.hide()  # shown where the menu bar does not fit
        row.addWidget(self.menu_button)
        self.name = QLabel(objectName="projectName")
        row.addWidget(self.name)
        self.saved = QLabel(objectName="quiet")
        row.addWidget(self.saved)
        row.addStretch(1)
        commands = parts.commands
        together = QActionGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for number, (station, (title, tip)) in enumerate(STATIONS.items(), 1):
            go = commands.add(
                f"station.{station}", f"{number}  {title}", partial(parts.looking.go_to, station),
                f"Ctrl+{number}", tip=tip, checkable=True,
            )  # fmt: skip
            together.addAction(go)
            button = commands.button(f"station.{station}", text=True)
            button.setObjectName("station")
            self.buttons[station] = button
            row.addWidget(button)
        row.addStretch(1)
        # It moves rarely: each step of it has the whole window put together anew.
        self.busy = QLabel(tr("Working …"), objectName="quiet")
        self.busy.setMinimumWidth(with_text(86))  # as wide as its longest text: the stations stay where they are
        self.busy.setToolTip(tr("Working out the maps"))
        self.busy.setAccessibleName(tr("Working"))
        policy = self.busy.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.busy.setSizePolicy(policy)
        self.busy.hide()
        row.addWidget(self.busy)
        self.stop = QToolButton(icon=icon("stop"), toolTip=tr("Take the last step back, which is being worked out"))
        self.stop.setAccessibleName(tr("Stop working it out"))
        self.stop.clicked.connect(self._stop)
        self.stop.setSizePolicy(policy)
        self.stop.hide()
        row.addWidget(self.stop)
        self._ticks = 0  # since there was nothing to do
        self._tick = QTimer(self, interval=_TICK)
        self._tick.timeout.connect(self._show_share)
        key = QKeySequence.StandardKey
        commands.add("edit.undo", tr("Undo"), parts.work.undo, key.Undo, icon_name="undo")
        commands.add("edit.redo", tr("Redo"), parts.work.redo, [key.Redo, "Ctrl+Y"], icon_name="redo")
        self.undo, self.redo = commands.button("edit.undo"), commands.button("edit.redo")
        self.save = commands.button("file.save")
        for button in (self.undo, self.redo, self.save):
            row.addWidget(button)
        parts.work.project_changed.connect(self.refresh)
        parts.looking.station_changed.connect(self.refresh)
        parts.maps.busy.connect(self._show_busy)
        parts.maps.rested.connect(self._show_busy)
        parts.errands.changed.connect(self._show_busy)
        parts.saves.changed.connect(self._show_busy)
        self.refresh()

    def _show_busy(self) -> None:
        """One sign for all that goes on beside the window."""
        busy = not self.parts.maps.settled or self.parts.errands.busy or self.parts.saves.busy
        self.busy.setVisible(busy)
        if busy and not self._tick.isActive():
            self.busy.setText(tr("Working …"))
            self._ticks = 0
            self._tick.start()
        elif not busy:
            self._tick.stop()
            self.stop.hide()

    def _show_share(self) -> None:
        """How far what takes longer has come, and what is being measured."""
        maps, what = self.parts.maps, self.parts.maps.measuring
        if maps.settled:
            return
        self._ticks += 1
        share = f"{maps.share:.0%}"
        if what:
            self.busy.setText(tr("Measuring {share}", share=share))
            self.busy.setToolTip(tr("Measuring {what} on the model", what=_MEASURES.get(what, what)))
        else:
            self.busy.setText(tr("Working {share}", share=share))
            self.busy.setToolTip(tr("Working out the maps"))
        long = bool(what) or self._ticks >= _LONG
        self.stop.setVisible(long and self.parts.commands["edit.undo"].isEnabled())

    def _stop(self) -> None:
        self.parts.work.undo()
        self.parts.work.say(tr("Stopped: the last step is taken back. Redo goes on with it."))

    def refresh(self) -> None:
        studio, commands = self.parts.work.studio, self.parts.commands
        self.name.setText(studio.project.name if studio is not None else tr("No project"))
        if studio is None:
            state = ""
        elif self.parts.work.path is None:
            state = tr("not saved yet")
        else:
            state = tr("unsaved changes") if studio.changed else tr("saved")
        self.saved.setText(state)
        for name in ("file.save", "file.save-as"):
            commands[name].setEnabled(studio is not None)
        undo, redo = (studio.history.undo_label, studio.history.redo_label) if studio is not None else (None, None)
        commands["edit.undo"].setEnabled(undo is not None)
        commands["edit.redo"].setEnabled(redo is not None)
        commands.tip("edit.undo", tr("Undo: {undo}", undo=undo) if undo else tr("Nothing to undo"))
        commands.tip("edit.redo", tr("Redo: {redo}", redo=redo) if redo else tr("Nothing to redo"))
        commands[f"station.{self.parts.looking.station}"].setChecked(True)
