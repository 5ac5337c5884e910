"""A state of the project pinned beside the one being worked on, to wipe between the two."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey
from lucky_fern.ui.session.compositing_thread import CompositingThread
from lucky_fern.ui.session.packing import Packing


class Pinned(QObject):
    """Maps of their own, composited once and packed for the views."""

    changed = Signal()  # something was packed

    def __init__(self, sources: Sources, project: Project, first_map: str) -> None:
        super().__init__()
        self.project = project
        self.store = MapStore(sources)
        self.packing = Packing(self.store)
        self.packing.arrived.connect(self.changed)
        self.sizes: dict[SheetKey, Extent] = {key: project.size_of(key) for key in sources.surface.keys}
        self.compositing = CompositingThread(sources, self.store)
        self.compositing.chunks_done.connect(self._chunks_done)
        self.compositing.request(project, first_map)

    def _chunks_done(self, key: MapKey, chunks: set[Chunk]) -> None:
        self.packing.want(key, chunks)

    def close(self) -> None:
        self.compositing.close()
        self.packing.close()
