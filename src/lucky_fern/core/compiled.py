"""One place that compiles numeric loops: cached on disk, releasing the interpreter lock.

The compiler is loaded at the first call, not at import, so that the window can show before it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any, TypeVar, cast

_F = TypeVar("_F", bound=Callable[..., Any])
_KERNELS: list[_Kernel] = []
_TOLD: list[Callable[[int], object]] = []  # who hears how many have been compiled since the start


class _Kernel:
    """A function that is compiled when it is first called."""

    def __init__(self, function: Callable[..., Any]) -> None:
        _KERNELS.append(self)
        self.function = function
        self.__doc__ = function.__doc__
        self._compiled: Callable[..., Any] | None = None
        self._loaded = False

    def compiled(self) -> Callable[..., Any]:
        """The compiled function; those that it calls are compiled with it."""
        if self._compiled is None:
            import numba

            numba.config.SLP_VECTORIZE = 1  # components of a texel, say, at once; results stay the same
            _listen()
            names = self.function.__globals__
            for name in self.function.__code__.co_names:
                called = names.get(name)  # read once: another thread may put the compiled one there meanwhile
                if isinstance(called, _Kernel):
                    names[name] = called.compiled()
            options = {"cache": True, "nogil": True, "error_model": "numpy"}
            self._compiled = cast(Callable[..., Any], numba.njit(**options)(self.function))
        return self._compiled

    def load(self) -> None:
        """Load what the disk keeps of it, for all kinds of arguments that it was called with so far."""
        if self._loaded:
            return
        self._loaded = True
        compiled: Any = self.compiled()
        for signature, *_ in compiled._cache._cache_file._load_index():  # there is no public way
            compiled.compile(signature)

    def __call__(self, *arguments: Any) -> Any:
        return self.compiled()(*arguments)


def kernel(function: _F) -> _F:
    """Compile ``function`` to machine code at its first call; the result is kept between runs."""
    return cast(_F, _Kernel(function))


def tell_compiling(told: Callable[[int], object]) -> Callable[[], None]:
    """Have ``told`` called, on whatever thread, with how many loops were compiled as each of them begins to be.

    What the disk keeps is not compiled: after the first start on a computer there is nothing to tell. What is
    returned ends it.
    """
    _TOLD.append(told)
    return lambda: _TOLD.remove(told)


@cache
def _listen() -> None:
    """Hear from the compiler (its documented events) when it begins with a loop."""
    from numba.core import event

    class Ear(event.Listener):  # type: ignore[misc]  # the compiler has no types
        def __init__(self) -> None:
            self.begun = 0

        def on_start(self, happening: object) -> None:
            self.begun += 1
            for told in list(_TOLD):
                told(self.begun)

        def on_end(self, happening: object) -> None:
            pass

    event.register("numba:compile", Ear())


def load_kernels(next_one: Callable[[], bool]) -> None:
    """Load all kernels of what has been imported that the disk keeps, one after the other, as ``next_one`` allows.

    Whoever calls one of them first would wait for that: up to 0.8 s for the very first, 0.05 s for others.
    """
    for one in list(_KERNELS):
        if not next_one():
            return
        one.load()
