"""The one pool of threads for what is done beside the window."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PySide6.QtCore import QTimer

from lucky_fern.core.parallel import stand_back
from lucky_fern.ui.session.mishaps import LOG

# Each of them takes turns with the window at the interpreter; an errand never waits behind an export, a check, a save
# and the loading of kernels together.
_AT_ONCE = 6
_BREATH = 150  # milliseconds
_POOL = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="fern-beside", initializer=stand_back)


def beside(what: str, work: Callable[[], object]) -> Future[None]:
    """Do ``work`` on a thread of the pool. A defect of ours in it is told as ``what`` that went wrong."""

    def guarded() -> None:
        try:
            work()
        except Exception:  # noqa: BLE001  # nobody else would hear of it
            LOG.exception(f"{what} went wrong inside.")

    return _POOL.submit(guarded)


def soon(what: str, work: Callable[[], object]) -> None:
    """The same once the window has shown what it has: for what nobody waits for."""
    QTimer.singleShot(_BREATH, lambda: beside(what, work))
