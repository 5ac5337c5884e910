"""Small inputs used all over the panels: a number with its slider, a colour with its picker."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QHBoxLayout,
    QLineEdit,
    QSizePolicy,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core import colour
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_NEAR, _FAR = 0.02, 0.1  # steps of the arrow keys, without and with Shift


class NumberField(QWidget):
    """A slider and a number that follow each other. ``changed`` says whether the drag still goes on."""

    changed = Signal(float)
    let_go = Signal()

    def __init__(self, low: float, high: float, decimals: int = 2, suffix: str = "", title: str = "") -> None:
        super().__init__()
        self._steps = 1000
        self._low, self._high = low, high
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.slider = QSlider(Qt.Orientation.Horizontal, minimum=0, maximum=self._steps)
        self.slider.setAccessibleName(title)
        self.number = QDoubleSpinBox(minimum=low, maximum=high, decimals=decimals, suffix=suffix)
        self.number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.number.setSingleStep((high - low) / 100)
        self.number.setFixedWidth(with_text(58))
        self.number.setAccessibleName(title)
        self.number.setKeyboardTracking(False)
        row.addWidget(self.slider, 1)
        row.addWidget(self.number)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(self.let_go)
        self.number.valueChanged.connect(self._typed)
        self.number.editingFinished.connect(self.let_go)

    def set_range(self, low: float, high: float) -> None:
        """Go from one value to another from now on; nobody is told."""
        self._low, self._high = low, high
        with QSignalBlocker(self.number):
            self.number.setRange(low, high)
            self.number.setSingleStep((high - low) / 100)

    def set(self, value: float) -> None:
        """Show a value without telling anybody."""
        with QSignalBlocker(self.slider), QSignalBlocker(self.number):
            self.number.setValue(value)
            self.slider.setValue(round((value - self._low) / (self._high - self._low) * self._steps))

    def _slid(self, step: int) -> None:
        value = self._low + (self._high - self._low) * step / self._steps
        with QSignalBlocker(self.number):
            self.number.setValue(value)
        self.changed.emit(value)

    def _typed(self, value: float) -> None:
        with QSignalBlocker(self.slider):
            self.slider.setValue(round((value - self._low) / (self._high - self._low) * self._steps))
        self.changed.emit(value)


class DragField(QWidget):
    """A field in which pressing and dragging, or the arrow keys, pick a place, from 0 to 1 each way."""

    changed = Signal()
    let_go = Signal()

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(title)

    @property
    def place(self) -> tuple[float, float]:
        """What is picked, across and down."""
        raise NotImplementedError

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }  # fmt: skip
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        far = _FAR if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else _NEAR
        x, y = self.place
        self._at(QPointF((x + step[0] * far) * self.width(), (y + step[1] * far) * self.height()))
        self.let_go.emit()

    def ring(self, painter: QPainter) -> None:
        """Show that the keyboard is here."""
        if self.hasFocus():
            painter.setPen(QPen(self.palette().highlight().color(), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def picked(self, x: float, y: float) -> None:
        raise NotImplementedError

    def _at(self, point: QPointF) -> None:
        self.picked(min(max(point.x() / self.width(), 0.0), 1.0), min(max(point.y() / self.height(), 0.0), 1.0))
        self.update()
        self.changed.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._at(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.let_go.emit()


class ShadeSquare(DragField):
    """Saturation to the right, lightness upwards, of one hue."""

    def __init__(self) -> None:
        super().__init__(tr("Saturation and lightness"))
        self.setFixedHeight(with_text(92))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.hue = self.saturation = 0.0
        self.value = 1.0

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        across = QLinearGradient(0, 0, self.width(), 0)
        across.setColorAt(0, QColor("white"))
        across.setColorAt(1, QColor.fromHsvF(self.hue, 1, 1))
        painter.fillRect(self.rect(), QBrush(across))
        down = QLinearGradient(0, 0, 0, self.height())
        down.setColorAt(0, QColor(0, 0, 0, 0))
        down.setColorAt(1, QColor(0, 0, 0, 255))
        painter.fillRect(self.rect(), QBrush(down))
        at = QPointF(self.saturation * self.width(), (1 - self.value) * self.height())
        for ink, radius in ((QColor("black"), 5.5), (QColor("white"), 4.5)):
            painter.setPen(QPen(ink, 1.2))
            painter.drawEllipse(at, radius, radius)
        self.ring(painter)

    @property
    def place(self) -> tuple[float, float]:
        return self.saturation, 1 - self.value

    def picked(self, x: float, y: float) -> None:
        self.saturation, self.value = x, 1 - y


class HueBar(DragField):
    """All hues in a row."""

    def __init__(self) -> None:
        super().__init__(tr("Hue"))
        self.setFixedHeight(14)
        self.hue = 0.0

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        gradient = QLinearGradient(0, 0, self.width(), 0)
        for step in range(7):
            gradient.setColorAt(step / 6, QColor.fromHsvF(min(step / 6, 0.9999), 1, 1))
        painter.fillRect(self.rect(), QBrush(gradient))
        x = self.hue * self.width()
        painter.setPen(QPen(QColor("white"), 3))
        painter.drawRect(QRectF(x - 3, 1, 6, self.height() - 2))
        painter.setPen(QPen(QColor("black"), 1))
        painter.drawRect(QRectF(x - 3, 1, 6, self.height() - 2))
        self.ring(painter)

    @property
    def place(self) -> tuple[float, float]:
        return self.hue, 0.5

    def picked(self, x: float, y: float) -> None:
        self.hue = min(x, 0.9999)


class ColourField(QWidget):
    """A swatch and its #rrggbb; a click on the swatch unfolds the picker below, in place."""

    changed = Signal(str)
    let_go = Signal()

    def __init__(self, title: str = "") -> None:
        super().__init__()
        self._hex = "#808080"
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.swatch = QToolButton(checkable=True)
        self.swatch.setFixedSize(QSize(46, 22))
        self.swatch.setAccessibleName(tr("{title}: choose", title=title))
        self.text = QLineEdit(maxLength=7, objectName="plain")
        self.text.setFixedWidth(with_text(74))
        self.text.setAccessibleName(tr("{title} as #rrggbb", title=title))
        row.addWidget(self.swatch)
        row.addWidget(self.text)
        row.addStretch(1)
        column.addLayout(row)
        self.picker = QWidget()
        inner = QVBoxLayout(self.picker)
        inner.setContentsMargins(0, 0, 0, 4)
        self.square, self.bar = ShadeSquare(), HueBar()
        inner.addWidget(self.square)
        inner.addWidget(self.bar)
        column.addWidget(self.picker)
        self.picker.hide()
        self.swatch.toggled.connect(self.picker.setVisible)
        self.square.changed.connect(self._picked)
        self.bar.changed.connect(self._picked)
        self.square.let_go.connect(self.let_go)
        self.bar.let_go.connect(self.let_go)
        self.text.editingFinished.connect(self._typed)

    def set(self, value: str) -> None:
        """Show a colour without telling anybody."""
        if value == self._hex and self.text.text() == value:
            return
        self._hex = value
        shade = QColor(value)
        if shade.hsvHueF() >= 0 and shade.hsvSaturationF() > 0:
            self.bar.hue = self.square.hue = shade.hsvHueF()
        self.square.saturation, self.square.value = shade.hsvSaturationF(), shade.valueF()
        self._show()

    def _show(self) -> None:
        if not self.text.hasFocus():
            self.text.setText(self._hex)
        self.swatch.setStyleSheet(
            f"QToolButton {{ background: {self._hex}; border: 1px solid #777; border-radius: 4px; }}"
            "QToolButton:focus, QToolButton:checked { border: 2px solid #2c6b4c; }"
        )
        self.square.update()
        self.bar.update()

    def _picked(self) -> None:
        self.square.hue = self.bar.hue
        shade = QColor.fromHsvF(self.bar.hue, self.square.saturation, self.square.value)
        self._hex = shade.name()
        self._show()
        self.changed.emit(self._hex)

    def _typed(self) -> None:
        text = self.text.text().strip().lower()
        text = text if text.startswith("#") else f"#{text}"
        if not colour.is_hex(text):
            self.text.setText(self._hex)
        elif text != self._hex:
            self.set(text)
            self.text.setText(text)
            self.changed.emit(text)
            self.let_go.emit()
