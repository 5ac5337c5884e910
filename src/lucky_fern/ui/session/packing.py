"""Composited chunks made ready for the graphics card beside the window, as many ahead as it can take in."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterable

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.levels import Levels, finer_chunks
from lucky_fern.core.parallel import stand_back
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey, every_chunk
from lucky_fern.render.parcels import HOME, PACKING, Parcel, packed
from lucky_fern.ui.session.mishaps import LOG

_AHEAD = 64  # parcels that wait to be taken: about 20 MB
_Piece = tuple[SheetKey, str, int, Extent]  # a sheet's texture, a level, and how large the sheet is there


class Packing(QObject):
    """A thread that packs what is wanted of some levels; who draws takes the parcels."""

    arrived = Signal()  # parcels, after there were none

    def __init__(self, levels: Levels) -> None:
        super().__init__()
        self._levels = levels
        self._news = threading.Condition()
        self._wanted: dict[_Piece, set[Chunk]] = {}
        self._ready: deque[Parcel] = deque()
        self._packing = False
        self._stop = False
        self._thread = threading.Thread(target=self._work, name="fern-packing", daemon=True)
        self._thread.start()

    def want(self, key: MapKey, chunks: Iterable[Chunk], number: int = 0) -> None:
        """Have chunks of a map on a level packed; maps that share a texture are packed once."""
        level = self._levels.levels.get(number)
        kept = None if level is None else level.store.maps.get(key)
        if kept is None:
            return
        size = Extent(*kept.shape[1::-1])
        with self._news:
            mine = every_chunk(size).intersection(chunks)
            if mine:
                self._wanted.setdefault((key.sheet, HOME[key.map], number, size), set()).update(mine)
                self._news.notify()

    def want_all(self, keys: Iterable[SheetKey]) -> None:
        """Have all packed that there is of some sheets, what is coarse first."""
        sheets = set(keys)
        for number, level in sorted(self._levels.levels.items(), reverse=True):
            for key, kept in list(level.store.maps.items()):
                if key.sheet in sheets:
                    every = every_chunk(Extent(*kept.shape[1::-1]))
                    self.want(key, every - level.left.get(key, set()), number)

    @property
    def waiting(self) -> bool:
        """Whether there is anything left to pack or to take."""
        with self._news:
            return bool(self._wanted or self._ready or self._packing)

    def first(self) -> Parcel | None:
        """The parcel that is to be taken next, if one is ready."""
        with self._news:
            return self._ready[0] if self._ready else None

    def taken(self) -> None:
        """The first parcel is on the card; where all was closed meanwhile there is none any more."""
        with self._news:
            if self._ready:
                self._ready.popleft()
            self._news.notify()

    def stop(self) -> None:
        """Have the thread end after the chunk that it is at, and forget what was not taken; nobody waits."""
        with self._news:
            self._stop = True
            self._wanted.clear()
            self._ready.clear()
            self._news.notify()

    def close(self) -> None:
        """Stop and wait until the thread has ended, but not for ever."""
        self.stop()
        self._thread.join(30)

    def _work(self) -> None:
        stand_back()
        while True:
            with self._news:
                while not self._stop and (not self._wanted or len(self._ready) >= _AHEAD):
                    self._news.wait()
                if self._stop:
                    return
                self._packing = True
                piece = next(iter(self._wanted))
                chunks = self._wanted[piece]
                chunk = chunks.pop()
                if not chunks:
                    del self._wanted[piece]
            parcel = None
            try:
                parcel = self._packed(piece, chunk)
            except Exception:  # noqa: BLE001  # a defect of ours must not end the thread: nothing more would show
                LOG.exception("A piece of a map could not be made ready to be shown.")
            with self._news:
                self._packing = False
                if self._stop:
                    return
                if parcel is not None:
                    self._ready.append(parcel)
                    self._put_finer_over(piece, chunk)
                told = len(self._ready) <= 1
            if told:
                self.arrived.emit()

    def _packed(self, piece: _Piece, chunk: Chunk) -> Parcel | None:
        sheet, texture, number, size = piece
        level = self._levels.levels.get(number)
        if level is None:
            return None
        turn = self._levels.turns.get(sheet, 0)  # read first: a piece may be newer than its turn, not older
        return packed(level.store, sheet, texture, size, chunk, number, self._levels.shown.get(sheet, 0), turn)

    def _put_finer_over(self, piece: _Piece, chunk: Chunk) -> None:
        """Where a finer level is there already, it shows, whichever was packed first."""
        sheet, texture, number, size = piece
        for finer, level in self._levels.levels.items():
            by = number - finer
            if by <= 0 or not level.begun:
                continue
            large = Extent(size.width << by, size.height << by)
            maps = [MapKey(sheet, name) for name in PACKING[texture]]
            there = {
                one for one in finer_chunks(chunk, by, large)
                if all(level.done(self._levels.project, key, one) for key in maps)
            }  # fmt: skip
            if there and any(key in level.store.maps for key in maps):
                self._wanted.setdefault((sheet, texture, finer, large), set()).update(there)
