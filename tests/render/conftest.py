"""Drawing without any window."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator

import moderngl
import pytest


@pytest.fixture(scope="module")
def context() -> Iterator[moderngl.Context]:
    made = moderngl.create_standalone_context(backend="egl")
    yield made
    made.release()
    # Give the thread back: a window of the same process could not draw on it otherwise.
    ctypes.CDLL("libEGL.so.1").eglReleaseThread()
