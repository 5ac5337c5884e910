"""A strip of things to drag onto a view: pictures or recipes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QByteArray, QMimeData, QPoint, QSize, Qt, QUrl, Signal
from PySide6.QtGui import QDrag, QKeyEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QListView

from lucky_fern.ui.widgets.style import with_text

SIDE = 60
ID = Qt.ItemDataRole.UserRole
DIGEST = Qt.ItemDataRole.UserRole + 1


def strip_height() -> int:
    """How tall one is, with the text of this desktop."""
    return SIDE + with_text(42)


class Strip(QListView):
    """Things in a row, each with a picture; Enter uses the chosen one."""

    place_asked = Signal(str)

    def __init__(self, mime: str, file_of: Callable[[str], Path | None] = lambda _: None) -> None:
        super().__init__()
        self.mime, self.file_of = mime, file_of
        self.items = QStandardItemModel(self)
        self.setModel(self.items)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(False)
        self.setMovement(QListView.Movement.Static)
        self.setDragEnabled(True)
        self.setIconSize(QSize(SIDE, SIDE))
        self.setGridSize(QSize(SIDE + 36, SIDE + 30))
        self.setFixedHeight(strip_height())
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setUniformItemSizes(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)

    def add(self, text: str, identity: str, digest: str, tip: str) -> QStandardItem:
        """One thing more."""
        item = QStandardItem(text)
        item.setData(identity, ID)
        item.setData(digest, DIGEST)
        item.setEditable(False)
        item.setSizeHint(QSize(SIDE + 36, SIDE + with_text(26)))
        item.setToolTip(tip)
        self.items.appendRow(item)
        return item

    def search(self, wanted: str) -> None:
        """Show only those whose names hold some words."""
        for row in range(self.items.rowCount()):
            self.setRowHidden(row, wanted not in self.items.item(row).text().lower())

    def startDrag(self, actions: Qt.DropAction) -> None:
        index = self.currentIndex()
        if not index.isValid():
            return
        drag = QDrag(self)
        mime = QMimeData()
        mime.setData(self.mime, QByteArray(str(index.data(ID)).encode()))
        file = self.file_of(str(index.data(ID)))
        if file is not None:  # other programs take it as a file
            mime.setUrls([QUrl.fromLocalFile(str(file))])
        drag.setMimeData(mime)
        pixmap = index.data(Qt.ItemDataRole.DecorationRole).pixmap(SIDE, SIDE)
        drag.setPixmap(pixmap)
        drag.setHotSpot(QPoint(SIDE // 2, SIDE // 2))
        drag.exec(Qt.DropAction.CopyAction)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.place_asked.emit(str(self.currentIndex().data(ID)))
        else:
            super().keyPressEvent(event)
