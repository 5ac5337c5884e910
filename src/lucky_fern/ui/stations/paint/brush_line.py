"""The everyday settings of the brush, on the tool line: colour, tip, size, hardness, flow, opacity."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QSignalBlocker, QSize, Qt
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.painting.tips import BUILT_IN
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.quietly import show_items
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_NUMBERS = (
    ("hardness", tr("hard "), 0.0, 1.0, 62, tr("Hardness: how much of the brush is covered in full")),
    ("flow", tr("flow "), 0.01, 1.0, 60, tr("Flow: how much one touch covers")),
    ("opacity", tr("opacity "), 0.01, 1.0, 86, tr("Opacity: how much a whole stroke covers at most")),
)  # of the brush; what stands before it, from, to, width in pixels, tip


class BrushLine(QWidget):
    """They follow the brush, as its page does, which has all of them and more."""

    def __init__(self, work: Work, painting: Painting) -> None:
        super().__init__()
        self.work, self.painting = work, painting
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.swatch = QToolButton()
        self.swatch.setFixedSize(QSize(26, 22))
        self.swatch.setToolTip(tr("The paint's colour"))
        self.swatch.setAccessibleName(tr("The paint's colour"))
        self.swatch.clicked.connect(self._unfold)
        row.addWidget(self.swatch)
        self.popup = QFrame(self, Qt.WindowType.Popup)
        self.colour = ColourField(tr("Paint"))
        self.colour.changed.connect(self._set_colour)
        inside = QVBoxLayout(self.popup)
        inside.addWidget(self.colour)
        self.tip = QComboBox()
        self.tip.setAccessibleName(tr("Tip"))
        self.tip.setToolTip(tr("The brush's tip"))
        self.tip.setFixedWidth(with_text(72))
        self.tip.activated.connect(lambda at: painting.set_brush(tip=self.tip.itemText(at) if at else None))
        row.addWidget(self.tip)
        self.radius = self._number(tr("size "), 0.05, 30.0, 74, tr("Size, of the model's (a percentage)"))
        self.radius.setSuffix(" %")
        self.radius.setStepType(QDoubleSpinBox.StepType.AdaptiveDecimalStepType)
        self.radius.valueChanged.connect(lambda value: painting.set(size=value / 100))
        row.addWidget(self.radius)
        self.numbers: dict[str, QDoubleSpinBox] = {}
        for name, before, low, high, width, tip in _NUMBERS:
            number = self._number(before, low, high, width, tip)
            number.setSingleStep(0.05)
            number.valueChanged.connect(partial(self._set_number, name))
            self.numbers[name] = number
            row.addWidget(number)
        for signal in (painting.changed, work.project_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _number(self, before: str, low: float, high: float, width: int, tip: str) -> QDoubleSpinBox:
        made = QDoubleSpinBox(prefix=before, minimum=low, maximum=high, decimals=2)
        made.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        made.setKeyboardTracking(False)
        made.setFixedWidth(with_text(width))
        made.setToolTip(tip)
        made.setAccessibleName(tip.partition(":")[0].partition(",")[0])
        return made

    def _set_number(self, name: str, value: float) -> None:
        self.painting.set_brush(**{name: round(value, 4)})

    def _unfold(self) -> None:
        self.colour.swatch.setChecked(True)  # with its picker
        self.popup.adjustSize()
        self.popup.move(self.swatch.mapToGlobal(QPoint(0, self.swatch.height() + 2)))
        self.popup.show()

    def _set_colour(self, value: str) -> None:
        self.painting.values["colour"] = value
        self.painting.use("colour", True)

    def refresh(self) -> None:
        parent = self.parentWidget()
        if parent is not None and not self.isVisibleTo(parent):
            return
        brush, project = self.painting.brush, self.work.project
        # A fill and a gradient have no brush, but settings of their own that need the room.
        with_brush = self.painting.tool not in ("fill", "gradient", "texels")
        self.numbers["opacity"].setVisible(self.painting.tool != "texels")  # those are there or not
        for field in (self.tip, self.radius, self.numbers["hardness"], self.numbers["flow"]):
            field.setVisible(with_brush)
        colour = str(self.painting.values["colour"])
        self.swatch.setStyleSheet(
            f"QToolButton {{ background: {colour}; border: 1px solid #777; border-radius: 4px; }}"
            "QToolButton:focus { border: 2px solid #2c6b4c; }"
        )
        self.colour.set(colour)
        show_items(self.tip, ["round", *BUILT_IN, *([] if project is None else project.pictures)])
        self.tip.setCurrentText(brush.tip or "round")
        for box, value in ((self.radius, self.painting.size * 100),
                           *((box, float(getattr(brush, name))) for name, box in self.numbers.items())):  # fmt: skip
            with QSignalBlocker(box):
                box.setValue(value)
