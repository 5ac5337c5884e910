"""Pulling a placed picture out of shape: by its corners, or by a grid."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lucky_fern.core.placing.warp import regrid
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.places import Framed

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk
    from lucky_fern.ui.settings.panel import SettingsPanel

_GRIDS = (
    (2, "Corners", "Four corners to drag, as in perspective"),
    (3, "3 × 3", "A grid of points to drag; the picture bends smoothly through them"),
    (5, "5 × 5", "A finer grid"),
)


def pull_part(panel: SettingsPanel, column: QVBoxLayout) -> None:
    """By what it is pulled, and back to straight."""
    row = QHBoxLayout()
    row.addWidget(QLabel("Pull", objectName="quiet"))
    for count, title, tip in _GRIDS:
        made = QPushButton(title, checkable=True)
        made.setToolTip(tip)
        made.clicked.connect(partial(pull, panel.desk, count))
        panel.fields[f"pull {count}"] = made
        row.addWidget(made)
    straight = QPushButton("Straight")
    straight.setToolTip("Back to a picture with right angles")
    straight.clicked.connect(partial(pull, panel.desk, 0))
    panel.fields["pull 0"] = straight
    row.addWidget(straight)
    row.addStretch(1)
    column.addLayout(row)

    def show(layer: Layer) -> None:
        place = layer.content.place if isinstance(layer.content, Decal) else None
        warp = place.warp if isinstance(place, Framed) else None
        for count, *_ in _GRIDS:
            panel.fields[f"pull {count}"].setChecked(
                panel.desk.pulling and warp is not None and count == warp.columns == warp.rows
            )
        straight.setEnabled(warp is not None)

    panel.binders.append(show)


def pull(desk: Desk, count: int, *_: object) -> None:
    """Have the selected decal pulled by ``count`` × ``count`` points; 0 makes it straight again."""
    decal = desk.decal
    if decal is None:
        return
    layer, place, _height = decal
    if count and desk.pulling and place.warp is not None and place.warp.columns == count:
        desk.set_pulling(False)  # the handles of the whole picture again
        return
    desk.end_gesture()
    desk.set_pulling(count > 0)
    warp = regrid(place.warp, count, count) if count else None
    if warp != place.warp:
        desk.execute(SetPlace(layer.id, replace(place, warp=warp)))
