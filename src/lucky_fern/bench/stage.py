"""The real window for a measurement, on a screen of its own if there is none."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

SIZE = 1280, 800


@contextmanager
def application() -> Iterator[QApplication]:
    """The Qt application; its screen goes when the measurement ends."""
    from lucky_fern.ui.widgets.application import ensure_screen, make_application

    screen = ensure_screen()
    try:
        yield make_application()
    finally:
        if screen is not None:
            screen.kill()
