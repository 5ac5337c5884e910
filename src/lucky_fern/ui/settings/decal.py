"""A decal's pose in numbers, and what one must know about it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QVBoxLayout

from lucky_fern.core.placing.pose import texels_of
from lucky_fern.core.project.commands import SetContent, SetPlace
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.places import Throw

if TYPE_CHECKING:
    from lucky_fern.ui.settings.panel import SettingsPanel


def decal_part(panel: SettingsPanel, column: QVBoxLayout, decal: Decal) -> None:
    """Facts, numbers and switches of a decal."""
    panel.rule(column)
    facts = QLabel()
    facts.setWordWrap(True)
    column.addWidget(facts)
    panel.fields["facts"] = facts
    panel.binders.append(partial(_show_facts, panel, facts))
    names = [("width", "Width"), ("height", "Height"), ("rotate", "Turn °")]
    if isinstance(decal.place, Throw):
        names += [("depth", "Reach"), ("angle_limit", "Facing °")]
    grid = QHBoxLayout()
    for key, title in names:
        cell = QVBoxLayout()
        cell.setSpacing(1)
        number = QDoubleSpinBox(decimals=1 if key in ("rotate", "angle_limit") else 4, maximum=1e6)
        number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        number.setMinimum(-360 if key == "rotate" else 0.0001)
        number.setKeyboardTracking(False)
        number.setAccessibleName(title)
        number.setMinimumWidth(40)
        number.valueChanged.connect(partial(_set_place, panel, key))
        panel.fields[key] = number
        panel.binders.append(partial(_show_number, panel, number, key))
        cell.addWidget(QLabel(title, objectName="quiet"))
        cell.addWidget(number)
        grid.addLayout(cell)
    column.addLayout(grid)
    row = QHBoxLayout()
    row.addWidget(pixels_box(panel))
    if isinstance(decal.place, Throw):
        through = QCheckBox("Through to hidden surfaces")
        through.toggled.connect(lambda on: _set_place(panel, "through", on))
        panel.fields["through"] = through
        panel.binders.append(lambda layer: _show_check(through, _place(layer, "through")))
        row.addWidget(through)
    row.addStretch(1)
    column.addLayout(row)


def pixels_box(panel: SettingsPanel) -> QCheckBox:
    """Whether pixels stay square; for whatever takes pictures."""
    pixels = QCheckBox("Square pixels")
    pixels.setToolTip("Pixel art: pixels stay square when they are larger than texels")

    def set_pixels(on: bool) -> None:
        def make(layer: Layer) -> SetContent:
            sampling = "nearest" if on else "smooth"
            return SetContent(layer.id, replace(layer.content, sampling=sampling))

        panel.do(make)

    pixels.toggled.connect(set_pixels)
    panel.fields["square pixels"] = pixels
    panel.binders.append(lambda layer: _show_check(pixels, getattr(layer.content, "sampling", "") == "nearest"))
    return pixels


def _show_number(panel: SettingsPanel, number: QDoubleSpinBox, key: str, layer: Layer) -> None:
    decal = panel.desk.decal
    value = decal[2] if key == "height" and decal is not None else _place(layer, key)
    if value is not None and not number.hasFocus():
        number.blockSignals(True)
        number.setValue(float(value))
        number.blockSignals(False)


def _show_facts(panel: SettingsPanel, label: QLabel, layer: Layer) -> None:
    decal, studio = panel.desk.decal, panel.desk.studio
    if decal is None or studio is None or not isinstance(layer.content, Decal):
        return
    texels = texels_of(studio.surface, studio.project, decal[1], decal[2])
    if texels is None:
        label.setText("Its middle lies on nothing that has a sheet: drag it onto the model.")
        label.setObjectName("warn")
        return
    width, height = studio.project.picture_size(layer.content.picture)
    across, down = max(1, round(texels[0])), max(1, round(texels[1]))
    text = f"Gets {across} × {down} texels from {width} × {height} pixels"
    if layer.content.sampling == "smooth" and width > 4 * across and across < 160:
        text += ": will be soft. A larger sheet would help."
    label.setText(text + ("" if text.endswith(".") else "."))


def _set_place(panel: SettingsPanel, key: str, value: float | bool) -> None:
    decal = panel.desk.decal
    if decal is None:
        return
    layer, place, height = decal
    changes: dict[str, Any] = {key: value}
    if key == "width" and place.height is not None:
        changes["height"] = height * float(value) / place.width
    panel.desk.end_gesture()
    panel.desk.execute(SetPlace(layer.id, replace(place, **changes)))


def _place(layer: Layer, key: str) -> Any:
    return getattr(layer.content.place, key, None) if isinstance(layer.content, Decal) else None


def _show_check(box: QCheckBox, on: bool) -> None:
    box.blockSignals(True)
    box.setChecked(bool(on))
    box.blockSignals(False)
