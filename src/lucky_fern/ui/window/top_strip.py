"""The top strip: project, the five stations as steps, undo and redo, save state."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QActionGroup, QKeySequence
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from lucky_fern.ui.window.parts import Parts

STATIONS = ("model", "artwork", "paint", "check", "export")


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
        self.menu_button = QToolButton(text="Menu ▾", popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
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
        for number, station in enumerate(STATIONS, 1):
            go = commands.add(
                f"station.{station}", f"{number}  {station.capitalize()}", partial(parts.looking.go_to, station),
                f"Ctrl+{number}", tip=f"{station.capitalize()} station", checkable=True,
            )  # fmt: skip
            together.addAction(go)
            button = commands.button(f"station.{station}", text=True)
            button.setObjectName("station")
            self.buttons[station] = button
            row.addWidget(button)
        row.addStretch(1)
        # Nothing that moves: each step of it would have the whole window put together anew.
        self.busy = QLabel("Working …", objectName="quiet")
        self.busy.setToolTip("Working out the maps")
        self.busy.setAccessibleName("Working")
        policy = self.busy.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.busy.setSizePolicy(policy)
        self.busy.hide()
        row.addWidget(self.busy)
        key = QKeySequence.StandardKey
        commands.add("edit.undo", "Undo", parts.work.undo, key.Undo, icon_name="undo")
        commands.add("edit.redo", "Redo", parts.work.redo, [key.Redo, "Ctrl+Y"], icon_name="redo")
        self.undo, self.redo = commands.button("edit.undo"), commands.button("edit.redo")
        self.save = commands.button("file.save")
        for button in (self.undo, self.redo, self.save):
            row.addWidget(button)
        parts.work.project_changed.connect(self.refresh)
        parts.looking.station_changed.connect(self.refresh)
        parts.maps.busy.connect(self._show_busy)
        parts.maps.rested.connect(self._show_busy)
        parts.errands.changed.connect(self._show_busy)
        self.refresh()

    def _show_busy(self) -> None:
        """One sign for all that goes on beside the window."""
        self.busy.setVisible(not self.parts.maps.settled or self.parts.errands.busy)

    def refresh(self) -> None:
        studio, commands = self.parts.work.studio, self.parts.commands
        self.name.setText(studio.project.name if studio is not None else "No project")
        if studio is None:
            state = ""
        elif self.parts.work.path is None:
            state = "not saved yet"
        else:
            state = "unsaved changes" if studio.changed else "saved"
        self.saved.setText(state)
        for name in ("file.save", "file.save-as"):
            commands[name].setEnabled(studio is not None)
        undo, redo = (studio.history.undo_label, studio.history.redo_label) if studio is not None else (None, None)
        commands["edit.undo"].setEnabled(undo is not None)
        commands["edit.redo"].setEnabled(redo is not None)
        commands.tip("edit.undo", f"Undo: {undo}" if undo else "Nothing to undo")
        commands.tip("edit.redo", f"Redo: {redo}" if redo else "Nothing to redo")
        commands[f"station.{self.parts.looking.station}"].setChecked(True)
