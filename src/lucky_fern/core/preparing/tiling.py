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
        rgba = _across(state.rgba, op.overlap)
        return replace(state, rgba=_turned(_across(_turned(rgba), op.overlap)))


def _turned(rgba: U8 | U16) -> U8 | U16:
    """Rows as columns."""
    made: Any = np.ascontiguousarray(rgba.transpose(1, 0, 2))
    return cast("U8 | U16", made)


def _across(rgba: U8 | U16, overlap: float) -> U8 | U16:
    """Left made to meet right: within the overlap of each border it is the picture half a width away."""
    columns = rgba.shape[1]
    width = min(max(2, round(overlap * columns)), columns // 2)
    out = rgba.copy()
    # At its own border, what is half a width away goes on over to the other side.
    far = (np.arange(columns) + columns // 2) % columns
    left, right = np.arange(width), np.arange(columns - 1, columns - 1 - width, -1)
    for at in (left, right):
        out[:, at] = _joined(rgba[:, far[at]], rgba[:, at])
    return out


def _joined(first: U8 | U16, second: U8 | U16) -> U8 | U16:
    """Two pictures of one size put together: the first at its left border, the second at its right."""
    top = np.iinfo(first.dtype).max
    rows, width = first.shape[:2]
    cost = np.zeros((rows, width), np.float32)
    for k in range(4):
        cost += np.abs(first[..., k].astype(np.float32) - second[..., k]) / np.float32(top)
    margin = min(2, (width - 1) // 2)  # the joint keeps away from either border
    cost[:, :margin] = cost[:, width - margin :] = np.float32(1e6)
    # It ends where it begins, for its own two ends meet too once the picture repeats.
    begin = int(_cheapest(np.concatenate([cost, cost]))[rows])
    cost[0] = cost[-1] = np.float32(1e6)
    cost[0, begin] = cost[-1, begin] = 0
    joint = _cheapest(cost)
    place = np.arange(width, dtype=np.float32)[None, :]
    sharp = np.clip((place - joint[:, None].astype(np.float32)) / np.float32(2 * _FEATHER) + np.float32(0.5), 0, 1)
    ramp = np.clip((place - margin) / np.float32(max(width - 1 - 2 * margin, 1)), 0, 1)
    slow = np.broadcast_to(ramp * ramp * (3 - 2 * ramp), sharp.shape)
    sharp[:, 0], sharp[:, -1] = 0, 1
    out = np.empty_like(first)
    radius = max(width / 8, 1.0)
    for k in range(4):
        one, other = first[..., k].astype(np.float32), second[..., k].astype(np.float32)
        coarse = _coarse(other - one, radius)  # is faded; the rest changes at the joint
        value = one + coarse * slow + (other - one - coarse) * sharp
        out[..., k] = np.clip(value + np.float32(0.5), 0, top).astype(first.dtype)
    return out


def _coarse(values: F32, radius: float) -> F32:
    side = 2 * int(2 * radius) + 1
    return np.asarray(cv2.GaussianBlur(values, (side, side), radius, borderType=cv2.BORDER_REFLECT), np.float32)


@kernel
def _cheapest(cost: Array) -> I64:
    """(rows,) the column of the cheapest path from the first row to the last, one column aside a row at most."""
    rows, columns = cost.shape
    total = np.empty((rows, columns), np.float32)
    total[0] = cost[0]
    for r in range(1, rows):
        for c in range(columns):
            best = total[r - 1, c]
            if c > 0 and total[r - 1, c - 1] < best:
                best = total[r - 1, c - 1]
            if c + 1 < columns and total[r - 1, c + 1] < best:
                best = total[r - 1, c + 1]
            total[r, c] = cost[r, c] + best
    path = np.empty(rows, np.int64)
    path[rows - 1] = np.argmin(total[rows - 1])
    for r in range(rows - 2, -1, -1):
        c = path[r + 1]
        best = c
        if c > 0 and total[r, c - 1] < total[r, best]:
            best = c - 1
        if c + 1 < columns and total[r, c + 1] < total[r, best]:
            best = c + 1
        path[r] = best
    return path
