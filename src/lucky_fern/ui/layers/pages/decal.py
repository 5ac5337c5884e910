"""A decal's pose in numbers, and what one must know about it."""

from __future__ import annotations

from functools import partial
from typing import Any, cast

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, Qt
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
from lucky_fern.core.project.exchanging import with_picture
from lucky_fern.core.project.kinds import altered
from lucky_fern.core.project.places import Throw
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.copies import copies_part
from lucky_fern.ui.layers.pages.decal_facts import facts_part
from lucky_fern.ui.layers.pages.figure import figure_of, figure_part
from lucky_fern.ui.layers.pages.finish import finish_row
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.layers.pages.label import label_of, label_part
from lucky_fern.ui.layers.pages.pull import pull_part
from lucky_fern.words import tr


def decal_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Facts, numbers and switches of a decal."""
    decal = cast(Decal, layer.content)
    form.rule(column)
    facts_part(form, column, decal)
    if label_of(form.matter, form.matter.selection.layer) is not None:
        label_part(form, column)
        form.rule(column)
    elif figure_of(form.matter, form.matter.selection.layer) is not None:
        figure_part(form, column)
        form.rule(column)
    if (
        label_of(form.matter, form.matter.selection.layer) is None
        and figure_of(form.matter, form.matter.selection.layer) is None
    ):
        column.addLayout(picture_row(form))
    grid = _numbers(form, ("width", tr("Width")), ("height", tr("Height")), ("rotate", tr("Turn °")))
    grid.addWidget(_unit_box(form), 0, Qt.AlignmentFlag.AlignBottom)
    column.addLayout(grid)
    row = QHBoxLayout()
    row.addWidget(pixels_box(form))
    flip = QCheckBox(tr("Flipped"))
    flip.setToolTip(tr("Left for right"))
    flip.toggled.connect(lambda on: _set_place(form, "flip", on))
    form.name("flip", flip)
    form.bind(lambda layer: _show_check(flip, _place(layer, "flip")))
    row.addWidget(flip)
    if decal.place.straight:
        row.addStretch(1)
        column.addLayout(row)
        column.addLayout(
            _numbers(form, ("depth", tr("Reach")), ("angle_limit", tr("Facing °")), ("fade", tr("Fade °")))
        )
        row = QHBoxLayout()
        through = QCheckBox(tr("Through"))
        through.setToolTip(tr("Onto what is hidden behind something else, too"))
        through.toggled.connect(lambda on: _set_place(form, "through", on))
        form.name("through", through)
        form.bind(lambda layer: _show_check(through, _place(layer, "through")))
        row.addWidget(through)
        box = QCheckBox(tr("Show reach"))
        box.setToolTip(tr("Draw the space that it reaches and the cone of directions it accepts, in the model view"))
        box.setChecked(form.matter.handles.reach_shown)
        box.toggled.connect(form.matter.handles.show_reach)
        form.name("show reach", box)
        row.addWidget(box)
        look = QPushButton(tr("As I look"))
        look.setToolTip(
            tr("Throw it from where the model view's eye is, upright on the screen and in its perspective")
        )
        look.clicked.connect(lambda _=False: throw_as_seen(form.matter))
        form.name("as I look", look)
        row.addWidget(look)
    row.addStretch(1)
    column.addLayout(row)
    column.addLayout(finish_row(form))
    pull_part(form, column)
    if decal.place.on_surface:
        copies_part(form, column)


def _numbers(form: Form, *names: tuple[str, str]) -> QHBoxLayout:
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
        number.valueChanged.connect(partial(_set_place, form, key))
        form.name(key, number)
        form.bind(partial(_show_number, form, number, key))
        cell.addWidget(QLabel(title, objectName="quiet"))
        cell.addWidget(number)
        grid.addLayout(cell)
    return grid


def _unit_box(form: Form) -> QComboBox:
    """Whether width and height are typed in model units or in texels of the sheet under the middle."""
    box = QComboBox()
    box.addItems([tr("units"), tr("texels")])
    box.setAccessibleName(tr("What width and height are counted in"))
    box.setCurrentIndex(int(form.matter.habits.in_texels))

    def choose(at: int) -> None:
        form.matter.habits.in_texels = bool(at)
        form.refresh()

    box.activated.connect(choose)
    form.name("unit", box)
    return box


def _texels_a_unit(form: Form) -> tuple[float, float]:
    """How many texels a unit of width and one of height are; ones where units are counted."""
    decal, studio = form.matter.selection.decal, form.matter.work.studio
    if not form.matter.habits.in_texels or decal is None or studio is None:
        return 1.0, 1.0
    _, place, height = decal
    texels = texels_of(studio.surface, studio.project, place, height)
    return (1.0, 1.0) if texels is None else (texels[0] / place.width, texels[1] / height)


def picture_row(form: Form) -> QHBoxLayout:
    """Which picture it shows; another one takes over pose and settings."""
    row = QHBoxLayout()
    box = QComboBox()
    box.setAccessibleName(tr("The picture that this decal shows"))
    box.setToolTip(tr("Another picture takes over its pose and settings"))
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    project = form.matter.work.project
    box.addItems(
        [name for name, kit in project.pictures.items() if kit.text is None and kit.figure is None]
        if project is not None
        else []
    )

    def put(name: str) -> None:
        project = form.matter.work.project
        assert project is not None
        form.do(lambda layer: SetContent(layer.id, with_picture(project, layer.content, name)))

    box.textActivated.connect(put)
    form.name("picture", box)
    form.bind(lambda layer: box.setCurrentText(getattr(layer.content, "picture", "")))
    row.addWidget(QLabel(tr("Picture"), objectName="quiet"))
    row.addWidget(box, 1)
    return row


def throw_as_seen(matter: Matter) -> None:
    """Throw a decal from where the model view's eye is, so that it looks straight from there."""
    decal = matter.selection.decal
    if decal is None or matter.looking.eye is None or not decal[1].straight:
        return
    layer, place = decal[0], cast(Throw, decal[1])
    towards, lens = matter.looking.eye.axes[2], None
    if matter.looking.eye.place is not None:
        towards = matter.looking.eye.place - np.array(place.point)
        lens = float(np.linalg.norm(towards))
        towards = towards / max(lens, 1e-300)
    _, up, _ = ((float(v[0]), float(v[1]), float(v[2])) for v in matter.looking.eye.axes)
    normal = (float(towards[0]), float(towards[1]), float(towards[2]))
    matter.work.execute(SetPlace(layer.id, replace(place, normal=normal, up=up, rotate=0.0, lens=lens)))


