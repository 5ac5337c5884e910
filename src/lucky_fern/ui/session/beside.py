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
_BREATH = 150  # milliseconds between two looks whether somebody waits for something
_PATIENT = 40  # looks, after which it is done nevertheless
_POOL = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="fern-beside", initializer=stand_back)
_WAITED_FOR: list[Callable[[], bool]] = []  # each says whether a person waits for something now


def beside(what: str, work: Callable[[], object]) -> Future[None]:
    """Do ``work`` on a thread of the pool. A defect of ours in it is told as ``what`` that went wrong."""

    def guarded() -> None:
        try:
            work()
        except Exception:  # noqa: BLE001  # nobody else would hear of it
            LOG.exception(f"{what} went wrong inside.")

    return _POOL.submit(guarded)


def give_way_to(waited_for: Callable[[], bool]) -> Callable[[], None]:
    """Have what is done ``soon`` wait while a person waits for something. What is returned ends it."""
    _WAITED_FOR.append(waited_for)
    return lambda: _WAITED_FOR.remove(waited_for)


def somebody_waits() -> bool:
    """Whether a person waits for something now; asked on any thread."""
    return any(waited_for() for waited_for in list(_WAITED_FOR))


def soon(what: str, work: Callable[[], object], looks: int = _PATIENT) -> None:
    """The same once the window has shown what it has, all that is looked at: for what nobody waits for."""

    def look() -> None:
        if looks and somebody_waits():
            soon(what, work, looks - 1)
        else:
            beside(what, work)

    QTimer.singleShot(_BREATH, look)
