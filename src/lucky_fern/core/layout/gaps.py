"""How close islands lie on a sheet, in texels: too close, and each other's colours bleed in at a distance."""

from __future__ import annotations

import cv2
import numpy as np

from lucky_fern.core.arrays import I32
from lucky_fern.core.parallel import for_each
from lucky_fern.core.sheets.grid import Chunk, all_chunks, span
from lucky_fern.core.sheets.sheet import Sheet

NEEDED = 4  # texels between two islands: two each, for bilinear sampling and the first mip


def tight_gaps(sheet: Sheet, needed: int = NEEDED) -> tuple[int, I32]:
    """The smallest gap between two islands of a sheet, and the islands with one below ``needed``.

    Returns
    -------
    gap : texels between the two that are closest (0: they touch); ``needed`` if none is closer.
    islands : (N,) int32, the model's numbers, those on both sides of a gap that is too small.
    """
    number = np.full(sheet.size.shape, -1, np.int32)
    islands = sheet.model.islands[sheet.triangle]

    def mark(chunk: Chunk) -> None:
        owner = sheet.owners(chunk)
        number[span(chunk, sheet.size)] = np.where(owner >= 0, islands[owner], -1)

    for_each(mark, all_chunks(sheet.size))
    covered = number >= 0
    if covered.all() or not covered.any():
        distance, nearest = np.zeros(number.shape, np.float32), number
    else:
        distance, label = cv2.distanceTransformWithLabels(
            (~covered).astype(np.uint8), cv2.DIST_L1, 3, labelType=cv2.DIST_LABEL_PIXEL
        )
        names = np.full(int(label.max()) + 1, -1, np.int32)
        names[label[covered]] = number[covered]
        nearest = names[label]
    gap, tight = needed, set[int]()
    for axis in range(2):
        here = (slice(None), slice(None, -1)) if axis else (slice(None, -1), slice(None))
        there = (slice(None), slice(1, None)) if axis else (slice(1, None), slice(None))
        between = distance[here] + distance[there]
        close = (nearest[here] != nearest[there]) & (between < needed)
        if close.any():
            gap = min(gap, int(between[close].min()))
            tight.update(np.unique(nearest[here][close]).tolist(), np.unique(nearest[there][close]).tolist())
    return gap, np.array(sorted(tight - {-1}), np.int32)
