"""What is looked at: the station, a map alone, the point under the pointer, from where."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.ui.session.work import Work

Against = Literal["wipe", "beside", "difference"]


class Looking(QObject):
    """Choices of the views that both of them, and the panels beside them, follow."""

    changed = Signal()  # which map is looked at, or how
    marker_changed = Signal()
    station_changed = Signal(str)
    eye_changed = Signal()
    guides_changed = Signal()
    look_asked = Signal(object)  # a throw that the model view is to see straight

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.station = "artwork"
        self.shown_map: str | None = None
        self.against: str | None = None  # another map that is looked at too
        self.how: Against = "wipe"
        self.false_colours = False  # maps of one number in colours that the eye tells apart
        self.guides = True  # whether guides are shown, and hold what is dragged
        self.marker: SurfaceHit | None = None
        self.marker_source: object = None
        self.last_hit: SurfaceHit | None = None
        self.eye: Eye | None = None  # of who looks at the model
        work.studio_changed.connect(self._start_anew)
        work.layout_changed.connect(self._forget_points)

    def go_to(self, station: str) -> None:
        if station != self.station:
            self.station = station
            self.station_changed.emit(station)

    def show_map(self, name: str | None) -> None:
        """Look at one map alone in both views, or at everything again."""
        self.shown_map = None if name == self.shown_map else name
        self.changed.emit()

    def compare(self, name: str | None, how: Against = "wipe") -> None:
        """Look at another map left of a line, in the sheet view alone, or at what is shown as it differs from it."""
        self.against, self.how = name, how
        self.changed.emit()

    def show_false_colours(self, on: bool) -> None:
        self.false_colours = on
        self.changed.emit()

    @property
    def differing(self) -> str | None:
        """The map whose difference from the one that is shown is looked at."""
        return self.against if self.how == "difference" else None

    @property
    def left_map(self) -> str | None:
        """The map that is looked at left of the line."""
        return self.against if self.how == "wipe" else None

    def show_guides(self, on: bool) -> None:
        """Show the guides of sheets and have them hold what is dragged, or neither."""
        self.guides = on
        self.guides_changed.emit()

    def mark(self, hit: SurfaceHit | None, source: object) -> None:
        """The pointer is over a point of the surface in one view; the other shows it."""
        self.marker, self.marker_source = hit, source
        self.last_hit = hit or self.last_hit
        self.marker_changed.emit()

    def look_from(self, eye: Eye) -> None:
        """The model view looks from here now."""
        self.eye = eye
        self.eye_changed.emit()

    def look_along(self, place: Throw) -> None:
        """Have the model view look from where a throw comes."""
        self.look_asked.emit(place)

    def _start_anew(self) -> None:
        self.shown_map = self.against = None
        self._forget_points()

    def _forget_points(self) -> None:
        self.marker = self.last_hit = None
