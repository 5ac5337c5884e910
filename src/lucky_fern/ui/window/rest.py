"""Whether the window has come to rest: nothing is worked out any more, and all of it is drawn."""

from __future__ import annotations

from PySide6.QtCore import QEventLoop, QObject, QTimer, Signal

from lucky_fern.ui.layers.settings import SettingsPanel
from lucky_fern.ui.views.drawing_thread import DrawingThread
from lucky_fern.ui.views.view import View
from lucky_fern.ui.window.parts import Parts


class Rest(QObject):
    """``rested`` is emitted whenever the last of it is done; for pictures, scripts and tests."""

    rested = Signal()

    def __init__(self, parts: Parts, views: tuple[View, ...], thread: DrawingThread, settings: SettingsPanel) -> None:
        super().__init__(settings)  # it ends with the window: answers may still come after that
        self._parts, self._views, self._thread, self._settings = parts, views, thread, settings
        # Asked once the events that are on their way have been dealt with: they may ask for more.
        self._look = QTimer(self, singleShot=True, interval=0)
        self._look.timeout.connect(self._tell)
        for signal in (
            parts.maps.changed,
            parts.maps.rested,
            parts.maps.looked,
            parts.maps.arrived,
            thread.idle,
            settings.shown,
            parts.errands.changed,
            parts.saves.changed,
            parts.answers.changed,
            parts.layout_watch.changed,
            parts.preparing.shown,
            parts.preparing.settled,
            parts.lending.looked,
            parts.changing.looked,
            parts.my_kit.changed,
        ):
            signal.connect(self._look.start)
        for view in views:
            view.frame_drawn.connect(self._look.start)

    @property
    def under_way(self) -> list[str]:
        """What is still to be done, in words."""
        parts, packing = self._parts, self._parts.maps.packing
        drawing = any(view.isVisible() for view in self._views) and not self._thread.drawing.failed
        to_upload = packing is not None and packing.waiting and drawing
        found = {
            "an errand": parts.errands.busy, "a save": parts.saves.busy, "an answer": parts.answers.busy,
            "the layout check": parts.layout_watch.busy,
            "a picture being prepared": parts.preparing.busy, "a loan that was saved": parts.lending.busy,
            "a picture's file that was saved": parts.changing.busy, "my kit's folder": parts.my_kit.busy,
            "a page": self._settings.being_made,
            "compositing": not parts.maps.settled, "chunks to upload": to_upload,
        }  # fmt: skip
        waiting = [view.accessibleName() for view in self._views if view.due]
        return [what for what, on in found.items() if on] + waiting

    @property
    def resting(self) -> bool:
        """Whether nothing is under way now."""
        return not self.under_way

    def _tell(self) -> None:
        if self.resting:
            self.rested.emit()

    def wait(self, seconds: float) -> bool:
        """Let events be dealt with until the window rests; whether it did within so many seconds."""
        loop = QEventLoop()
        self.rested.connect(loop.quit)
        end = QTimer(singleShot=True, interval=int(seconds * 1000))
        end.timeout.connect(loop.quit)
        end.start()
        while end.isActive():
            self._look.start()
            loop.exec()
            if self.resting:  # still: what came with the last event may have asked for more
                break
        self.rested.disconnect(loop.quit)
        return self.resting
