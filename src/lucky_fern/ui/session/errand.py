"""Slow things done beside the window: the answer comes back on the window's thread, unless it was called off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.session.mishaps import LOG
from lucky_fern.words import tr

Told = Callable[[float], None]


@dataclass(frozen=True)
class _Errand:
    title: str
    work: Callable[[Told], Any]
    then: Callable[[Any], object]
    failed: Callable[[], object]


class Errands(QObject):
    """Runs one errand after another; ``changed`` says what is under way ("" for nothing)."""

    changed = Signal(str)
    progress = Signal(str, float)  # the title, and the share that is done
    failed = Signal(str)
    _back = Signal(int, object, object)
    _told = Signal(int, str, float)

    def __init__(self) -> None:
        super().__init__()
        self._serial = 0
        self._waiting: list[_Errand] = []
        self._now: _Errand | None = None
        self._back.connect(self._arrived)
        self._told.connect(self._pass_on)

    @property
    def busy(self) -> bool:
        return self._now is not None

    @property
    def title(self) -> str:
        """What is under way ("" for nothing, or for what nobody is told of)."""
        return "" if self._now is None else self._now.title

    def send(self, title: str, work: Callable[[], Any], then: Callable[[Any], object]) -> None:
        """Do ``work`` on a thread of its own, then ``then`` with its result on this one."""
        self.send_long(title, lambda told: work(), then)

    def send_long(
        self,
        title: str,
        work: Callable[[Told], Any],
        then: Callable[[Any], object],
        failed: Callable[[], object] = lambda: None,
    ) -> None:
        """As :meth:`send`; ``work`` tells the share that is done, which ends it if it was called off meanwhile.

        ``failed`` is called on this thread where nothing came of it.
        """
        self._waiting.append(_Errand(title, work, then, failed))
        if self._now is None:
            self._next()

    def call_off(self) -> None:
        """Forget what is under way and what waits; results that still come are dropped."""
        self._serial += 1
        dropped = [*([self._now] if self._now is not None else []), *self._waiting]
        self._waiting.clear()
        self._now = None
        for errand in dropped:
            errand.failed()
        self.changed.emit("")

    def _next(self) -> None:
        if not self._waiting:
            self._now = None
            self.changed.emit("")
            return
        self._now = errand = self._waiting.pop(0)
        serial = self._serial
        self.changed.emit(errand.title)

        def tell(share: float) -> None:
            if serial != self._serial:
                raise Cancelled(tr("called off"))
            self._told.emit(serial, errand.title, share)

        def run() -> None:
            try:
                result = errand.work(tell)
            except Cancelled:
                return
            except LuckyFernError as error:
                self._back.emit(serial, error, errand)
            except Exception as error:  # noqa: BLE001  # a defect of ours must not leave the window waiting for ever
                LOG.exception(f"{errand.title or 'An errand'} went wrong inside.")
                self._back.emit(
                    serial,
                    LuckyFernError(tr("{title} went wrong inside ({error!r}).", title=errand.title, error=error)),
                    errand,
                )
            else:
                self._back.emit(serial, (result,), errand)

        beside(errand.title or "An errand", run)

    def _pass_on(self, serial: int, title: str, share: float) -> None:
        if serial == self._serial:
            self.progress.emit(title, share)

    def _arrived(self, serial: int, result: object, errand: _Errand) -> None:
        if serial != self._serial:
            return
        if isinstance(result, LuckyFernError):
            self.failed.emit(str(result))
            errand.failed()
        elif isinstance(result, tuple):
            errand.then(result[0])
        if serial == self._serial:
            self._next()
