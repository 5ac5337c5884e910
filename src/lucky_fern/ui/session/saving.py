"""Saving: beside the window, behind nothing else, and always told as it ended."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.session.mishaps import LOG
from lucky_fern.words import tr

Ended = Callable[[str | None], object]  # None: it is saved; else why it is not


@dataclass(frozen=True)
class _Save:
    title: str
    write: Callable[[Callable[[float], None]], object]
    ended: Ended
    stop: threading.Event


class Saves(QObject):
    """Writes one state after another. Calling off what else goes on leaves them be.

    A save that is stopped leaves the file as it was; one whose file is in place already is saved, and said to be.
    """

    changed = Signal(str)  # the title of the one under way ("" for none)
    _back = Signal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self._waiting: list[_Save] = []
        self._now: _Save | None = None
        self._back.connect(self._arrived)

    @property
    def busy(self) -> bool:
        return self._now is not None

    @property
    def title(self) -> str:
        """What is being written ("" for nothing)."""
        return "" if self._now is None else self._now.title

    def send(self, title: str, write: Callable[[Callable[[float], None]], object], ended: Ended) -> None:
        """Have ``write`` done on a thread; it tells the share that is done, which ends it where it was stopped.

        ``ended`` is called on this thread, once, with how it ended.
        """
        self._waiting.append(_Save(title, write, ended, threading.Event()))
        if self._now is None:
            self._next()

    def stop(self) -> None:
        """Have the file that is being written stay as it was, and those that wait."""
        for save in (*([] if self._now is None else [self._now]), *self._waiting):
            save.stop.set()

    def _next(self) -> None:
        self._now = self._waiting.pop(0) if self._waiting else None
        self.changed.emit(self.title)
        if self._now is not None:
            save = self._now
            beside(save.title, lambda: self._write(save))

    def _write(self, save: _Save) -> None:
        def tell(share: float) -> None:
            if save.stop.is_set():
                raise Cancelled(tr("stopped"))

        try:
            tell(0.0)
            save.write(tell)
        except Cancelled:
            self._back.emit(save, tr("Not saved: it was stopped."))
        except LuckyFernError as error:
            self._back.emit(save, str(error))
        except Exception as error:  # noqa: BLE001  # a defect of ours must not leave anybody waiting
            LOG.exception(f"{save.title} went wrong inside.")
            self._back.emit(save, tr("{title} went wrong inside ({error!r}).", title=save.title, error=error))
        else:
            self._back.emit(save, None)

    def _arrived(self, save: _Save, why: str | None) -> None:
        self._now = None
        save.ended(why)
        if self._now is None:  # who heard of it may have sent the next one
            self._next()
