"""A tree of boxes over triangles, so that a ray looks at the few that lie on its way."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Bool
from lucky_fern.core.compiled import kernel

_LEAF = 4  # triangles in a box of the lowest level
_DEEP = 64  # boxes that wait to be looked into: more than any tree is deep
_ROUNDING = 1e-9  # by how much of the whole boxes are widened


class Tree(NamedTuple):
    """A complete binary tree: box 1 is the whole, boxes 2 n and 2 n + 1 share what is in box n.

    ``low`` and ``high`` (N, 3) float64 are corners of boxes; ``order`` (T,) int32 are the triangles (T, 3, 3) of
    ``corners`` as the leaves hold them, four by four.
    """

    corners: F64
    order: I32
    low: F64
    high: F64

    def nearest(
        self, origin: F64, direction: F64, behind: float = 0.0, shown: Bool | None = None, front: bool = False
    ) -> tuple[int, float, float]:
        """The first triangle on a ray further than ``behind``, and the weights of its second and third corner.

        -1 where the ray meets none of those that are ``shown`` ((T,) bool), or of their fronts alone.
        Reference: T. Möller and B. Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection", 1997.
        """
        every = np.zeros(0, np.bool_) if shown is None else shown
        found: tuple[int, float, float] = _nearest(
            self, np.asarray(origin, np.float64), np.asarray(direction, np.float64), behind, every, front
        )
        return found

    def about(self, origin: F64, direction: F64, wide: float, least: float) -> I32:
        """Rows of triangles, rising, with all those that come nearer than ``wide`` to a line through ``origin``.

        ``direction`` is its unit direction; what lies before ``least`` along it is left out. Some others may be among
        them: whole boxes are looked at.
        """
        found = np.empty(len(self.order), np.int32)
        count = _about(self, np.asarray(origin, np.float64), np.asarray(direction, np.float64), wide, least, found)
        return np.sort(found[:count])


def tree_of(corners: F64) -> Tree:
    """The tree over triangles (T, 3, 3); neighbours along a Morton curve through their middles share boxes."""
    count = len(corners)
    leaves = 1
    while leaves * _LEAF < count:
        leaves *= 2
    low, high = np.full((2 * leaves, 3), np.inf), np.full((2 * leaves, 3), -np.inf)
    if not count:
        return Tree(np.zeros((0, 3, 3)), np.zeros(0, np.int32), low, high)
    middle = corners.mean(axis=1)
    start, extent = middle.min(axis=0), np.ptp(middle, axis=0)
    steps = ((middle - start) / np.where(extent > 0, extent, 1.0) * 0x1FFFFF).astype(np.int64)
    code = _spread(steps[:, 0]) | _spread(steps[:, 1]) << 1 | _spread(steps[:, 2]) << 2
    order = np.argsort(code, kind="stable").astype(np.int32)
    room = _ROUNDING * float(np.linalg.norm(corners.max(axis=(0, 1)) - corners.min(axis=(0, 1))))
    corners = np.ascontiguousarray(corners, np.float64)
    _put_boxes(corners, order, leaves, room, low, high)
    return Tree(corners, order, low, high)


def _spread(value: I64) -> I64:
    """Bits of 21-bit numbers, two places apart."""
    for shift, mask in (
        (32, 0x1F00000000FFFF), (16, 0x1F0000FF0000FF), (8, 0x100F00F00F00F00F), (4, 0x10C30C30C30C30C3),
        (2, 0x1249249249249249),
    ):  # fmt: skip
        value = (value | value << shift) & mask
    return value


@kernel
def _put_boxes(corners: F64, order: I32, leaves: int, room: float, low: F64, high: F64) -> None:
    """Boxes of the leaves, widened by ``room``, then of all that hold them."""
    for n in range(len(order)):
        box = leaves + n // _LEAF
        for k in range(3):
            for axis in range(3):
                value = corners[order[n], k, axis]
                low[box, axis] = min(low[box, axis], value - room)
                high[box, axis] = max(high[box, axis], value + room)
    for box in range(leaves - 1, 0, -1):
        for axis in range(3):
            low[box, axis] = min(low[2 * box, axis], low[2 * box + 1, axis])
            high[box, axis] = max(high[2 * box, axis], high[2 * box + 1, axis])


@kernel
def _about(tree: Tree, origin: F64, direction: F64, wide: float, least: float, found: I32) -> int:
    """Into ``found``: the triangles of all lowest boxes whose ball meets the half of a cylinder; how many."""
    bottom, top, order = tree.low, tree.high, tree.order  # once: each look in the loop would count references
    leaves = len(bottom) // 2
    waiting = np.empty(_DEEP, np.int64)
    waiting[0], count, number = 1, 1, 0
    while count:
        count -= 1
        box = waiting[count]
        if bottom[box, 0] > top[box, 0]:
            continue  # nothing is in it
        along, square, size = 0.0, 0.0, 0.0
        for axis in range(3):
            offset = (bottom[box, axis] + top[box, axis]) / 2 - origin[axis]
            along += offset * direction[axis]
            square += offset * offset
            size += (top[box, axis] - bottom[box, axis]) ** 2
        radius = np.sqrt(size) / 2 * (1 + _ROUNDING)
        aside = np.sqrt(max(square - along * along, 0.0))
        # Far from the line the difference of two squares has few digits left.
        if aside > wide + radius + _ROUNDING * np.sqrt(square) * 1e3 or along + radius < least:
            continue
        if box < leaves:
            waiting[count], waiting[count + 1] = 2 * box, 2 * box + 1
            count += 2
            continue
        start = (box - leaves) * _LEAF
        for n in range(start, min(start + _LEAF, len(order))):
            found[number] = order[n]
            number += 1
    return number


@kernel
def _enters(low: F64, high: F64, origin: F64, direction: F64) -> float:
    """How far along a ray a box begins; infinity where it is missed, less than 0 where the ray begins in it."""
    first, last = -np.inf, np.inf
    for axis in range(3):
        if direction[axis] == 0.0:
            if origin[axis] < low[axis] or origin[axis] > high[axis]:
                return np.inf
            continue
        a, b = (low[axis] - origin[axis]) / direction[axis], (high[axis] - origin[axis]) / direction[axis]
        first, last = max(first, min(a, b)), min(last, max(a, b))
    return first if first <= last and last >= 0.0 else np.inf


@kernel
def _nearest(
    tree: Tree, origin: F64, direction: F64, behind: float, shown: Bool, front: bool
) -> tuple[int, float, float]:
    best, found, best_b, best_c = np.inf, -1, 0.0, 0.0
    dx, dy, dz = direction[0], direction[1], direction[2]
    bottom, top, order = tree.low, tree.high, tree.order  # once: each look in the loop would count references
    leaves = len(bottom) // 2
    waiting = np.empty(_DEEP, np.int64)
    waiting[0], count = 1, 1
    while count:
        count -= 1
        box = waiting[count]
        if _enters(bottom[box], top[box], origin, direction) > best:
            continue
        if box < leaves:
            near, far = 2 * box, 2 * box + 1
            a = _enters(bottom[near], top[near], origin, direction)
            b = _enters(bottom[far], top[far], origin, direction)
            if b < a:
                near, far, a, b = far, near, b, a
            if b <= best and b < np.inf:
                waiting[count] = far
                count += 1
            if a <= best and a < np.inf:
                waiting[count] = near
                count += 1
            continue
        start = (box - leaves) * _LEAF
        for n in range(start, min(start + _LEAF, len(order))):
            t = order[n]
            if len(shown) and not shown[t]:
                continue
            c = tree.corners[t]
            ax, ay, az = c[0, 0], c[0, 1], c[0, 2]
            ux, uy, uz = c[1, 0] - ax, c[1, 1] - ay, c[1, 2] - az
            vx, vy, vz = c[2, 0] - ax, c[2, 1] - ay, c[2, 2] - az
            px, py, pz = dy * vz - dz * vy, dz * vx - dx * vz, dx * vy - dy * vx
            det = ux * px + uy * py + uz * pz
            if abs(det) < 1e-300 or (front and det < 0):
                continue
            sx, sy, sz = origin[0] - ax, origin[1] - ay, origin[2] - az
            wb = (sx * px + sy * py + sz * pz) / det
            if wb < 0.0 or wb > 1.0:
                continue
            qx, qy, qz = sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux
            wc = (dx * qx + dy * qy + dz * qz) / det
            if wc < 0.0 or wb + wc > 1.0:
                continue
            along = (vx * qx + vy * qy + vz * qz) / det
            # Of several as near as each other the first of the file answers.
            if along > behind and (along < best or (along == best and t < found)):
                best, found, best_b, best_c = along, t, wb, wc
    return found, best_b, best_c
