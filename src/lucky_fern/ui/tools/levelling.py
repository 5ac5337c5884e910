"""The levels of the page that is open, for whoever draws them over a view and lets them be dragged there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import I64
from lucky_fern.ui.session.work import Work


@dataclass(frozen=True)
class Held:
    """Levels of a layer (an id): of which map, how often each value occurs there (n, 256), black, white and gamma."""

    layer: int
    map: str
    levels: tuple[float, float, float]
    put: Callable[[str, float], object]
    counts: I64


class Levelling(QObject):
    """``over``: whether they are shown over the sheets; what is held is of the page that was shown last."""

    changed = Signal()
    counted = Signal(object)  # counts (n, 256) of what is held

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.over = False
        self.held: Held | None = None
        work.studio_changed.connect(self._forget)

    def _forget(self) -> None:
        """A layer's number says nothing in another project."""
        self.held = None

    def set_over(self, on: bool) -> None:
        """Show them over the sheets, or on the page alone."""
        if on != self.over:
            self.over = on
            self.changed.emit()

    def show(
        self, layer: int, name: str, levels: tuple[float, float, float], put: Callable[[str, float], object]
    ) -> None:
        """The levels of a layer as they are now; counts stay as long as it is the same."""
        before = self.held
        same = before is not None and (before.layer, before.map) == (layer, name)
        counts = before.counts if same and before is not None else np.zeros((1, 256), np.int64)
        self.held = Held(layer, name, levels, put, counts)
        self.changed.emit()

    def count(self, layer: int, counts: I64) -> None:
        """How often each value occurs where a layer's levels are set."""
        if self.held is not None and self.held.layer == layer:
            self.held = replace(self.held, counts=counts)
            self.counted.emit(counts)
            self.changed.emit()
