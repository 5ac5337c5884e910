"""Islands that are there, moved."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout import arrange, pack
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.layout.row import Asked, Laying
from lucky_fern.core.layout.twins import stack_twins
from lucky_fern.core.project import layouts as ask
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr


class Moved(Laying):
    """``move`` moves islands in a layout; it is refused where there are none, unless it means all of a tile."""

    def __init__(self, move: Callable[[Layout, Any, Asked], None], of_tiles: bool = False) -> None:
        self._move, self._of_tiles = move, of_tiles

    def lay(self, layout: Layout, edit: Any, asked: Asked) -> None:
        if not self._of_tiles:
            arrange.check_any(layout.numbers)
        self._move(layout, edit, asked)


def _size(layout: Layout, asked: Asked) -> Extent:
    """Of the sheet that the islands lie on."""
    rows = layout.whole(layout.numbers)
    return asked.size_at(layout.model.materials[layout.model.material[rows][0]], layout.tile(rows))


def transform(layout: Layout, edit: ask.Transform, asked: Asked) -> None:
    arrange.transform(layout, edit, _size(layout, asked))


def fit_rectangle(layout: Layout, edit: ask.FitRectangle, asked: Asked) -> None:
    arrange.fit_rectangle(layout, edit)


def align(layout: Layout, edit: ask.Align, asked: Asked) -> None:
    arrange.align(layout, edit)


def distribute(layout: Layout, edit: ask.Distribute, asked: Asked) -> None:
    arrange.distribute(layout, edit)


def proportions(layout: Layout, edit: ask.Proportions, asked: Asked) -> None:
    arrange.proportions(layout, _size(layout, asked))


def even_density(layout: Layout, edit: ask.EvenDensity, asked: Asked) -> None:
    arrange.even_density(layout, edit, _size(layout, asked))


def send_to(layout: Layout, edit: ask.SendTo, asked: Asked) -> None:
    arrange.send_to(layout, edit.tile)


def inside(layout: Layout, edit: ask.Inside, asked: Asked) -> None:
    arrange.inside(layout)


def flip_v(layout: Layout, edit: ask.FlipV, asked: Asked) -> None:
    arrange.flip_v(layout)


def snap(layout: Layout, edit: ask.Snap, asked: Asked) -> None:
    arrange.snap(layout, edit, _size(layout, asked))


def unstack(layout: Layout, edit: ask.Unstack, asked: Asked) -> None:
    pack.unstack(layout, edit, asked.size_at, asked.told)


def twins_stacked(layout: Layout, edit: ask.StackTwins, asked: Asked) -> None:
    if not stack_twins(layout):
        raise CommandError(tr("no two of the selected islands have the same shape"))


def packed(layout: Layout, edit: ask.Pack, asked: Asked) -> None:
    pack.pack(layout, edit, asked.size_at, asked.told)
