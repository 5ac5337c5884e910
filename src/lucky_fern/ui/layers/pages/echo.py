"""What an echo hears below, and what it makes of it."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import SetContent
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.echoes import PICTURE, RULE, Echo, Part
from lucky_fern.core.project.rules import Edges, Rim, RuleShape
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.layers.pages.levels_view import levels_view
from lucky_fern.ui.layers.pages.ramp import Ramp
from lucky_fern.ui.layers.rule_part import LOOKS, RulePart
from lucky_fern.ui.session.effect_inputs import SLIDERS, kept_apart
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.curve_field import CurveField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import choice
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import tr

PARTS: dict[Part, str] = {
    "luminance": tr("luminance"), "r": tr("red"), "g": tr("green"), "b": tr("blue"), "saturation": tr("saturation"),
    "a": tr("alpha"), "value": tr("brightest of the three"), "like": tr("how like a colour"),
    "bend": tr("how it bends"), "rise": tr("how high it rises"),
}  # fmt: skip
_PLAIN: tuple[tuple[float, str], ...] = ((0.0, "#000000"), (1.0, "#ffffff"))
_STRAIGHT = ((0.0, 0.0), (1.0, 1.0))
_NUMBERS = ("black", "white", "gamma", "low", "high")


def echo_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Where from, which part, its levels, its curve, its ramp."""
    echo = _echo(layer)
    heard = [*((spec.title, name) for name, spec in MAPS.items()), (tr("A picture"), PICTURE), (tr("A rule"), RULE)]
    sources = choice(tr("The map below that is heard"), heard)
    parts = choice(tr("What of it counts"), [(title, part) for part, title in PARTS.items()])
    sources.activated.connect(lambda _: _set_source(form, sources))
    parts.activated.connect(lambda _: _set(form, part=parts.currentData()))
    form.name("from", sources)
    form.name("part", parts)
    form.bind(lambda now: sources.setCurrentIndex(sources.findData(_echo(now).source)))
    form.bind(lambda now: parts.setCurrentIndex(parts.findData(_echo(now).part)))
    form.row(column, tr("Hears"), sources)
    if echo.source == PICTURE:
        _picture(form, column)
    if echo.source == RULE:
        _rule(form, column)
    else:
        form.row(column, tr("its"), parts)
    if echo.part == "rise":
        for name in ("wide", "tall"):
            form.number(column, name, SLIDERS[name], partial(_number, name), partial(_put, form, name))
    if echo.part == "like":
        shade = ColourField(tr("Colour that is looked for"))
        near = NumberField(0.01, 1.5, 2, "", tr("How far from it still counts"))
        shade.changed.connect(lambda value: _set(form, colour=value))
        near.changed.connect(lambda value: _set(form, near=round(value, 3)))
        for field in (shade, near):
            field.let_go.connect(form.matter.work.end_gesture)
        form.bind(lambda now: shade.set(_echo(now).colour))
        form.bind(lambda now: near.set(_echo(now).near))
        form.name("like", shade)
        form.row(column, tr("Colour"), shade)
        form.row(column, tr("Near"), near)
    if echo.source in MAPS and echo.part not in ("rise", "bend"):
        levels_view(form, column, _echo, lambda now: _echo(now).source, partial(_put, form))
    for name in _NUMBERS:
        form.number(column, name, SLIDERS[name], partial(_number, name), partial(_put, form, name))
    _switches(form, column)
    if echo.curve:
        bend = CurveField()
        bend.changed.connect(lambda points: _set(form, curve=points))
        bend.let_go.connect(form.matter.work.end_gesture)
        form.name("curve", bend)
        form.bind(lambda now: bend.set(_echo(now).curve or _STRAIGHT))
        form.row(column, tr("Curve"), bend)
    if echo.ramp:
        Ramp(form, lambda now: _echo(now).ramp, lambda stops: _set(form, ramp=stops)).rows(column, len(echo.ramp))


