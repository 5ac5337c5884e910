"""A stripe in hand: each point clicked goes on with it."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.project.commands import AddLayer, SetPlace, free_name
from lucky_fern.core.project.document import Channel, Decal
from lucky_fern.core.project.places import Along, Point
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_NARROW = 0.02  # of the model's size: a new stripe's width


class StripeTool(QObject):
    """A stripe being drawn: each point clicked goes on with it."""

    changed = Signal()

    def __init__(self, work: Work, selection: Selection, habits: Habits) -> None:
        super().__init__()
        self.work, self.selection, self.habits = work, selection, habits
        self.armed = False
        self.first: tuple[Point, Point] | None = None  # the point clicked before there is a stripe
        self._drawn: int | None = None
        work.studio_changed.connect(lambda: self.arm(False))

    def arm(self, on: bool) -> None:
        """Begin, or end, drawing a stripe."""
        if on == self.armed:
            return
        self.armed, self.first, self._drawn = on, None, None
        if on:
            self.work.said.emit(
                tr("Click points on the model or on a sheet; click the first one again to close the stripe, "
"press Enter or double-click to end it."), False,
            )  # fmt: skip
        else:
            self.work.end_gesture()
        self.changed.emit()

    def add(self, point: Point, normal: Point) -> None:
        """Go on to a point."""
        studio = self.work.studio
        if studio is None:
            return
        stripe = self.selection.stripe
        if self._drawn is not None and stripe is not None and stripe[0].id == self._drawn:
            place = stripe[1]
            grown = replace(place, points=(*place.points, point), normals=(*place.normals, normal))
            self.work.execute(SetPlace(stripe[0].id, grown), merge=True)
        elif self.first is None:
            self.first = point, normal
        elif self.first[0] != point:
            picture = studio.keep_figure(Figure("rectangle", colour=self.habits.figure_style.colour))
            place = Along((self.first[0], point), (self.first[1], normal), studio.model.diagonal * _NARROW)
            name = free_name(studio.project, "Stripe")
            if self.work.execute(AddLayer(name, Decal(picture, place), {"colour": Channel("picture")})):
                self._drawn = self.selection.selected
        self.changed.emit()

    def close(self) -> None:
        """Bring the stripe back to its first point, and end it."""
        stripe = self.selection.stripe
        if stripe is not None and stripe[0].id == self._drawn and len(stripe[1].points) > 2:
            self.work.execute(SetPlace(stripe[0].id, replace(stripe[1], closed=True)), merge=True)
        self.arm(False)
