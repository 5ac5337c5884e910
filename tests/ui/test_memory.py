"""What belongs to a project ends with it, without a collector's help."""

from __future__ import annotations

import gc
import os
import weakref
from functools import partial
from pathlib import Path

import numpy as np
import pytest

from hands import Hands
from lucky_fern.core.project.commands import AddLayer, SetSheetSize
from lucky_fern.core.project.document import Brushwork
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.spare import give_back
from lucky_fern.demo.world import demo_studio

STATIONS = ("artwork", "paint", "check", "export", "model", "paint")


def held() -> float:
    """Bytes of this process that are in memory."""
    give_back()
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")


def gone(known: dict[str, weakref.ref[object]]) -> bool:
    """Whether nothing of what was there is there any more."""
    return all(one() is None for one in known.values())


def test_ten_projects_opened_painted_on_and_closed_hold_what_the_second_held(
    empty_hands: Hands, world: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hands, parts, memory = empty_hands, empty_hands.parts, []
    known: dict[str, weakref.ref[object]] = {}
    monkeypatch.setattr(gc, "collect", lambda generation=2: 0)
    gc.disable()
    try:
        for _ in range(10):
            studio = demo_studio("flask", world)
            for key in studio.surface.keys:
                studio.execute(SetSheetSize(square(512), str(key)))
            hands.open(studio)
            del studio
            for layer in [layer.id for layer in parts.work.project.walk()][:4]:
                parts.selection.select(layer)
                hands.wait()
            parts.maps.pin()
            hands.wait()
            parts.work.execute(AddLayer("Paint", Brushwork(), {}))
            for station in STATIONS:
                parts.looking.go_to(station)
                hands.wait()
            view = hands.window.sheet_view
            middle = np.array([view.width() / 2, view.height() / 2])
            for row in (0, 20, 40):
                hands.drag(view, middle + (-60, row), middle + (60, row))
            hands.wait()
            assert parts.work.project.layers[-1].content.sheets  # it was painted on
            parts.work.undo()
            hands.wait()
            hands.until(partial(gone, known))  # threads end when they are through
            memory.append(held())
            studio = parts.work.studio
            known = {type(one).__name__: weakref.ref(one) for one in (
                studio, studio.model, studio.surface, studio.sources, studio.history, studio.blobs, parts.maps.store,
                parts.maps.compositing, parts.maps.packing, parts.comparing.pinned,
                studio.surface.sheet(studio.surface.keys[0], square(512)),
            )}  # fmt: skip
            del studio
    finally:
        gc.enable()
    assert min(memory[-3:]) < 1.05 * memory[1], [round(one / 1e6) for one in memory]
