"""The numbers of an adjustment: sliders, a curve to bend, a ramp of colours."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.project.commands import SetContent
from lucky_fern.core.project.document import Adjustment, Layer
from lucky_fern.core.project.effects import Curve, Gradient
from lucky_fern.core.project.kinds import altered
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.session.effect_inputs import SLIDERS
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.curve_field import CurveField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.words import tr


def adjustment_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """The inputs that its effect has."""
    assert isinstance(layer.content, Adjustment)
    effect = layer.content.effect
    if isinstance(effect, Curve):
        bend = CurveField()
        bend.changed.connect(lambda points: _set(form, points=points))
        bend.let_go.connect(form.matter.work.end_gesture)
        form.name("curve", bend)
        form.bind(lambda layer: bend.set(_effect(layer).points))
        form.row(column, tr("Curve"), bend)
        form.note(column, tr("Click to add a point, drag it, drag it off the side to take it away."))
        return
    if isinstance(effect, Gradient):
        _ramp_part(form, column, effect)
        return
    for name in effect.__struct_fields__:
        title, low, high, decimals = SLIDERS[name]
        number = NumberField(low, high, decimals, "", title)
        number.changed.connect(lambda value, name=name: _set(form, **{name: round(value, 4)}))
        number.let_go.connect(form.matter.work.end_gesture)
        form.name(name, number)
        form.bind(partial(_show_number, number, name))
        form.row(column, title, number)
    if not effect.__struct_fields__:
        form.note(column, tr("Every value becomes 1 minus itself."))


def _show_number(number: NumberField, name: str, layer: Layer) -> None:
    number.set(getattr(_effect(layer), name))


def _show_stop(field: NumberField | ColourField, at: int, part: int, layer: Layer) -> None:
    field.set(_stops(layer)[at][part])  # type: ignore[arg-type]  # a number or a colour, as the field takes


def _effect(layer: Layer) -> Any:
    assert isinstance(layer.content, Adjustment)
    return layer.content.effect


def _set(form: Form, **changes: object) -> None:
    def make(layer: Layer) -> SetContent:
        return SetContent(layer.id, Adjustment(altered(_effect(layer), **changes)))

    form.do(make, merge=True)


def _ramp_part(form: Form, column: QVBoxLayout, effect: Gradient) -> None:
    """The ramp, and a row for each stop."""
    ramp = RampField()
    form.row(column, tr("Ramp"), ramp)
    form.bind(lambda layer: ramp.set(_effect(layer).stops))
    for at in range(len(effect.stops)):
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        place = NumberField(0, 1, 2, "", tr("Place of stop {at}", at=at + 1))
        shade = ColourField(tr("Colour of stop {at}", at=at + 1))
        place.changed.connect(lambda value, at=at: _set_stop(form, at, place=round(value, 3)))
        shade.changed.connect(lambda value, at=at: _set_stop(form, at, colour=value))
        place.let_go.connect(form.matter.work.end_gesture)
        shade.let_go.connect(form.matter.work.end_gesture)
        form.name(f"stop {at}", shade)
        form.name(f"stop {at} place", place)
        form.bind(partial(_show_stop, place, at, 0))
        form.bind(partial(_show_stop, shade, at, 1))
        row.addWidget(shade)
        row.addWidget(place, 1)
        if len(effect.stops) > 2:
            drop = QToolButton(text="−", toolTip=tr("Take this stop away"))
            drop.clicked.connect(lambda _=False, at=at: _drop_stop(form, at))
            row.addWidget(drop)
        form.row(column, tr("Stop {at}", at=at + 1), line)
    more = QToolButton(text=tr("Add a stop"))
    more.clicked.connect(lambda _=False: _add_stop(form))
    form.name("add stop", more)
    column.addWidget(more)


def _stops(layer: Layer) -> tuple[tuple[float, str], ...]:
    effect = _effect(layer)
    assert isinstance(effect, Gradient)
    return effect.stops


def _set_stop(form: Form, at: int, place: float | None = None, colour: str | None = None) -> None:
    layer = form.matter.selection.layer
    if layer is None:
        return
    stops = list(_stops(layer))
    low = stops[at - 1][0] if at else 0.0
    high = stops[at + 1][0] if at + 1 < len(stops) else 1.0
    where = stops[at][0] if place is None else min(max(place, low), high)
    stops[at] = (where, colour or stops[at][1])
    _set(form, stops=tuple(stops))


def _add_stop(form: Form) -> None:
    layer = form.matter.selection.layer
    if layer is not None:
        stops = list(_stops(layer))
        gaps = [stops[k + 1][0] - stops[k][0] for k in range(len(stops) - 1)]
        at = int(np.argmax(gaps))
        stops.insert(at + 1, ((stops[at][0] + stops[at + 1][0]) / 2, stops[at][1]))
        form.matter.work.end_gesture()
        _set(form, stops=tuple(stops))


def _drop_stop(form: Form, at: int) -> None:
    layer = form.matter.selection.layer
    if layer is not None:
        stops = list(_stops(layer))
        del stops[at]
        form.matter.work.end_gesture()
        _set(form, stops=tuple(stops))


class RampField(QWidget):
    """A ramp of colours, to look at."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(18)
        self._stops: tuple[tuple[float, str], ...] = ()

    def set(self, stops: tuple[tuple[float, str], ...]) -> None:
        self._stops = stops
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        gradient = QLinearGradient(0, 0, self.width(), 0)
        for place, colour in self._stops:
            gradient.setColorAt(place, QColor(colour))
        painter.fillRect(self.rect(), gradient)
