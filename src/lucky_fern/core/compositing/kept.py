"""A store of computed values that forgets those longest unused."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar, cast
from weakref import WeakValueDictionary

_T = TypeVar("_T")


class Kept:
    """Holds up to ``room`` bytes; safe to use from several threads."""

    def __init__(self, room: int) -> None:
        self.room = room
        self.size = 0
        self._values: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._lock = threading.Lock()
        # Whoever makes or waits holds the lock of its key; it goes with the last of them.
        self._making: WeakValueDictionary[Hashable, threading.Lock] = WeakValueDictionary()

    def find(self, key: Hashable) -> object | None:
        """A kept value, or None."""
        with self._lock:
            if key not in self._values:
                return None
            self._values.move_to_end(key)
            return self._values[key][0]

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._values.clear()
            self.size = 0

    def put(self, key: Hashable, value: object, size: int) -> None:
        """Keep a value of ``size`` bytes in place of what was kept under its key."""
        with self._lock:
            if key in self._values:
                self.size -= self._values.pop(key)[1]
            self._values[key] = (value, size)
            self.size += size
            while self.size > self.room and len(self._values) > 1:
                self.size -= self._values.popitem(last=False)[1][1]

    def get(self, key: Hashable, make: Callable[[], _T], size: Callable[[_T], int]) -> _T:
        """A value, made by ``make`` if it is not there; a thread that wants it meanwhile waits for it.

        ``make`` may get other keys, but never in a circle.
        """
        found = self.find(key)
        if found is None:
            with self._lock:
                making = self._making.setdefault(key, threading.Lock())
            with making:
                found = self.find(key)
                if found is None:
                    found = make()
                    self.put(key, found, size(found))
        return cast(_T, found)  # a key always stands for one type of value

    def like(self, key: Hashable, ground: object, make: Callable[[], _T], size: Callable[[_T], int],
             once: bool = False) -> _T:  # fmt: skip
        """A value that depends on a ground; made anew where the kept one's ground is not equal to it.

        One key holds one value: that of the ground asked for last. With ``once``, a thread that wants it meanwhile
        waits; ``make`` must not come to the same key then, nor two keys to each other.
        """
        if once:
            with self._lock:
                making = self._making.setdefault(key, threading.Lock())
            with making:
                return self.like(key, ground, make, size)
        found = cast("tuple[object, _T] | None", self.find(key))
        if found is not None and (found[0] is ground or found[0] == ground):
            return found[1]
        made = make()
        self.put(key, (ground, made), size(made))
        return made
