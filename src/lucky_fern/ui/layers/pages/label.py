"""What a label says and looks like, edited in place."""

from __future__ import annotations

from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
)

from lucky_fern.core import spreading
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.pictures.fonts import SHIPPED, system_fonts
from lucky_fern.core.pictures.label import EM, Label
from lucky_fern.core.placing.pose import scaled, texels_of
from lucky_fern.core.project.commands import SetLabel, SetPlace
from lucky_fern.core.project.document import Layer
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.drawn import redraw
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import counted, tr

_NUMBERS = (
    ("tracking", tr("Tracking"), -0.2, 1.0),
    ("arc", tr("Arc °"), -300.0, 300.0),
    ("outline", tr("Outline"), 0.0, 0.3),
    ("border", tr("Border"), 0.0, 0.5),
    ("line_spacing", tr("Lines"), 0.6, 3.0),
)


def label_of(matter: Matter, layer: Layer | None) -> Label | None:
    """The label that a decal shows, if it shows one."""
    if layer is None or layer.content.place is None or matter.work.project is None:
        return None
    kit = matter.work.project.pictures.get(layer.content.picture)
    return None if kit is None else kit.text


def label_part(form: Form, column: QVBoxLayout) -> None:
    """Text, font, colours and shape of a label."""
    form.rule(column)
    text = QPlainTextEdit()
    text.setFixedHeight(with_text(46))
    text.setAccessibleName(tr("What the label says"))
    text.textChanged.connect(lambda: change(form.matter, text=text.toPlainText()))
    form.name("label text", text)
    form.bind(partial(_show_text, form, text))
    column.addWidget(text)
    row = QHBoxLayout()
    font = QComboBox()
    font.addItems(list(SHIPPED))
    font.setAccessibleName(tr("Font"))
    font.setToolTip(tr("Those that ship come first, then those of this computer"))
    font.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    font.setMinimumContentsLength(16)
    font.activated.connect(lambda at: change(form.matter, font=font.itemData(at) or font.itemText(at)))
    form.name("label font", font)
    if form.matter.habits.fonts is None:
        form.matter.errands.send("", system_fonts, partial(_add_fonts, form, font))
    else:
        _add_fonts(form, font, form.matter.habits.fonts)
    form.bind(lambda layer: _show(form, layer, partial(_show_font, font)))
    row.addWidget(font)
    colour = ColourField(tr("Colour of the letters"))
    colour.changed.connect(lambda value: change(form.matter, colour=value))
    colour.let_go.connect(form.matter.work.end_gesture)
    form.name("label colour", colour)
    form.bind(lambda layer: _show(form, layer, lambda label: colour.set(label.colour)))
    row.addWidget(colour, 1)
    column.addLayout(row)
    for name, title, low, high in _NUMBERS:
        number = NumberField(low, high, 0 if name == "arc" else 2, "", title)
        number.changed.connect(lambda value, name=name: change(form.matter, **{name: round(value, 3)}))
        number.let_go.connect(form.matter.work.end_gesture)
        form.name(f"label {name}", number)
        form.bind(partial(_show_number, form, number, name))
        line = QHBoxLayout()
        line.addWidget(QLabel(title, objectName="quiet"))
        line.addWidget(number, 1)
        column.addLayout(line)
    _two_colour_part(form, column)
    row = QHBoxLayout()
    plate = QCheckBox(tr("On a plate"))
    plate.toggled.connect(lambda on: change(form.matter, plate="#1d2b33" if on else None))
    form.name("label plate", plate)
    ground = ColourField(tr("Colour of the plate"))
    ground.changed.connect(lambda value: change(form.matter, plate=value))
    ground.let_go.connect(form.matter.work.end_gesture)
    form.name("label ground", ground)

    def show_plate(label: Label) -> None:
        with QSignalBlocker(plate):
            plate.setChecked(label.plate is not None)
        ground.setVisible(label.plate is not None)
        ground.set(label.plate or "#1d2b33")

    form.bind(lambda layer: _show(form, layer, show_plate))
    row.addWidget(plate)
    row.addWidget(ground, 1)
    spread = QPushButton(tr("A line on each selected piece"))
    spread.setToolTip(tr("Lines become labels in the middles of the selected faces' pieces, in reading order"))
    spread.clicked.connect(lambda _=False: spread_lines(form.matter))
    form.name("label spread", spread)
    row.addWidget(spread)
    column.addLayout(row)


def _add_fonts(form: Form, box: QComboBox, fonts: dict[str, str]) -> None:
    """Put this computer's fonts under those that ship."""
    form.matter.habits.fonts = fonts
    if not form.has("label font", box):
        return  # another layer is shown by now
    for name, path in fonts.items():
        box.addItem(name, path)
    label = label_of(form.matter, form.matter.selection.layer)
    if label is not None:
        _show_font(box, label)


