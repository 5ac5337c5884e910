"""The top strip: project, the five stations as steps, undo and redo, save state."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenu, QProgressBar, QToolButton, QWidget

from lucky_fern.ui.widgets.style import icon
from lucky_fern.ui.window.parts import Parts

STATIONS = ("model", "artwork", "paint", "check", "export")


class TopStrip(QWidget):
    """Stations in the order of the work; everything about the project as a whole."""

    new_asked = Signal()
    open_asked = Signal()
    save_asked = Signal()
    save_as_asked = Signal()
    demo_asked = Signal(str)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(4)
        self.menu_button = QToolButton(text="Project ▾", popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setMenu(self._menu())
        self.menu_button.setStyleSheet(
            "QToolButton::menu-indicator { image: none; } QToolButton { padding: 5px 9px; }"
        )
        row.addWidget(self.menu_button)
        self.name = QLabel(objectName="projectName")
        row.addWidget(self.name)
        self.saved = QLabel(objectName="quiet")
        row.addWidget(self.saved)
        row.addStretch(1)
        self.stations = QButtonGroup(self)
        self.buttons: dict[str, QToolButton] = {}
        for number, station in enumerate(STATIONS, 1):
            button = QToolButton(text=f"{number}  {station.capitalize()}", checkable=True, objectName="station")
            button.setShortcut(QKeySequence(f"Ctrl+{number}"))
            button.setToolTip(f"{station.capitalize()} station (Ctrl+{number})")
            button.clicked.connect(lambda _=False, station=station: self.parts.looking.go_to(station))
            self.stations.addButton(button)
            self.buttons[station] = button
            row.addWidget(button)
        row.addStretch(1)
        self.busy = QProgressBar(textVisible=False, maximum=0)
        self.busy.setFixedWidth(60)
        self.busy.setToolTip("Working out the maps")
        policy = self.busy.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.busy.setSizePolicy(policy)
        self.busy.hide()
        row.addWidget(self.busy)
        self.undo = self._tool("undo", "Undo", QKeySequence.StandardKey.Undo, self.parts.work.undo)
        self.redo = self._tool("redo", "Redo", QKeySequence.StandardKey.Redo, self.parts.work.redo)
        self.save = self._tool("save", "Save", QKeySequence.StandardKey.Save, self.save_asked.emit)
        for button in (self.undo, self.redo, self.save):
            row.addWidget(button)
        self.parts.work.project_changed.connect(self.refresh)
        self.parts.looking.station_changed.connect(self.refresh)
        self.parts.maps.busy.connect(self.busy.setVisible)
        self.refresh()

    def _tool(
        self, name: str, title: str, key: QKeySequence.StandardKey, action: Callable[[], object]
    ) -> QToolButton:
        button = QToolButton(icon=icon(name))
        button.setShortcut(QKeySequence(key))
        button.setAccessibleName(title)
        button.setToolTip(title)
        button.clicked.connect(lambda _=False: action())
        return button

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("New from a model …", QKeySequence(QKeySequence.StandardKey.New), self.new_asked.emit)
        menu.addAction("Open …", QKeySequence(QKeySequence.StandardKey.Open), self.open_asked.emit)
        menu.addAction("Save as …", QKeySequence("Ctrl+Shift+S"), self.save_as_asked.emit)
        menu.addSeparator()
        for which, title in (
            ("flask", "Demo: soup flask"),
            ("ferry", "Demo: Marsh Hen"),
            ("kettle", "Demo: tea kettle"),
        ):
            menu.addAction(title, partial(self.demo_asked.emit, which))
        return menu

    def refresh(self) -> None:
        studio = self.parts.work.studio
        self.name.setText(studio.project.name if studio is not None else "No project")
        if studio is None:
            state = ""
        elif self.parts.work.path is None:
            state = "not saved yet"
        else:
            state = "unsaved changes" if studio.changed else "saved"
        self.saved.setText(state)
        undo, redo = (studio.history.undo_label, studio.history.redo_label) if studio is not None else (None, None)
        self.undo.setEnabled(undo is not None)
        self.redo.setEnabled(redo is not None)
        self.undo.setToolTip(f"Undo: {undo} (Ctrl+Z)" if undo else "Nothing to undo")
        self.redo.setToolTip(f"Redo: {redo} (Ctrl+Shift+Z)" if redo else "Nothing to redo")
        self.save.setEnabled(studio is not None)
        self.buttons[self.parts.looking.station].setChecked(True)
