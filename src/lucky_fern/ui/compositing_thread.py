"""Compositing beside the window: newest project first, finished chunks shown as they come.

A request is an immutable project; the answer is a set of chunks. A newer request stops the older one
between two chunks, and what that left undone is done with the new one, so nothing is ever lost.
"""

from __future__ import annotations

import threading

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import Dirty, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Project

_BATCH = 32  # chunks between two answers


class CompositingThread(QObject):
    """One worker thread for one studio's maps."""

    chunks_done = Signal(object, object)  # MapKey, set of chunks
    busy = Signal(bool)
    failed = Signal(str)

    def __init__(self, sources: Sources, store: MapStore) -> None:
        super().__init__()
        self._sources = sources
        self._store = store
        self._wanted: Project | None = None
        self._serial = 0
        self._stop = False
        self._news = threading.Condition()
        self._first_map = "colour"
        self.settled = threading.Event()
        self._thread = threading.Thread(target=self._work, name="fern-compositing", daemon=True)
        self._thread.start()

    def request(self, project: Project, first_map: str = "colour") -> None:
        """Bring the maps to a project; the map named is done first."""
        with self._news:
            self.settled.clear()
            self._wanted, self._first_map = project, first_map
            self._serial += 1
            self._news.notify()

    def close(self) -> None:
        """Stop and wait until the thread has ended."""
        with self._news:
            self._stop = True
            self._serial += 1
            self._news.notify()
        self._thread.join(30)

    def _work(self) -> None:
        shown: Project | None = None
        left: Dirty = {}
        while True:
            with self._news:
                while self._wanted is None and not self._stop:
                    if not left:
                        self.settled.set()
                    self._news.wait()
                if self._stop:
                    return
                project, serial, self._wanted = self._wanted, self._serial, None
            assert project is not None
            self.busy.emit(True)
            try:
                news = everything(self._sources, project) if shown is None else dirtied(self._sources, shown, project)
                shown = project
                for key, chunks in news.items():
                    left.setdefault(key, set()).update(chunks)
                left = {key: chunks for key, chunks in left.items() if key.sheet in self._sources.surface.keys}
                self._composite(project, serial, left)
            except Cancelled:
                pass
            except LuckyFernError as error:
                left.clear()
                self.failed.emit(str(error))
            if not left:
                self.busy.emit(False)

    def _composite(self, project: Project, serial: int, left: Dirty) -> None:
        """Work through ``left``, taking out what is done."""
        order = [self._first_map, *MAPS]
        for key in sorted(left, key=lambda key: (order.index(key.map), key.sheet)):
            waiting = sorted(left[key])
            while waiting:
                batch, waiting = waiting[:_BATCH], waiting[_BATCH:]
                done = self._store.update(project, key, batch, lambda: self._serial != serial)
                self.chunks_done.emit(key, done)
                left[key] = set(waiting)
            del left[key]
