"""Remaking docs/screenshots from the demo world: the real window, driven as a person would."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

FOLDER = Path(__file__).parents[3] / "docs" / "screenshots"


def remake() -> int:
    """Write every picture; the exit code."""
    from lucky_fern.ui.start import ensure_screen, make_application

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
    import numpy as np
    from PySide6.QtWidgets import QApplication

    from lucky_fern.core.placing.pose import scaled
    from lucky_fern.core.project.commands import SetChannel, SetPlace
    from lucky_fern.core.project.document import Channel
    from lucky_fern.demo.world import demo_studio
    from lucky_fern.ui.desk import Desk
    from lucky_fern.ui.start import save_shot, settle
    from lucky_fern.ui.window import Window

    desk = Desk()
    window = Window(desk)
    window.resize(1280, 800)
    window.show()
    QApplication.processEvents()

    def shoot(name: str) -> None:
        settle(window)
        save_shot(window, FOLDER / f"{name}.png")
        print(f"wrote docs/screenshots/{name}.png", file=sys.stderr)

    desk.take(demo_studio("flask"))
    view = window.model_view
    view.drop_picture("kettle-and-reed.png", np.array([view.width() * 0.42, view.height() * 0.6]))
    assert desk.decal is not None
    layer, place, height = desk.decal
    desk.execute(SetPlace(layer.id, scaled(place, height, 1.25, 1.25, 1e-6)))
    desk.execute(SetChannel(layer.id, "emissive", Channel("#7a2c10")))
    shoot("artwork-flask")
    desk.show_map("emissive")
    window.tools.seams.click()
    shoot("one-map-alone")
    desk.show_map(None)
    window.tools.seams.click()
    desk.go_to("export")
    with tempfile.TemporaryDirectory() as folder:
        window.export_panel.folder.setText(str(Path(folder) / "soup flask maps"))
        window.export_panel.start()
        while window.export_panel.working:
            QApplication.processEvents()
            time.sleep(0.02)
        window.export_panel.folder.setText("~/otterwick/soup flask maps")
        window.say("", False)
        shoot("export")
    desk.take(demo_studio("ferry"))
    desk.go_to("model")
    window.tools.wires.click()
    shoot("model-marsh-hen")
    desk.close()
