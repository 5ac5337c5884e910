"""Pulling a placed picture out of shape: by its corners, or by a grid."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lucky_fern.core.placing.warp import regrid
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.places import Framed
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.words import tr

_GRIDS = (
    (2, tr("Corners"), tr("Four corners to drag, as in perspective")),
    (3, "3 × 3", tr("A grid of points to drag; the picture bends smoothly through them")),
    (5, "5 × 5", tr("A finer grid")),
)


def pull_part(form: Form, column: QVBoxLayout) -> None:
    """By what it is pulled, and back to straight."""
    row = QHBoxLayout()
    row.addWidget(QLabel(tr("Pull"), objectName="quiet"))
    for count, title, tip in _GRIDS:
        made = QPushButton(title, checkable=True)
        made.setToolTip(tip)
        made.clicked.connect(partial(pull, form.matter, count))
        form.name(f"pull {count}", made)
        row.addWidget(made)
    straight = QPushButton(tr("Straight"))
    straight.setToolTip(tr("Back to a picture with right angles"))
    straight.clicked.connect(partial(pull, form.matter, 0))
    form.name("pull 0", straight)
    row.addWidget(straight)
    row.addStretch(1)
    column.addLayout(row)

    def show(layer: Layer) -> None:
        place = layer.content.place if layer.content.place is not None else None
        warp = place.warp if isinstance(place, Framed) else None
        for count, *_ in _GRIDS:
            form.named(f"pull {count}", QPushButton).setChecked(
                form.matter.handles.pulling and warp is not None and count == warp.columns == warp.rows
            )
        straight.setEnabled(warp is not None)

    form.bind(show)


def pull(matter: Matter, count: int, *_: object) -> None:
    """Have the selected decal pulled by ``count`` × ``count`` points; 0 makes it straight again."""
    decal = matter.selection.decal
    if decal is None:
        return
    layer, place, _height = decal
    if count and matter.handles.pulling and place.warp is not None and place.warp.columns == count:
        matter.handles.set_pulling(False)  # the handles of the whole picture again
        return
    matter.work.end_gesture()
    matter.handles.set_pulling(count > 0)
    warp = regrid(place.warp, count, count) if count else None
    if warp != place.warp:
        matter.work.execute(SetPlace(layer.id, replace(place, warp=warp)))
