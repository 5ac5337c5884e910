"""A rectangle to be drawn on a sheet, into which the selected islands go in one step."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr


class Fitting(QObject):
    """Armed for one drag; ``keep`` keeps the islands' proportions."""

    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.work = work
        self.armed = False
        self.keep = False

    def arm(self, on: bool, keep: bool = False) -> None:
        """Wait for a rectangle, or not any more."""
        self.armed, self.keep = on, keep
        if on:
            self.work.say(tr("Draw a rectangle on the sheet; the selected islands will fill it."))
        self.changed.emit()
