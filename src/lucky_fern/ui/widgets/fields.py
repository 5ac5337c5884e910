"""Small inputs used all over the panels: a number with its slider, a colour with its picker."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QHBoxLayout,
    QSlider,
    QWidget,
)

from lucky_fern.ui.widgets.style import with_text

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
