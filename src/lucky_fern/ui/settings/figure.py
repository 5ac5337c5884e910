"""What a figure looks like: its form, its colours, and the numbers that its form has."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.pictures.figure import FORMS, Figure
from lucky_fern.core.project.commands import SetFigure
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.ui.fields import ColourField, NumberField
from lucky_fern.ui.settings.drawn import redraw

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk
    from lucky_fern.ui.settings.panel import SettingsPanel

_TWO = ("bars", "checker", "lines", "dashes")
_NUMBERS: tuple[tuple[str, str, float, float, int, tuple[str, ...]], ...] = (
    ("wide", "Wide × high", 0.1, 20.0, 2, FORMS),
    ("count", "How many", 1, 24, 0, ("polygon", *_TWO)),
    ("thick", "Thick", 0.02, 1.0, 2, ("arrow", "bars", "lines", "dashes")),
    ("slant", "Slant °", -80, 80, 0, ("bars",)),
    ("corner", "Round", 0.0, 0.5, 2, ("rectangle", "dashes")),
    ("outline", "Outline", 0.0, 0.4, 2, FORMS),
)


def figure_of(desk: Desk, layer: Layer | None) -> Figure | None:
    """The figure that a decal shows, if it shows one."""
    if layer is None or not isinstance(layer.content, Decal) or desk.project is None:
        return None
    kit = desk.project.pictures.get(layer.content.picture)
    return None if kit is None else kit.figure


def figure_part(panel: SettingsPanel, column: QVBoxLayout) -> None:
    """Form, colours and numbers of a figure."""
    row = QHBoxLayout()
    form = QComboBox()
    form.addItems([one.capitalize() for one in FORMS])
    form.setAccessibleName("Form")
    form.activated.connect(lambda at: change(panel.desk, form=FORMS[at]))
    panel.fields["figure form"] = form
    row.addWidget(form)
    colour = ColourField("Colour")
    colour.changed.connect(lambda value: change(panel.desk, colour=value))
    colour.let_go.connect(panel.desk.end_gesture)
    panel.fields["figure colour"] = colour
    row.addWidget(colour, 1)
    column.addLayout(row)
    two = QHBoxLayout()
    filled = QCheckBox("Second colour")
    filled.toggled.connect(lambda on: change(panel.desk, second="#1f1f1f" if on else None))
    panel.fields["figure filled"] = filled
    second = ColourField("Second colour")
    second.changed.connect(lambda value: change(panel.desk, second=value))
    second.let_go.connect(panel.desk.end_gesture)
    panel.fields["figure second"] = second
    two.addWidget(filled)
    two.addWidget(second, 1)
    column.addLayout(two)
    lines: list[tuple[QWidget, tuple[str, ...]]] = []
    for name, title, low, high, decimals, forms in _NUMBERS:
        line = QWidget()
        inner = QHBoxLayout(line)
        inner.setContentsMargins(0, 0, 0, 0)
        number = NumberField(low, high, decimals, "", title)
        number.changed.connect(partial(_set_number, panel.desk, name))
        number.let_go.connect(panel.desk.end_gesture)
        panel.fields[f"figure {name}"] = number
        label = QLabel(title, objectName="quiet")
        label.setFixedWidth(76)
        inner.addWidget(label)
        inner.addWidget(number, 1)
        column.addWidget(line)
        lines.append((line, forms))
    edge = ColourField("Colour of the outline")
    edge.changed.connect(lambda value: change(panel.desk, outline_colour=value))
    edge.let_go.connect(panel.desk.end_gesture)
    panel.fields["figure edge"] = edge
    column.addWidget(edge)

    def show(layer: Layer) -> None:
        figure = figure_of(panel.desk, layer)
        if figure is None:
            return
        form.setCurrentIndex(FORMS.index(figure.form))
        colour.set(figure.colour)
        for widget, on in ((filled, figure.second is not None),):
            widget.blockSignals(True)
            widget.setChecked(on)
            widget.blockSignals(False)
        filled.setVisible(figure.form in _TWO)
        second.setVisible(figure.form in _TWO and figure.second is not None)
        second.set(figure.second or "#1f1f1f")
        edge.setVisible(figure.outline > 0)
        edge.set(figure.outline_colour)
        for (line, forms), (name, *_) in zip(lines, _NUMBERS, strict=True):
            line.setVisible(figure.form in forms)
            panel.fields[f"figure {name}"].set(getattr(figure, name))

    panel.binders.append(show)


def _set_number(desk: Desk, name: str, value: float) -> None:
    change(desk, **{name: round(value) if name == "count" else round(value, 3)})


def change(desk: Desk, **changes: Any) -> None:
    """Draw a figure anew."""
    figure, studio = figure_of(desk, desk.layer), desk.studio
    if figure is None or studio is None:
        return
    if changes.get("form") == "polygon" and figure.count < 3:
        changes["count"] = 6
    if changes.get("form") in _TWO and figure.form not in _TWO:
        changes["count"] = 4
    new = replace(figure, **changes)
    if new != figure and redraw(desk, lambda: studio.prepare_figure(new), SetFigure):
        desk.figure_style = new
