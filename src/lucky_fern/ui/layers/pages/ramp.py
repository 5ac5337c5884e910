"""A ramp of colours: what it looks like, and a row for each of its stops."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.project.document import Layer
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.words import tr

Stops = tuple[tuple[float, str], ...]


class Ramp:
    """Stops of the layer that is shown, ``read`` from it; ``write`` changes them, one step for a slider."""

    def __init__(self, form: Form, read: Callable[[Layer], Stops], write: Callable[[Stops], object]) -> None:
        self.form, self.read, self.write = form, read, write

    def rows(self, column: QVBoxLayout, count: int) -> None:
        """The ramp, and a row for each of so many stops."""
        form, ramp = self.form, RampField()
        form.row(column, tr("Ramp"), ramp)
        form.bind(lambda layer: ramp.set(self.read(layer)))
        for at in range(count):
            line = QWidget()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            place = NumberField(0, 1, 2, "", tr("Place of stop {at}", at=at + 1))
            shade = ColourField(tr("Colour of stop {at}", at=at + 1))
            place.changed.connect(lambda value, at=at: self._set(at, place=round(value, 3)))
            shade.changed.connect(lambda value, at=at: self._set(at, colour=value))
            place.let_go.connect(form.matter.work.end_gesture)
            shade.let_go.connect(form.matter.work.end_gesture)
            form.name(f"stop {at}", shade)
            form.name(f"stop {at} place", place)
            form.bind(partial(self._show, place, at, 0))
            form.bind(partial(self._show, shade, at, 1))
            row.addWidget(shade)
            row.addWidget(place, 1)
            if count > 2:
                drop = QToolButton(text="−", toolTip=tr("Take this stop away"))
                drop.clicked.connect(lambda _=False, at=at: self._drop(at))
                row.addWidget(drop)
            form.row(column, tr("Stop {at}", at=at + 1), line)
        more = QToolButton(text=tr("Add a stop"))
        more.clicked.connect(lambda _=False: self._add())
        form.name("add stop", more)
        column.addWidget(more)

    def _show(self, field: NumberField | ColourField, at: int, part: int, layer: Layer) -> None:
        field.set(self.read(layer)[at][part])  # type: ignore[arg-type]  # a number or a colour, as the field takes

    def _now(self) -> list[tuple[float, str]]:
        layer = self.form.matter.selection.layer
        return [] if layer is None else list(self.read(layer))

    def _set(self, at: int, place: float | None = None, colour: str | None = None) -> None:
        stops = self._now()
        if at >= len(stops):
            return
        low = stops[at - 1][0] if at else 0.0
        high = stops[at + 1][0] if at + 1 < len(stops) else 1.0
        where = stops[at][0] if place is None else min(max(place, low), high)
        stops[at] = (where, colour or stops[at][1])
        self.write(tuple(stops))

    def _add(self) -> None:
        stops = self._now()
        if len(stops) < 2:
            return
        at = int(np.argmax([stops[k + 1][0] - stops[k][0] for k in range(len(stops) - 1)]))
        stops.insert(at + 1, ((stops[at][0] + stops[at + 1][0]) / 2, stops[at][1]))
        self.form.matter.work.end_gesture()
        self.write(tuple(stops))

    def _drop(self, at: int) -> None:
        stops = self._now()
        if at < len(stops):
            del stops[at]
            self.form.matter.work.end_gesture()
            self.write(tuple(stops))


@guarded
class RampField(QWidget):
    """A ramp of colours, to look at."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(18)
        self._stops: Stops = ()

    def set(self, stops: Stops) -> None:
        self._stops = stops
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        gradient = QLinearGradient(0, 0, self.width(), 0)
        for place, colour in self._stops:
            gradient.setColorAt(place, QColor(colour))
        painter.fillRect(self.rect(), gradient)
