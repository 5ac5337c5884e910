"""What a label says and looks like, edited in place."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace
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

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.pictures.fonts import SHIPPED, system_fonts
from lucky_fern.core.pictures.label import EM, Label
from lucky_fern.core.placing.pose import drop_thrown, scaled, texels_of
from lucky_fern.core.placing.spots import spots
from lucky_fern.core.project.commands import AddLayer, AddPicture, SetLabel, SetPlace, Several
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.places import Drape
from lucky_fern.ui.fields import ColourField, NumberField
from lucky_fern.ui.settings.drawn import redraw

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk
    from lucky_fern.ui.settings.panel import SettingsPanel

_NUMBERS = (
    ("tracking", "Tracking", -0.2, 1.0), ("arc", "Arc °", -300.0, 300.0), ("outline", "Outline", 0.0, 0.3),
    ("border", "Border", 0.0, 0.5), ("line_spacing", "Lines", 0.6, 3.0),
)  # fmt: skip


def label_of(desk: Desk, layer: Layer | None) -> Label | None:
    """The label that a decal shows, if it shows one."""
    if layer is None or not isinstance(layer.content, Decal) or desk.project is None:
        return None
    kit = desk.project.pictures.get(layer.content.picture)
    return None if kit is None else kit.text


def label_part(panel: SettingsPanel, column: QVBoxLayout) -> None:
    """Text, font, colours and shape of a label."""
    panel.rule(column)
    text = QPlainTextEdit()
    text.setFixedHeight(46)
    text.setAccessibleName("What the label says")
    text.textChanged.connect(lambda: change(panel.desk, text=text.toPlainText()))
    panel.fields["label text"] = text
    panel.binders.append(partial(_show_text, panel, text))
    column.addWidget(text)
    row = QHBoxLayout()
    font = QComboBox()
    font.addItems(list(SHIPPED))
    font.setAccessibleName("Font")
    font.setToolTip("Those that ship come first, then those of this computer")
    font.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    font.setMinimumContentsLength(16)
    font.activated.connect(lambda at: change(panel.desk, font=font.itemData(at) or font.itemText(at)))
    panel.fields["label font"] = font
    if panel.desk.fonts is None:
        panel.desk.errands.send("", system_fonts, partial(_add_fonts, panel, font))
    else:
        _add_fonts(panel, font, panel.desk.fonts)
    panel.binders.append(lambda layer: _show(panel, layer, partial(_show_font, font)))
    row.addWidget(font)
    colour = ColourField("Colour of the letters")
    colour.changed.connect(lambda value: change(panel.desk, colour=value))
    colour.let_go.connect(panel.desk.end_gesture)
    panel.fields["label colour"] = colour
    panel.binders.append(lambda layer: _show(panel, layer, lambda label: colour.set(label.colour)))
    row.addWidget(colour, 1)
    column.addLayout(row)
    for name, title, low, high in _NUMBERS:
        number = NumberField(low, high, 0 if name == "arc" else 2, "", title)
        number.changed.connect(lambda value, name=name: change(panel.desk, **{name: round(value, 3)}))
        number.let_go.connect(panel.desk.end_gesture)
        panel.fields[f"label {name}"] = number
        panel.binders.append(partial(_show_number, panel, number, name))
        line = QHBoxLayout()
        line.addWidget(QLabel(title, objectName="quiet"))
        line.addWidget(number, 1)
        column.addLayout(line)
    _two_colour_part(panel, column)
    row = QHBoxLayout()
    plate = QCheckBox("On a plate")
    plate.toggled.connect(lambda on: change(panel.desk, plate="#1d2b33" if on else None))
    panel.fields["label plate"] = plate
    ground = ColourField("Colour of the plate")
    ground.changed.connect(lambda value: change(panel.desk, plate=value))
    ground.let_go.connect(panel.desk.end_gesture)
    panel.fields["label ground"] = ground

    def show_plate(label: Label) -> None:
        plate.blockSignals(True)
        plate.setChecked(label.plate is not None)
        plate.blockSignals(False)
        ground.setVisible(label.plate is not None)
        ground.set(label.plate or "#1d2b33")

    panel.binders.append(lambda layer: _show(panel, layer, show_plate))
    row.addWidget(plate)
    row.addWidget(ground, 1)
    spread = QPushButton("A line on each selected piece")
    spread.setToolTip("Lines become labels in the middles of the selected faces' pieces, in reading order")
    spread.clicked.connect(lambda _=False: spread_lines(panel.desk))
    panel.fields["label spread"] = spread
    row.addWidget(spread)
    column.addLayout(row)


def _add_fonts(panel: SettingsPanel, box: QComboBox, fonts: dict[str, str]) -> None:
    """Put this computer's fonts under those that ship."""
    panel.desk.fonts = fonts
    if panel.fields.get("label font") is not box:
        return  # another layer is shown by now
    for name, path in fonts.items():
        box.addItem(name, path)
    label = label_of(panel.desk, panel.desk.layer)
    if label is not None:
        _show_font(box, label)


def _show_font(box: QComboBox, label: Label) -> None:
    at = box.findData(label.font)
    if at >= 0:
        box.setCurrentIndex(at)
    else:
        box.setCurrentText(label.font)


