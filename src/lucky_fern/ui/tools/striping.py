"""A path in hand, by points or by a stroke: it becomes a stripe, or an edging's."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.edging import along_path
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.placing.path import thinned
from lucky_fern.core.project.commands import AddLayer, Command, free_name
from lucky_fern.core.project.document import Channel, Decal
from lucky_fern.core.project.places import Along, Point
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_NARROW = 0.02  # of the model's size: a new stripe's width
_THIN = 0.004  # of the model's size: how far a stroke may lie from what is kept of it


class StripeTool(QObject):
    """A path being drawn, for a new stripe or for the edging that is selected."""

    changed = Signal()

    def __init__(self, work: Work, selection: Selection, habits: Habits) -> None:
        super().__init__()
        self.work, self.selection, self.habits = work, selection, habits
        self.armed = False
        self.edging: int | None = None  # the layer whose paths are drawn; None for stripes
        self.first: tuple[Point, Point] | None = None  # the point clicked before there is a path
        self._drawn: int | None = None  # the layer whose last path goes on
        work.studio_changed.connect(lambda: self.arm(False))
        selection.changed.connect(self._follow)

    def arm(self, on: bool, edging: int | None = None) -> None:
        """Begin, or end, drawing; for a new stripe, or for an edging (by id)."""
        if on == self.armed and (not on or edging == self.edging):
            return
        self.armed, self.edging, self.first, self._drawn = on, edging if on else None, None, None
        if on:
            self.work.said.emit(
                tr("Click points on the model or on a sheet, or draw a stroke. A click on the first one closes it, "
"Enter or a double-click ends it."), False,
            )  # fmt: skip
        else:
            self.work.end_gesture()
        self.changed.emit()

    def _follow(self) -> None:
        if self.edging is not None and self.selection.selected != self.edging:
            self.arm(False)

    @property
    def going(self) -> tuple[int, Along] | None:
        """The layer and the path that the next point goes on with."""
        path = self.selection.path
        return None if path is None or path[0].id != self._drawn else (path[0].id, path[1])

    def add(self, point: Point, normal: Point) -> None:
        """Go on to a point."""
        studio, path = self.work.studio, self.selection.path
        if studio is None:
            return
        if path is not None and path[0].id == self._drawn:
            grown = replace(path[1], points=(*path[1].points, point), normals=(*path[1].normals, normal))
            self.work.execute(self.selection.path_edit(path[0], grown), merge=True)
        elif self.first is None:
            self.first = point, normal
        elif self.first[0] != point:
            self._begin((self.first[0], point), (self.first[1], normal), smooth=False)
        self.changed.emit()

    def draw(self, points: Sequence[Point], normals: Sequence[Point]) -> None:
        """A whole path at once, from a stroke; the next one is another."""
        studio = self.work.studio
        if studio is None or len(points) < 2:
            return
        kept = thinned(np.array(points), _THIN * studio.model.diagonal)
        self.work.end_gesture()
        self._begin(tuple(points[at] for at in kept), tuple(normals[at] for at in kept), smooth=len(kept) > 2)
        self.work.end_gesture()
        self.first, self._drawn = None, None
        self.changed.emit()

    def _begin(self, points: tuple[Point, ...], normals: tuple[Point, ...], smooth: bool) -> None:
        """A path with its first points."""
        studio = self.work.studio
        assert studio is not None
        path = Along(points, normals, studio.model.diagonal * _NARROW, smooth=smooth)
        command: Command
        if self.edging is None:
            picture = studio.keep_figure(Figure("rectangle", colour=self.habits.figure_style.colour))
            name = free_name(studio.project, "Stripe")
            command = AddLayer(name, Decal(picture, path), {"colour": Channel("picture")})
        else:
            layer = studio.project.layer(self.edging)
            assert layer.content.repeats
            command = along_path(layer, path)
        if self.work.execute(command):
            self._drawn, self.first = self.selection.selected, None

    def close(self) -> None:
        """Bring the path back to its first point, and end it."""
        path = self.selection.path
        if path is not None and path[0].id == self._drawn and len(path[1].points) > 2:
            self.work.execute(self.selection.path_edit(path[0], replace(path[1], closed=True)), merge=True)
        self.arm(False)
