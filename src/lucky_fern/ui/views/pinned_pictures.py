"""Pictures pinned beside the work: in a corner over the views, large or small, for looking and for taking colours."""

from __future__ import annotations

from functools import partial

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QObject, QPoint, QRect, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap, QWheelEvent
from PySide6.QtWidgets import QMenu, QToolButton, QWidget

from lucky_fern.core.arrays import U8
from lucky_fern.core.project.commands import PinPicture
from lucky_fern.core.project.helps import CORNERS, Corner, Pinned
from lucky_fern.core.studio import Studio
from lucky_fern.ui.session.answers import Answers
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.thumbnails import shrunk, to_pixmap
from lucky_fern.words import tr

_FINEST = 1600  # pixels, of what is shown
_GAP, _BUTTON = 8, 18
_SMALL, _LARGE = 0.3, 0.75  # shares of the room
_CORNERS: dict[Corner, str] = {
    "upper-left": tr("Upper left"), "upper-right": tr("Upper right"), "lower-left": tr("Lower left"),
    "lower-right": tr("Lower right"),
}  # fmt: skip


@guarded
class PinnedPictures(QObject):
    """Follows the project; the pictures are children of a ``host`` that holds both views."""

    def __init__(self, work: Work, answers: Answers, host: QWidget) -> None:
        super().__init__(host)
        self.work, self.answers, self.host = work, answers, host
        self.shown: dict[str, PinnedPicture] = {}
        host.installEventFilter(self)
        work.project_changed.connect(self.follow)
        work.studio_changed.connect(self.follow)

    def follow(self) -> None:
        """Show what the project has pinned."""
        studio = self.work.studio
        pinned = {} if studio is None else studio.project.pinned
        for name in [name for name in self.shown if name not in pinned]:
            gone = self.shown.pop(name)
            gone.hide()
            gone.deleteLater()
        for name, one in pinned.items():
            if name not in self.shown:
                self.shown[name] = PinnedPicture(self, name)
            picture = self.shown[name]
            digest = studio.project.pictures[name].digest if studio is not None else ""
            if picture.digest != digest and studio is not None:
                picture.digest = digest
                self.answers.ask(f"pinned {name}", partial(_read, studio, name), picture.take)
            picture.pinned = one
        self.place()

    def place(self) -> None:
        """Put them into their corners, side by side where several share one."""
        taken = dict.fromkeys(CORNERS, _GAP)
        room = self.host.rect()
        for picture in self.shown.values():
            corner = picture.pinned.corner
            size = picture.wanted(room)
            x = taken[corner]
            taken[corner] += size.width() + _GAP
            left = x if corner.endswith("left") else room.width() - x - size.width()
            top = _GAP if corner.startswith("upper") else room.height() - size.height() - _GAP
            picture.setGeometry(QRect(QPoint(left, top), size.size()))
            picture.show()
            picture.raise_()
            picture.update()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.host and event.type() == QEvent.Type.Resize:
            self.place()
        return False

    def set(self, name: str, pinned: Pinned | None) -> None:
        """Pin a picture otherwise; None takes it off."""
        self.work.execute(PinPicture(name, pinned), merge=pinned is not None)


def _read(studio: Studio, name: str) -> U8:
    return shrunk(studio.sources.picture(studio.project.pictures[name]).rgba, _FINEST)


@guarded
class PinnedPicture(QWidget):
    """One of them. Dragged to another corner, larger by the wheel or a double click."""

    def __init__(self, pins: PinnedPictures, name: str) -> None:
        super().__init__(pins.host)
        self.pins, self.name, self.digest = pins, name, ""
        self.pinned = Pinned()
        self._pixmap: QPixmap | None = None
        self._at: QPixmap | None = None  # as large as it was painted last
        self._held: QPoint | None = None
        self.setAccessibleName(tr("Pinned: {name}", name=name))
        self.setToolTip(tr("{name}: drag it to another corner, wheel or double click for its size", name=name))
        self.close_button = QToolButton(self, text="×")
        self.close_button.setFixedSize(_BUTTON, _BUTTON)
        self.close_button.setToolTip(tr("Take it off"))
        self.close_button.clicked.connect(lambda _=False: self.pins.set(self.name, None))

    def take(self, pixels: U8) -> None:
        """This is what it shows."""
        self._at = None
        self._pixmap = to_pixmap(pixels if pixels.shape[2] != 2 else np.repeat(pixels[..., :1], 3, axis=2))
        self.pins.place()

    def wanted(self, room: QRect) -> QRect:
        """How large it is in a room, in its own proportions."""
        wide, high = (1, 1) if self._pixmap is None else (self._pixmap.width(), self._pixmap.height())
        share = self.pinned.share
        scale = min(share * room.width() / wide, share * room.height() / high)
        return QRect(0, 0, max(round(wide * scale), 2 * _BUTTON), max(round(high * scale), 2 * _BUTTON))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(214, 214, 214))
        if self._pixmap is not None:
            painter.drawPixmap(self.rect(), self._scaled(self._pixmap))
        painter.setPen(QColor(90, 90, 90))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _scaled(self, pixmap: QPixmap) -> QPixmap:
        """What it shows at its size; pixels that are seen larger are seen as they are."""
        ratio = self.devicePixelRatio()
        size = QSize(round(self.width() * ratio), round(self.height() * ratio))
        if self._at is None or self._at.size() != size:
            smooth = Qt.TransformationMode.SmoothTransformation
            how = Qt.TransformationMode.FastTransformation if size.width() > pixmap.width() else smooth
            self._at = pixmap.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, how)
        return self._at

    def resizeEvent(self, event: QEvent) -> None:
        self.close_button.move(self.width() - _BUTTON - 2, 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = event.position().toPoint() if event.button() == Qt.MouseButton.LeftButton else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self.move(self.mapToParent(event.position().toPoint()) - self._held)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        self._held = None
        middle, room = self.geometry().center(), self.pins.host.rect().center()
        corner: Corner = CORNERS[2 * (middle.y() > room.y()) + (middle.x() > room.x())]
        if corner != self.pinned.corner:
            self.pins.set(self.name, replace(self.pinned, corner=corner))
        self.pins.place()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.pins.set(self.name, replace(self.pinned, share=_SMALL if self.pinned.share > _SMALL else _LARGE))

    def wheelEvent(self, event: QWheelEvent) -> None:
        share = self.pinned.share * 1.1 ** (event.angleDelta().y() / 120)
        self.pins.set(self.name, replace(self.pinned, share=round(min(max(share, 0.08), 1.0), 4)))
        event.accept()

    def contextMenuEvent(self, event: QEvent) -> None:
        menu = QMenu(self)
        for corner, title in _CORNERS.items():
            menu.addAction(title, partial(self.pins.set, self.name, replace(self.pinned, corner=corner)))
        menu.addSeparator()
        menu.addAction(tr("Take it off"), partial(self.pins.set, self.name, None))
        menu.popup(self.mapToGlobal(QPoint(self.width() // 2, self.height() // 2)))
