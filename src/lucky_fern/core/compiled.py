"""One place that compiles numeric loops: cached on disk, releasing the interpreter lock."""

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numba

_F = TypeVar("_F", bound=Callable[..., Any])


def kernel(function: _F) -> _F:
    """Compile ``function`` to machine code at its first call; the result is cached between runs."""
    return cast(_F, numba.njit(cache=True, nogil=True, error_model="numpy")(function))


def inline_kernel(function: _F) -> _F:
    """As :func:`kernel`, for small functions that only other kernels call."""
    return cast(_F, numba.njit(cache=True, nogil=True, error_model="numpy", inline="never")(function))
