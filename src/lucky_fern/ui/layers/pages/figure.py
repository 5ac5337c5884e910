"""What a figure looks like: its form, its colours, and the numbers that its form has."""

from __future__ import annotations

from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.pictures.figure import FORMS, Figure
from lucky_fern.core.project.commands import SetFigure
from lucky_fern.core.project.document import Layer
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.drawn import redraw
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr, word

_TWO = ("bars", "checker", "lines", "dashes")
_NUMBERS: tuple[tuple[str, str, float, float, int, tuple[str, ...]], ...] = (
    ("wide", tr("Wide × high"), 0.1, 20.0, 2, FORMS),
    ("count", tr("How many"), 1, 24, 0, ("polygon", *_TWO)),
    ("thick", tr("Thick"), 0.02, 1.0, 2, ("arrow", "bars", "lines", "dashes")),
    ("slant", tr("Slant °"), -80, 80, 0, ("bars",)),
    ("corner", tr("Round"), 0.0, 0.5, 2, ("rectangle", "dashes")),
    ("outline", tr("Outline"), 0.0, 0.4, 2, FORMS),
)


def figure_of(matter: Matter, layer: Layer | None) -> Figure | None:
    """The figure that a decal shows, if it shows one."""
    if layer is None or layer.content.place is None or matter.work.project is None:
        return None
    kit = matter.work.project.pictures.get(layer.content.picture)
    return None if kit is None else kit.figure


def figure_part(form: Form, column: QVBoxLayout) -> None:
    """Form, colours and numbers of a figure."""
    row = QHBoxLayout()
    shape = QComboBox()
    shape.addItems([word(one).capitalize() for one in FORMS])
    shape.setAccessibleName(tr("Form"))
    shape.activated.connect(lambda at: change(form.matter, form=FORMS[at]))
    form.name("figure form", shape)
    row.addWidget(shape)
    colour = ColourField(tr("Colour"))
    colour.changed.connect(lambda value: change(form.matter, colour=value))
    colour.let_go.connect(form.matter.work.end_gesture)
    form.name("figure colour", colour)
    row.addWidget(colour, 1)
    column.addLayout(row)
    two = QHBoxLayout()
    filled = QCheckBox(tr("Second colour"))
    filled.toggled.connect(lambda on: change(form.matter, second="#1f1f1f" if on else None))
    form.name("figure filled", filled)
    second = ColourField(tr("Second colour"))
    second.changed.connect(lambda value: change(form.matter, second=value))
    second.let_go.connect(form.matter.work.end_gesture)
    form.name("figure second", second)
    two.addWidget(filled)
    two.addWidget(second, 1)
    column.addLayout(two)
    lines: list[tuple[QWidget, tuple[str, ...]]] = []
    for name, title, low, high, decimals, forms in _NUMBERS:
        line = QWidget()
        inner = QHBoxLayout(line)
        inner.setContentsMargins(0, 0, 0, 0)
        number = NumberField(low, high, decimals, "", title)
        number.changed.connect(partial(_set_number, form.matter, name))
        number.let_go.connect(form.matter.work.end_gesture)
        form.name(f"figure {name}", number)
        label = QLabel(title, objectName="quiet")
        label.setFixedWidth(with_text(76))
        inner.addWidget(label)
        inner.addWidget(number, 1)
        column.addWidget(line)
        lines.append((line, forms))
    edge = ColourField(tr("Colour of the outline"))
    edge.changed.connect(lambda value: change(form.matter, outline_colour=value))
    edge.let_go.connect(form.matter.work.end_gesture)
    form.name("figure edge", edge)
    column.addWidget(edge)

    def show(layer: Layer) -> None:
        figure = figure_of(form.matter, layer)
        if figure is None:
            return
        shape.setCurrentIndex(FORMS.index(figure.form))
        colour.set(figure.colour)
        show_check(filled, figure.second is not None)
        filled.setVisible(figure.form in _TWO)
        second.setVisible(figure.form in _TWO and figure.second is not None)
        second.set(figure.second or "#1f1f1f")
        edge.setVisible(figure.outline > 0)
        edge.set(figure.outline_colour)
        for (line, forms), (name, *_) in zip(lines, _NUMBERS, strict=True):
            line.setVisible(figure.form in forms)
            form.named(f"figure {name}", NumberField).set(getattr(figure, name))

    form.bind(show)


def _set_number(matter: Matter, name: str, value: float) -> None:
    change(matter, **{name: round(value) if name == "count" else round(value, 3)})


def change(matter: Matter, **changes: Any) -> None:
    """Draw a figure anew."""
    figure, studio = figure_of(matter, matter.selection.layer), matter.work.studio
    if figure is None or studio is None:
        return
    if changes.get("form") == "polygon" and figure.count < 3:
        changes["count"] = 6
    if changes.get("form") in _TWO and figure.form not in _TWO:
        changes["count"] = 4
    new = replace(figure, **changes)
    if new != figure and redraw(matter, lambda: studio.prepare_figure(new), SetFigure):
        matter.habits.figure_style = new
