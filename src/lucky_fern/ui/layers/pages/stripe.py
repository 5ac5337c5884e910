"""A stripe in numbers: its width, how its picture lies along it, how it turns and ends."""

from __future__ import annotations

from functools import partial
from typing import Any, cast

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lucky_fern.core.compositing.sources import triangles_in
from lucky_fern.core.placing.facts import stripe_facts
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.places import Along
from lucky_fern.ui.layers.pages.copies import add_twin
from lucky_fern.ui.layers.pages.decal import picture_row, pixels_box
from lucky_fern.ui.layers.pages.figure import figure_of, figure_part
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_NUMBERS = (
    ("width", tr("Width"), tr("Across, in model units")),
    ("length", tr("Repeat every"), tr("The length of one picture along the stripe")),
    ("corner", tr("Round turns"), tr("The radius, in model units, with which straight runs turn at their points")),
    ("start", tr("Start ×"), tr("What share of the width is left at its first point")),
    ("end", tr("End ×"), tr("What share of the width is left at its last point")),
)
_SWITCHES = (
    ("smooth", tr("Curved"), tr("Through its points without corners")),
    ("closed", tr("Closed"), tr("Back to its first point")),
    ("whole", tr("One picture"), tr("One picture over all the way, instead of repeating it")),
    ("flip", tr("Flipped"), tr("The picture runs the other way")),
)


def stripe_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Facts, numbers and switches of a stripe."""
    form.rule(column)
    facts = QLabel()
    facts.setWordWrap(True)
    column.addWidget(facts)
    form.name("facts", facts)
    form.bind(partial(_show_facts, form, facts))
    grid = QHBoxLayout()
    for key, title, tip in _NUMBERS:
        cell = QVBoxLayout()
        cell.setSpacing(1)
        number = QDoubleSpinBox(decimals=3, minimum=0.0, maximum=1e6)
        number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        number.setKeyboardTracking(False)
        number.setAccessibleName(title)
        number.setToolTip(tip)
        number.setMinimumWidth(40)
        number.valueChanged.connect(partial(_set, form, key))
        form.name(f"stripe {key}", number)
        form.bind(partial(_show_number, form, number, key))
        label = QLabel(title, objectName="quiet")
        label.setToolTip(tip)
        cell.addWidget(label)
        cell.addWidget(number)
        grid.addLayout(cell)
    column.addLayout(grid)
    row = QHBoxLayout()
    for key, title, tip in _SWITCHES:
        switch = QCheckBox(title)
        switch.setToolTip(tip)
        switch.toggled.connect(partial(_set, form, key))
        form.name(f"stripe {key}", switch)
        form.bind(partial(_show_switch, switch, key))
        row.addWidget(switch)
    row.addStretch(1)
    column.addLayout(row)
    row = QHBoxLayout()
    row.addWidget(pixels_box(form))
    row.addStretch(1)
    row.addWidget(QLabel(tr("Twin across"), objectName="quiet"))
    for axis in "xyz":
        made = QPushButton(axis.upper())
        made.setFixedWidth(with_text(30))
        made.clicked.connect(partial(add_twin, form.matter, axis))
        form.name(f"twin {axis}", made)
        row.addWidget(made)
    column.addLayout(row)
    form.rule(column)
    if figure_of(form.matter, form.matter.selection.layer) is not None:
        figure_part(form, column)
    else:
        column.addLayout(picture_row(form))
    form.note(
        column, tr("Drag its points in either view; drag a dot between two to add one, Ctrl-click takes one away.")
    )


def _show_facts(form: Form, label: QLabel, layer: Layer) -> None:
    stripe, studio = form.matter.selection.stripe, form.matter.work.studio
    if stripe is None or studio is None:
        return
    _, place, length = stripe
    worked_out = studio.sources.stripe(place, length, triangles_in(studio.project, layer.scope))
    facts = stripe_facts(studio.surface, studio.project, place, worked_out)
    label.setText(" ".join(fact.sentence for fact in facts))


def _place(layer: Layer) -> Along | None:
    place = layer.content.place if layer.content.place is not None else None
    return None if place is None or place.framed else cast(Along, place)


def _show_number(form: Form, number: QDoubleSpinBox, key: str, layer: Layer) -> None:
    place, stripe = _place(layer), form.matter.selection.stripe
    if place is None or stripe is None or number.hasFocus():
        return
    values = {"length": stripe[2], "start": place.taper[0], "end": place.taper[1]}
    with QSignalBlocker(number):
        number.setValue(values[key] if key in values else getattr(place, key))
    if key == "length":
        number.setEnabled(not place.whole)


def _show_switch(switch: QCheckBox, key: str, layer: Layer) -> None:
    place = _place(layer)
    if place is not None:
        with QSignalBlocker(switch):
            switch.setChecked(getattr(place, key))


def _set(form: Form, key: str, value: float | bool) -> None:
    stripe = form.matter.selection.stripe
    if stripe is None:
        return
    layer, place, _ = stripe
    changes: dict[str, Any] = {key: value}
    if key in ("start", "end"):
        changes = {"taper": (value, place.taper[1]) if key == "start" else (place.taper[0], value)}
    form.matter.work.end_gesture()
    form.matter.work.execute(SetPlace(layer.id, replace(place, **changes)))
