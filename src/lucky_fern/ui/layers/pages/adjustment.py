"""The numbers of an adjustment: sliders, a curve to bend, a ramp of colours."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QComboBox, QPushButton, QVBoxLayout

from lucky_fern.core.checking.histogram import matched
from lucky_fern.core.project.commands import SetContent
from lucky_fern.core.project.document import Adjustment, Layer
from lucky_fern.core.project.effects import Curve, Gradient, Levels
from lucky_fern.core.project.kinds import altered
from lucky_fern.core.project.more_effects import Match
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.layers.pages.levels_view import levels_view
from lucky_fern.ui.layers.pages.ramp import Ramp
from lucky_fern.ui.session.effect_inputs import CHOICE_TITLES, CHOICES, READY_EFFECTS, THREES, kept_apart, slider
from lucky_fern.ui.widgets.curve_field import CurveField
from lucky_fern.ui.widgets.page import choice
from lucky_fern.words import tr

# Of those without any numbers.
_NOTES = {
    "Invert": tr("Every value becomes 1 minus itself."),
    "Normalise": tr("Directions are of length 1 again, whatever was done to them."),
}


def adjustment_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """The inputs that its effect has."""
    effect = _effect(layer)
    before = BEFORE.get(type(effect))
    if before is not None and not before(form, column, layer):
        return
    for name in effect.__struct_fields__:
        if name in MEASURED.get(type(effect), ()):
            continue
        if name in CHOICES:
            box = choice(CHOICE_TITLES[name], [(title, word) for word, title in CHOICES[name].items()])
            box.activated.connect(lambda _, name=name, box=box: _set(form, **{name: box.currentData()}))
            form.name(name, box)
            form.bind(partial(_show_choice, box, name))
            form.row(column, CHOICE_TITLES[name], box)
            continue
        if name in THREES:
            _three(form, column, name)
            continue
        form.number(column, name, slider(type(effect), name), partial(_number, name), partial(_put, form, name))
    _ready(form, column, type(effect))
    if not effect.__struct_fields__:
        form.note(column, _NOTES.get(type(effect).__name__, ""))


def _bent(form: Form, column: QVBoxLayout, layer: Layer) -> bool:
    bend = CurveField()
    bend.changed.connect(lambda points: _set(form, points=points))
    bend.let_go.connect(form.matter.work.end_gesture)
    form.name("curve", bend)
    form.bind(lambda layer: bend.set(_effect(layer).points))
    form.row(column, tr("Curve"), bend)
    form.note(column, tr("Click to add a point, drag it, drag it off the side to take it away."))
    return False


def _ramped(form: Form, column: QVBoxLayout, layer: Layer) -> bool:
    ramp = Ramp(form, lambda now: _effect(now).stops, lambda stops: _set(form, stops=stops))
    ramp.rows(column, len(_effect(layer).stops))
    return False


def _matched(form: Form, column: QVBoxLayout, layer: Layer) -> bool:
    _match(form, column)
    return True


def _levelled(form: Form, column: QVBoxLayout, layer: Layer) -> bool:
    levels_view(form, column, _effect, partial(_map, form), partial(_put, form))
    return True


# What some effects have before the rows of their numbers; whether those follow.
BEFORE: dict[type, Callable[[Form, QVBoxLayout, Layer], bool]] = {
    Curve: _bent, Gradient: _ramped, Match: _matched, Levels: _levelled,
}  # fmt: skip
MEASURED = {Match: set(Match.__struct_fields__) - {"amount"}}  # what nobody types


def _match(form: Form, column: QVBoxLayout) -> None:
    """Which selection is brought to which, measured whenever one is chosen or the button pressed."""
    project = form.matter.work.project
    names = [] if project is None else list(project.selections)
    for field, title in (("of", tr("Bring")), ("to", tr("to"))):
        box = choice(title, [(name, name) for name in names])
        box.activated.connect(lambda _, field=field, box=box: _measure(form, **{field: box.currentData()}))
        form.bind(partial(_show_choice, box, field))
        form.name(field, box)
        form.row(column, title, box)
    again = QPushButton(tr("Measure again"))
    again.setToolTip(tr("The mean and the spread of both, as they are now below this layer"))
    again.clicked.connect(lambda: _measure(form))
    form.name("measure", again)
    form.row(column, "", again)
    if len(names) < 2:
        form.note(
            column, tr("Save two selections of faces at the Model station first: one to change, one to be like.")
        )


def _measure(form: Form, **changes: str) -> None:
    """Look at both selections beside the window, then set what was found."""
    layer, studio = form.matter.selection.layer, form.matter.work.studio
    if layer is None or studio is None:
        return
    effect, name = altered(_effect(layer), **changes), _map(form, layer)
    if not effect.of or not effect.to:
        _set(form, **changes)
        return
    sources, project = studio.sources, studio.project

    def show(found: Match) -> None:
        after = form.matter.work.project
        now = None if after is None else next((one for one in after.walk() if one.id == layer.id), None)
        if form.matter.work.studio is studio and now is not None:
            form.matter.work.end_gesture()
            put = altered(found, amount=_effect(now).amount)  # it may have been dragged meanwhile
            form.matter.work.execute(SetContent(layer.id, Adjustment(put)))

    def work() -> Match:
        return matched(sources, project, name, effect, layer.id)

    form.matter.errands.send(tr("Measuring both regions …"), work, show)


def _ready(form: Form, column: QVBoxLayout, kind: type[Any]) -> None:
    """Settings at hand for a kind of adjustment."""
    known = READY_EFFECTS.get(kind, {})
    if not known:
        return
    box = choice(tr("Ready settings"), [(tr("Ready settings …"), None), *known.items()])

    def take(_: int) -> None:
        effect = box.currentData()
        box.setCurrentIndex(0)
        if effect is not None:
            form.matter.work.end_gesture()
            form.do(lambda layer: SetContent(layer.id, Adjustment(effect)))

    box.activated.connect(take)
    form.name("ready", box)
    form.row(column, "", box)


def _three(form: Form, column: QVBoxLayout, name: str) -> None:
    """A field of three numbers, one below the other."""
    titles, low, high, decimals = THREES[name]

    def value(at: int, layer: Layer) -> float:
        return float(getattr(_effect(layer), name)[at])

    def put(at: int, value: float) -> None:
        def make(layer: Layer) -> SetContent:
            now = list(getattr(_effect(layer), name))
            now[at] = value
            return SetContent(layer.id, Adjustment(altered(_effect(layer), **{name: tuple(now)})))

        form.do(make, merge=True)

    for at, title in enumerate(titles):
        form.number(column, f"{name}_{at}", (title, low, high, decimals), partial(value, at), partial(put, at))


def _show_choice(box: QComboBox, name: str, layer: Layer) -> None:
    box.setCurrentIndex(box.findData(getattr(_effect(layer), name)))


def _map(form: Form, layer: Layer) -> str:
    """The map that is looked at, if it is one of those that are adjusted; else the first of these."""
    shown = form.matter.looking.shown_map
    return shown if shown in layer.channels else next(iter(layer.channels), "colour")


def _number(name: str, layer: Layer) -> float:
    return float(getattr(_effect(layer), name))


def _put(form: Form, name: str, value: float) -> None:
    layer = form.matter.selection.layer
    if layer is None:
        return
    effect = _effect(layer)
    if hasattr(effect, "black") and hasattr(effect, "white"):
        value = kept_apart(name, value, effect.black, effect.white)
    _set(form, **{name: round(value) if isinstance(getattr(effect, name), int) else value})


def _effect(layer: Layer) -> Any:
    assert layer.content.effect is not None
    return layer.content.effect


def _set(form: Form, **changes: object) -> None:
    def make(layer: Layer) -> SetContent:
        return SetContent(layer.id, Adjustment(altered(_effect(layer), **changes)))

    form.do(make, merge=True)
