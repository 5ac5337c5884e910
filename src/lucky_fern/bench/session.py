"""A scripted session in the real window, with the longest gap of its event loop in each part of it.

``python -m lucky_fern.bench.session`` prints ``{part: seconds}``; it is run in a process of its own.
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from lucky_fern.bench.stage import SIZE, application

if TYPE_CHECKING:
    from lucky_fern.ui.window.main import Window

_BEAT = 2  # milliseconds


class Heart:
    """Beats on the window's thread; a long time between two beats is a gap."""

    def __init__(self) -> None:
        from PySide6.QtCore import QTimer

        self.gaps: dict[str, float] = {}
        self.part = "start"
        self._last = time.perf_counter()
        self._timer = QTimer(interval=_BEAT)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now = time.perf_counter()
        gap, self._last = now - self._last, now
        self.gaps[self.part] = max(self.gaps.get(self.part, 0.0), gap)

    def during(self, part: str) -> None:
        """From now on it is about this part; what was before it counts for the one before."""
        self._beat()
        self.part = part


def lived(folder: Path) -> dict[str, float]:
    """Live it; the longest gap of each part, in seconds."""
    with application() as running:
        from lucky_fern.ui.window.main import Window
        from lucky_fern.ui.window.parts import Parts

        window = Window(Parts())
        window.resize(*SIZE)
        window.show()
        running.processEvents()
        heart = Heart()
        for part, act in _parts(window, folder):
            heart.during(part)
            act()
            window.rest.wait(240)
        heart.during("end")
        window.parts.close()
        return heart.gaps


def _parts(window: Window, folder: Path) -> list[tuple[str, Callable[[], object]]]:
    from PySide6.QtCore import QPointF, Qt
    from PySide6.QtTest import QTest

    from lucky_fern.core.project.commands import SetLayer
    from lucky_fern.core.project.document import Decal
    from lucky_fern.core.project.places import Drape, Throw

    parts, view = window.parts, window.model_view
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton

    def pause() -> None:
        QTest.qWait(15)

    def drag(points: np.ndarray) -> None:
        QTest.mousePress(view, left, none, QPointF(*points[0]).toPoint())
        for point in points[1:]:
            QTest.mouseMove(view, QPointF(*point).toPoint())
            pause()
        QTest.mouseRelease(view, left, none, QPointF(*points[-1]).toPoint())

    def across(a: tuple[float, float], b: tuple[float, float], count: int = 25) -> np.ndarray:
        size = np.array([view.width(), view.height()])
        return np.linspace(np.array(a) * size, np.array(b) * size, count)

    def frame() -> None:
        view.look_from("right")
        view.set_camera(replace(view.camera, distance=view.camera.distance * 0.7))

    def stroke() -> None:
        parts.looking.go_to("paint")
        pause()
        drag(across((0.35, 0.55), (0.65, 0.5)))

    def drag_a(kind: type) -> None:
        parts.looking.go_to("artwork")
        pause()
        project = parts.work.project
        assert project is not None
        for layer in project.walk():
            if isinstance(layer.content, Decal) and isinstance(layer.content.place, kind):
                parts.selection.select(layer.id)
                pause()
                grip = view.grip()
                if grip is not None:
                    drag(np.linspace(grip.centre, grip.centre + np.array((40.0, 12.0)), 20))
                    return

    def switch() -> None:
        project = parts.work.project
        assert project is not None
        parts.work.execute(SetLayer(project.layers[0].id, visible=False))

    def hover() -> None:
        for point in across((0.1, 0.4), (0.9, 0.6), 40):
            QTest.mouseMove(view, QPointF(*point).toPoint())
            pause()

    def label() -> None:
        parts.looking.go_to("artwork")
        pause()
        window.tools.label.click()
        pause()
        QTest.mouseClick(view, left, none, QPointF(view.width() / 2, view.height() / 2).toPoint())
        window.rest.wait(20)
        for letter in "Hen":
            QTest.keyClicks(window.focusWidget(), letter)
            pause()

    def export() -> None:
        parts.looking.go_to("export")
        pause()
        parts.exports.change(out=str(folder / "maps"))
        window.late.export_panel.folder.setText(str(folder / "maps"))
        window.late.export_panel.start()
        while window.late.export_panel.working:
            QTest.qWait(20)

    return [
        ("open", lambda: parts.work.open_demo("ferry")), ("turn", frame), ("first stroke", stroke),
        ("further strokes", stroke), ("drag a draped decal", lambda: drag_a(Drape)),
        ("drag a thrown decal", lambda: drag_a(Throw)), ("switch the bottom layer", switch),
        ("undo", parts.work.undo), ("hover", hover), ("type a label", label),
        ("save", lambda: parts.work.save(folder / "session.fern")), ("export", export),
    ]  # fmt: skip


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as name:
        json.dump(lived(Path(name)), sys.stdout)
