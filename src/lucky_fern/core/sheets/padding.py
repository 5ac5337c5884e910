"""Padding: texels outside every island copy the nearest texel of one."""

from dataclasses import dataclass

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I32, I64, U8, Array, Bool
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent


@dataclass(frozen=True)
class Padding:
    """Which texel outside the islands copies which inside.

    ``target`` and ``source`` (N,) int32 are flat texel numbers, sorted by the source's chunk;
    ``starts`` (chunks + 1,) says where each chunk's sources start; ``reach`` (N,) uint8 is the distance
    in texels, 255 standing for that and more.
    """

    size: Extent
    target: I32
    source: I32
    reach: U8
    starts: I64

    def targets_of(self, chunk: Chunk) -> I32:
        """The texels that copy from a chunk."""
        cell = chunk.row * self.size.across + chunk.column
        return self.target[self.starts[cell] : self.starts[cell + 1]]

    def chunks_fed_by(self, chunks: set[Chunk]) -> set[Chunk]:
        """The chunks in which some texel copies from one of ``chunks``."""
        fed: set[Chunk] = set()
        for chunk in chunks:
            row, column = np.divmod(self.targets_of(chunk), self.size.width)
            cells = np.unique((row // CHUNK) * 65536 + column // CHUNK)
            fed.update(Chunk(int(cell) // 65536, int(cell) % 65536) for cell in cells)
        return fed

    def fill(self, sheet: Array, chunks: set[Chunk] | None = None, loose: Bool | None = None) -> None:
        """Copy, in place, what comes from the given chunks (or all) of a (rows, columns, n) sheet.

        ``loose`` (rows, columns) texels stay as they are; all the rest is filled then.
        """
        flat = sheet.reshape(self.size.texels, -1)
        if loose is not None:
            free = ~loose.ravel()[self.target]
            _copy(flat, self.target[free], self.source[free])
            return
        if chunks is None:
            _copy(flat, self.target, self.source)
            return
        across = self.size.across
        for chunk in chunks:
            cell = chunk.row * across + chunk.column
            part = slice(self.starts[cell], self.starts[cell + 1])
            _copy(flat, self.target[part], self.source[part])

    def limited(self, reach: int) -> Bool:
        """(N,) bool, which of the copies lie within ``reach`` texels (up to 254)."""
        within: Bool = self.reach <= reach
        return within


def nearest_covered(covered: Bool) -> tuple[F32, I32, I32]:
    """How far each texel is from the nearest covered one, a label of that one, both (rows, columns), and the flat
    number of the texel that each label stands for.

    Distances are those of a 5 × 5 chamfer transform (G. Borgefors, "Distance Transformations in Digital
    Images", 1986, as in OpenCV): the texel chosen is at most 5 % further than the nearest, far finer than
    anything that filtering can show.
    """
    distance, label = cv2.distanceTransformWithLabels(
        (~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    position = np.zeros(int(label.max()) + 1, np.int32)
    inside = np.flatnonzero(covered.ravel())
    position[label.ravel()[inside]] = inside
    return np.asarray(distance, np.float32), np.asarray(label, np.int32), position


def plan_padding(covered: Bool) -> Padding:
    """Find the nearest covered texel of every uncovered one (see :func:`nearest_covered`)."""
    size = Extent(covered.shape[1], covered.shape[0])
    if covered.all() or not covered.any():
        empty = np.empty(0, np.int32)
        return Padding(size, empty, empty, np.empty(0, np.uint8), np.zeros(size.across * size.down + 1, np.int64))
    distance, label, position = nearest_covered(covered)
    target = np.flatnonzero(~covered.ravel()).astype(np.int32)
    source = position[label.ravel()[target]]
    reach = np.minimum(np.ceil(distance.ravel()[target]), 255).astype(np.uint8)
    starts, order = _sort_by_chunk(source, size.width, CHUNK, size.across, size.down)
    return Padding(size, target[order], source[order], reach[order], starts)


@kernel
def _copy(texels: Array, target: I32, source: I32) -> None:
    """texels[target] = texels[source], row by row of (N, n)."""
    for n in range(len(target)):
        for i in range(texels.shape[1]):
            texels[target[n], i] = texels[source[n], i]


@kernel
def _sort_by_chunk(source: I32, wide: int, chunk: int, across: int, down: int) -> tuple[I64, I32]:
    """Counting sort of flat texel numbers by chunk; (starts, order)."""
    starts = np.zeros(across * down + 1, np.int64)
    for n in range(len(source)):
        starts[(source[n] // wide // chunk) * across + (source[n] % wide) // chunk + 1] += 1
    starts = np.cumsum(starts)
    fill = starts.copy()
    order = np.empty(len(source), np.int32)
    for n in range(len(source)):
        cell = (source[n] // wide // chunk) * across + (source[n] % wide) // chunk
        order[fill[cell]] = n
        fill[cell] += 1
    return starts, order
