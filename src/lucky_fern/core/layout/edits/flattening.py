"""New places for faces, from the surface alone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from lucky_fern.core.arrays import F64, I32
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout import flatten
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.layout.room import settle
from lucky_fern.core.layout.row import Asked, Laying, Told
from lucky_fern.core.layout.unwrap import charts
from lucky_fern.core.project.layouts import AlongAxis, AsBox, RoundAxis, Unwrap
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

PADDING = 8  # texels, round what is flattened
_Flatten = Callable[[Layout, Any, I32, Extent, Told], None]


class Flattened(Laying):
    """Material by material; ``flatten`` does one of them, of which it is given the rows and the sheet's size."""

    def __init__(self, flatten: _Flatten) -> None:
        self._flatten = flatten

    def lay(self, layout: Layout, edit: Any, asked: Asked) -> None:
        chosen = layout.chosen
        used = np.unique(layout.model.material[chosen])
        for at, number in enumerate(used):
            layout.chosen = chosen & (layout.model.material == number)
            size = asked.size_at(layout.model.materials[number], layout.tile(layout.chosen))

            def of_all(share: float, at: int = at) -> None:
                asked.told((at + share) / len(used))

            self._flatten(layout, edit, np.flatnonzero(layout.chosen).astype(np.int32), size, of_all)
        layout.chosen = chosen


def unwrapped(layout: Layout, edit: Unwrap, rows: I32, size: Extent, told: Told) -> None:
    """Cut automatically where it has to be."""
    model = layout.model
    shapes, mine = charts(model.positions, model.triangles[rows].astype(np.int64), lambda share: told(share / 2))
    _settle(layout, shapes, [rows[one] for one in mine], edit.padding, size, lambda share: told(0.5 + share / 2))


def along_axis(layout: Layout, edit: AlongAxis, rows: I32, size: Extent, told: Told) -> None:
    """Straight along a direction."""
    corners = layout.model.corners[rows]
    direction = np.array(edit.direction) if edit.direction is not None else flatten.best_direction(corners)
    if not np.linalg.norm(direction) > 0:
        raise CommandError(tr("direction must point somewhere; [0, 0, 0] does not"))
    places = flatten.along_axis(corners, direction, None if edit.up is None else np.array(edit.up))
    away = layout.model.face_normals[rows] @ direction <= 1e-6 * np.linalg.norm(direction)
    if away.any():
        layout.notes.append(
            tr("{sum} of {rows} triangles face away or edge-on; they lie mirrored", sum=away.sum(), rows=len(rows))
        )
    _settle(layout, [places], [rows], PADDING, size)


def round_axis(layout: Layout, edit: RoundAxis, rows: I32, size: Extent, told: Told) -> None:
    """Unrolled from a cylinder."""
    corners = layout.model.corners[rows]
    axis, point = flatten.best_cylinder(corners)
    axis = np.array(edit.axis) if edit.axis is not None else axis
    point = np.array(edit.point) if edit.point is not None else point
    if not np.linalg.norm(axis) > 0:
        raise CommandError(tr("axis must point somewhere; [0, 0, 0] does not"))
    _settle(layout, [flatten.round_axis(corners, axis, point)], [rows], PADDING, size)


def as_box(layout: Layout, edit: AsBox, rows: I32, size: Extent, told: Told) -> None:
    """Along whichever of the six axis directions each face faces most."""
    shapes, mine = flatten.as_box(layout.model, rows)
    _settle(layout, shapes, [rows[one] for one in mine], PADDING, size)


def _settle(
    layout: Layout, shapes: list[F64], rows: list[I32], padding: float, size: Extent,
    told: Told = lambda share: None,
) -> None:  # fmt: skip
    """Give shapes in model units a place on their tile so that texels come out square."""
    squeezed = [shape / size.proportions for shape in shapes]
    settle(layout, squeezed, rows, padding / size.shortest, size.shortest, told)
