"""A state of the project pinned beside the one being worked on, to wipe between the two."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.levels import Levels
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey
from lucky_fern.ui.session.compositing_thread import CompositingThread, Order
from lucky_fern.ui.session.packing import Packing


class Pinned(QObject):
    """Maps of their own, composited once and packed for the views."""

    changed = Signal()  # something was packed

    def __init__(self, sources: Sources, project: Project, order: Order) -> None:
        super().__init__()
        self.project = project
        self.levels = Levels(sources)
        self.sizes: dict[SheetKey, Extent] = {key: project.size_of(key) for key in sources.surface.keys}
        self.packing = Packing(self.levels)
        self.packing.arrived.connect(self.changed)
        self.compositing = CompositingThread(self.levels)
        self.compositing.chunks_done.connect(self._chunks_done)
        self.compositing.reshown.connect(self.packing.want_all)
        self.compositing.request(project, order)

    def look(self, order: Order) -> None:
        """Something else is looked at."""
        self.compositing.look(order)

    def _chunks_done(self, key: MapKey, chunks: set[Chunk], level: int) -> None:
        self.packing.want(key, chunks, level)

    def close(self) -> None:
        self.compositing.close()
        self.packing.close()
