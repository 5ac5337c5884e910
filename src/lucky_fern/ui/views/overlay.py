"""What is drawn over a view: the decal's handles, the linked marker, a drop's ghost, a line of facts."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QLinearGradient, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF, QTransform
from PySide6.QtWidgets import QWidget

from lucky_fern.core.arrays import F64
from lucky_fern.core.layout.heat import Heat
from lucky_fern.ui.gestures.drawn import Drawn, Levelled
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.histogram import paint_levels
from lucky_fern.ui.widgets.style import tones

FERN = QColor("#2c6b4c")


@guarded
class Overlay(QWidget):
    """A transparent sheet over a view; the mouse goes through it."""

    def __init__(self, parent: QWidget, drawn: Drawn) -> None:
        super().__init__(parent)
        self.drawn = drawn  # what gestures write
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
        self.marker: F64 | None = None
        self.labels: list[tuple[F64, str]] = []
        self.facts = ""
        self.hint = ""
        self.left = self.right = ""  # what is on both sides of that
        self.wipe: float | None = None  # where the pinned state ends, as a share of the width
        self.grid: list[F64] = []  # (2, 2) the ends of lines between texels
        self.banner = ""
        self.heat: Heat | None = None  # whose legend is shown
        self.ghost: tuple[QPixmap, QPointF] | None = None
        self.aimed = ""  # what a drop at the marker would do

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.grid:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            painter.setPen(QPen(QColor(0, 0, 0, 60), 1.0))
            for ends in self.grid:
                painter.drawLine(_point(ends[0]), _point(ends[1]))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.drawn.slide is not None:
            self._slide(painter, *self.drawn.slide)
        for place, text in self.labels:
            self._tag(painter, QPointF(place[0] + 4, place[1] - 4), text, quiet=True)
        if self.wipe is not None:
            self._wipe_line(painter, self.wipe * self.width())
        if self.heat is not None:
            self._legend(painter, self.heat)
        if self.banner:
            self._tag(painter, QPointF(8, 32), self.banner)
        if self.marker is not None:
            self._mark(painter, _point(self.marker))
        if self.drawn.grip is not None:
            self._handles(painter, self.drawn.grip)
        if self.drawn.outline is not None or self.drawn.disc is not None:
            self._selecting(painter)
        self._mirrored(painter)
        self._loans(painter)
        self._texels(painter)
        painter.setPen(QPen(QColor(44, 107, 76, 200), 1.0, Qt.PenStyle.DashLine))
        for line in self.drawn.box:
            painter.drawPolyline(QPolygonF([_point(place) for place in line]))
        if self.drawn.knots or self.drawn.way:
            self._stripe(painter)
        if self.drawn.mesh is not None:
            self._mesh(painter, self.drawn.mesh)
        if self.drawn.levels is not None:
            self._levels(painter, self.drawn.levels)
        if self.drawn.hint_line:
            self._tag(painter, QPointF(8, 58), self.drawn.hint_line)
        if self.ghost is not None:
            pixmap, at = self.ghost
            painter.setOpacity(0.75)
            size = pixmap.deviceIndependentSize()
            painter.drawPixmap(QPointF(at.x() - size.width() / 2, at.y() - size.height() / 2), pixmap)
            painter.setOpacity(1.0)
        if self.aimed and self.marker is not None:
            self._tag(painter, QPointF(self.marker[0] + 14, self.marker[1] + 30), self.aimed)
        if self.facts:
            self._tag(painter, QPointF(8, self.height() - 8), self.facts)
        if self.hint:
            painter.setPen(QColor("#3a3a3a"))
            painter.drawText(
                self.rect().adjusted(24, 0, -24, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.hint,
            )

    def _selecting(self, painter: QPainter) -> None:
        """The shape of a selecting tool."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(255, 255, 255, 220), 2.6), (FERN, 1.2)):
            painter.setPen(QPen(colour, width))
            if self.drawn.outline is not None:
                painter.drawPolygon(QPolygonF([_point(place) for place in self.drawn.outline]))
            if self.drawn.disc is not None:
                painter.drawEllipse(_point(self.drawn.disc[0]), self.drawn.disc[1], self.drawn.disc[1])

    def _mirrored(self, painter: QPainter) -> None:
        """Planes of symmetry, where else the brush paints, and what is cloned."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for line in self.drawn.planes:
            painter.setPen(QPen(QColor(255, 255, 255, 120), 2.4))
            painter.drawPolyline(QPolygonF([_point(place) for place in line]))
            painter.setPen(QPen(FERN, 1.2, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF([_point(place) for place in line]))
        for colour, width in ((QColor(255, 255, 255, 220), 2.6), (FERN, 1.2)):
            painter.setPen(QPen(colour, width))
            for twin in self.drawn.twins:
                painter.drawEllipse(_point(twin), 4, 4)
            if self.drawn.source is not None:
                at = _point(self.drawn.source)
                painter.drawLine(at - QPointF(9, 0), at + QPointF(9, 0))
                painter.drawLine(at - QPointF(0, 9), at + QPointF(0, 9))
                painter.drawEllipse(at, 5, 5)

    def _loans(self, painter: QPainter) -> None:
        """Boxes that are in another program's hands."""
        for outline, words in self.drawn.loans:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            shape = QPolygonF([_point(place) for place in outline])
            painter.setPen(QPen(QColor(255, 255, 255, 220), 2.6))
            painter.drawPolygon(shape)
            painter.setPen(QPen(FERN, 1.4, Qt.PenStyle.DashLine))
            painter.drawPolygon(shape)
            self._tag(painter, shape.boundingRect().topLeft() + QPointF(4, 22), words)

    def _texels(self, painter: QPainter) -> None:
        """Guides, chosen texels, and a block of them in hand."""
        for colour, width in ((QColor(255, 255, 255, 150), 2.0), (QColor(44, 107, 76, 190), 1.0)):
            painter.setPen(QPen(colour, width))
            for ends in self.drawn.guides:
                painter.drawLine(_point(ends[0]), _point(ends[1]))
        if self.drawn.block is not None:
            pixmap, corners = self.drawn.block
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
            painter.drawPixmap(QRectF(_point(corners[3]), _point(corners[1])), pixmap, QRectF(pixmap.rect()))
        if self.drawn.area:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            for colour, width, style in ((QColor(255, 255, 255, 230), 2.0, Qt.PenStyle.SolidLine),
                                         (FERN, 2.0, Qt.PenStyle.DotLine)):  # fmt: skip
                painter.setPen(QPen(colour, width, style))
                for ends in self.drawn.area:
                    painter.drawLine(_point(ends[0]), _point(ends[1]))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def _stripe(self, painter: QPainter) -> None:
        """Where a stripe runs, and its points."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(255, 255, 255, 200), 2.6), (FERN, 1.2)):
            painter.setPen(QPen(colour, width))
            for line in self.drawn.way:
                painter.drawPolyline(QPolygonF([_point(place) for place in line]))
        painter.setPen(QPen(FERN, 1.4))
        painter.setBrush(QColor("white"))
        for place, is_point in self.drawn.knots:
            at = _point(place)
            if is_point:
                painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))
            else:
                painter.drawEllipse(at, 3, 3)

    @staticmethod
    def _slide(painter: QPainter, pixmap: QPixmap, quads: list[F64], opacity: float) -> None:
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setOpacity(opacity)
        w, h = pixmap.width(), pixmap.height()
        flat = QPolygonF([QPointF(0, 0), QPointF(w, 0), QPointF(w, h), QPointF(0, h)])
        for quad in quads:
            turned = QTransform.quadToQuad(flat, QPolygonF([_point(place) for place in quad]))
            if isinstance(turned, QTransform):
                painter.setTransform(turned)
                painter.drawPixmap(0, 0, pixmap)
        painter.restore()

    @staticmethod
    def _mesh(painter: QPainter, mesh: F64) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(255, 255, 255, 220), 2.6), (FERN, 1.2)):
            painter.setPen(QPen(colour, width))
            for line in (*mesh, *mesh.transpose(1, 0, 2)):
                painter.drawPolyline(QPolygonF([_point(place) for place in line]))
        painter.setPen(QPen(FERN, 1.4))
        painter.setBrush(QColor("white"))
        for place in mesh.reshape(-1, 2):
            painter.drawEllipse(_point(place), 4.5, 4.5)

    @staticmethod
    def _mark(painter: QPainter, at: QPointF) -> None:
        for colour, width in ((QColor(255, 255, 255, 220), 3.2), (FERN, 1.6)):
            painter.setPen(QPen(colour, width))
            painter.drawEllipse(at, 6, 6)
            painter.drawLine(at + QPointF(-10, 0), at + QPointF(-6, 0))
            painter.drawLine(at + QPointF(10, 0), at + QPointF(6, 0))
            painter.drawLine(at + QPointF(0, -10), at + QPointF(0, -6))
            painter.drawLine(at + QPointF(0, 10), at + QPointF(0, 6))

    def _wipe_line(self, painter: QPainter, x: float) -> None:
        for colour, width in ((QColor(255, 255, 255, 220), 3.0), (FERN, 1.4)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.setBrush(QColor("white"))
        painter.drawEllipse(QPointF(x, self.height() / 2), 6, 6)
        self._tag(painter, QPointF(max(x - 12 - 7 * len(self.left), 2), self.height() - 34), self.left, quiet=True)
        self._tag(painter, QPointF(min(x + 8, self.width() - 40), self.height() - 34), self.right, quiet=True)

    def _legend(self, painter: QPainter, heat: Heat) -> None:
        """The ramp of a heat map with its labels, in the upper left corner."""
        bar = QRectF(16, 34, 190, 10)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(245, 245, 245, 225))
        painter.drawRoundedRect(QRectF(8, 8, 212, 58), 4, 4)
        gradient = QLinearGradient(bar.left(), 0, bar.right(), 0)
        for number, colour in enumerate(heat.ramp):
            gradient.setColorAt(number / (len(heat.ramp) - 1), QColor.fromRgbF(*(float(part) for part in colour)))
        painter.setBrush(gradient)
        painter.drawRect(bar)
        painter.setPen(QColor("#1f1f1f"))
        font = QFont(self.font())
        font.setPixelSize(11)
        painter.setFont(font)
        painter.drawText(QPointF(16, 25), heat.title)
        last = len(heat.labels) - 1
        for number, label in enumerate(heat.labels):
            width = painter.fontMetrics().horizontalAdvance(label)
            share = number / last
            painter.drawText(QPointF(bar.left() + share * (bar.width() - width), 60), label)

    @staticmethod
    def _handles(painter: QPainter, grip: Grip) -> None:
        outline = QPolygonF([_point(corner) for corner in grip.outline])
        knob, top = _point(grip.knob), _point(grip.at(0, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(255, 255, 255, 230), 3.0), (FERN, 1.4)):
            painter.setPen(QPen(colour, width))
            painter.drawPolygon(outline)
            painter.drawLine(top, knob)
        painter.setPen(QPen(FERN, 1.4))
        painter.setBrush(QColor("white"))
        for name, place in grip.handles().items():
            at = _point(place)
            if name == "turn":
                painter.drawEllipse(at, 5, 5)
            elif name.startswith("corner"):
                painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))
            else:
                painter.drawEllipse(at, 3, 3)
        painter.setBrush(FERN)
        painter.drawEllipse(_point(grip.centre), 2.5, 2.5)

    def _levels(self, painter: QPainter, levels: Levelled) -> None:
        """The map is seen through the plate."""
        look, box = tones(), levels.box
        plate = QColor(look.field)
        plate.setAlpha(150)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(plate)
        painter.drawRoundedRect(box, 4, 4)
        paint_levels(painter, box.top(), box.bottom(), levels.counts, levels.scale, look)

    def _tag(self, painter: QPainter, at: QPointF, text: str, quiet: bool = False) -> None:
        """Text on a small plate whose lower left corner is ``at``."""
        font = QFont(self.font())
        font.setPixelSize(11 if quiet else 12)
        painter.setFont(font)
        box = painter.fontMetrics().boundingRect(text)
        plate = QRectF(at.x(), at.y() - box.height() - 6, box.width() + 12, box.height() + 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(245, 245, 245, 190 if quiet else 235))
        painter.drawRoundedRect(plate, 4, 4)
        painter.setPen(QColor("#1f1f1f"))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, text)


def _point(place: F64) -> QPointF:
    return QPointF(float(place[0]), float(place[1]))
