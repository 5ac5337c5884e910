"""What a window costs: compositing with its views beside it, and how often a frame is drawn in motion.

``python -m lucky_fern.bench.window`` prints ``{"alone": s, "window": s, "frames": per second}``; it is run in a
process of its own.
"""

from __future__ import annotations

import json
import statistics
import sys
import time

import numpy as np

from lucky_fern.bench.stage import SIZE, application

_STEPS = 60
_RUNS = 3


def measured() -> dict[str, float]:
    """Seconds that the ferry's maps take by themselves and with a window; frames a second while the view turns."""
    with application() as running:
        from PySide6.QtCore import QEventLoop
        from PySide6.QtTest import QTest

        from lucky_fern.core.compositing.compositor import MapStore
        from lucky_fern.demo.world import demo_studio
        from lucky_fern.ui.session.compositing_thread import CompositingThread
        from lucky_fern.ui.window.main import Window
        from lucky_fern.ui.window.parts import Parts

        def alone() -> float:
            studio = demo_studio("ferry")
            begin = time.perf_counter()
            thread = CompositingThread(studio.sources, MapStore(studio.sources))
            loop = QEventLoop()
            # The thread rests before its first request, too.
            thread.rested.connect(lambda serial: loop.quit() if serial == thread.serial > 0 else None)
            thread.request(studio.project)
            loop.exec()
            seconds = time.perf_counter() - begin
            thread.close()
            return seconds

        window = Window(Parts())
        window.resize(*SIZE)

        def shown() -> float:
            studio = demo_studio("ferry")
            begin = time.perf_counter()
            loop = QEventLoop()
            window.parts.maps.rested.connect(loop.quit)
            window.parts.work.take(studio)
            while not window.parts.maps.settled:
                loop.exec()
            seconds = time.perf_counter() - begin
            window.rest.wait(120)
            return seconds

        alone()  # kernels and the system's caches are warm from now on
        window.show()
        window.rest.wait(20)
        times = [(alone(), shown()) for _ in range(_RUNS)]
        drawn = [0]
        window.model_view.frame_drawn.connect(lambda: drawn.__setitem__(0, drawn[0] + 1))
        begin = time.perf_counter()
        for _ in range(_STEPS):
            now = drawn[0]
            window.model_view.navigate("orbit", 6.0, 0.0, np.zeros(2))
            while drawn[0] == now:
                running.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 5)
        frames = _STEPS / (time.perf_counter() - begin)
        QTest.qWait(50)
        window.parts.close()
        by_itself, with_window = (statistics.median(column) for column in zip(*times, strict=True))
        return {"alone": by_itself, "window": with_window, "frames": frames}


if __name__ == "__main__":
    json.dump(measured(), sys.stdout)
