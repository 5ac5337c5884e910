"""Slow things done beside the window: the answer comes back on the window's thread, unless it was called off."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import LuckyFernError


class Errands(QObject):
    """Runs one errand after another; ``changed`` says what is under way ("" for nothing)."""

    changed = Signal(str)
    failed = Signal(str)
    _back = Signal(int, object, object)

    def __init__(self) -> None:
        super().__init__()
        self._serial = 0
        self._waiting: list[tuple[str, Callable[[], Any], Callable[[Any], object]]] = []
        self._running = False
        self._back.connect(self._arrived)

    @property
    def busy(self) -> bool:
        return self._running

    def send(self, title: str, work: Callable[[], Any], then: Callable[[Any], object]) -> None:
        """Do ``work`` on a thread of its own, then ``then`` with its result on this one."""
        self._waiting.append((title, work, then))
        if not self._running:
            self._next()

    def call_off(self) -> None:
        """Forget what is under way and what waits; results that still come are dropped."""
        self._serial += 1
        self._waiting.clear()
        self._running = False
        self.changed.emit("")

    def _next(self) -> None:
        if not self._waiting:
            self._running = False
            self.changed.emit("")
            return
        self._running = True
        title, work, then = self._waiting.pop(0)
        serial = self._serial
        self.changed.emit(title)

        def run() -> None:
            try:
                result = work()
            except LuckyFernError as error:
                self._back.emit(serial, error, None)
            else:
                self._back.emit(serial, (result,), then)

        threading.Thread(target=run, name="fern-errand", daemon=True).start()

    def _arrived(self, serial: int, result: object, then: object) -> None:
        if serial != self._serial:
            return
        if isinstance(result, LuckyFernError):
            self.failed.emit(str(result))
        elif isinstance(result, tuple) and callable(then):
            then(result[0])
        self._next()
