"""Remaking docs/screenshots from the demo world: the real window, driven as a person would."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from lucky_fern.ui.window.shot_scenes import (
    FOLDER,
    bow,
    going_out,
    lent,
    painting,
    placing,
    preparing,
    recipes,
    texels,
    worn,
)

if TYPE_CHECKING:
    from lucky_fern.ui.window.main import Window
    from lucky_fern.ui.window.parts import Parts


def remake() -> int:
    """Write every picture; the exit code."""
    from lucky_fern.ui.widgets.application import ensure_screen, make_application

    screen = ensure_screen()
    try:
        application = make_application()
        _take_all()
        application.quit()
        import shiboken6

        shiboken6.delete(application)
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()
    return 0


def _take_all() -> None:
    from PySide6.QtWidgets import QApplication

    from lucky_fern.core.placing.pose import scaled
    from lucky_fern.core.project.commands import SetChannel, SetPlace
    from lucky_fern.core.project.document import Channel
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.ui.window.main import Window
    from lucky_fern.ui.window.parts import Parts
    from lucky_fern.ui.window.start import save_shot, settle

    FOLDER.mkdir(parents=True, exist_ok=True)
    parts = Parts()
    window = Window(parts)
    window.resize(1280, 800)
    window.show()
    QApplication.processEvents()

    def shoot(name: str) -> None:
        settle(window)
        save_shot(window, FOLDER / f"{name}.png")
        print(f"wrote {FOLDER / name}.png", file=sys.stderr)

    parts.work.take(demo_studio("flask"))
    view = window.model_view
    view.drop_picture("kettle-and-reed.png", np.array([view.width() * 0.42, view.height() * 0.6]))
    settle(window)
    assert parts.selection.decal is not None
    layer, place, height = parts.selection.decal
    parts.work.execute(SetPlace(layer.id, scaled(place, height, 1.25, 1.25, 1e-6)))
    parts.work.execute(SetChannel(layer.id, "emissive", Channel("#7a2c10")))
    shoot("artwork-flask")
    parts.looking.go_to("export")
    with tempfile.TemporaryDirectory() as folder:
        window.late.export_panel.folder.setText(str(Path(folder) / "soup flask maps"))
        window.late.export_panel.start()
        while window.late.export_panel.working:
            QApplication.processEvents()
            time.sleep(0.02)
        window.late.export_panel.folder.setText("~/otterwick/soup flask maps")
        window.say("", False)
        shoot("export")
    recipes(parts, window, shoot)
    _ferry(parts, window, shoot)
    parts.maps.close()


def _ferry(parts: Parts, window: Window, shoot: Callable[[str], None]) -> None:
    """The Marsh Hen: her stack, a shared mask, two maps against each other."""
    from PySide6.QtWidgets import QApplication

    from lucky_fern.demo.world import demo_studio

    parts.looking.go_to("artwork")
    parts.work.take(demo_studio("ferry"))
    assert parts.work.project is not None and parts.work.studio is not None
    bow(parts, window)
    shoot("artwork-bow")
    placing(parts, window, shoot)
    painting(parts, window, shoot)
    preparing(parts, window, shoot)
    lent(parts, window, shoot)
    worn(parts, window, shoot)
    parts.work.take(demo_studio("ferry"))
    layers = {layer.name: layer.id for layer in parts.work.project.walk()}
    parts.selection.select(layers["Brushed cloth"])
    shoot("artwork-marsh-hen")
    parts.selection.select(layers["Stains"])
    window.pages.setCurrentIndex(1)
    shoot("mask")
    parts.selection.select(layers["Roughness from colour"])
    window.pages.setCurrentIndex(0)
    parts.looking.show_map("colour")
    parts.looking.compare("roughness")
    parts.looking.show_false_colours(True)
    parts.comparing.set_wipe(0.55)
    window.say("", False)
    shoot("compare")
    parts.looking.show_map("colour")
    parts.looking.compare(None)
    parts.looking.show_false_colours(False)
    texels(parts, window, shoot)
    going_out(parts, window, shoot)
    parts.work.take(demo_studio("ferry"))
    parts.looking.go_to("model")
    end = time.monotonic() + 30
    while parts.layout_watch.busy and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.02)
    window.tools.wires.click()
    shoot("model-marsh-hen")
    window.tools.wires.click()
    window.late.model_panel.setCurrentWidget(window.late.model_panel.lay_out)
    window.late.model_panel.setCurrentWidget(window.late.model_panel.check)
    window.tools.frame.click()
    parts.faces.show_heat("density")
    shoot("model-layout")
