"""A decal's pose in numbers, and what one must know about it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
)

from lucky_fern.core.placing.pose import texels_of
from lucky_fern.core.project.commands import SetContent, SetPlace
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.kinds import altered
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.settings.copies import copies_part
from lucky_fern.ui.settings.decal_facts import facts_part
from lucky_fern.ui.settings.figure import figure_of, figure_part
from lucky_fern.ui.settings.finish import finish_row
from lucky_fern.ui.settings.label import label_of, label_part
from lucky_fern.ui.settings.pull import pull_part

if TYPE_CHECKING:
    from lucky_fern.ui.settings.panel import SettingsPanel


def decal_part(panel: SettingsPanel, column: QVBoxLayout, decal: Decal) -> None:
    """Facts, numbers and switches of a decal."""
    panel.rule(column)
    facts_part(panel, column, decal)
    if label_of(panel.desk, panel.desk.layer) is not None:
        label_part(panel, column)
        panel.rule(column)
    elif figure_of(panel.desk, panel.desk.layer) is not None:
        figure_part(panel, column)
        panel.rule(column)
    if label_of(panel.desk, panel.desk.layer) is None and figure_of(panel.desk, panel.desk.layer) is None:
        column.addLayout(picture_row(panel))
    grid = _numbers(panel, ("width", "Width"), ("height", "Height"), ("rotate", "Turn °"))
    grid.addWidget(_unit_box(panel), 0, Qt.AlignmentFlag.AlignBottom)
    column.addLayout(grid)
    row = QHBoxLayout()
    row.addWidget(pixels_box(panel))
    flip = QCheckBox("Flipped")
    flip.setToolTip("Left for right")
    flip.toggled.connect(lambda on: _set_place(panel, "flip", on))
    panel.fields["flip"] = flip
    panel.binders.append(lambda layer: _show_check(flip, _place(layer, "flip")))
    row.addWidget(flip)
    if isinstance(decal.place, Throw):
        row.addStretch(1)
        column.addLayout(row)
        column.addLayout(_numbers(panel, ("depth", "Reach"), ("angle_limit", "Facing °"), ("fade", "Fade °")))
        row = QHBoxLayout()
        through = QCheckBox("Through")
        through.setToolTip("Onto what is hidden behind something else, too")
        through.toggled.connect(lambda on: _set_place(panel, "through", on))
        panel.fields["through"] = through
        panel.binders.append(lambda layer: _show_check(through, _place(layer, "through")))
        row.addWidget(through)
        box = QCheckBox("Show reach")
        box.setToolTip("Draw the space that it reaches and the cone of directions it accepts, in the model view")
        box.setChecked(panel.desk.reach_shown)
        box.toggled.connect(panel.desk.show_reach)
        panel.fields["show reach"] = box
        row.addWidget(box)
        look = QPushButton("As I look")
        look.setToolTip("Throw it from where the model view's eye is, upright on the screen and in its perspective")
        look.clicked.connect(lambda _=False: throw_as_seen(panel.desk))
        panel.fields["as I look"] = look
        row.addWidget(look)
    row.addStretch(1)
    column.addLayout(row)
    column.addLayout(finish_row(panel))
    pull_part(panel, column)
    if not isinstance(decal.place, Lay):
        copies_part(panel, column)


def _numbers(panel: SettingsPanel, *names: tuple[str, str]) -> QHBoxLayout:
    """A row of numbers of its pose, by their keys and titles."""
    grid = QHBoxLayout()
    for key, title in names:
        cell = QVBoxLayout()
        cell.setSpacing(1)
        number = QDoubleSpinBox(decimals=1 if key in ("rotate", "angle_limit", "fade") else 4, maximum=1e6)
        number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        number.setMinimum({"rotate": -360.0, "fade": 0.0}.get(key, 0.0001))
        number.setKeyboardTracking(False)
        number.setAccessibleName(title)
        number.setMinimumWidth(40)
        number.valueChanged.connect(partial(_set_place, panel, key))
        panel.fields[key] = number
        panel.binders.append(partial(_show_number, panel, number, key))
        cell.addWidget(QLabel(title, objectName="quiet"))
        cell.addWidget(number)
        grid.addLayout(cell)
    return grid


def _unit_box(panel: SettingsPanel) -> QComboBox:
    """Whether width and height are typed in model units or in texels of the sheet under the middle."""
    box = QComboBox()
    box.addItems(["units", "texels"])
    box.setAccessibleName("What width and height are counted in")
    box.setCurrentIndex(int(panel.desk.in_texels))

    def choose(at: int) -> None:
        panel.desk.in_texels = bool(at)
        panel.refresh()

    box.activated.connect(choose)
    panel.fields["unit"] = box
    return box


def _texels_a_unit(panel: SettingsPanel) -> tuple[float, float]:
    """How many texels a unit of width and one of height are; ones where units are counted."""
    decal, studio = panel.desk.decal, panel.desk.studio
    if not panel.desk.in_texels or decal is None or studio is None:
        return 1.0, 1.0
    _, place, height = decal
    texels = texels_of(studio.surface, studio.project, place, height)
    return (1.0, 1.0) if texels is None else (texels[0] / place.width, texels[1] / height)


def picture_row(panel: SettingsPanel) -> QHBoxLayout:
    """Which picture it shows; another one takes over pose and settings."""
    row = QHBoxLayout()
    box = QComboBox()
    box.setAccessibleName("The picture that this decal shows")
    box.setToolTip("Another picture takes over its pose and settings")
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    project = panel.desk.project
    box.addItems(
        [name for name, kit in project.pictures.items() if kit.text is None and kit.figure is None]
        if project is not None
        else []
    )

    def put(name: str) -> None:
        panel.do(lambda layer: SetContent(layer.id, altered(layer.content, picture=name)))

    box.textActivated.connect(put)
    panel.fields["picture"] = box
    panel.binders.append(lambda layer: box.setCurrentText(getattr(layer.content, "picture", "")))
    row.addWidget(QLabel("Picture", objectName="quiet"))
    row.addWidget(box, 1)
    return row


def throw_as_seen(desk: Desk) -> None:
    """Throw a decal from where the model view's eye is, so that it looks straight from there."""
    decal = desk.decal
    if decal is None or desk.look is None or not isinstance(decal[1], Throw):
        return
    layer, place = decal[0], decal[1]
    assert isinstance(place, Throw)
    towards, lens = desk.look.axes[2], None
    if desk.look.place is not None:
        towards = desk.look.place - np.array(place.point)
        lens = float(np.linalg.norm(towards))
        towards = towards / max(lens, 1e-300)
    _, up, _ = ((float(v[0]), float(v[1]), float(v[2])) for v in desk.look.axes)
    normal = (float(towards[0]), float(towards[1]), float(towards[2]))
    desk.execute(SetPlace(layer.id, replace(place, normal=normal, up=up, rotate=0.0, lens=lens)))


