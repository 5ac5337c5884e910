"""Questions whose answers come a little later: worked out beside the window, only the newest of each kind is told."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.ui.session.mishaps import LOG


class Answers(QObject):
    """One thread for all; a question that was asked anew before its turn came is not worked out at all."""

    changed = Signal()  # nothing is being worked out any more
    _back = Signal(str, int, object)

    def __init__(self) -> None:
        super().__init__()
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="fern-answers")
        self._serial: dict[str, int] = {}
        self._then: dict[str, Callable[[Any], object]] = {}
        self._back.connect(self._arrived)

    @property
    def busy(self) -> bool:
        return bool(self._then)

    def ask(self, kind: str, work: Callable[[], Any], then: Callable[[Any], object]) -> None:
        """Have ``work`` done, then ``then`` with its result on this thread, unless ``kind`` is asked anew before."""
        serial = self._serial[kind] = self._serial.get(kind, 0) + 1
        self._then[kind] = then

        def run() -> None:
            if self._serial[kind] != serial:
                return
            try:
                found: object = (work(),)
            except LuckyFernError:
                found = None  # it makes no sense for what there is now
            except Exception:  # noqa: BLE001  # a defect of ours must not end the thread
                LOG.exception(f"Working out the {kind} went wrong inside.")
                found = None
            self._back.emit(kind, serial, found)

        self._pool.submit(run)

    def drop(self, kind: str) -> None:
        """Nobody waits for that answer any more."""
        self._serial[kind] = self._serial.get(kind, 0) + 1
        if self._then.pop(kind, None) is not None and not self._then:
            self.changed.emit()

    def close(self) -> None:
        for kind in list(self._then):
            self.drop(kind)
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _arrived(self, kind: str, serial: int, found: tuple[Any] | None) -> None:
        if self._serial[kind] != serial:
            return
        then = self._then.pop(kind, None)
        if then is not None and found is not None:
            then(found[0])
        if not self._then:
            self.changed.emit()