def _two_colour_part(panel: SettingsPanel, column: QVBoxLayout) -> None:
    """A second colour for the lower part of letters, and how tall letters are."""
    row = QHBoxLayout()
    two = QCheckBox("Two colours")
    two.toggled.connect(lambda on: change(panel.desk, second="#d9a441" if on else None))
    panel.fields["label two"] = two
    second = ColourField("Second colour of the letters")
    second.changed.connect(lambda value: change(panel.desk, second=value))
    second.let_go.connect(panel.desk.end_gesture)
    panel.fields["label second"] = second
    fade = QCheckBox("Fading")
    fade.toggled.connect(lambda on: change(panel.desk, fade=on))
    panel.fields["label fade"] = fade
    size = QDoubleSpinBox(decimals=3, minimum=0.001, maximum=1e6)
    size.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    size.setKeyboardTracking(False)
    size.setToolTip("How tall its letters are (their em), in what width and height are counted in")
    size.setAccessibleName("Size of the letters")
    size.setFixedWidth(64)
    size.valueChanged.connect(partial(_set_size, panel.desk))
    panel.fields["label size"] = size

    def show(label: Label) -> None:
        for box, on in ((two, label.second is not None), (fade, label.fade)):
            box.blockSignals(True)
            box.setChecked(on)
            box.blockSignals(False)
        second.setVisible(label.second is not None)
        fade.setVisible(label.second is not None)
        second.set(label.second or "#d9a441")
        em = em_of(panel.desk)
        if em is not None and not size.hasFocus():
            size.blockSignals(True)
            size.setValue(em)
            size.blockSignals(False)

    panel.binders.append(lambda layer: _show(panel, layer, show))
    row.addWidget(two)
    row.addWidget(second, 1)
    row.addWidget(fade)
    column.addLayout(row)
    row = QHBoxLayout()
    row.addWidget(QLabel("Letters' size", objectName="quiet"))
    row.addWidget(size)
    row.addStretch(1)
    column.addLayout(row)


def em_of(desk: Desk) -> float | None:
    """How tall the letters' em of the selected label is, in model units or texels."""
    decal, studio = desk.decal, desk.studio
    if decal is None or studio is None or not isinstance(decal[0].content, Decal):
        return None
    layer, place, height = decal
    assert isinstance(layer.content, Decal)
    em = place.width * EM / studio.project.picture_size(layer.content.picture)[0]
    if not desk.in_texels:
        return em
    texels = texels_of(studio.surface, studio.project, place, height)
    return None if texels is None else em * texels[0] / place.width


def _set_size(desk: Desk, value: float) -> None:
    now, decal = em_of(desk), desk.decal
    if now is None or decal is None or now <= 0:
        return
    layer, place, height = decal
    desk.end_gesture()
    desk.execute(SetPlace(layer.id, scaled(place, height, value / now, value / now, 1e-9)))


def spread_lines(desk: Desk) -> None:
    """Make a label of each line, on the pieces of what is selected at the Model station."""
    layer, label, studio, decal = desk.layer, label_of(desk, desk.layer), desk.studio, desk.decal
    if layer is None or label is None or studio is None or decal is None or not isinstance(layer.content, Decal):
        return
    lines = [line.strip() for line in label.text.split("\n") if line.strip()]
    places = spots(studio.model, desk.faces.chosen) if desk.faces.any else []
    if not places:
        desk.said.emit("Select the faces at the Model station first: one piece for each line.", True)
        return
    size = decal[1].width / studio.project.picture_size(layer.content.picture)[0]
    commands: list[AddPicture | AddLayer] = []
    taken = set(studio.project.pictures)
    try:
        for line, hit in zip(lines, places, strict=False):
            kit = studio.prepare_label(replace(label, text=line))
            identity, number = kit.name, 2
            while identity in taken:
                identity, number = f"{kit.name} {number}", number + 1
            taken.add(identity)
            at = drop_thrown(studio.model, hit, kit.height / kit.width, np.array([0.0, 0.0, -1.0]))
            place = Drape(at.point, at.normal, at.up, size * kit.width)
            commands += [AddPicture(identity, kit),
                         AddLayer(line, Decal(identity, place, layer.content.sampling), layer.channels)]  # fmt: skip
    except LuckyFernError as error:
        desk.said.emit(f"{error}.", True)
        return
    if desk.execute(Several(tuple(commands), named="Add labels")):
        count = min(len(lines), len(places))
        left = len(lines) - count
        over = f" {left} line{'' if left == 1 else 's'} found no piece." if left > 0 else ""
        desk.said.emit(f"{count} labels in reading order.{over}", bool(over))


def change(desk: Desk, **changes: Any) -> None:
    """Write a label anew; the letters keep their size."""
    label, studio = label_of(desk, desk.layer), desk.studio
    if label is None or studio is None:
        return
    new = replace(label, **changes)
    if new != label and redraw(desk, lambda: studio.prepare_label(new), SetLabel):
        desk.label_style = new


def _show(panel: SettingsPanel, layer: Layer, show: Any) -> None:
    label = label_of(panel.desk, layer)
    if label is not None:
        show(label)


def _show_text(panel: SettingsPanel, text: QPlainTextEdit, layer: Layer) -> None:
    label = label_of(panel.desk, layer)
    if label is not None and not text.hasFocus() and text.toPlainText() != label.text:
        text.blockSignals(True)
        text.setPlainText(label.text)
        text.blockSignals(False)


def _show_number(panel: SettingsPanel, number: NumberField, name: str, layer: Layer) -> None:
    label = label_of(panel.desk, layer)
    if label is not None:
        number.set(getattr(label, name))