def pixels_box(panel: SettingsPanel) -> QCheckBox:
    """Whether pixels stay square; for whatever takes pictures."""
    pixels = QCheckBox("Square pixels")
    pixels.setToolTip("Pixel art: pixels stay square when they are larger than texels")

    def set_pixels(on: bool) -> None:
        def make(layer: Layer) -> SetContent:
            sampling = "nearest" if on else "smooth"
            return SetContent(layer.id, altered(layer.content, sampling=sampling))

        panel.do(make)

    pixels.toggled.connect(set_pixels)
    panel.fields["square pixels"] = pixels
    panel.binders.append(lambda layer: _show_check(pixels, getattr(layer.content, "sampling", "") == "nearest"))
    return pixels


def _show_number(panel: SettingsPanel, number: QDoubleSpinBox, key: str, layer: Layer) -> None:
    decal = panel.desk.decal
    value = decal[2] if key == "height" and decal is not None else _place(layer, key)
    if value is not None and key in ("width", "height"):
        value *= _texels_a_unit(panel)[key == "height"]
    if value is not None and not number.hasFocus():
        number.blockSignals(True)
        number.setValue(float(value))
        number.blockSignals(False)


def _set_place(panel: SettingsPanel, key: str, value: float | bool) -> None:
    decal = panel.desk.decal
    if decal is None:
        return
    layer, place, height = decal
    if key in ("width", "height"):
        value = float(value) / _texels_a_unit(panel)[key == "height"]
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
