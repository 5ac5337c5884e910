"""The stack as it stands at one moment, read between texels: what is cloned and smeared comes from there."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, Bool
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_rect
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, chunks_across
from lucky_fern.core.sheets.region import Rect, gathered, rect_of
from lucky_fern.core.sheets.sheet import Sheet

_MARGIN = 1  # texels round a chunk, which reading at its border needs


class Still:
    """Maps of a project that does not change any more; chunks are composited when they are first asked for."""

    def __init__(self, sources: Sources, project: Project) -> None:
        self.sources, self.project = sources, project
        self._regions: dict[tuple[str, SheetKey, Chunk], F32] = {}
        self._inside: dict[tuple[SheetKey, Chunk], Bool] = {}

    def sheet(self, key: SheetKey) -> Sheet:
        return self.sources.surface.sheet(key, self.project.size_of(key))

    def chunk(self, name: str, key: SheetKey, chunk: Chunk) -> F32:
        """(r, c, n) float32 values of a chunk of a map, colours sRGB-encoded."""
        sheet = self.sheet(key)
        return composite_rect(self.sources, self.project, name, sheet, rect_of(chunk, sheet.size), None)

    def region(self, name: str, key: SheetKey, chunk: Chunk, rect: Rect) -> F32:
        """A chunk with its margin."""
        at = (name, key, chunk)
        if at not in self._regions:
            self._regions[at] = composite_rect(self.sources, self.project, name, self.sheet(key), rect, None)
        return self._regions[at]

    def read(self, name: str, key: SheetKey, x: F64, y: F64) -> tuple[F32, Bool]:
        """Values (N, n) at places of a sheet in texels (x right, y down), and (N,) whether there is any surface.

        Between the four texels round it, as far as they belong to an island.
        """
        sheet = self.sheet(key)
        size, last = sheet.size, chunks_across(sheet.size) - 1
        out = np.zeros((len(x), MAPS[name].components), np.float32)
        found = np.zeros(len(x), np.bool_)
        row = np.clip(y // CHUNK, 0, last).astype(np.int64)
        column = np.clip(x // CHUNK, 0, last).astype(np.int64)
        code = row * (last + 1) + column
        for cell in np.unique(code):
            chunk = Chunk(int(cell) // (last + 1), int(cell) % (last + 1))
            rect = rect_of(chunk, size).grown(_MARGIN, size)
            mine = np.flatnonzero(code == cell)
            values, there = np.empty((len(mine), out.shape[1]), np.float32), np.empty(len(mine), np.bool_)
            _between(
                self.region(name, key, chunk, rect), self._islands(key, chunk, rect),
                x[mine] - rect.left - 0.5, y[mine] - rect.top - 0.5, values, there,
            )  # fmt: skip
            out[mine], found[mine] = values, there
        return out, found

    def _islands(self, key: SheetKey, chunk: Chunk, rect: Rect) -> Bool:
        if (key, chunk) not in self._inside:
            sheet = self.sheet(key)
            owner = gathered(
                rect, sheet.size, np.array(-1, np.int32), lambda one: self.sources.owners(sheet, one)
            )  # fmt: skip
            assert owner is not None
            self._inside[key, chunk] = owner >= 0
        return self._inside[key, chunk]


@kernel
def _between(region: F32, inside: Bool, x: F64, y: F64, out: F32, found: Bool) -> None:
    rows, columns, count = region.shape
    for n in range(len(x)):
        i, j = int(np.floor(x[n])), int(np.floor(y[n]))
        fx, fy = x[n] - i, y[n] - j
        total = 0.0
        for c in range(count):
            out[n, c] = 0.0
        for k in range(4):
            a, b = i + k % 2, j + k // 2
            if a < 0 or b < 0 or a >= columns or b >= rows or not inside[b, a]:
                continue
            weight = (fx if k % 2 else 1.0 - fx) * (fy if k // 2 else 1.0 - fy)
            total += weight
            for c in range(count):
                out[n, c] += weight * region[b, a, c]
        found[n] = total > 1e-6
        if found[n]:
            for c in range(count):
                out[n, c] /= total
