"""Copies of a decal and several of them in order: twins, rows, rings; in line, evenly apart, round an axis."""

from __future__ import annotations

from functools import partial
from typing import cast

import numpy as np
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QSpinBox, QVBoxLayout

from lucky_fern.core.copying import copied, resampled
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.placing.copies import Copy, ring, twin, unmoved
from lucky_fern.core.placing.copies import row as row_of
from lucky_fern.core.placing.pose import in_mode
from lucky_fern.core.placing.several import Order, in_order
from lucky_fern.core.project.commands import SetPlace, Several
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.places import Drape, Roll, Throw
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_ORDERS = (
    ("line", tr("In line"), tr("Those between the outermost two move onto the line that joins them")),
    ("apart", tr("Evenly apart"), tr("In line, and all as far from the next one")),
    ("round", tr("Round the axis"), tr("Evenly round the middle of the part they lie on")),
)


def copies_part(form: Form, column: QVBoxLayout) -> None:
    """A twin on the other side, and several in a row or a ring."""
    row = QHBoxLayout()
    row.addWidget(QLabel(tr("Twin across"), objectName="quiet"))
    for axis in "xyz":
        made = QPushButton(axis.upper())
        made.setToolTip(tr("A copy on the other side of the model's middle, across {upper}", upper=axis.upper()))
        made.setFixedWidth(with_text(30))
        made.clicked.connect(partial(add_twin, form.matter, axis))
        form.name(f"twin {axis}", made)
        row.addWidget(made)
    readable = QCheckBox(tr("readable"))
    readable.setToolTip(tr("The twin's lettering reads the right way round; without this it is a mirror image"))
    readable.setChecked(form.matter.habits.twins_readable)
    readable.toggled.connect(partial(setattr, form.matter.habits, "twins_readable"))
    form.name("readable", readable)
    row.addWidget(readable)
    row.addStretch(1)
    column.addLayout(row)
    row = QHBoxLayout()
    row.addWidget(QLabel(tr("Copies"), objectName="quiet"))
    count = QSpinBox(minimum=2, maximum=200, value=8)
    count.setAccessibleName(tr("How many, the first among them"))
    form.name("count", count)
    row.addWidget(count)
    for title, tip in ((tr("in a row"), tr("To its right, on the surface, one and a half widths apart")),
                       (tr("in a ring"), tr("Round the middle of the part it lies on"))):  # fmt: skip
        made = QPushButton(title)
        made.setToolTip(tip)
        made.clicked.connect(partial(add_copies, form.matter, title.removeprefix("in a "), count))
        form.name(title, made)
        row.addWidget(made)
    row.addStretch(1)
    column.addLayout(row)
    if len(form.matter.selection.chosen) > 1:
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("Put {chosen}", chosen=len(form.matter.selection.chosen)), objectName="quiet"))
        for order, title, tip in _ORDERS:
            made = QPushButton(title)
            made.setToolTip(tip)
            made.clicked.connect(partial(put_in_order, form.matter, order))
            form.name(f"order {order}", made)
            row.addWidget(made)
        row.addStretch(1)
        column.addLayout(row)


def put_in_order(matter: Matter, order: str, *_: object) -> None:
    """Move the selected decals."""
    studio = matter.work.studio
    decals = [(layer.id, layer.content.place) for layer in matter.selection.layers if layer.content.place is not None]
    found = [(number, place) for number, place in decals if isinstance(place, Throw | Drape | Roll)]
    if studio is None:
        return
    try:
        places = in_order(studio.surface, [place for _, place in found], cast(Order, order))
    except LuckyFernError as error:
        matter.work.said.emit(str(error)[:1].upper() + str(error)[1:] + ".", True)
        return
    commands = tuple(SetPlace(number, place) for (number, _), place in zip(found, places, strict=True))
    matter.work.execute(Several(commands, named="Put decals in order"))


def add_twin(matter: Matter, axis: str, *_: object) -> None:
    """A copy of the selected decal or stripe on the other side of the model's middle."""
    one, studio = matter.selection.decal or matter.selection.stripe, matter.work.studio
    if one is None or studio is None or not one[1].on_surface:
        return
    about = float(studio.model.bounds[:, "xyz".index(axis)].mean())
    _add(matter, one[0], [twin(unmoved(one[1]), axis, about, matter.habits.twins_readable)], tr("Add mirror twin"))


def add_copies(matter: Matter, how: str, count: QSpinBox, *_: object) -> None:
    """Copies of the selected decal in a row or a ring."""
    decal, studio = matter.selection.decal, matter.work.studio
    if decal is None or studio is None or not decal[1].on_surface:
        return
    layer, place, height = decal[0], cast(Throw | Drape | Roll, decal[1]), decal[2]
    if how == "row":
        copies = row_of(studio.surface, place, count.value() - 1, 1.5)
    else:
        rolled = in_mode(studio.surface, place, height, "roll")
        if not isinstance(rolled, Roll):
            matter.work.said.emit(tr("There is no axis to go round: it lies on it."), True)
            return
        copies = ring(place, count.value(), np.array(rolled.axis), np.array(rolled.axis_point))
    if not copies:
        matter.work.said.emit(tr("The surface ends beside it; there is no room for a row."), True)
    else:
        _add(matter, layer, copies, tr("Add {how}", how=how))


def _add(matter: Matter, layer: Layer, copies: list[Copy], title: str) -> None:
    """Layers like one, at other places, as one step; many are folded into a group."""
    studio = matter.work.studio
    assert studio is not None
    together = tr("{name} copies", name=layer.name)

    def work() -> Several:
        return copied(studio, layer, copies, title, together)

    def add(made: Several) -> None:
        if matter.work.studio is studio:
            matter.work.execute(made)
            matter.selection.select(layer.id)

    mask = None if layer.mask is None else studio.project.masks.get(layer.mask)
    if resampled(mask):
        matter.errands.send(tr("Carrying its mask along …"), work, add)
    else:
        add(work())
