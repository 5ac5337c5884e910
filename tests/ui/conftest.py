"""The real window on a virtual screen, and hands for it."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from hands import Hands
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.history import History
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio, ensure_world
from lucky_fern.render.drawing import Drawing
from lucky_fern.ui.widgets.application import ensure_screen, make_application
from lucky_fern.ui.window.main import Window
from lucky_fern.ui.window.parts import Parts
from samples import made_world


@pytest.fixture(scope="session")
def qapp() -> Iterator[QApplication]:
    screen = ensure_screen()
    Drawing.paced = False  # coarse frames and smooth ones come later, and most of the tests look at none
    yield make_application()
    if screen is not None:
        screen.kill()
        screen.wait()


@pytest.fixture(scope="session")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return ensure_world(made_world() or tmp_path_factory.mktemp("otterwick"))


@pytest.fixture
def empty_hands(qapp: QApplication, world: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Hands]:
    """A window of 1280 × 800 with nothing in it."""
    parts = Parts()
    window = Window(parts)
    monkeypatch.setattr(window, "may_leave", lambda: True)
    window.resize(1280, 800)
    window.show()
    QTest.qWaitForWindowExposed(window)
    window.activateWindow()
    gc.freeze()  # windows of tests before are no garbage yet, and would be looked through again and again
    yield Hands(window, world)
    window.close()
    window.deleteLater()
    QApplication.processEvents()


@pytest.fixture(scope="session")
def flask_studio(qapp: QApplication, world: Path) -> tuple[Studio, Project]:
    """The flask on small sheets, opened once for all tests, and the state where each begins."""
    studio = demo_studio("flask", world)
    for key in studio.surface.keys:
        studio.execute(SetSheetSize(square(512), str(key)))
    return studio, studio.project


def begun_anew(studio: Studio, project: Project) -> Studio:
    """A studio at the state where a test begins, with no history."""
    at = studio.history.projects().index(project)
    studio.jump(at)
    studio.history = History(project)
    studio.saved = project
    return studio


@pytest.fixture
def hands(empty_hands: Hands, flask_studio: tuple[Studio, Project]) -> Hands:
    """A window of 1280 × 800 with the flask."""
    empty_hands.open(begun_anew(*flask_studio))
    return empty_hands


@pytest.fixture(scope="session")
def small_ferry(qapp: QApplication, world: Path) -> tuple[Studio, Project]:
    """The Marsh Hen on small sheets, opened once for all tests, and the state where each begins."""
    studio = demo_studio("ferry", world)
    for key in studio.surface.keys:
        studio.execute(SetSheetSize(square(512), str(key)))
    return studio, studio.project


@pytest.fixture
def ferry(empty_hands: Hands, small_ferry: tuple[Studio, Project]) -> Hands:
    """A window of 1280 × 800 with the Marsh Hen on small sheets."""
    empty_hands.open(begun_anew(*small_ferry))
    return empty_hands
