"""A strip of things to drag onto a view: pictures or recipes."""

from __future__ import annotations

import base64
import html
import threading
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from PySide6.QtCore import QByteArray, QEvent, QMimeData, QPoint, QSize, Qt, QUrl, Signal
from PySide6.QtGui import QDrag, QIcon, QKeyEvent, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import QListView, QToolTip

from lucky_fern.core.arrays import U8
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.ui.session.beside import soon
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.ui.widgets.thumbnails import to_pixmap

SIDE = 60
LARGE = 4 * SIDE  # pixels of a picture that the pointer rests on
_ROW, _LIST = 20, 250  # pixels, of a line of the list
ID = Qt.ItemDataRole.UserRole
DIGEST = Qt.ItemDataRole.UserRole + 1


def strip_height() -> int:
    """How tall one is, with the text of this desktop."""
    return SIDE + with_text(42)


@guarded
class Strip(QListView):
    """Things in a row, or a list, each with a picture that is drawn beside the window and shown large under the
    pointer; several can be chosen, Enter uses the last one.
    """

    place_asked = Signal(str)
    drawn = Signal(str)  # what a picture goes by
    _drawn = Signal(str, object, object)  # what a picture goes by, its pixels, its bytes as PNG

    def __init__(self, mime: str, blank: str, file_of: Callable[[str], Path | None] = lambda _: None) -> None:
        """``blank`` names the icon that stands there until a picture is drawn; without ``mime`` only files go out."""
        super().__init__()
        self.mime, self.file_of = mime, file_of
        self.icons: dict[str, QIcon] = {}
        self._large: dict[str, bytes] = {}
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
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.as_list = False
        self.show_as_list(False)
        self.setFixedHeight(strip_height())
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setUniformItemSizes(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)

    def show_as_list(self, on: bool) -> None:
        """Lines of text with small pictures, or pictures with their names below."""
        self.as_list = on
        self.setFlow(QListView.Flow.TopToBottom if on else QListView.Flow.LeftToRight)
        self.setWrapping(on)
        side = with_text(_ROW - 4) if on else SIDE
        self.setViewMode(QListView.ViewMode.ListMode if on else QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setDragEnabled(True)
        self.setIconSize(QSize(side, side))
        self.setGridSize(self._cell())
        for row in range(self.items.rowCount()):
            self.items.item(row).setSizeHint(self._cell())

    def _cell(self) -> QSize:
        return QSize(with_text(_LIST), with_text(_ROW)) if self.as_list else QSize(SIDE + 36, SIDE + with_text(28))

    def chosen(self) -> list[str]:
        """What all that is chosen goes by, in the order in which it stands."""
        rows = sorted(index.row() for index in self.selectedIndexes())
        return [str(self.items.item(row).data(ID)) for row in rows]

    def add(self, text: str, identity: str, digest: str, tip: str) -> None:
        """One thing more."""
        item = QStandardItem(text)
        item.setData(identity, ID)
        item.setData(digest, DIGEST)
        item.setEditable(False)
        item.setSizeHint(self._cell())
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
                self._drawn.emit(digest, *(None, b"") if pixels is None else _packed(pixels))

    def _show(self, digest: str, pixels: object, large: bytes) -> None:
        self.drawing -= 1
        if not isinstance(pixels, np.ndarray):
            return
        self.icons[digest], self._large[digest] = QIcon(to_pixmap(pixels)), large
        for row in range(self.items.rowCount()):
            if self.items.item(row).data(DIGEST) == digest:
                self.items.item(row).setIcon(self.icons[digest])
        self.drawn.emit(digest)

    def show_only(self, wanted: Callable[[QStandardItem], bool]) -> None:
        """Show only those that are wanted."""
        for row in range(self.items.rowCount()):
            self.setRowHidden(row, not wanted(self.items.item(row)))

    def viewportEvent(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            index = self.indexAt(event.pos())  # type: ignore[attr-defined]  # an event of help
            if index.isValid():
                text = html.escape(str(index.data(Qt.ItemDataRole.ToolTipRole) or "")).replace("\n", "<br>")
                picture = self._large.get(str(index.data(DIGEST)))
                shown = "" if picture is None else (
                    f'<img src="data:image/png;base64,{base64.b64encode(picture).decode()}"><br>'
                )  # fmt: skip
                QToolTip.showText(event.globalPos(), f"<p>{shown}{text}</p>", self)  # type: ignore[attr-defined]
                return True
        handled: bool = super().viewportEvent(event)
        return handled

    def startDrag(self, actions: Qt.DropAction) -> None:
        index = self.currentIndex()
        if not index.isValid():
            return
        drag = QDrag(self)
        mime = QMimeData()
        if self.mime:
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


def _packed(pixels: U8) -> tuple[U8, bytes]:
    """A picture as small as icons are, and as it is shown under the pointer."""
    side = min(2 * SIDE, pixels.shape[0])
    small = np.asarray(cv2.resize(pixels, (side, side), interpolation=cv2.INTER_AREA), np.uint8)
    _, packed = cv2.imencode(".png", cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR))
    return small, packed.tobytes()
