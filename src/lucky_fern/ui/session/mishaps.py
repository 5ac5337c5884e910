"""What goes wrong inside: a line in a log file that rotates, and a sentence with details for the person."""

from __future__ import annotations

import logging
import platform
import sys
import threading
import traceback
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

import platformdirs
from PySide6.QtCore import QObject, Signal, qVersion

from lucky_fern import __version__

LOG = logging.getLogger("lucky_fern")
_BYTES, _KEPT = 512 << 10, 3


def log_file() -> Path:
    """Where mishaps are written down."""
    return Path(platformdirs.user_log_dir("lucky-fern")) / "lucky-fern.log"


class Mishaps(QObject):
    """Hears of everything that is logged as an error, from every thread, and tells it on the window's."""

    told = Signal(str, str)  # a sentence, and the details that help whoever mends it

    def __init__(self) -> None:
        super().__init__()
        self._ear = _Ear(self)
        self._file: logging.Handler | None = None

    def listen(self, path: Path | None = None) -> None:
        """Hear from now on, also of what nobody catches in slots and threads."""
        path = log_file() if path is None else path
        LOG.addHandler(self._ear)
        LOG.propagate = False
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = RotatingFileHandler(path, maxBytes=_BYTES, backupCount=_KEPT, encoding="utf-8", delay=True)
            self._file.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
            LOG.addHandler(self._file)
        except OSError:
            self._file = None  # the sentence still comes
        sys.excepthook = _uncaught
        threading.excepthook = _uncaught_in_thread

    def end(self) -> None:
        """Hear no more."""
        LOG.removeHandler(self._ear)
        if self._file is not None:
            LOG.removeHandler(self._file)
            self._file.close()
            self._file = None
        sys.excepthook, threading.excepthook = sys.__excepthook__, threading.__excepthook__


class _Ear(logging.Handler):
    def __init__(self, mishaps: Mishaps) -> None:
        super().__init__(logging.ERROR)
        self._mishaps = mishaps

    def emit(self, record: logging.LogRecord) -> None:
        trace = "".join(traceback.format_exception(*record.exc_info)) if record.exc_info else ""
        try:
            self._mishaps.told.emit(record.getMessage(), f"{_about()}\n{record.getMessage()}\n{trace}")
        except RuntimeError:  # the window is gone already
            sys.stderr.write(trace)


def _about() -> str:
    return f"Lucky Fern {__version__}, Python {platform.python_version()}, Qt {qVersion()}, {platform.platform()}"


def _uncaught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    if issubclass(kind, KeyboardInterrupt):
        sys.__excepthook__(kind, error, trace)
        return
    LOG.error(f"Something went wrong inside ({_words(error)}). Your work is still there.",
              exc_info=(kind, error, trace))  # fmt: skip


def _uncaught_in_thread(caught: threading.ExceptHookArgs) -> None:
    if caught.exc_value is not None and not issubclass(caught.exc_type, SystemExit):
        _uncaught(caught.exc_type, caught.exc_value, caught.exc_traceback)


def _words(error: BaseException) -> str:
    return f"{type(error).__name__}: {' '.join(str(error).split())[:160]}"
