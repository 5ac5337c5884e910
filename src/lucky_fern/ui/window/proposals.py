"""What the program noticed and proposes to do about it: a sentence in the notice line, remedies beside it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QTimer

from lucky_fern.core.preparing.rims import Rim
from lucky_fern.core.project.preparations import MendRim
from lucky_fern.ui.window.files import open_elsewhere
from lucky_fern.ui.window.notice_line import NoticeLine
from lucky_fern.ui.window.parts import Parts
from lucky_fern.ui.window.remembered import Remembered
from lucky_fern.words import tr

_STAYS = 60_000  # milliseconds


class Proposals:
    """Listens to the session; ``timer`` takes what stands in the notice line away."""

    def __init__(self, parts: Parts, notice: NoticeLine, timer: QTimer, remembered: Remembered) -> None:
        self._parts, self._notice, self._timer, self._remembered = parts, notice, timer, remembered
        parts.bringing.rim_found.connect(self._tell_rim)
        parts.changing.asked.connect(self._ask_reread)
        parts.changing.wish_changed.connect(self._note_wish)
        parts.changing.ready.connect(open_elsewhere)
        parts.lending.lent.connect(open_elsewhere)

    def _tell_rim(self, picture: str, rim: Rim) -> None:
        """A picture that came in has a rim."""
        self._notice.propose(
            tr("{name} has a rim of {colour} along {share:.0%} of its alpha's border; it would show in the game.",
               name=picture, colour=rim.colour, share=rim.share),
            (tr("Mend it"), partial(self._parts.preparing.open, picture, MendRim())),
        )  # fmt: skip
        self._timer.start(_STAYS)

    def _ask_reread(self, names: list[str]) -> None:
        """Files of pictures changed: read again, and from now on by itself?"""
        shown = ", ".join(names[:3]) + (tr(" and {count} more", count=len(names) - 3) if len(names) > 3 else "")
        answer = self._parts.changing.answer
        self._notice.propose(
            tr("Changed on disk: {names}. Read such pictures again by themselves, now and from now on?", names=shown),
            (tr("Read again"), partial(answer, "yes")), (tr("Leave them"), partial(answer, "no")),
        )  # fmt: skip
        self._timer.start(_STAYS)

    def _note_wish(self) -> None:
        self._remembered.reread = self._parts.changing.wish