def _show_font(box: QComboBox, label: Label) -> None:
    at = box.findData(label.font)
    if at >= 0:
        box.setCurrentIndex(at)
    else:
        box.setCurrentText(label.font)


def _two_colour_part(form: Form, column: QVBoxLayout) -> None:
    """A second colour for the lower part of letters, and how tall letters are."""
    row = QHBoxLayout()
    two = QCheckBox(tr("Two colours"))
    two.toggled.connect(lambda on: change(form.matter, second="#d9a441" if on else None))
    form.name("label two", two)
    second = ColourField(tr("Second colour of the letters"))
    second.changed.connect(lambda value: change(form.matter, second=value))
    second.let_go.connect(form.matter.work.end_gesture)
    form.name("label second", second)
    fade = QCheckBox(tr("Fading"))
    fade.toggled.connect(lambda on: change(form.matter, fade=on))
    form.name("label fade", fade)
    size = QDoubleSpinBox(decimals=3, minimum=0.001, maximum=1e6)
    size.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    size.setKeyboardTracking(False)
    size.setToolTip(tr("How tall its letters are (their em), in what width and height are counted in"))
    size.setAccessibleName(tr("Size of the letters"))
    size.setFixedWidth(with_text(64))
    size.valueChanged.connect(partial(_set_size, form.matter))
    form.name("label size", size)

    def show(label: Label) -> None:
        for box, on in ((two, label.second is not None), (fade, label.fade)):
            with QSignalBlocker(box):
                box.setChecked(on)
        second.setVisible(label.second is not None)
        fade.setVisible(label.second is not None)
        second.set(label.second or "#d9a441")
        em = em_of(form.matter)
        if em is not None and not size.hasFocus():
            with QSignalBlocker(size):
                size.setValue(em)

    form.bind(lambda layer: _show(form, layer, show))
    row.addWidget(two)
    row.addWidget(second, 1)
    row.addWidget(fade)
    column.addLayout(row)
    row = QHBoxLayout()
    row.addWidget(QLabel(tr("Letters' size"), objectName="quiet"))
    row.addWidget(size)
    row.addStretch(1)
    column.addLayout(row)


def em_of(matter: Matter) -> float | None:
    """How tall the letters' em of the selected label is, in model units or texels."""
    decal, studio = matter.selection.decal, matter.work.studio
    if decal is None or studio is None or decal[0].content.place is None:
        return None
    layer, place, height = decal
    assert layer.content.place is not None
    em = place.width * EM / studio.project.picture_size(layer.content.picture)[0]
    if not matter.habits.in_texels:
        return em
    texels = texels_of(studio.surface, studio.project, place, height)
    return None if texels is None else em * texels[0] / place.width


def _set_size(matter: Matter, value: float) -> None:
    now, decal = em_of(matter), matter.selection.decal
    if now is None or decal is None or now <= 0:
        return
    layer, place, height = decal
    matter.work.end_gesture()
    matter.work.execute(SetPlace(layer.id, scaled(place, height, value / now, value / now, 1e-9)))


def spread_lines(matter: Matter) -> None:
    """Make a label of each line, on the pieces of what is selected at the Model station."""
    layer, label, studio, decal = (
        matter.selection.layer,
        label_of(matter, matter.selection.layer),
        matter.work.studio,
        matter.selection.decal,
    )
    if layer is None or label is None or studio is None or decal is None or layer.content.place is None:
        return
    try:
        spread = spreading.spread_lines(studio, layer, decal[1].width, label, matter.faces.chosen)
    except LuckyFernError as error:
        matter.work.warn(f"{error}.")
        return
    if spread is None:
        matter.work.warn(tr("Select the faces at the Model station first: one piece for each line."))
    elif matter.work.execute(spread.command):
        over = tr(" {lines} found no piece.", lines=counted(spread.left, "line")) if spread.left > 0 else ""
        matter.work.said.emit(tr("{count} labels in reading order.{over}", count=spread.count, over=over), bool(over))


def change(matter: Matter, **changes: Any) -> None:
    """Write a label anew; the letters keep their size."""
    label, studio = label_of(matter, matter.selection.layer), matter.work.studio
    if label is None or studio is None:
        return
    new = replace(label, **changes)
    if new != label and redraw(matter, lambda: studio.prepare_label(new), SetLabel):
        matter.habits.label_style = new


def _show(form: Form, layer: Layer, show: Any) -> None:
    label = label_of(form.matter, layer)
    if label is not None:
        show(label)


def _show_text(form: Form, text: QPlainTextEdit, layer: Layer) -> None:
    label = label_of(form.matter, layer)
    if label is not None and not text.hasFocus() and text.toPlainText() != label.text:
        with QSignalBlocker(text):
            text.setPlainText(label.text)


def _show_number(form: Form, number: NumberField, name: str, layer: Layer) -> None:
    label = label_of(form.matter, layer)
    if label is not None:
        number.set(getattr(label, name))
