"""A picture shown as large as there is room, on squares that show where it is clear; the wheel goes closer."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from lucky_fern.core.arrays import Array
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.thumbnails import to_pixmap

_MARGIN = 14.0  # pixels left free all round
_CLOSEST = 40.0


@guarded
class PictureCanvas(QWidget):
    """``moved``: it is looked at from closer, or elsewhere."""

    moved = Signal()

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setAccessibleName(title)
        self.setMinimumSize(120, 120)
        self.setMouseTracking(True)
        self._pixmap: QPixmap | None = None
        self._size = (1.0, 1.0)  # of the picture, in its own pixels
        self._scale, self._middle = 1.0, QPointF(0, 0)
        self._fitted = True
        self._dragged: QPointF | None = None
        tile = QPixmap(16, 16)
        tile.fill(QColor(196, 196, 196))
        painter = QPainter(tile)
        painter.fillRect(0, 0, 8, 8, QColor(214, 214, 214))
        painter.fillRect(8, 8, 8, 8, QColor(214, 214, 214))
        painter.end()
        self._checker = QBrush(tile)

    def set_picture(self, rgba: Array | None, by: float = 1.0) -> None:
        """Show (rows, columns, 3 or 4); ``by`` is how many of its pixels a pixel of the real picture is."""
        if rgba is None:
            self._pixmap = None
        else:
            pixels = rgba if rgba.dtype == np.uint8 else np.asarray(rgba >> 8, np.uint8)
            self._pixmap = to_pixmap(pixels)
            size = (rgba.shape[1] / by, rgba.shape[0] / by)
            if size != self._size:
                self._size = size
                self._fitted = True
        if self._fitted:
            self._fit()
        self.update()

    def _fit(self) -> None:
        room = max(self.width() - 2 * _MARGIN, 20), max(self.height() - 2 * _MARGIN, 20)
        self._scale = min(room[0] / self._size[0], room[1] / self._size[1])
        self._middle = QPointF(self._size[0] / 2, self._size[1] / 2)
        self.moved.emit()

    def to_widget(self, x: float, y: float) -> QPointF:
        """Where a point of the picture (its own pixels) is drawn."""
        return QPointF(self.width() / 2 + (x - self._middle.x()) * self._scale,
                       self.height() / 2 + (y - self._middle.y()) * self._scale)  # fmt: skip

    def to_picture(self, at: QPointF) -> tuple[float, float]:
        """The point of the picture under one of the widget, kept within it."""
        x = self._middle.x() + (at.x() - self.width() / 2) / self._scale
        y = self._middle.y() + (at.y() - self.height() / 2) / self._scale
        return min(max(x, 0.0), self._size[0]), min(max(y, 0.0), self._size[1])

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor("#999999"))
        if self._pixmap is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._scale < 3)
        place = QRectF(self.to_widget(0, 0), self.to_widget(*self._size))
        painter.fillRect(place, self._checker)
        painter.drawPixmap(place, self._pixmap, QRectF(self._pixmap.rect()))
        self.paint_over(painter)

    def paint_over(self, painter: QPainter) -> None:
        """What is drawn over the picture."""

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._fitted:
            self._fit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        before = self._scale
        least = min(self.width() / self._size[0], self.height() / self._size[1]) * 0.5
        self._scale = min(max(before * 1.0015 ** event.angleDelta().y(), least), _CLOSEST)
        off = event.position() - QPointF(self.width() / 2, self.height() / 2)
        self._middle += off / before - off / self._scale
        self._fitted = False
        self.moved.emit()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._dragged = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged is not None:
            self._middle -= (event.position() - self._dragged) / self._scale
            self._dragged, self._fitted = event.position(), False
            self.moved.emit()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._dragged = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._fitted = True
            self._fit()
            self.update()