def pixels_box(form: Form) -> QCheckBox:
    """Whether pixels stay square; for whatever takes pictures."""
    pixels = QCheckBox(tr("Square pixels"))
    pixels.setToolTip(tr("Pixel art: pixels stay square when they are larger than texels"))

    def set_pixels(on: bool) -> None:
        def make(layer: Layer) -> SetContent:
            sampling = "nearest" if on else "smooth"
            return SetContent(layer.id, altered(layer.content, sampling=sampling))

        form.do(make)

    pixels.toggled.connect(set_pixels)
    form.name("square pixels", pixels)
    form.bind(lambda layer: _show_check(pixels, getattr(layer.content, "sampling", "") == "nearest"))
    return pixels


def _show_number(form: Form, number: QDoubleSpinBox, key: str, layer: Layer) -> None:
    decal = form.matter.selection.decal
    value = decal[2] if key == "height" and decal is not None else _place(layer, key)
    if value is not None and key in ("width", "height"):
        value *= _texels_a_unit(form)[key == "height"]
    if value is not None and not number.hasFocus():
        with QSignalBlocker(number):
            number.setValue(float(value))


def _set_place(form: Form, key: str, value: float | bool) -> None:
    decal = form.matter.selection.decal
    if decal is None:
        return
    layer, place, height = decal
    if key in ("width", "height"):
        value = float(value) / _texels_a_unit(form)[key == "height"]
    changes: dict[str, Any] = {key: value}
    if key == "width" and place.height is not None:
        changes["height"] = height * float(value) / place.width
    form.matter.work.end_gesture()
    form.matter.work.execute(SetPlace(layer.id, replace(place, **changes)))


def _place(layer: Layer, key: str) -> Any:
    return getattr(layer.content.place, key, None) if layer.content.place is not None else None


def _show_check(box: QCheckBox, on: bool) -> None:
    with QSignalBlocker(box):
        box.setChecked(bool(on))
