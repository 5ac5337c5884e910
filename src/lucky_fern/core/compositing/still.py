"""The stack as it stands at one moment, read between texels: what is cloned and smeared comes from there."""

from __future__ import annotations

from functools import partial

from lucky_fern.core.arrays import F32, F64, Bool
from lucky_fern.core.compositing.between import read_between
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_rect
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet


class Still:
    """Maps of a project that does not change any more; chunks are composited when they are first asked for."""

    def __init__(self, sources: Sources, project: Project, under: int | None = None, with_it: bool = False) -> None:
        """``under`` names a layer: only what lies below it (``with_it``: and the layer) counts."""
        self.sources, self.project, self.under, self.with_it = sources, project, under, with_it
        self.chunks: dict[tuple[str, SheetKey, Chunk], F32] = {}

    def sheet(self, key: SheetKey) -> Sheet:
        return self.sources.surface.sheet(key, self.project.size_of(key))

    def chunk(self, name: str, key: SheetKey, chunk: Chunk) -> F32:
        """(r, c, n) float32 values of a chunk of a map, colours sRGB-encoded."""
        at = (name, key, chunk)
        if at not in self.chunks:
            sheet = self.sheet(key)
            rect = rect_of(chunk, sheet.size)
            self.chunks[at] = composite_rect(
                self.sources, self.project, name, sheet, rect, under=self.under, with_it=self.with_it
            )
        return self.chunks[at]

    def read(self, name: str, key: SheetKey, x: F64, y: F64) -> tuple[F32, Bool]:
        """Values (N, n) at places of a sheet in texels (x right, y down), and (N,) whether there is any surface.

        Between the four texels round it, as far as they belong to an island.
        """
        return read_between(
            self.sources, self.sheet(key), partial(self.chunk, name, key), x, y, None, MAPS[name].components
        )
