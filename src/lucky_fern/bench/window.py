"""What a window costs: compositing with its views beside it, and how often a frame is drawn in motion.

``python -m lucky_fern.bench.window`` prints ``{"alone": s, "window": s, "frames": per second, "slider": s}``; it is
run in a process of its own.
"""

from __future__ import annotations

import json
import statistics
import sys
import time
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from lucky_fern.bench.stage import SIZE, application
from lucky_fern.core.arrays import U8

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

    from lucky_fern.ui.window.main import Window

_STEPS, _SLID = 60, 9
_RUNS = 3


def measured() -> dict[str, float]:
    """Seconds that the ferry's maps take by themselves and with a window; frames a second while the view turns."""
    with application() as running:
        from PySide6.QtCore import QEventLoop
        from PySide6.QtTest import QTest

        from lucky_fern.core.compositing.levels import Levels
        from lucky_fern.demo.world import demo_studio
        from lucky_fern.ui.session.compositing_thread import CompositingThread
        from lucky_fern.ui.window.main import Window
        from lucky_fern.ui.window.parts import Parts

        def alone() -> float:
            studio = demo_studio("ferry")
            begin = time.perf_counter()
            thread = CompositingThread(Levels(studio.sources))
            loop = QEventLoop()
            # The thread rests before its first request, too.
            thread.rested.connect(lambda serial: loop.quit() if serial == thread.serial > 0 else None)
            thread.request(studio.project)
            loop.exec()
            seconds = time.perf_counter() - begin
            thread.close()
            thread.rested.disconnect()  # from a function that holds on to it: nobody looks for circles here
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
        window.sheet_view.frame_drawn.connect(lambda: drawn.__setitem__(0, drawn[0] + 1))
        slider = statistics.median(_slid(window, running, drawn, step) for step in range(_SLID))
        window.parts.close()
        by_itself, with_window = (statistics.median(column) for column in zip(*times, strict=True))
        return {"alone": by_itself, "window": with_window, "frames": frames, "slider": slider}


def _slid(window: Window, running: QApplication, drawn: list[int], step: int) -> float:
    """Seconds from a move of a rule's slider until a frame with the first chunks of it is there."""
    from msgspec.structs import replace
    from PySide6.QtCore import QEventLoop

    from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, SetMaskEntry
    from lucky_fern.core.project.document import Channel, Wash
    from lucky_fern.core.project.rules import Edges, RuleShape
    from lucky_fern.core.project.shapes import MaskEntry

    parts = window.parts
    if step == 0:
        parts.work.execute(AddLayer("Worn", Wash(), {"colour": Channel("#c8c8c8")}))
        entry = MaskEntry(RuleShape(Edges(), 0.1, 0.6), "replace")
        parts.work.execute(AddMaskEntry(parts.selection.selected or 0, entry))
        window.rest.wait(240)
    assert parts.work.project is not None and parts.selection.layer is not None
    number = parts.selection.layer.mask
    assert number is not None
    entry = parts.work.project.masks[number].entries[0]
    packing, canvases = parts.maps.packing, [view.canvas for view in (window.model_view, window.sheet_view)]
    assert packing is not None
    taken, shows = packing.taken, [canvas.show for canvas in canvases]
    brought: list[bool] = []
    before: list[int] = []  # how many frames were there before the one with the first chunks

    def take() -> None:  # both on the thread that draws, one after the other
        taken()
        brought.append(True)

    def put(show: Callable[[U8], object], pixels: U8) -> object:
        if brought and not before:
            before.append(drawn[0])
        return show(pixels)

    packing.taken = take  # type: ignore[method-assign]  # watched for a moment
    for canvas, show in zip(canvases, shows, strict=True):
        canvas.show = partial(put, show)
    begin = time.perf_counter()
    shape = replace(entry.shape, low=0.02 * (step + 1))  # type: ignore[type-var]  # a rule's shape is a struct
    parts.work.execute(SetMaskEntry(number, 0, replace(entry, shape=shape)), merge=True)
    while not before or drawn[0] == before[0]:
        running.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 2)
    seconds = time.perf_counter() - begin
    packing.taken = taken  # type: ignore[method-assign]  # as it was
    for canvas, show in zip(canvases, shows, strict=True):
        canvas.show = show
    window.rest.wait(60)
    return seconds


if __name__ == "__main__":
    json.dump(measured(), sys.stdout)
