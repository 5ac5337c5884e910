"""Masks grown, shrunk and evened out, each island by itself: an island's border is no edge."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I32
from lucky_fern.core.compositing.effects import each_island, smoothed

_LARGEST = 8  # texels; growing by a disc twice is growing by one twice as large, and quicker


def grown(values: F32, texels: int, islands: I32) -> F32:
    """(r, c) values, each the largest (below 0: the smallest) within a disc; ``islands`` -1 outside."""

    def grow(mine: F32) -> F32:
        left = abs(texels)
        while left > 0:
            radius = min(left, _LARGEST)
            work = cv2.dilate if texels > 0 else cv2.erode
            mine = np.asarray(work(mine, _disc(radius), borderType=cv2.BORDER_REPLICATE), np.float32)
            left -= radius
        return mine

    return _each(values, islands, abs(texels), 0.0 if texels > 0 else 1.0, grow)


def evened(values: F32, radius: float, islands: I32) -> F32:
    """(r, c) values whose edges run smoothly, and as sharply as before; ``radius`` in texels.

    Blurred (a Gaussian of that standard deviation), then spread again about the middle between the smallest and the
    largest value near by, until an edge is a texel wide. What is even stays as it is.
    """
    reach = int(np.ceil(2 * radius))
    soft = smoothed(values[..., None], radius, islands)[..., 0]
    low, high = grown(values, -reach, islands), grown(values, reach, islands)
    room = np.maximum(high - low, np.float32(1e-6))
    steep = np.float32(max(radius * np.sqrt(2 * np.pi), 1.0))
    share = np.clip(((soft - low) / room - np.float32(0.5)) * steep + np.float32(0.5), 0, 1)
    return np.asarray(low + share * (high - low), np.float32)


def _each(values: F32, islands: I32, reach: int, beyond: float, work: Callable[[F32], F32]) -> F32:
    """Do ``work`` on every island's values with ``beyond`` round them; zero outside all islands."""
    out = np.zeros_like(values)
    for box, mine in each_island(islands, reach):
        made = work(np.where(mine, values[box], np.float32(beyond)))
        out[box][mine] = made[mine]
    return out


def _disc(radius: int) -> np.ndarray:
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    return np.asarray(x * x + y * y <= (radius + 0.25) ** 2).astype(np.uint8)
