"""The first start on a computer: what computes is compiled then, and the person is told what they wait for."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compiled import tell_compiling
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr


class FirstStart(QObject):
    """Passes on, to the window's thread, that loops are being compiled."""

    _begun = Signal(int)  # from whatever thread needs one

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._begun.connect(self._tell)
        self.end = tell_compiling(self._begun.emit)

    def _tell(self, count: int) -> None:
        self._work.say(
            tr("Getting ready, once on this computer, in about a minute: {count} loops compiled …", count=count)
        )
