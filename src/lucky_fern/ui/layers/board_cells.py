"""How the board's cells are drawn: eyes, names with their kind and mask, and what goes to which map."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from lucky_fern.core import colour
from lucky_fern.core.project.document import Channel, Layer
from lucky_fern.ui.layers.board_model import EYE, FIRST_MAP, MAP_NAMES, NAME, BoardModel, Index, Row
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import icon, tones, with_text

INDENT, CELL, ROW = 13, 34, 26
_KIND_ICONS = {"wash": "wash", "decal": "picture", "brushwork": "brush", "adjustment": "adjust", "group": "folder",
               "edging": "edging", "echo": "echo"}  # fmt: skip


@guarded
class CellPainter(QStyledItemDelegate):
    """Filled where the layer gives, hollow where it is switched off, a dot where there is nothing."""

    def __init__(self, model: BoardModel, parent: QWidget) -> None:
        super().__init__(parent)
        self.board = model
        self.tones = tones()

    def fold_box(self, rect: QRect) -> QRect:
        """Where a group's fold mark is clicked, in the box of its name."""
        return QRect(rect.left(), rect.top(), INDENT + 2, rect.height())

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(CELL, with_text(ROW))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """One cell, as it is dragged about."""
        row = self.board.row_of(index)
        if row is not None:
            self.draw(painter, option.rect, row, index.column())

    def draw(self, painter: QPainter, rect: QRect, row: Row, column: int, focus: bool = False) -> None:
        """Draw a cell of a row into a box."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, layer = rect.center(), row.layer
        if column == NAME:
            self._name(painter, rect, row)
        elif column == EYE:
            pixmap = icon("eye" if layer.visible else "eye-off", self.tones.text).pixmap(16, 16)
            painter.setOpacity(1.0 if row.shown else 0.4)
            painter.drawPixmap(middle.x() - 8, middle.y() - 8, 16, 16, pixmap)
            if layer.opacity < 1:
                self._strength(painter, QRect(middle.x() - 8, middle.y() - 7, 17, 15), layer.opacity)
        else:
            if not (row.shown and layer.visible):
                painter.setOpacity(0.4)
            self._cell(painter, middle, MAP_NAMES[column - FIRST_MAP], layer)
        painter.setOpacity(1.0)
        if focus:
            painter.setPen(QPen(QColor(self.tones.active), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(1, 1, -2, -2))
        painter.restore()

    def _name(self, painter: QPainter, rect: QRect, row: Row) -> None:
        layer = row.layer
        x, y = rect.left(), rect.center().y()
        if layer.content.holds_layers:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.tones.text))
            turned = [(2, -4), (7, 0), (2, 4)] if layer.content.folded else [(1, -2), (9, -2), (5, 3)]
            painter.drawPolygon(QPolygonF([QPointF(x + dx, y + dy) for dx, dy in turned]))
        x += INDENT - 2
        painter.drawPixmap(
            x,
            y - 7,
            14,
            14,
            icon("recipe" if layer.recipe else _KIND_ICONS[layer.kind], self.tones.quiet).pixmap(14, 14),
        )
        x += 18
        right = rect.right() - 2
        if row.mask is not None:
            right -= 18
            self._mask_mark(painter, QRectF(right + 3, y - 6, 12, 12), *row.mask)
        painter.setPen(QColor(self.tones.text if row.shown and layer.visible else self.tones.quiet))
        if layer.content.holds_layers:
            font = painter.font()
            font.setBold(True)
            painter.setFont(font)
        box = QRect(x, rect.top(), right - x, rect.height())
        text = painter.fontMetrics().elidedText(layer.name, Qt.TextElideMode.ElideRight, box.width())
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _mask_mark(self, painter: QPainter, box: QRectF, on: bool, shared: bool, ruled: bool) -> None:
        """A disc in a square, a ruler's strokes where it goes by a rule; two of them where the mask is shared."""
        painter.setPen(QPen(QColor(self.tones.text), 1))
        painter.setBrush(QColor(self.tones.text) if on else Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.tones.field if on else self.tones.text))
        if ruled:
            left, below = box.left() + 1.5, box.bottom() - 2
            strokes = (2.0, 5.0, 2.0, 5.0, 2.0) if shared else (7.0, 3.0, 5.0, 3.0, 7.0)
            for at, tall in enumerate(strokes):
                painter.drawRect(QRectF(left + 2 * at, below - tall, 1, tall))
        elif shared:
            painter.drawEllipse(box.center() - QPointF(2, 0), 2.4, 2.4)
            painter.drawEllipse(box.center() + QPointF(2.6, 0), 2.4, 2.4)
        else:
            painter.drawEllipse(box.center(), 3.2, 3.2)

    def _cell(self, painter: QPainter, middle: QPoint, name: str, layer: Layer) -> None:
        channel = layer.channels.get(name)
        box = QRect(middle.x() - 8, middle.y() - 7, 17, 15)
        if layer.content.holds_layers:
            self._passage(painter, box, channel)
            return
        if channel is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.tones.line))
            painter.drawEllipse(QPointF(middle), 1.8, 1.8)
            return
        if not channel.on:
            painter.setPen(QPen(QColor(self.tones.quiet), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 3, 3)
            return
        painter.setPen(QPen(QColor(self.tones.text), 1.2))
        if layer.content.hears is not None:
            painter.setBrush(QColor(self.tones.field))
            painter.drawRoundedRect(box, 3, 3)
            for ring in (2, 5):
                painter.drawArc(
                    QRect(box.center().x() - ring - 1, box.center().y() - ring, 2 * ring, 2 * ring), -960, 1920
                )
        elif layer.content.effect is not None:
            painter.setBrush(QColor(self.tones.field))
            painter.drawRoundedRect(box, 3, 3)
            painter.setBrush(QColor(self.tones.text))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(
                QPolygonF([QPointF(box.bottomLeft()), QPointF(box.bottomRight()), QPointF(box.topRight())])
            )
        elif channel.source in ("picture", "painted"):
            painter.setBrush(QColor(self.tones.field))
            painter.drawRoundedRect(box, 3, 3)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            centre = box.center()
            steps = ((-2, -1), (1, 2), (3, 0)) if layer.content.painted is None else ((-1, -3), (1, 3), (4, -2))
            hills = [centre + QPoint(*step) for step in steps]
            painter.drawPolyline([box.bottomLeft() + QPoint(3, -3), *hills, box.bottomRight() + QPoint(-2, -3)])
        else:
            painter.setBrush(value_colour(name, channel.source))
            painter.drawRoundedRect(box, 3, 3)
        if channel.opacity < 1:
            self._strength(painter, box, channel.opacity)
        if layer.blend_on(channel) != "normal":
            painter.setPen(QPen(QColor(self.tones.field), 0.8))
            painter.setBrush(QColor(self.tones.text))
            painter.drawEllipse(QPointF(box.right() + 1, box.top()), 3, 3)

    def echo(self, painter: QPainter, layer: Layer, middles: dict[str, QPoint]) -> None:
        """An arrow from the map that an echo hears to each that it gives to."""
        source = layer.content.hears
        if source is None or source not in middles:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        start = middles[source]
        painter.setPen(QPen(QColor(self.tones.active), 1.4))
        painter.setBrush(QColor(self.tones.active))
        painter.drawEllipse(start, 2, 2)
        for name, channel in layer.channels.items():
            if not channel.on or name not in middles or name == source:
                continue
            end = middles[name]
            way = 1 if end.x() > start.x() else -1
            tip = QPointF(end.x() - way * 10, end.y() + 9)
            painter.drawPolyline([QPointF(start), QPointF(start.x(), start.y() + 9), tip])
            painter.drawPolygon([tip, tip - QPointF(way * 4, 2.5), tip - QPointF(way * 4, -2.5)])

    def _passage(self, painter: QPainter, box: QRect, channel: Channel | None) -> None:
        """A group's cell: an open bracket where it lets through, a closed box where it shuts off."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if channel is not None and not channel.on:
            painter.setPen(QPen(QColor(self.tones.quiet), 1.2))
            painter.drawRoundedRect(box, 3, 3)
            painter.drawLine(box.topLeft(), box.bottomRight())
            return
        painter.setPen(QPen(QColor(self.tones.quiet), 1.2))
        for side, inwards in ((box.left() + 3, 3), (box.right() - 3, -3)):
            painter.drawLine(side, box.top() + 2, side, box.bottom() - 2)
            painter.drawLine(side, box.top() + 2, side + inwards, box.top() + 2)
            painter.drawLine(side, box.bottom() - 2, side + inwards, box.bottom() - 2)
        if channel is not None and channel.opacity < 1:
            self._strength(painter, box, channel.opacity)

    def _strength(self, painter: QPainter, box: QRect, share: float) -> None:
        """A bar under a cell, as long as what it gives is strong."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.tones.line))
        painter.drawRect(box.left(), box.bottom() + 2, box.width(), 2)
        painter.setBrush(QColor(self.tones.text))
        painter.drawRect(box.left(), box.bottom() + 2, round(box.width() * share), 2)


def value_colour(name: str, value: str | float) -> QColor:
    """A channel's value as a colour to show."""
    if isinstance(value, str):
        return QColor(value) if colour.is_hex(value) else QColor("#888888")
    grey = int(value * 255 + 0.5)
    return QColor(grey, grey, grey)
