"""Values of an object that are worked out when they are first asked for, and kept with it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Generic, TypeVar, cast, overload

from lucky_fern.core.parallel import in_pool

_T = TypeVar("_T")
_GUARD = threading.Lock()  # of what follows; nobody works while holding it
_GOING: dict[tuple[int, str], tuple[threading.RLock, list[None]]] = {}


class once(Generic[_T]):  # read as the word that it is, as ``property`` is
    """As ``functools.cached_property``, for objects that several threads ask.

    Whoever asks while it is being worked out waits for that one value of that one object; Python 3.11's own has one
    lock for all objects of a class. Threads of the pool do not wait: whoever works the value out may be waiting for
    them. They work it out themselves, and the first to be ready counts.
    """

    def __init__(self, make: Callable[[Any], _T]) -> None:
        self._make, self.__doc__ = make, make.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> once[_T]: ...
    @overload
    def __get__(self, instance: object, owner: type | None = None) -> _T: ...
    def __get__(self, instance: object | None, owner: type | None = None) -> once[_T] | _T:
        if instance is None:
            return self
        kept = instance.__dict__
        if self._name in kept:
            return cast(_T, kept[self._name])
        if in_pool():
            return cast(_T, kept.setdefault(self._name, self._make(instance)))
        with _turn(instance, self._name):
            if self._name not in kept:
                kept.setdefault(self._name, self._make(instance))
            return cast(_T, kept[self._name])


@contextmanager
def _turn(instance: object, name: str) -> Iterator[None]:
    key = (id(instance), name)
    with _GUARD:
        lock, waiting = _GOING.setdefault(key, (threading.RLock(), []))
        waiting.append(None)
    try:
        with lock:
            yield
    finally:
        with _GUARD:
            waiting.pop()
            if not waiting:
                del _GOING[key]
