"""A first, coarse answer: maps composited on smaller sheets and shown enlarged until the fine ones are there."""

from __future__ import annotations

from collections.abc import Callable

import cv2
from msgspec.structs import replace

from lucky_fern.core.compositing.compositor import Dirty, MapKey, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.tree import with_effects_scaled
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, span

_LEAST = 16  # texels across and down, if there are as many
COARSER = 8  # times fewer texels across: a chunk costs a 64th


def coarse_size(size: Extent) -> Extent:
    """The smaller sheet that stands for one of ``size``."""
    return Extent(*(min(max(one // COARSER, _LEAST), one) for one in (size.width, size.height)))


class Coarse:
    """Works on the same sources as the fine maps; what it drew last is kept."""

    def __init__(self, sources: Sources) -> None:
        self._small = MapStore(sources)

    def fill(
        self,
        project: Project,
        wanted: Dirty,
        into: MapStore,
        cancelled: Callable[[], bool],
        told: Callable[[MapKey, set[Chunk]], None],
        focus: int | None = None,
    ) -> None:
        """Fill the ``wanted`` chunks of fine maps with coarse values, telling of each map as it is done.

        ``focus`` is the layer being edited (see :func:`~.stack.composite_rect`).

        Raises
        ------
        Cancelled
            Between two chunks; maps that were told of stay filled.
        """
        small = self._smaller(project, {key.sheet for key in wanted})
        for key, chunks in wanted.items():
            fine, coarse = project.size_of(key.sheet), small.size_of(key.sheet)
            boxes = {chunk: _box(chunk, fine, coarse) for chunk in chunks}
            needed = {part for box in boxes.values() for part in _chunks_of(*box)}
            self._small.update(small, key, sorted(needed), cancelled, focus)
            source, target = self._small.get(key, coarse), into.get(key, fine)
            for chunk, box in boxes.items():
                shown = target[span(chunk, fine)]
                large = cv2.resize(source[box], (shown.shape[1], shown.shape[0]), interpolation=cv2.INTER_NEAREST)
                shown[:] = large.reshape(shown.shape)
            told(key, set(chunks))

    def _smaller(self, project: Project, sheets: set[SheetKey]) -> Project:
        every = {*sheets, *self._small.sources.surface.keys}  # what is as long as texels are on average asks for all
        sizes = {str(key): coarse_size(project.size_of(key)) for key in every}
        small = replace(project, sheet_sizes={**project.sheet_sizes, **sizes})
        return with_effects_scaled(small, 1 / COARSER)


def _box(chunk: Chunk, fine: Extent, coarse: Extent) -> tuple[slice, slice]:
    """Rows and columns of a coarse sheet that a chunk of the fine one is filled from."""
    rows, columns = (
        slice(part.start * few // many, -(-part.stop * few // many))
        for part, few, many in zip(span(chunk, fine), coarse.shape, fine.shape, strict=True)
    )
    return rows, columns


def _chunks_of(rows: slice, columns: slice) -> list[Chunk]:
    """The chunks that hold a box of texels."""
    down, across = (range(part.start // CHUNK, -(-part.stop // CHUNK)) for part in (rows, columns))
    return [Chunk(row, column) for row in down for column in across]
