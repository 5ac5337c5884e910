"""A picture made to repeat: near its borders it shows what lies half a picture away, joined where they differ least.

The joint is the cheapest path through their difference (A. A. Efros and W. T. Freeman, "Image Quilting for Texture
Synthesis and Transfer", 2001); what is coarse is faded over the whole overlap, what is fine changes at the joint.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any, cast

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I64, U8, U16, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.errors import PictureError
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import Tile
from lucky_fern.words import tr

_FEATHER = 2.0  # pixels either side of a joint


class Repeating(OpRow):
    def apply(self, state: State, op: Tile) -> State:
        if min(state.size) < 4:
            raise PictureError(tr("a picture of {wide} × {high} pixels is too small to be made to repeat",
                                  wide=state.size[0], high=state.size[1]))  # fmt: skip
        rgba = state.rgba.copy()
        for _ in range(2):  # columns, then rows as columns
            _across(rgba, op.overlap)
            rgba = _turned(rgba)
        return replace(state, rgba=rgba)


def _turned(rgba: U8 | U16) -> U8 | U16:
    """Rows as columns."""
    made: Any = cv2.transpose(rgba)
    return cast("U8 | U16", made)


def _across(rgba: U8 | U16, overlap: float) -> None:
    """Left made to meet right, in place: within the overlap of each border it is the picture half a width away."""
    columns = rgba.shape[1]
    width = min(max(2, round(overlap * columns)), columns // 2)
    # At its own border, what is half a width away goes on over to the other side.
    half = columns // 2
    far_left, far_right = rgba[:, half : half + width].copy(), cv2.flip(rgba[:, half - width : half], 1)
    rgba[:, :width] = _joined(far_left, rgba[:, :width].copy())
    right = cv2.flip(rgba[:, columns - width :], 1)
    rgba[:, columns - width :] = cv2.flip(_joined(np.asarray(far_right), np.asarray(right)), 1)


def _joined(first: Array, second: Array) -> Array:
    """Two pictures of one size put together: the first at its left border, the second at its right."""
    top = np.iinfo(first.dtype).max
    rows, width = first.shape[:2]
    planes, others = cv2.split(first), cv2.split(second)
    cost = np.zeros((rows, width), np.float32)
    for one, other in zip(planes, others, strict=True):
        cost += cv2.absdiff(one, other)
    cost /= np.float32(top)
    margin = min(2, (width - 1) // 2)  # the joint keeps away from either border
    cost[:, :margin] = cost[:, width - margin :] = np.float32(1e6)
    # It ends where it begins, for its own two ends meet too once the picture repeats.
    begin = int(_cheapest(cost, 2)[0])
    cost[0] = cost[-1] = np.float32(1e6)
    cost[0, begin] = cost[-1, begin] = 0
    joint = _cheapest(cost, 1)
    del cost
    place = np.arange(width, dtype=np.float32)[None, :]
    sharp = np.clip((place - joint[:, None].astype(np.float32)) / np.float32(2 * _FEATHER) + np.float32(0.5), 0, 1)
    ramp = np.clip((place - margin) / np.float32(max(width - 1 - 2 * margin, 1)), 0, 1)
    slow = np.broadcast_to(ramp * ramp * (3 - 2 * ramp), sharp.shape)
    sharp[:, 0], sharp[:, -1] = 0, 1
    out = np.empty_like(first)
    radius = max(width / 8, 1.0)
    for k in range(4):
        value, off = planes[k].astype(np.float32), others[k].astype(np.float32)
        off -= value
        coarse = _coarse(off, radius)  # is faded; the rest changes at the joint
        off -= coarse
        off *= sharp
        coarse *= slow
        value += off
        value += coarse
        value += np.float32(0.5)
        out[..., k] = np.clip(value, 0, top, out=value).astype(first.dtype)
    return out


def _coarse(values: F32, radius: float) -> F32:
    """Blurred by a standard deviation of many pixels: in a smaller copy, which is as good."""
    rows, columns = values.shape
    by = max(1, int(radius / 3))
    size = max(1, columns // by), max(1, rows // by)
    small = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    side = 2 * int(2 * radius / by + 1) + 1
    small = cv2.GaussianBlur(small, (side, side), radius / by, borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.resize(small, (columns, rows), interpolation=cv2.INTER_LINEAR), np.float32)


@kernel
def _cheapest(cost: Array, rounds: int) -> I64:
    """(rows,) the column of the cheapest path from the first row to the last, one column aside a row at most.

    With two rounds the path goes through all rows twice, and its second time is told.
    """
    rows, columns = cost.shape
    before, total = cost[0].copy(), np.empty(columns, np.float32)
    way = np.zeros((rows * rounds, columns), np.int8)
    for r in range(1, rows * rounds):
        for c in range(columns):
            best, step = before[c], 0
            if c > 0 and before[c - 1] < best:
                best, step = before[c - 1], -1
            if c + 1 < columns and before[c + 1] < best:
                best, step = before[c + 1], 1
            total[c] = cost[r % rows, c] + best
            way[r, c] = step
        before[:] = total
    path = np.empty(rows, np.int64)
    c = int(np.argmin(before))
    for r in range(rows * rounds - 1, -1, -1):
        if r >= rows * (rounds - 1):
            path[r - rows * (rounds - 1)] = c
        c += way[r, c]
    return path
