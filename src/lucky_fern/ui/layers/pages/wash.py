"""How a wash's pictures lie: repeated over the tiles, projected along the axes, or one on each tile."""

from __future__ import annotations

from functools import partial
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.project.commands import SetContent
from lucky_fern.core.project.document import Layer, Wash
from lucky_fern.ui.layers.pages.decal import pixels_box
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.words import tr

_WAYS = {"uv": tr("over each tile"), "triplanar": tr("along the axes"), "tiles": tr("one a tile")}
_NUMBERS = (("repeat", 0, tr("Repeat ↔")), ("repeat", 1, tr("Repeat ↕")), ("offset", 0, tr("Offset ↔")),
            ("offset", 1, tr("Offset ↕")), ("rotate", None, tr("Turn °")))  # fmt: skip


def wash_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Only where the wash takes a picture."""
    if not any(channel.picture is not None for channel in layer.channels.values()):
        return
    form.rule(column)
    by = QComboBox()
    for way, title in _WAYS.items():
        by.addItem(title, way)
    by.setAccessibleName(tr("How pictures lie"))
    by.setToolTip(
        tr("Over each tile by its UVs, along the model's three axes, or a sequence with one picture a tile")
    )
    by.activated.connect(lambda _: _set(form, by=by.currentData()))
    form.name("by", by)
    form.bind(lambda now: by.setCurrentIndex(by.findData(_wash(now).by)))
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(by)
    row.addWidget(pixels_box(form))
    row.addStretch(1)
    form.row(column, tr("Pictures lie"), line)
    if layer.content.by == "tiles":
        return
    grid = QHBoxLayout()
    for key, part, title in _NUMBERS:
        cell = QVBoxLayout()
        cell.setSpacing(1)
        number = QDoubleSpinBox(decimals=3 if key != "rotate" else 1, minimum=-1e4, maximum=1e4)
        number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        number.setKeyboardTracking(False)
        number.setAccessibleName(title)
        number.setMinimumWidth(40)
        number.valueChanged.connect(partial(_set_number, form, key, part))
        form.name(key if part is None else f"{key} {part}", number)
        form.bind(partial(_show, number, key, part))
        cell.addWidget(QLabel(title, objectName="quiet"))
        cell.addWidget(number)
        grid.addLayout(cell)
    column.addLayout(grid)


def _wash(layer: Layer) -> Wash:
    return cast(Wash, layer.content) if layer.content.everywhere else Wash()


def _show(number: QDoubleSpinBox, key: str, part: int | None, layer: Layer) -> None:
    if number.hasFocus():
        return
    value = getattr(_wash(layer), key)
    with QSignalBlocker(number):
        number.setValue(value if part is None else value[part])


def _set_number(form: Form, key: str, part: int | None, value: float) -> None:
    layer = form.matter.selection.layer
    if layer is None or not layer.content.everywhere:
        return
    if part is None:
        _set(form, **{key: value})
        return
    pair = list(getattr(layer.content, key))
    pair[part] = value
    _set(form, **{key: tuple(pair)})


def _set(form: Form, **changes: object) -> None:
    form.matter.work.end_gesture()
    form.do(lambda layer: SetContent(layer.id, replace(_wash(layer), **changes)))
