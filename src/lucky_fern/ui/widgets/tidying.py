"""Garbage is looked for on the window's thread alone, a little at a time."""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

_EVERY = 400  # milliseconds
_SETTLED = 2500  # milliseconds after the start, when everything is there
_YOUNG, _OLDER = 2000, 12  # allocations, and looks at them, before it is time for the next look


class Tidying(QObject):
    """In place of Python's own looking, which may happen on any thread: what Qt made must not end on another one.

    What was there at the start, and what outlived a look at everything, is not looked at again until
    :meth:`look_everywhere`.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        QTimer.singleShot(_SETTLED, self, gc.freeze)
        self._timer = QTimer(self, interval=_EVERY)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def _look(self) -> None:
        young, middle, old = gc.get_count()
        if old > _OLDER:
            gc.collect()
            gc.freeze()
        elif middle > _OLDER:
            gc.collect(1)
        elif young > _YOUNG:
            gc.collect(0)

    def look_everywhere(self) -> None:
        """Something large was let go: look at everything. It takes some tenths of a second."""
        gc.unfreeze()
        gc.collect()
        gc.freeze()
