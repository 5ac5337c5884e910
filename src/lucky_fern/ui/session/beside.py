"""The one pool of threads for what is done beside the window."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from lucky_fern.core.parallel import stand_back
from lucky_fern.ui.session.mishaps import LOG

_AT_ONCE = 6
_POOL = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="fern-beside", initializer=stand_back)


def beside(what: str, work: Callable[[], object]) -> Future[None]:
    """Do ``work`` on a thread of the pool. A defect of ours in it is told as ``what`` that went wrong."""

    def guarded() -> None:
        try:
            work()
        except Exception:  # noqa: BLE001  # nobody else would hear of it
            LOG.exception(f"{what} went wrong inside.")

    return _POOL.submit(guarded)
