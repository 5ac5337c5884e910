"""What it costs that nothing is lost."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lucky_fern.bench.measure import Row, side_by_side
from lucky_fern.core import easel
from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.log.place import new_session
from lucky_fern.core.log.writing import SessionLog, Snapshot
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.project.commands import AddLayer, SetLayer
from lucky_fern.core.project.document import Brushwork
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio


class _Edited:
    """The ferry, with a layer painted on and one whose opacity changes, composited after each edit."""

    def __init__(self, log: Path | None) -> None:
        self.studio: Studio = demo_studio("ferry")
        self.studio.execute(AddLayer("Brushwork", Brushwork(), {}))
        self.layer = self.studio.project.layers[-1].id
        self.store = MapStore(self.studio.sources)
        self.turn = 0
        self.log = None
        if log is not None:
            self.log = SessionLog(new_session(log), self.studio.blobs, None, print)
            self.log.begin(self.studio.project, "ferry", None)
        self._note()

    def _note(self) -> None:
        if self.log is not None:
            history = self.studio.history
            self.log.note(Snapshot(history.steps, history.at, self.studio.saved, None))

    def edit(self) -> None:
        """One step of each kind: a stroke across the hull, and a slider."""
        self.turn += 1
        before = self.studio.project
        self.studio.execute(SetLayer(self.layer, opacity=0.5 + 0.001 * self.turn))
        self.studio.history.seal()
        self._note()
        model = self.studio.model
        stroke = easel.begin_stroke(self.studio, Brush(model.diagonal * 0.01))
        began, (low, high) = self.studio.project, model.bounds
        back = np.array([0.0, 0.0, -1.0])
        for share in range(1, 9):
            across = low[0] + (high[0] - low[0]) * (0.3 + 0.05 * share)
            hit = pick(model, (low + high) / 2 * [0, 1, 0] + [across, 0.0, high[2] + 1.0], back)
            if hit is not None:
                stroke.go_to(hit.position, easel.normal_near(self.studio, hit.position))
        easel.paint_on_layer(self.studio, self.layer, stroke.take_fresh(), {"colour": "#803020"}, began)
        self.studio.history.seal()
        self._note()
        for key, chunks in dirtied(self.studio.sources, before, self.studio.project).items():
            self.store.update(self.studio.project, key, chunks, focus=self.layer)


def edit_with_log(folder: Path) -> Row:
    """A stroke and a slider with the log on, against the same without."""
    on, off = _Edited(folder / "sessions"), _Edited(None)
    mine, other = side_by_side(on.edit, off.edit, runs=15)
    assert on.log is not None
    on.log.end()
    return Row(
        "an edit with the log on", mine / other, 1.1, "lower", f"{mine * 1e3:.1f} ms against {other * 1e3:.1f}"
    )


MEASURES = (edit_with_log,)
