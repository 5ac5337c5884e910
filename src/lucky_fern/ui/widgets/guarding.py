"""Methods that Qt calls from within itself: what goes wrong in one is told, and never leaves it.

An exception that leaves such a method has no caller in Python. Where Qt calls on with one pending, the process dies.
"""

from __future__ import annotations

import inspect
import logging
import time
from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

from PySide6.QtCore import QModelIndex, QSize, Qt

LOG = logging.getLogger("lucky_fern")
_AGAIN = 5.0  # seconds before the same mishap is told again: a picture is drawn sixty times in one of them
_C = TypeVar("_C", bound=type)
# What Qt is told where the answer is not known; None for all others, which answer nothing or a bare "no".
_INSTEAD: dict[str, Callable[[], Any]] = {
    "index": QModelIndex,
    "parent": QModelIndex,
    "rowCount": int,
    "columnCount": int,
    "flags": lambda: Qt.ItemFlag.NoItemFlags,
    "supportedDropActions": lambda: Qt.DropAction.IgnoreAction,
    "mimeTypes": list,
    "sizeHint": QSize,
    "minimumSizeHint": QSize,
    **dict.fromkeys(("event", "eventFilter", "viewportEvent", "setData", "canDropMimeData", "dropMimeData"), bool),
}


def overrides(kind: type) -> dict[str, Callable[..., Any]]:
    """The methods of a class that stand in the place of Qt's own."""
    qt = [base for base in kind.__mro__ if base.__module__.startswith("PySide6")]
    return {
        name: method for name, method in vars(kind).items()
        if inspect.isfunction(method) and not name.startswith("__") and any(name in vars(base) for base in qt)
    }  # fmt: skip


def guarded(kind: _C) -> _C:
    """Class decorator: what Qt calls of it tells of exceptions as mishaps, and answers with what does no harm."""
    told: dict[str, float] = {}
    for name, method in overrides(kind).items():
        setattr(kind, name, _guarding(method, f"{kind.__qualname__}.{name}", _INSTEAD.get(name), told))
    return kind


def is_guarded(method: Callable[..., Any]) -> bool:
    """Whether exceptions stay in it."""
    return hasattr(method, "guarding")


def _guarding(
    method: Callable[..., Any], what: str, instead: Callable[[], Any] | None, told: dict[str, float]
) -> Callable[..., Any]:
    @wraps(method)
    def call(*given: Any) -> Any:
        try:
            return method(*given)
        except Exception as error:  # nobody in Python is there to catch it
            now = time.monotonic()
            if now - told.get(what, -_AGAIN) >= _AGAIN:
                told[what] = now
                LOG.exception(f"Something went wrong inside ({what}: {error!r:.160}). Your work is still there.")
            return None if instead is None else instead()

    call.guarding = what  # type: ignore[attr-defined]
    return call
