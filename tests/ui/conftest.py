"""The real window on a virtual screen, and hands for it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.demo.world import demo_studio, ensure_world
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.start import ensure_screen, make_application
from lucky_fern.ui.window import Window


@pytest.fixture(scope="session")
def qapp() -> Iterator[QApplication]:
    screen = ensure_screen()
    yield make_application()
    if screen is not None:
        screen.kill()
        screen.wait()
        screen.wait()


@pytest.fixture(scope="session")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return ensure_world(tmp_path_factory.mktemp("otterwick"))


@pytest.fixture
def hands(qapp: QApplication, world: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Hands]:
    """A window of 1280 × 800 with the flask."""
    desk = Desk()
    window = Window(desk)
    monkeypatch.setattr(window, "may_leave", lambda: True)
    window.resize(1280, 800)
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    hands = Hands(window, world)
    hands.open(demo_studio("flask", world))
    yield hands
    window.close()
    window.deleteLater()
    QApplication.processEvents()
