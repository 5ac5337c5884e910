"""Questions whose answers come a little later: worked out beside the window, only the newest of each kind is told."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import Future, wait
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal
from shiboken6 import isValid

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.session.mishaps import LOG

_PATIENT = 5.0  # seconds that what is under way has to end as the window closes
_HURRY, _REST = 0.25, 120  # seconds between two questions of a kind; milliseconds that the later one then waits


class Answers(QObject):
    """One at a time; a question that was asked anew before its turn came is not worked out at all."""

    changed = Signal()  # nothing is being worked out any more
    _back = Signal(str, int, object)

    def __init__(self) -> None:
        super().__init__()
        self._serial: dict[str, int] = {}
        self._then: dict[str, Callable[[Any], object]] = {}
        self._waiting: dict[str, Callable[[], Any]] = {}
        self._asked: dict[str, float] = {}
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(self._next)
        self._working = False
        self._under_way: Future[None] | None = None
        self._back.connect(self._arrived)

    @property
    def busy(self) -> bool:
        return bool(self._then)

    def ask(self, kind: str, work: Callable[[], Any], then: Callable[[Any], object]) -> None:
        """Have ``work`` done, then ``then`` with its result on this thread, unless ``kind`` is asked anew before."""
        self._serial[kind] = self._serial.get(kind, 0) + 1
        self._then[kind] = then
        self._waiting[kind] = work
        now, before = time.monotonic(), self._asked.get(kind, 0.0)
        self._asked[kind] = now
        if now - before < _HURRY:  # a hand is at work: nobody reads what is out of date at the next move
            self._rest.start()
        else:
            self._next()

    def _next(self) -> None:
        if self._working or not self._waiting or self._rest.isActive():
            return
        self._working = True
        kind = next(iter(self._waiting))
        work, serial = self._waiting.pop(kind), self._serial[kind]

        def run() -> None:
            try:
                found: object = (work(),)
            except LuckyFernError:
                found = None  # it makes no sense for what there is now
            except Exception:  # noqa: BLE001  # a defect of ours must not leave anybody waiting
                LOG.exception(f"Working out the {kind} went wrong inside.")
                found = None
            self._back.emit(kind, serial, found)

        self._under_way = beside(f"Working out the {kind}", run)

    def drop(self, kind: str) -> None:
        """Nobody waits for that answer any more."""
        self._serial[kind] = self._serial.get(kind, 0) + 1
        self._waiting.pop(kind, None)
        if self._then.pop(kind, None) is not None and not self._then:
            self.changed.emit()

    def close(self) -> None:
        """Forget every question, and wait until the one under way has ended, but not for ever."""
        for kind in list(self._then):
            self.drop(kind)
        if self._under_way is not None:
            wait([self._under_way], _PATIENT)

    def _arrived(self, kind: str, serial: int, found: tuple[Any] | None) -> None:
        self._working = False
        self._next()
        if self._serial[kind] != serial:
            return
        then = self._then.pop(kind, None)
        owner = getattr(then, "__self__", None)
        gone = isinstance(owner, QObject) and not isValid(owner)  # a widget whose window was closed meanwhile
        if then is not None and found is not None and not gone:
            then(found[0])
        if not self._then:
            self.changed.emit()
