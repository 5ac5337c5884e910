"""Compositing beside the window: newest project first, finished chunks shown as they come.

A request is an immutable project; the answer is a set of chunks. A newer request stops the older one
between two chunks, and what that left undone is done with the new one, so nothing is ever lost.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from itertools import groupby

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.coarse import Coarse
from lucky_fern.core.compositing.compositor import Dirty, MapKey, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.parallel import stand_back
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Chunk, SheetKey, all_chunks, every_chunk
from lucky_fern.render.parcels import HOME, PACKING
from lucky_fern.ui.session.mishaps import LOG

Seen = Callable[[], dict[SheetKey, AbstractSet[Chunk]]]  # finds what of every sheet is on the screen
_PATIENT = 30.0  # seconds that a thread has to end
_FIRST, _BATCH = 4, 32  # chunks before the first answer, and between two later ones, at the most
_SEEN = 0.03  # seconds in which what was answered first is drawn
_SLOW = 0.1  # seconds for the first chunks that are too long to wait for: all of it coarsely comes before them


@dataclass(frozen=True)
class Order:
    """What comes first: a map, the layer being edited, and what of every sheet is on the screen."""

    first_map: str
    focus: int | None
    seen: Seen
    by_hand: bool = False  # a slider is being moved: a few chunks and all of it coarsely are seen before the rest


class CompositingThread(QObject):
    """One worker thread for one studio's maps."""

    chunks_done = Signal(object, object)  # MapKey, set of chunks
    busy = Signal(bool)
    rested = Signal(int)  # the number of the last request, once all of it was told
    failed = Signal(str)

    def __init__(
        self,
        sources: Sources,
        store: MapStore,
        shown: Project | None = None,
        new: AbstractSet[SheetKey] = frozenset(),
        after: CompositingThread | None = None,
    ) -> None:
        """``shown`` is whose maps the store holds already, if any, all but those of the ``new`` sheets.

        ``after`` is the thread, told to stop, whose store this one goes on with once that has ended.
        """
        super().__init__()
        self._sources = sources
        self._store = store
        self._wanted: Project | None = None
        self._serial = 0
        self._stop = False
        self._bare: set[MapKey] = set()  # maps whose padding is still to be filled
        self._news = threading.Condition()
        self._order = Order("colour", None, dict)
        self.settled = threading.Event()  # all of the maps are those of ``shown``
        self.shown = shown
        self._after = after
        self._spoilt = False  # not all of the last request could be worked out: the rest is still to be done
        self._told = ""  # what was said about it
        self._coarse = Coarse(sources)
        self._pace = 0.0  # seconds that a chunk took last
        self._new = set(new)
        self._asked_for = 1
        self._resting = -1  # the request that was given up in part
        self.share = 1.0  # of the chunks that were asked for, how many are done; read on any thread
        self._thread = threading.Thread(target=self._work, name="fern-compositing", daemon=True)
        self._thread.start()

    @property
    def serial(self) -> int:
        """The number of the last request."""
        return self._serial

    def request(
        self,
        project: Project,
        first_map: str = "colour",
        focus: int | None = None,
        seen: Seen = dict,
        by_hand: bool = False,
    ) -> None:
        """Bring the maps to a project: the map named first, and of every map what is ``seen`` first
        (asked on the thread).

        ``focus`` is the layer being edited; what lies below it is kept composited.
        """
        with self._news:
            self.settled.clear()
            self._wanted = project
            self._order = Order(first_map, focus, seen, by_hand)
            self._serial += 1
            self._news.notify()

    def stop(self) -> None:
        """Have the thread end after the chunk that it is at; nobody waits."""
        with self._news:
            self._stop = True
            self._serial += 1
            self._news.notify()

    def close(self) -> None:
        """Stop and wait until the thread has ended, but not for ever."""
        self.stop()
        self.ended(_PATIENT)

    def ended(self, seconds: float) -> bool:
        """Whether the thread has ended, within so many seconds."""
        self._thread.join(seconds)
        return not self._thread.is_alive()

    def _follow_on(self) -> None:
        """Take the store over from the thread before; from one that does not end nothing is taken."""
        before, self._after = self._after, None
        if before is None:
            return
        if before.ended(_PATIENT):
            self._store.move_to(self._sources)
        else:
            self._store.renew(self._sources)
            self.shown = None
            self._new.clear()

    def _work(self) -> None:
        stand_back()
        self._follow_on()
        left: Dirty = {}
        while True:
            with self._news:
                while self._wanted is None and not self._stop:
                    if self._spoilt or not (left or self._bare):
                        self._rest()
                    self._news.wait()
                if self._stop:
                    return
                project, serial, order, self._wanted = self._wanted, self._serial, self._order, None
            assert project is not None
            self.busy.emit(True)
            self._spoilt = False
            try:
                news = self._news_for(project)
                self.shown = project
                for key, chunks in news.items():
                    left.setdefault(key, set()).update(chunks)
                left = self._there(project, left)
                self._composite(project, serial, order, left)
            except Cancelled:
                continue
            except Exception as error:  # noqa: BLE001  # a defect of ours must not end the thread: nothing would show
                self._spoil(error)
            if not self._spoilt:
                self._told = ""

    def _spoil(self, error: Exception) -> None:
        """Note that something could not be worked out, and say why, once: it is left to be done, and not exported."""
        self._spoilt = True
        told, self._told = self._told, repr(error)
        if self._told == told:
            return
        if isinstance(error, LuckyFernError):
            self.failed.emit(str(error))
        else:
            LOG.error("Working out the maps went wrong inside; what is shown may be out of date.", exc_info=error)

    def _rest(self) -> None:
        """Tell, once a request, that nothing more is done for it; settled only if all of it is there."""
        if self._resting == self._serial:
            return
        self._resting = self._serial
        if not self._spoilt:
            self.settled.set()
        self.busy.emit(False)
        self.rested.emit(self._serial)

    def _there(self, project: Project, left: Dirty) -> Dirty:
        """What is left to do of sheets and chunks that there still are: sheets may have become smaller meanwhile."""
        return {
            key: chunks & every_chunk(project.size_of(key.sheet))
            for key, chunks in left.items()
            if key.sheet in self._sources.surface.keys
        }

    def _news_for(self, project: Project) -> Dirty:
        if self.shown is None:
            return everything(self._sources, project)
        news = dirtied(self._sources, self.shown, project)
        if self._new:
            whole = everything(self._sources, project)
            news.update({key: chunks for key, chunks in whole.items() if key.sheet in self._new})
            for key in self._store.maps:  # what nothing writes to any more has to go back to how it started
                if key.sheet in self._new:
                    news[key] = set(all_chunks(project.size_of(key.sheet)))
            self._new.clear()
        return news

    def _composite(self, project: Project, serial: int, order: Order, left: Dirty) -> None:
        """Work through ``left``, taking out what is done: what is seen of all maps before the rest of any."""
        # The map that is looked at comes first; then sheet by sheet, as what one map draws serves the next, and maps
        # that share a texture side by side: the views are sent their chunks once.
        maps, homes = list(MAPS), list(PACKING)

        def turn(key: MapKey) -> tuple[bool, SheetKey, int]:
            return key.map != order.first_map, key.sheet, homes.index(HOME[key.map])

        turns = [
            sorted(keys, key=lambda key: maps.index(key.map)) for _, keys in groupby(sorted(left, key=turn), key=turn)
        ]
        on_screen = order.seen()
        self._asked_for = max(sum(map(len, left.values())), 1)
        self.share = 0.0
        most, first = _FIRST, order.by_hand and self._asked_for > 2 * _BATCH
        if first and self._pace * _FIRST > _SLOW:
            self._coarsely(project, serial, order, on_screen, turns, left)
            first = False
        for now_seen in (True, False):
            for keys in turns:
                seen = on_screen.get(keys[0].sheet, frozenset())
                asked = set[Chunk]().union(*(left.get(key, set()) for key in keys))
                waiting = sorted(chunk for chunk in asked if (chunk in seen) is now_seen)
                while waiting:
                    batch, waiting = waiting[:most], waiting[most:]
                    most = min(2 * most, _BATCH)
                    mine = {key: left[key].intersection(batch) for key in keys if key in left}
                    try:
                        self._batch(project, serial, order, mine, left)
                    except Cancelled:
                        raise
                    except Exception as error:  # noqa: BLE001  # what else is asked for is still worked out
                        self._spoil(error)
                    if first:
                        self._let_others(serial)
                        self._coarsely(project, serial, order, on_screen, turns, left)
                        first = False
                for key in keys:
                    if not left.get(key, True):
                        del left[key]
        while self._bare and self._serial == serial:
            key = next(iter(self._bare))
            self.chunks_done.emit(key, self._store.pad(project, key))
            self._bare.discard(key)

    def _coarsely(
        self,
        project: Project,
        serial: int,
        order: Order,
        on_screen: dict[SheetKey, AbstractSet[Chunk]],
        turns: list[list[MapKey]],
        left: Dirty,
    ) -> None:
        """Fill what is seen and not done yet with coarse values; it stays to be done."""
        wanted = {
            key: left[key] & on_screen.get(key.sheet, frozenset()) for keys in turns for key in keys if key in left
        }
        self._coarse.fill(
            project,
            {key: chunks for key, chunks in wanted.items() if chunks},
            self._store,
            lambda: self._serial != serial,
            self.chunks_done.emit,
            order.focus,
        )
        self._let_others(serial)

    def _let_others(self, serial: int) -> None:
        """Leave the processor to those who draw for a moment, or until there is a newer request."""
        with self._news:
            if self._serial == serial:
                self._news.wait(_SEEN)

    def _batch(self, project: Project, serial: int, order: Order, batch: Dirty, left: Dirty) -> None:
        """Composite some chunks of maps of one sheet. What lies between islands waits for everything else."""
        told: Dirty = {}

        def stopped() -> bool:
            return self._serial != serial

        begin, done = time.perf_counter(), sum(map(len, batch.values()))
        try:
            for key, chunks in batch.items():
                sheet = self._sources.surface.sheet(key.sheet, project.size_of(key.sheet))
                padded = sheet.padding_known and key not in self._bare
                told[key] = self._store.update(project, key, sorted(chunks), stopped, order.focus, padded)
                if not padded:
                    self._bare.add(key)
                left[key] -= chunks
                self.share = 1 - sum(map(len, left.values())) / self._asked_for
            self._pace = (time.perf_counter() - begin) / max(done, 1)
        finally:
            for key, finished in told.items():
                self.chunks_done.emit(key, finished)
