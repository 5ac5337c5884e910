"""Which face is seen at which pixel, and the faces inside a shape drawn on the screen."""

from __future__ import annotations

import cv2
import numpy as np

from lucky_fern.core.arrays import F64, I32, U8, Bool
from lucky_fern.core.compiled import kernel


def nearest_faces(screen: F64, width: int, height: int, shown: Bool | None = None) -> I32:
    """(height, width) int32, the face nearest to who looks at each pixel; -1 where there is none.

    Parameters
    ----------
    screen : (T, 3, 3) corners as x and y in pixels (y down) and depth, nearer being smaller; faces with a
        corner that is no number, or behind who looks, are not seen.
    shown : (T,) bool, which faces are there at all.
    """
    owner = np.full((height, width), -1, np.int32)
    depth = np.full((height, width), np.inf)
    there = np.isfinite(screen).all(axis=(1, 2))
    if shown is not None:
        there &= shown
    _fill(np.ascontiguousarray(screen), np.flatnonzero(there).astype(np.int32), owner, depth)
    return owner


@kernel
def _fill(screen: F64, rows: I32, owner: I32, depth: F64) -> None:
    height, width = owner.shape
    for n in range(len(rows)):
        t = rows[n]
        x0, y0, z0 = screen[t, 0, 0], screen[t, 0, 1], screen[t, 0, 2]
        ax, ay, az = screen[t, 1, 0] - x0, screen[t, 1, 1] - y0, screen[t, 1, 2] - z0
        bx, by, bz = screen[t, 2, 0] - x0, screen[t, 2, 1] - y0, screen[t, 2, 2] - z0
        area = ax * by - ay * bx
        if area == 0:
            continue
        left, right = max(int(x0 + min(0.0, ax, bx)), 0), min(int(x0 + max(0.0, ax, bx)), width - 1)
        top, bottom = max(int(y0 + min(0.0, ay, by)), 0), min(int(y0 + max(0.0, ay, by)), height - 1)
        inverse = 1.0 / area
        for row in range(top, bottom + 1):
            py = row + 0.5 - y0
            for column in range(left, right + 1):
                px = column + 0.5 - x0
                wb, wc = (px * by - py * bx) * inverse, (ax * py - ay * px) * inverse
                if wb < 0 or wc < 0 or wb + wc > 1:
                    continue
                z = z0 + wb * az + wc * bz
                if z < depth[row, column]:
                    depth[row, column] = z
                    owner[row, column] = t


def inside(outline: F64, width: int, height: int) -> U8:
    """(height, width) uint8, 1 inside a closed outline (N, 2) in pixels."""
    mask = np.zeros((height, width), np.uint8)
    cv2.fillPoly(mask, [np.round(outline).astype(np.int32)], 1)
    return mask


def disc(point: F64, radius: float, width: int, height: int) -> U8:
    """(height, width) uint8, 1 within ``radius`` pixels of a point, that pixel always among them."""
    y, x = np.ogrid[0:height, 0:width]
    mask: U8 = ((x + 0.5 - point[0]) ** 2 + (y + 0.5 - point[1]) ** 2 <= radius * radius).astype(np.uint8)
    column, row = int(point[0]), int(point[1])
    if 0 <= row < height and 0 <= column < width:
        mask[row, column] = 1
    return mask


def stroke(start: F64, end: F64, radius: float, width: int, height: int) -> U8:
    """(height, width) uint8, 1 where a disc passes on its way between two points."""
    mask = disc(end, radius, width, height)
    across = max(round(2 * radius), 1)
    first, last = (tuple(round(float(v)) for v in point) for point in (start, end))
    cv2.line(mask, first, last, 1, across)
    return mask


def faces_at(owner: I32, mask: U8, screen: F64, through: bool, shown: Bool | None = None) -> Bool:
    """(T,) bool, the faces seen under a mask; ``through`` also takes those hidden behind others."""
    chosen = np.zeros(len(screen), np.bool_)
    seen = owner[mask > 0]
    chosen[seen[seen >= 0]] = True
    if not through:
        return chosen
    middle = screen.mean(axis=1)
    there = np.isfinite(middle).all(axis=1)
    x, y = (np.where(there, middle[:, k], -1).astype(np.int64) for k in range(2))
    there &= (x >= 0) & (y >= 0) & (x < mask.shape[1]) & (y < mask.shape[0])
    there[there] = mask[y[there], x[there]] > 0
    if shown is not None:
        there &= shown
    return np.asarray(chosen | there, np.bool_)
