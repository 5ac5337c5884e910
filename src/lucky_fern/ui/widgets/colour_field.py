"""A colour: its swatch, typed or picked, kept colours, and a way to ask for one from anywhere in the window."""

from __future__ import annotations

import re

from PySide6.QtCore import QCoreApplication, QEvent, QPointF, QRectF, QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QHelpEvent,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QToolButton,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core import colour
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.words import tr

_NEAR, _FAR = 0.02, 0.1  # steps of the arrow keys, without and with Shift
_SIDE = 16  # pixels of a kept colour
_MOST_ROWS = 6
_NUMBERS = re.compile(
    r"(?:hsv)?[\s(]*(\d+(?:\.\d+)?)\s*°?[\s,]+(\d+(?:\.\d+)?)\s*%?[\s,]+(\d+(?:\.\d+)?)\s*%?\s*\)?\Z"
)


class ColourAsked(QEvent):
    """Sent to the window by a field that wants something it cannot do itself: a colour from anywhere (``pick``), kept
    colours to offer (``swatches``), its colour kept (``keep``), one from the whole screen (``screen``).
    """

    KIND = QEvent.Type(QEvent.registerEventType())

    def __init__(self, field: ColourField, what: str) -> None:
        super().__init__(self.KIND)
        self.field, self.what = field, what


def parsed(text: str) -> str | None:
    """``#rrggbb`` of what was typed: ``#a1b2c3``, ``a1b2c3``, ``#abc``, or hue, saturation, value (``210 50 80``)."""
    text = text.strip().lower()
    digits = text.removeprefix("#")
    if re.fullmatch("[0-9a-f]{3}", digits):
        digits = "".join(2 * one for one in digits)
    if colour.is_hex(f"#{digits}"):
        return f"#{digits}"
    match = _NUMBERS.match(text)
    if match is None:
        return None
    hue, saturation, value = (float(one) for one in match.groups())
    if hue > 360 or saturation > 100 or value > 100:
        return None
    return QColor.fromHsvF(hue % 360 / 360, saturation / 100, value / 100).name()


@guarded
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


@guarded
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


@guarded
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


