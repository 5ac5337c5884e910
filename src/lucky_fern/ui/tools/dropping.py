"""A label or a figure in hand: it lands where the next click is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.colour import standing_out
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.reading import texel_at
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

Thing = Literal["label", "figure"]
_TELLS = 2.0  # the least contrast with what is below, of 1 … 21


class Dropping(QObject):
    """What is in hand, if anything."""

    changed = Signal()
    dropped = Signal(str)  # a thing of this kind has landed

    def __init__(self, work: Work, looking: Looking, maps: Maps, habits: Habits) -> None:
        super().__init__()
        self.work, self.maps, self.habits = work, maps, habits
        self.thing: Thing | None = None
        work.studio_changed.connect(lambda: self.take(None))
        looking.station_changed.connect(lambda station: self.take(None))

    def take(self, thing: Thing | None) -> None:
        """Take a thing in hand, or put it away."""
        if thing == self.thing:
            return
        self.thing = thing
        if thing is not None:
            self.work.said.emit(
                tr("Click where the {thing} is to be, on the model or on a sheet. Enter puts it in the middle "
"of the model view, Esc puts it away.", thing=thing), False,
            )  # fmt: skip
        self.changed.emit()

    def picture(self, hit: SurfaceHit) -> str | None:
        """The kit picture of what is in hand, made for where it is to land, in a colour that shows there."""
        studio = self.work.studio
        if studio is None or self.thing is None:
            return None
        if self.thing == "figure":
            return studio.keep_figure(self.habits.figure_style)
        style = self.habits.label_style
        return studio.keep_label(replace(style, text="Text", colour=self._showing(style.colour, hit)))

    def landing(self) -> Callable[[], object]:
        """What is to be called once it lies where it was put."""
        thing = self.thing
        return lambda: None if thing is None else self.dropped.emit(thing)

    def _showing(self, colour: str, hit: SurfaceHit) -> str:
        """The colour, or black or white where it would not stand out."""
        studio, levels = self.work.studio, self.maps.levels
        key = None if studio is None else sheet_of(studio.surface, hit)
        if studio is None or levels is None or key is None:
            return colour
        size = studio.project.size_of(key)
        row, column = texel_at(*local_uv(hit, key), size)
        ground, level = levels.finest(MapKey(key, "colour"), size, row, column)
        if ground is None:
            return colour
        top = float(2 ** (8 * ground.itemsize) - 1)
        below = tuple(float(value) / top for value in ground[row >> level, column >> level])
        return standing_out(colour, (below[0], below[1], below[2]), _TELLS)
