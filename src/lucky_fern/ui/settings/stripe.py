"""A stripe in numbers: its width, how its picture lies along it, how it turns and ends."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lucky_fern.core.compositing.sources import triangles_in
from lucky_fern.core.placing.facts import stripe_facts
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.places import Along
from lucky_fern.ui.settings.copies import add_twin
from lucky_fern.ui.settings.decal import picture_row, pixels_box
from lucky_fern.ui.settings.figure import figure_of, figure_part

if TYPE_CHECKING:
    from lucky_fern.ui.settings.panel import SettingsPanel

_NUMBERS = (
    ("width", "Width", "Across, in model units"),
    ("length", "Repeat every", "The length of one picture along the stripe"),
    ("corner", "Round turns", "The radius, in model units, with which straight runs turn at their points"),
    ("start", "Start ×", "What share of the width is left at its first point"),
    ("end", "End ×", "What share of the width is left at its last point"),
)
_SWITCHES = (
    ("smooth", "Curved", "Through its points without corners"),
    ("closed", "Closed", "Back to its first point"),
    ("whole", "One picture", "One picture over all the way, instead of repeating it"),
    ("flip", "Flipped", "The picture runs the other way"),
)


def stripe_part(panel: SettingsPanel, column: QVBoxLayout) -> None:
    """Facts, numbers and switches of a stripe."""
    panel.rule(column)
    facts = QLabel()
    facts.setWordWrap(True)
    column.addWidget(facts)
    panel.fields["facts"] = facts
    panel.binders.append(partial(_show_facts, panel, facts))
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
        number.valueChanged.connect(partial(_set, panel, key))
        panel.fields[f"stripe {key}"] = number
        panel.binders.append(partial(_show_number, panel, number, key))
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
        switch.toggled.connect(partial(_set, panel, key))
        panel.fields[f"stripe {key}"] = switch
        panel.binders.append(partial(_show_switch, switch, key))
        row.addWidget(switch)
    row.addStretch(1)
    column.addLayout(row)
    row = QHBoxLayout()
    row.addWidget(pixels_box(panel))
    row.addStretch(1)
    row.addWidget(QLabel("Twin across", objectName="quiet"))
    for axis in "xyz":
        made = QPushButton(axis.upper())
        made.setFixedWidth(30)
        made.clicked.connect(partial(add_twin, panel.desk, axis))
        panel.fields[f"twin {axis}"] = made
        row.addWidget(made)
    column.addLayout(row)
    panel.rule(column)
    if figure_of(panel.desk, panel.desk.layer) is not None:
        figure_part(panel, column)
    else:
        column.addLayout(picture_row(panel))
    panel.note(
        column, "Drag its points in either view; drag a dot between two to add one, Ctrl-click takes one away."
    )


def _show_facts(panel: SettingsPanel, label: QLabel, layer: Layer) -> None:
    stripe, studio = panel.desk.stripe, panel.desk.studio
    if stripe is None or studio is None:
        return
    _, place, length = stripe
    worked_out = studio.sources.stripe(place, length, triangles_in(studio.project, layer.scope))
    facts = stripe_facts(studio.surface, studio.project, place, worked_out)
    label.setText(" ".join(fact.sentence for fact in facts))


def _place(layer: Layer) -> Along | None:
    place = layer.content.place if isinstance(layer.content, Decal) else None
    return place if isinstance(place, Along) else None


def _show_number(panel: SettingsPanel, number: QDoubleSpinBox, key: str, layer: Layer) -> None:
    place, stripe = _place(layer), panel.desk.stripe
    if place is None or stripe is None or number.hasFocus():
        return
    values = {"length": stripe[2], "start": place.taper[0], "end": place.taper[1]}
    number.blockSignals(True)
    number.setValue(values[key] if key in values else getattr(place, key))
    number.blockSignals(False)
    if key == "length":
        number.setEnabled(not place.whole)


def _show_switch(switch: QCheckBox, key: str, layer: Layer) -> None:
    place = _place(layer)
    if place is not None:
        switch.blockSignals(True)
        switch.setChecked(getattr(place, key))
        switch.blockSignals(False)


def _set(panel: SettingsPanel, key: str, value: float | bool) -> None:
    stripe = panel.desk.stripe
    if stripe is None:
        return
    layer, place, _ = stripe
    changes: dict[str, Any] = {key: value}
    if key in ("start", "end"):
        changes = {"taper": (value, place.taper[1]) if key == "start" else (place.taper[0], value)}
    panel.desk.end_gesture()
    panel.desk.execute(SetPlace(layer.id, replace(place, **changes)))
