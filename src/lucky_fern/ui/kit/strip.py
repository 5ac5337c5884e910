"""A strip of things to drag onto a view: pictures or recipes."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QByteArray, QMimeData, QPoint, QSize, Qt, QUrl, Signal
from PySide6.QtGui import QDrag, QIcon, QKeyEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QListView

from lucky_fern.core.arrays import U8
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.ui.session.beside import soon
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.ui.widgets.thumbnails import to_pixmap

SIDE = 60
ID = Qt.ItemDataRole.UserRole
DIGEST = Qt.ItemDataRole.UserRole + 1


def strip_height() -> int:
    """How tall one is, with the text of this desktop."""
    return SIDE + with_text(42)


class Strip(QListView):
    """Things in a row, each with a picture that is drawn beside the window; Enter uses the chosen one."""

    place_asked = Signal(str)
    _drawn = Signal(str, object)  # what a picture goes by, its pixels

    def __init__(self, mime: str, blank: str, file_of: Callable[[str], Path | None] = lambda _: None) -> None:
        """``blank`` names the icon that stands there until a picture is drawn."""
        super().__init__()
        self.mime, self.file_of = mime, file_of
        self.icons: dict[str, QIcon] = {}
        self.drawing = 0  # pictures that are still to come
        self._blank = icon(blank)
        self._ended, self._sending = False, threading.Lock()
        self._drawn.connect(self._show)
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

    def add(self, text: str, identity: str, digest: str, tip: str) -> None:
        """One thing more."""
        item = QStandardItem(text)
        item.setData(identity, ID)
        item.setData(digest, DIGEST)
        item.setEditable(False)
        item.setSizeHint(QSize(SIDE + 36, SIDE + with_text(26)))
        item.setToolTip(tip)
        item.setIcon(self.icons.get(digest, self._blank))
        self.items.appendRow(item)

    def draw(self, what: str, wanted: dict[str, Callable[[], U8]]) -> None:
        """Have those drawn, by what they go by, that have no picture yet; ``what`` tells what is done."""
        missing = {digest: work for digest, work in wanted.items() if digest not in self.icons}
        if missing:
            self.drawing += len(missing)
            soon(what, partial(self._work, missing))

    def end(self) -> None:
        """The window is about to go: no picture comes any more."""
        with self._sending:
            self._ended = True

    def _work(self, missing: dict[str, Callable[[], U8]]) -> None:
        for digest, draw in missing.items():
            pixels = None
            if not self._ended:
                with suppress(LuckyFernError):  # it keeps its blank; what is wrong is said where it is used
                    pixels = draw()
            with self._sending:
                if self._ended:
                    return
                self._drawn.emit(digest, pixels)

    def _show(self, digest: str, pixels: object) -> None:
        self.drawing -= 1
        if not isinstance(pixels, np.ndarray):
            return
        self.icons[digest] = QIcon(to_pixmap(pixels))
        for row in range(self.items.rowCount()):
            if self.items.item(row).data(DIGEST) == digest:
                self.items.item(row).setIcon(self.icons[digest])

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