def _switches(form: Form, column: QVBoxLayout) -> None:
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    turned, curved, coloured = QCheckBox(tr("Turned over")), QCheckBox(tr("Curve")), QCheckBox(tr("Ramp of colours"))
    turned.clicked.connect(lambda on: _do(form, invert=on))
    curved.clicked.connect(lambda on: _do(form, curve=_STRAIGHT if on else ()))
    coloured.clicked.connect(lambda on: _do(form, ramp=_PLAIN if on else ()))
    form.bind(lambda now: show_check(turned, _echo(now).invert))
    form.bind(lambda now: show_check(curved, bool(_echo(now).curve)))
    form.bind(lambda now: show_check(coloured, bool(_echo(now).ramp)))
    for name, box in (("invert", turned), ("curved", curved), ("coloured", coloured)):
        form.name(name, box)
        row.addWidget(box)
    row.addStretch(1)
    form.row(column, "", line)


def _number(name: str, layer: Layer) -> float:
    return float(getattr(_echo(layer), name))


def _put(form: Form, name: str, value: float) -> None:
    layer = form.matter.selection.layer
    if layer is not None:
        echo = _echo(layer)
        _set(form, **{name: kept_apart(name, value, echo.black, echo.white)})


def _echo(layer: Layer) -> Echo:
    return layer.content if isinstance(layer.content, Echo) else Echo()


def _picture(form: Form, column: QVBoxLayout) -> None:
    """Which picture of the kit is heard."""
    box = choice(tr("Picture"), [(name, name) for name in _pictures(form)])
    box.activated.connect(lambda _: _do(form, picture=box.currentData()))
    form.bind(lambda now: box.setCurrentIndex(box.findData(_echo(now).picture)))
    form.name("picture", box)
    form.row(column, tr("Picture"), box)


def _rule(form: Form, column: QVBoxLayout) -> None:
    """Which rule of the survey is heard, and how it is set."""
    kinds = [kind for kind in LOOKS if kind is not Rim]
    box = choice(tr("Rule"), [(LOOKS[kind].title, at) for at, kind in enumerate(kinds)])
    box.activated.connect(lambda at: _do(form, rule=LOOKS[kinds[at]].make().rule))
    part = RulePart(form.matter, lambda shape, merge: (_set if merge else _do)(form, rule=shape.rule), levels=False)

    def show(now: Layer) -> None:
        rule = _echo(now).rule
        if rule is not None:
            box.setCurrentIndex(kinds.index(type(rule)))
            part.show_shape(RuleShape(rule))

    form.bind(show)
    form.name("rule", box)
    form.row(column, tr("Rule"), box)
    column.addWidget(part)


def _pictures(form: Form) -> list[str]:
    project = form.matter.work.project
    return [] if project is None else [*project.sequences, *project.pictures]


def _set_source(form: Form, sources: QComboBox) -> None:
    layer, source = form.matter.selection.layer, str(sources.currentData())
    if layer is None:
        return
    echo, known = _echo(layer), _pictures(form)
    if source == PICTURE and not known:
        form.matter.work.said.emit(tr("The kit holds no picture yet; add one in the tray."), True)
        form.refresh()
        return
    normals = source in MAPS and MAPS[source].directional
    fits = echo.part not in ("bend", "rise", "a") or (normals and echo.part != "a")
    more: dict[str, object] = {}
    if source == PICTURE and not echo.picture:
        more["picture"] = known[0]
    if source == RULE and echo.rule is None:
        more["rule"] = Edges()
    _do(form, source=source, part=echo.part if fits else "luminance", **more)


def _set(form: Form, **changes: object) -> None:
    form.do(lambda layer: SetContent(layer.id, replace(_echo(layer), **changes)), merge=True)


def _do(form: Form, **changes: object) -> None:
    """A step of its own."""
    form.matter.work.end_gesture()
    _set(form, **changes)
    form.matter.work.end_gesture()