@guarded
class SwatchGrid(QWidget):
    """Kept colours; a click, or arrows and Enter, takes one."""

    taken = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.colours: tuple[str, ...] = ()
        self._at = 0
        self.setAccessibleName(tr("Kept colours"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.show_colours(())

    def show_colours(self, colours: tuple[str, ...]) -> None:
        """Show other ones."""
        self.colours, self._at = colours, 0
        self.setVisible(bool(colours))
        self._fit()
        self.update()

    @property
    def _across(self) -> int:
        return max(self.width() // _SIDE, 1)

    def _fit(self) -> None:
        rows = min(-(-len(self.colours) // self._across), _MOST_ROWS)
        self.setFixedHeight(max(rows, 1) * _SIDE)

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for number, one in enumerate(self.colours[: self._across * _MOST_ROWS]):
            row, column = divmod(number, self._across)
            painter.fillRect(column * _SIDE + 1, row * _SIDE + 1, _SIDE - 2, _SIDE - 2, QColor(one))
            if number == self._at and self.hasFocus():
                painter.setPen(QPen(self.palette().highlight().color(), 2))
                painter.drawRect(column * _SIDE + 1, row * _SIDE + 1, _SIDE - 2, _SIDE - 2)

    def _under(self, point: QPointF) -> int | None:
        number = int(point.y()) // _SIDE * self._across + int(point.x()) // _SIDE
        inside = 0 <= point.x() < self._across * _SIDE
        return number if inside and 0 <= number < len(self.colours) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._under(event.position())
        if number is not None:
            self._at = number
            self.taken.emit(self.colours[number])
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self._across,
            Qt.Key.Key_Down: self._across,
        }
        if event.key() in steps and self.colours:
            self._at = min(max(self._at + steps[Qt.Key(event.key())], 0), len(self.colours) - 1)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.colours:
            self.taken.emit(self.colours[self._at])
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            number = self._under(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), "" if number is None else self.colours[number], self)
            return True
        handled: bool = super().event(event)
        return handled


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
        self.text = QLineEdit(maxLength=24, objectName="plain")
        self.text.setToolTip(tr("#rrggbb, or hue, saturation and value: 210 50 80"))
        self.text.setFixedWidth(with_text(74))
        self.text.setAccessibleName(tr("{title} as #rrggbb", title=title))
        self.dropper = QToolButton(icon=icon("dropper"), iconSize=QSize(16, 16))
        self.dropper.setToolTip(tr("Take a colour from either view, or from any picture in the window"))
        self.dropper.setAccessibleName(tr("{title}: take it from somewhere", title=title))
        self.dropper.clicked.connect(lambda _=False: self._ask("pick"))
        row.addWidget(self.swatch)
        row.addWidget(self.text)
        row.addWidget(self.dropper)
        row.addStretch(1)
        column.addLayout(row)
        self.picker = QWidget()
        inner = QVBoxLayout(self.picker)
        inner.setContentsMargins(0, 0, 0, 4)
        self.square, self.bar = ShadeSquare(), HueBar()
        inner.addWidget(self.square)
        inner.addWidget(self.bar)
        self.numbers = self._number_row(inner)
        self.swatches = SwatchGrid()
        self.swatches.taken.connect(self.take)
        inner.addWidget(self.swatches)
        keep = QPushButton(tr("Keep"), objectName="small", toolTip=tr("Into the palette that is shown"))
        screen = QPushButton(tr("Screen …"), objectName="small", toolTip=tr("From anywhere on the screen"))
        more = QHBoxLayout()
        for button, what in ((keep, "keep"), (screen, "screen")):
            button.clicked.connect(lambda _=False, what=what: self._ask(what))
            more.addWidget(button)
        self.palettes = QToolButton(text=tr("Palette ▾"), popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        self.palettes.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        more.addWidget(self.palettes)
        more.addStretch(1)
        inner.addLayout(more)
        column.addWidget(self.picker)
        self.picker.hide()
        self.swatch.toggled.connect(self._unfold)
        self.square.changed.connect(self._picked)
        self.bar.changed.connect(self._picked)
        self.square.let_go.connect(self.let_go)
        self.bar.let_go.connect(self.let_go)
        self.text.editingFinished.connect(self._typed)

    def _number_row(self, inner: QVBoxLayout) -> tuple[QSpinBox, QSpinBox, QSpinBox]:
        """Hue in degrees, saturation and value in percent."""
        row = QHBoxLayout()
        row.setSpacing(4)
        made = []
        for letter, title, top in (
            (tr("H"), tr("Hue"), 360), (tr("S"), tr("Saturation"), 100), (tr("V"), tr("Value"), 100),
        ):  # fmt: skip
            box = QSpinBox(maximum=top, buttonSymbols=QSpinBox.ButtonSymbols.NoButtons, keyboardTracking=False)
            box.setFixedWidth(with_text(42))
            box.setAccessibleName(title)
            box.valueChanged.connect(lambda _: self._numbered())
            row.addWidget(QLabel(letter, objectName="quiet"))
            row.addWidget(box)
            made.append(box)
        row.addStretch(1)
        inner.addLayout(row)
        return made[0], made[1], made[2]

    @property
    def hex(self) -> str:
        """The colour as it is."""
        return self._hex

    def _ask(self, what: str) -> None:
        QCoreApplication.sendEvent(self.window(), ColourAsked(self, what))

    def _unfold(self, on: bool) -> None:
        self.picker.setVisible(on)
        if on:
            self._ask("swatches")

    def _numbered(self) -> None:
        hue, saturation, value = (box.value() for box in self.numbers)
        self.take(QColor.fromHsvF(hue % 360 / 360, saturation / 100, value / 100).name())

    def take(self, value: str) -> None:
        """Take a colour as if it had been picked here."""
        if value != self._hex:
            self.set(value)
            self.text.setText(value)
            self.changed.emit(value)
            self.let_go.emit()

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
        shown = (round(self.square.hue * 360), round(self.square.saturation * 100), round(self.square.value * 100))
        for box, number in zip(self.numbers, shown, strict=True):
            with QSignalBlocker(box):
                box.setValue(number)

    def _picked(self) -> None:
        self.square.hue = self.bar.hue
        shade = QColor.fromHsvF(self.bar.hue, self.square.saturation, self.square.value)
        self._hex = shade.name()
        self._show()
        self.changed.emit(self._hex)

    def _typed(self) -> None:
        found = parsed(self.text.text())
        if found is None:
            self.text.setText(self._hex)
        elif found != self._hex:
            self.take(found)
        else:
            self.text.setText(found)
