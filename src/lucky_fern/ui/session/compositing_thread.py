"""Compositing beside the window: newest project first, what is seen first, finished chunks shown as they come.

A request is an immutable project; the answer is a set of chunks of a level. A newer request stops the older one
between two chunks, and what that left undone is done with the new one, so nothing is ever lost.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Iterator
from collections.abc import Set as AbstractSet
from contextlib import suppress
from dataclasses import dataclass
from itertools import groupby

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.compositor import Dirty, MapKey
from lucky_fern.core.compositing.levels import (
    Level,
    Levels,
    Needs,
    bytes_of_maps,
    finer_chunks,
    wanted_by_level,
    written_to,
)
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import ON_TOP, keep_below
from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.core.maps import LOOK, MAPS
from lucky_fern.core.parallel import for_each, stand_back
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.needs import UNSEEN
from lucky_fern.render.parcels import HOME, PACKING
from lucky_fern.ui.session.mishaps import LOG

Seen = Callable[[], Needs]  # finds what of every sheet is on the screen, and how finely
_PATIENT = 30.0  # seconds that a thread has to end
_FIRST, _BATCH = 4, 32  # chunks before the first answer, and between two later ones, at the most
_FEW = 2  # chunks of a piece that keeps one core busy alone
_SEEN = 0.03  # seconds in which what was answered first is drawn
_QUICK = 0.1  # seconds for all that is seen at its own size; what takes longer is seen on coarser levels before
_AHEAD = 1536 << 20  # bytes of maps at their own size, at the most, that are worked out though nobody looks at them


@dataclass(frozen=True)
class Order:
    """What comes first: a map, the layer being edited, and what of every sheet is on the screen."""

    first_map: str = LOOK
    focus: int | None = None
    seen: Seen = dict


@dataclass(frozen=True)
class _Round:
    """One go at a request; it ends when there is a newer one, or when something else is looked at."""

    project: Project
    serial: int
    order: Order
    needs: Needs


class _Elsewhere(Exception):
    """Something else is looked at: what is to be done first is another."""


class CompositingThread(QObject):
    """One worker thread for one studio's maps."""

    chunks_done = Signal(object, object, int)  # MapKey, set of chunks, their level
    reshown = Signal(object)  # sheets that are shown on another level from now on: all that is there is to be sent
    busy = Signal(bool)
    seen_done = Signal()  # what is looked at is all there, as finely as it is seen
    rested = Signal(int)  # the number of the last request, once all of it was told
    looked = Signal()  # nothing more is to be done for what is looked at now
    failed = Signal(str)

    def __init__(
        self,
        levels: Levels,
        sources: Sources | None = None,
        new: AbstractSet[SheetKey] = frozenset(),
        after: CompositingThread | None = None,
    ) -> None:
        """``after`` is the thread, told to stop, whose maps this one goes on with, over other ``sources``, once that
        has ended; the ``new`` sheets lie otherwise there.
        """
        super().__init__()
        self._levels = levels
        self._sources = levels.sources if sources is None else sources
        self._new = new
        self._wanted: Project | None = None
        self._serial = 0
        self._stop = False
        self._news = threading.Condition()
        self._order = Order()
        self._elsewhere = False
        self._last: tuple[Project, int, Order] | None = None  # what was worked at last
        self.settled = threading.Event()  # all of the maps are there, at their own size
        self.at_work = False
        self.shown: Project | None = None
        self.seen_is_done = True
        self._after = after
        self._spoilt = False  # not all of the last request could be worked out: the rest is still to be done
        self._told = ""  # what was said about it
        self._pace = 0.01  # seconds that a chunk at its own size took last
        self._asked_for, self._did = 1, 0
        self._resting = -1  # the request that was given up in part
        self._unready: _Round | None = None  # whose views are still to be made ready for the next edit
        self._thread = threading.Thread(target=self._work, name="fern-compositing", daemon=True)
        self._thread.start()

    @property
    def serial(self) -> int:
        """The number of the last request."""
        return self._serial

    @property
    def share(self) -> float:
        """Of what is looked at, how much is there; read on any thread."""
        return 1.0 if self.seen_is_done else min(self._did / self._asked_for, 1.0)

    def request(self, project: Project, order: Order | None = None) -> None:
        """Bring the maps to a project: what is seen first, of all maps, the one that is named before the others.

        What is seen is asked on the thread. With a layer being edited, what lies below it is kept composited.
        """
        with self._news:
            self.settled.clear()
            self.seen_is_done = False
            self._wanted = project
            self._order = Order() if order is None else order
            self._serial += 1
            self._news.notify()

    def look(self, order: Order) -> None:
        """Something else is looked at, or how finely it is: that comes first from now on."""
        with self._news:
            if self._last is not None or self._wanted is not None:
                self._order = order
                self._elsewhere = True
                self._news.notify()

    @property
    def resting(self) -> bool:
        """Whether it waits for something to do."""
        with self._news:
            return not (self.at_work or self._elsewhere or self._wanted is not None)

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
        """Take the maps over from the thread before; from one that does not end nothing is taken."""
        before, self._after = self._after, None
        if before is None:
            return
        if before.ended(_PATIENT):
            self._levels.move_to(self._sources, self._new)
        else:
            self._levels.renew(self._sources)

    # --- the thread ---------------------------------------------------------------------------------------------

    def _work(self) -> None:
        stand_back()
        self._follow_on()
        while True:
            with self._news:
                self.at_work = False
                while self._wanted is None and not self._stop and not (self._elsewhere and self._last is not None):
                    self._rest()
                    if self._unready is None:
                        self._news.wait()
                        continue
                    self._news.release()
                    try:
                        self._make_ready(self._unready)
                    finally:
                        self._news.acquire()
                if self._stop:
                    return
                if self._wanted is not None:
                    self._last = self._wanted, self._serial, self._order
                    self.busy.emit(True)
                    self._spoilt = False
                assert self._last is not None
                (project, serial, _), order = self._last, self._order
                self._wanted, self._elsewhere, self.at_work = None, False, True
            now = _Round(project, serial, order, order.seen())
            try:
                self._composite(now)
                self._unready = now
            except (Cancelled, _Elsewhere):
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
            self.looked.emit()
            return
        self._resting = self._serial
        zero = self._levels.level(0)
        whole = zero.follows(self.shown) and not any(zero.left.values()) and not zero.bare
        if whole and not self._spoilt:
            self.settled.set()
        self.seen_is_done = True
        self.busy.emit(False)
        self.rested.emit(self._serial)

    def _make_ready(self, now: _Round) -> None:
        """Have what lies below the layer in hand there on the coarsest level of all that is looked at, while nothing
        else is to be done: what is edited next is seen at once.
        """
        self._unready = None

        def called() -> bool:
            return self._stop or self._elsewhere or self._wanted is not None

        asked = wanted_by_level(now.project, now.needs)
        if not asked:
            return
        number, wanted = asked[0]
        level, surface = self._levels.level(number), self._sources.surface
        level.follow(now.project)
        small = level.project
        assert small is not None
        focus = ON_TOP if now.order.focus is None else now.order.focus
        todo = [
            (name, surface.sheet(key, small.size_of(key)), chunk)
            for key, chunks in wanted.items() for name in written_to(small, key) for chunk in sorted(chunks)
        ]  # fmt: skip
        with suppress(Cancelled):
            for_each(lambda one: keep_below(self._sources, small, *one, focus), todo, called)

    # --- one go at a request ------------------------------------------------------------------------------------

    def _composite(self, now: _Round) -> None:
        zero = self._levels.level(0)
        self._levels.project = self.shown = now.project
        if zero.begun:
            zero.follow(now.project)
        reshown = self._levels.show(now.project, now.needs)
        if reshown:
            self.reshown.emit(reshown)
        quick = zero.begun and self._is_quick(zero, now.needs)
        if not quick:
            self._by_levels(zero, now)
        self._at_own_size(zero, now, quick)

    def _is_quick(self, zero: Level, needs: Needs) -> bool:
        """Whether all that is seen and not there is there in no time at its own size."""
        count = sum(
            sum(needs[key.sheet][chunk] != UNSEEN for chunk in chunks)
            for key, chunks in zero.left.items() if key.sheet in needs
        )  # fmt: skip
        return count <= _FIRST or count * self._pace <= _QUICK

    def _by_levels(self, zero: Level, now: _Round) -> None:
        """All that is seen on coarse levels, then on finer ones where it is seen more finely."""
        for number, wanted in wanted_by_level(now.project, now.needs):
            level = self._levels.level(number)
            missing = {key: self._missing(zero, key, number, chunks) for key, chunks in wanted.items()}
            if not any(missing.values()):
                continue
            level.follow(now.project)
            left = {
                key: chunks & missing[key.sheet] for key, chunks in level.left.items() if key.sheet in missing
            }  # fmt: skip
            self._begin_share(left)
            self._work_through(level, now, {key: chunks for key, chunks in left.items() if chunks})
            self._let_others(now)

    def _missing(self, zero: Level, sheet: SheetKey, number: int, chunks: set[Chunk]) -> set[Chunk]:
        """Those chunks of a level that are not all there at their own size."""
        if not zero.begun:
            return chunks
        assert zero.project is not None
        size = zero.project.size_of(sheet)
        left = set[Chunk]().union(*(some for key, some in zero.left.items() if key.sheet == sheet))
        return {chunk for chunk in chunks if not left.isdisjoint(finer_chunks(chunk, number, size))}

    def _at_own_size(self, zero: Level, now: _Round, quick: bool) -> None:
        """What is seen texel by texel, or all that is seen if that is ``quick``; then the rest, if there is room."""
        levels = self._levels
        room = bytes_of_maps(now.project, self._sources.surface.keys) <= min(levels.room, _AHEAD)
        if not room and not zero.begun and not any((need == 0).any() for need in now.needs.values()):
            self._tell_seen(now)
            return
        zero.follow(now.project, exact=room)
        levels.make_room(now.needs)
        near, seen, far = Dirty(), Dirty(), Dirty()
        for key, chunks in zero.left.items():
            need = now.needs.get(key.sheet)
            for chunk in chunks:
                level = UNSEEN if need is None else int(need[chunk])
                (near if level == 0 else far if level == UNSEEN else seen).setdefault(key, set()).add(chunk)
        self._begin_share(near)
        self._work_through(zero, now, near)
        if quick:
            self._work_through(zero, now, seen)
        self._tell_seen(now)
        levels.make_room(now.needs)
        if not room:
            return
        for some in (seen, far):
            self._work_through(zero, now, some)
        self._fill_between(zero, now)

    def _tell_seen(self, now: _Round) -> None:
        with self._news:
            if self._serial != now.serial:
                raise Cancelled
            self.seen_is_done = True
        self.seen_done.emit()

    def _turns(self, keys: Iterable[MapKey], first: str) -> list[list[MapKey]]:
        """The map that is looked at comes first; then sheet by sheet, as what one map draws serves the next, and maps
        that share a texture side by side: the views are sent their chunks once.
        """
        maps, homes = list(MAPS), list(PACKING)

        def turn(key: MapKey) -> tuple[bool, SheetKey, int]:
            return key.map != first, key.sheet, homes.index(HOME[key.map])

        return [
            sorted(some, key=lambda key: maps.index(key.map)) for _, some in groupby(sorted(keys, key=turn), key=turn)
        ]

    def _work_through(self, level: Level, now: _Round, todo: Dirty) -> None:
        """Composite chunks of a level, map by map in batches, taking out of it what is done."""

        def careful(piece: Dirty) -> None:
            try:
                self._piece(level, now, piece)
            except Cancelled:
                raise
            except Exception as error:  # noqa: BLE001  # what else is asked for is still worked out
                self._spoil(error)

        for batch in self._batches(level, todo, now.order.first_map):
            for_each(careful, batch)
            if self._elsewhere:
                raise _Elsewhere
        for key in todo:
            if not level.left.get(key, True):
                del level.left[key]

    def _batches(self, level: Level, todo: Dirty, first: str) -> Iterator[list[Dirty]]:
        """What is done between two looks at what else is wanted; each piece of it is of one sheet.

        Pieces of a chunk or two, as the coarsest levels have them, are done side by side: by itself each would keep
        one core busy.
        """
        most, batch, count = _FIRST, list[Dirty](), 0
        for keys in self._turns(todo, first):
            if batch and keys[0].map != first and first in {key.map for key in batch[0]}:
                yield batch  # the map that is looked at is there before others
                batch, count = [], 0
            waiting = sorted(set[Chunk]().union(*(todo[key] & level.left.get(key, set()) for key in keys)))
            while waiting:
                some, waiting = waiting[:most], waiting[most:]
                mine = {key: (todo[key] & level.left.get(key, set())).intersection(some) for key in keys}
                piece = {key: chunks for key, chunks in mine.items() if chunks}
                if batch and (len(some) > _FEW or count + len(some) > most):
                    yield batch
                    most, batch, count = min(2 * most, _BATCH), [], 0
                batch.append(piece)
                count += len(some)
                if len(some) > _FEW:
                    yield batch
                    most, batch, count = min(2 * most, _BATCH), [], 0
        if batch:
            yield batch

    def _piece(self, level: Level, now: _Round, piece: Dirty) -> None:
        """Composite some chunks of maps of one sheet. What lies between islands waits for everything else."""
        told: Dirty = {}

        def stopped() -> bool:
            return self._serial != now.serial

        assert level.project is not None
        begin, done = time.perf_counter(), sum(map(len, piece.values()))
        try:
            for key, chunks in piece.items():
                sheet = self._sources.surface.sheet(key.sheet, level.project.size_of(key.sheet))
                padded = bool(level.number) or (sheet.padding_known and key not in level.bare)
                focus = ON_TOP if level.number and now.order.focus is None else now.order.focus
                told[key] = level.store.update(level.project, key, sorted(chunks), stopped, focus, padded)
                if not padded:
                    level.bare.add(key)
                level.left[key] -= chunks
                self._did += len(chunks)
            if not level.number:
                self._pace = (time.perf_counter() - begin) / max(done, 1)
        finally:
            for key, finished in told.items():
                # What is shown on a coarser level shows no more of it before all of it is filled between islands.
                if key not in level.bare or not self._levels.shown.get(key.sheet):
                    self._tell(level, key, finished)

    def _tell(self, level: Level, key: MapKey, finished: set[Chunk]) -> None:
        """Tell of chunks, but of those that are not done themselves and have only been filled from others."""
        self.chunks_done.emit(key, finished - level.left.get(key, set()), level.number)

    def _fill_between(self, level: Level, now: _Round) -> None:
        """Fill what lies between islands."""
        assert level.project is not None
        while level.bare and self._serial == now.serial:
            key = next(iter(level.bare))
            filled = level.store.pad(level.project, key)
            level.bare.discard(key)
            self._tell(level, key, filled)
            if self._elsewhere:
                raise _Elsewhere

    def _begin_share(self, todo: Dirty) -> None:
        self._asked_for, self._did = max(sum(map(len, todo.values())), 1), 0

    def _let_others(self, now: _Round) -> None:
        """Leave the processor to those who draw for a moment, or until there is a newer request."""
        with self._news:
            if self._serial == now.serial:
                self._news.wait(_SEEN)
