"""Starting from the shell, with and without a screen."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtWidgets import QApplication, QPushButton

from lucky_fern.demo.world import demo_studio
from lucky_fern.render.camera import AXIS_VIEWS, Camera
from lucky_fern.ui.window.main import Window
from lucky_fern.ui.window.parts import Parts
from samples import read_png


def fern(*arguments: str, **variables: str) -> subprocess.CompletedProcess[str]:
    kept = {name: value for name, value in os.environ.items() if name not in ("DISPLAY", "WAYLAND_DISPLAY")}
    command = [sys.executable, "-m", "lucky_fern.cli", *arguments]
    return subprocess.run(command, capture_output=True, text=True, env={**kept, **variables}, timeout=240)


def test_without_a_display_open_takes_a_picture_on_a_virtual_screen(tmp_path: Path) -> None:
    shot = tmp_path / "shots" / "model.png"
    (tmp_path / "p.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n")
    result = fern("open", str(tmp_path / "p.obj"), "--shot", str(shot), "--station", "model", "--size", "1000x640")
    assert result.returncode == 0, result.stderr
    assert "virtual screen" in result.stderr
    picture = read_png(shot)
    assert picture.shape[:2] == (640, 1000) and picture[..., :3].std() > 10


def test_a_picture_of_a_demo_has_its_thumbnails_and_ends_without_a_word(tmp_path: Path) -> None:
    shot = tmp_path / "kettle.png"
    result = fern("demo", "kettle", "--shot", str(shot), "--size", "1280x800")
    assert result.returncode == 0 and result.stderr.count("\n") == 1, result.stderr  # the line about the screen
    strip = read_png(shot)[700:760, 200:1240, :3].astype(int)
    assert (np.ptp(strip, axis=2) > 40).mean() > 0.03  # coloured pictures, no grey stand-ins


def test_a_platform_without_opengl_is_explained_not_crashed_into() -> None:
    result = fern("demo", QT_QPA_PLATFORM="offscreen")
    assert result.returncode == 1 and "OpenGL" in result.stderr and "Traceback" not in result.stderr


def test_a_file_that_is_not_there_is_named() -> None:
    result = fern("open", "/nowhere/ship.obj", "--shot", "/tmp/never.png")
    assert result.returncode == 1 and "ship.obj" in result.stderr and "Traceback" not in result.stderr


def test_pages_are_made_when_they_are_looked_at_or_once_the_window_stands(qapp: QApplication, world: Path) -> None:
    parts = Parts()
    window = Window(parts)
    late = {
        "masks",
        "slides",
        "brush",
        "loans",
        "spot",
        "model_panel",
        "check_panel",
        "export_panel",
        "sequence_panel",
    }
    assert not late & set(vars(window.late))
    window.pages.setCurrentIndex(1)
    assert late & set(vars(window.late)) == {"masks"} and window.pages.currentWidget() is window.late.masks
    assert window.pages.tabText(1) == "Mask" and window.pages.count() == 7
    parts.work.take(demo_studio("kettle", world))
    parts.looking.go_to("check")
    assert late & set(vars(window.late)) == {"masks", "check_panel"}
    assert window.right.currentWidget() is window.late.check_panel
    parts.looking.go_to("paint")
    assert window.pages.currentWidget() is window.late.brush and window.pages.isTabVisible(4)
    assert window.late.brush.tip.currentText() == "round"
    window.show()
    end = time.monotonic() + 20
    while not late <= set(vars(window.late)) and time.monotonic() < end:
        qapp.processEvents()
    assert late <= set(vars(window.late))
    assert window.pages.currentWidget() is window.late.brush  # nothing that is looked at changed by that
    parts.work.studio.saved = parts.work.studio.project
    window.close()
    window.deleteLater()
    qapp.processEvents()


def test_what_is_clicked_before_the_window_is_furnished_is_done_as_soon_as_it_is(qapp: QApplication) -> None:
    window = Window()
    window.resize(1280, 800)
    window.show()
    buttons = window.start_page.findChildren(QPushButton)
    next(one for one in buttons if "flask" in one.text()).click()
    parts = Parts()
    window.furnish(parts)
    end = time.monotonic() + 60
    while parts.work.studio is None and time.monotonic() < end:
        qapp.processEvents()
    assert parts.work.project is not None and parts.work.project.name == "Soup flask"
    assert window.start_page.isHidden() and window.rest.wait(60)
    parts.work.studio.saved = parts.work.project
    window.close()


def test_the_first_sight_of_the_window_loads_nothing_of_the_core() -> None:
    """What it loads is what one waits for at every start."""
    code = "import sys, lucky_fern.ui.window.start, lucky_fern.ui.window.main as m; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert "lucky_fern.ui.window.start_page" in loaded
    assert not {"numpy", "cv2", "lucky_fern.core", "lucky_fern.render"} & set(loaded)


@pytest.mark.parametrize("parallel", [False, True])
@pytest.mark.parametrize("angles", [*AXIS_VIEWS.values(), (33.0, -21.0)])
def test_rays_and_projection_are_inverse(parallel: bool, angles: tuple[float, float]) -> None:
    camera = Camera((1.0, 2.0, 3.0), *angles, distance=5.0, parallel=parallel)
    rng = np.random.default_rng(1)
    for x, y in rng.uniform(-0.9, 0.9, (8, 2)):
        origin, direction = camera.ray(x, y, 1.4)
        offset = float((np.array(camera.target) - origin) @ -camera.axes[2] / (direction @ -camera.axes[2]))
        point = origin + direction * (offset + 0.3)
        assert np.allclose(camera.project(point, 1.4), (x, y), atol=1e-9)
        clip = camera.projection(1.4, 2.0) @ camera.view() @ np.append(point, 1)
        assert np.allclose(clip[:2] / clip[3], (x, y), atol=1e-9) and abs(clip[2] / clip[3]) <= 1
