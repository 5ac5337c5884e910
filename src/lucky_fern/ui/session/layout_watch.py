"""The layout check beside the window: asked anew when the model or a sheet's size changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.layout.findings import Finding
from lucky_fern.core.layout.measure import Measures, measure
from lucky_fern.core.layout.repeats import Repeating, repeats_of
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.ui.session.beside import soon
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.mishaps import LOG
from lucky_fern.ui.session.work import Work


@dataclass(frozen=True)
class _Found:
    findings: list[Finding]
    measures: Measures | None
    repeats: tuple[Repeating, ...]
    failed: bool = False


class LayoutWatch(QObject):
    """Keeps the findings and measures of the model that is open.

    It waits until the maps are composited, unless somebody is at the Model station to read it.
    """

    changed = Signal()
    _found = Signal(int, object)

    def __init__(self, work: Work, looking: Looking, maps: Maps) -> None:
        super().__init__()
        self.work, self.looking, self.maps = work, looking, maps
        self._waiting: Callable[[], None] | None = None
        self.findings: list[Finding] = []
        self.measures: Measures | None = None
        self.repeats: tuple[Repeating, ...] = ()
        self.busy = False
        self.failed = False  # the check itself went wrong: nothing is known
        self._asked: object = None  # the surface, sizes and pixel art that were checked last
        self._serial = 0
        self._found.connect(self._take)
        work.project_changed.connect(self._look)
        for signal in (maps.rested, maps.looked, looking.station_changed):
            signal.connect(self._go_on)

    def _look(self) -> None:
        studio = self.work.studio
        surface = studio.surface if studio is not None else None
        self.follow(surface, self.work.sheet_sizes(), self.work.pixel_art())

    def follow(
        self, surface: Surface | None, sizes: dict[SheetKey, Extent], pixel_art: frozenset[SheetKey] = frozenset()
    ) -> None:
        """Check a surface at these sheet sizes, unless that was done already."""
        asked = None if surface is None else (id(surface), tuple(sizes.items()), pixel_art)
        if asked == self._asked:
            return
        self._asked = asked
        self._serial += 1
        self.findings, self.measures, self.repeats, self.busy = [], None, (), surface is not None
        self.changed.emit()
        self._waiting = None if surface is None else partial(self._work, self._serial, surface, sizes, pixel_art)
        self._go_on()

    def _go_on(self) -> None:
        """Begin what waits, if it is its turn."""
        if self._waiting is not None and (self.maps.settled or self.looking.station == "model"):
            soon("The check of the layout", self._waiting)
            self._waiting = None

    def _work(
        self, serial: int, surface: Surface, sizes: dict[SheetKey, Extent], pixel_art: frozenset[SheetKey]
    ) -> None:
        # A surface of its own: the compositing thread builds sheets of the other one at the same time.
        try:
            alone = Surface(surface.model)
            measures = measure(surface.model, alone.proportions(lambda key: sizes[key]))
            found = check_layout(alone, lambda key: sizes[key], pixel_art)
        except Exception:  # noqa: BLE001  # a defect of ours must not leave anybody waiting
            LOG.exception("The check of the layout went wrong inside.")
            self._found.emit(serial, _Found([], None, (), failed=True))
            return
        self._found.emit(serial, _Found(found, measures, repeats_of(surface.model)))

    def _take(self, serial: int, found: _Found) -> None:
        if serial == self._serial:
            self.findings, self.measures, self.repeats = found.findings, found.measures, found.repeats
            self.busy, self.failed = False, found.failed
            self.changed.emit()
