"""Work spread over all cores; what is done behind somebody's back gives way to what somebody waits for."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import FIRST_EXCEPTION, Future, ThreadPoolExecutor, wait
from functools import cache
from threading import Thread, current_thread
from typing import Generic, TypeVar

from lucky_fern.core.errors import Cancelled

_THREADS = "fern-chunk"
_BEHIND = 2  # of the system's steps of niceness
_T = TypeVar("_T")
_R = TypeVar("_R")


def _niceness() -> int:
    """Of this thread: on Linux each has its own, and hands it on to those that it starts."""
    return os.getpriority(os.PRIO_PROCESS, 0) if hasattr(os, "getpriority") else 0


_USUAL = _niceness()


def stand_back() -> None:
    """Let this thread, those that it starts and those that it spreads work over give way to the program's others."""
    if hasattr(os, "setpriority") and _niceness() < _USUAL + _BEHIND:
        os.setpriority(os.PRIO_PROCESS, 0, min(_USUAL + _BEHIND, 19))


class Aside(Generic[_R]):
    """Something worked out on a thread of its own, which stands back, for someone who looks in now and then."""

    def __init__(self, name: str, work: Callable[[], _R]) -> None:
        self._found: Future[_R] = Future()
        Thread(target=self._work, args=(work,), name=name, daemon=True).start()

    def _work(self, work: Callable[[], _R]) -> None:
        stand_back()
        try:
            self._found.set_result(work())
        except BaseException as error:  # noqa: BLE001  # who looks in is told
            self._found.set_exception(error)

    def found(self, seconds: float | None = 0.0) -> _R | None:
        """What came out, None if nothing did within so many seconds (None: however long); raises what was raised."""
        try:
            return self._found.result(seconds)
        except TimeoutError:
            return None


@cache
def _pool(behind: bool) -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max(1, os.cpu_count() or 1), thread_name_prefix=_THREADS)


def in_pool() -> bool:
    """Whether this thread is one of those that work is spread over: it must not wait for what they are to do."""
    return current_thread().name.startswith(_THREADS)


def _call_off(going: Iterable[Future[_R]]) -> None:
    for one in going:
        one.cancel()


def _raised(one: Future[_R]) -> BaseException | None:
    return None if one.cancelled() else one.exception()


def for_each(work: Callable[[_T], _R], items: Iterable[_T], cancelled: Callable[[], bool] | None = None) -> list[_R]:
    """Do ``work`` on every item on all cores; results come in the order of the items.

    Threads that stand back have a pool of their own: nobody else's work waits for theirs.

    Raises
    ------
    Cancelled
        As soon as ``cancelled()`` answers True.

    Whatever is raised, what had begun is finished first: nothing is written behind the back of who called.
    """

    def guarded(item: _T) -> _R:
        if cancelled is not None and cancelled():
            raise Cancelled("stopped on request")
        return work(item)

    waiting = list(items)
    # Work that spreads work must not wait for the threads it stands on itself.
    if len(waiting) < 2 or in_pool():
        return [guarded(item) for item in waiting]
    pool = _pool(_niceness() > _USUAL)
    going = [pool.submit(guarded, item) for item in waiting]
    try:
        wait(going, return_when=FIRST_EXCEPTION)
    finally:
        _call_off(going)
        wait(going)
    raised: BaseException | None = next(filter(None, map(_raised, going)), None)
    try:
        if raised is not None:
            raise raised
        return [one.result() for one in going]
    finally:
        # What is raised knows this frame: what the frame knew of it in turn would live on in that circle, with all
        # that the work was about, until somebody looks for garbage.
        going.clear()
        del raised
