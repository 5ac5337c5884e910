"""The history as a list: click a step to be there."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QSpinBox, QVBoxLayout, QWidget

from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.widgets.style import tones
from lucky_fern.words import tr


class HistoryPanel(QWidget):
    """All steps, oldest first; those still to be done again are pale."""

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Steps of the history"))
        self.list.currentRowChanged.connect(self._chosen)
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        self.spent = QLabel(objectName="quiet")
        row.addWidget(self.spent, 1)
        row.addWidget(QLabel(tr("Room")))
        self.room = QSpinBox(minimum=64, maximum=65536, suffix=tr(" MiB"), value=1024)
        self.room.setAccessibleName(tr("Memory for undo"))
        self.room.setKeyboardTracking(False)
        self.room.setToolTip(tr("When painted pixels need more than this, the oldest steps are forgotten"))
        self.room.setAccessibleName(tr("Memory for the history"))
        self.room.valueChanged.connect(self._set_room)
        row.addWidget(self.room)
        column.addLayout(row)
        matter.work.project_changed.connect(self.refresh)
        matter.work.undo_room_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        studio = self.matter.work.studio
        with QSignalBlocker(self.list):
            titles = studio.history.titles if studio is not None else []
            at = studio.history.at if studio is not None else -1
            while self.list.count() > len(titles):
                self.list.takeItem(self.list.count() - 1)
            for row, title in enumerate(titles):
                if row >= self.list.count():
                    self.list.addItem(QListWidgetItem(title))
                item = self.list.item(row)
                if item.text() != title:
                    item.setText(title)
                item.setForeground(QColor(tones().text if row <= at else tones().quiet))
            self.list.setCurrentRow(at)
        if studio is not None:
            spent = studio.history.cost / 2**20
            self.spent.setText(tr("{titles} steps, {spent:.1f} MiB", titles=len(titles) - 1, spent=spent))
            with QSignalBlocker(self.room):
                self.room.setValue(studio.history.limit >> 20)

    def _chosen(self, row: int) -> None:
        if row >= 0:
            self.matter.work.jump(row)

    def _set_room(self, mebibytes: int) -> None:
        if self.matter.work.studio is not None:
            self.matter.work.give_undo(mebibytes << 20)
