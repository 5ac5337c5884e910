"""Masks grown, shrunk and evened out, over the surface: neither an island's border nor a seam is an edge."""

from __future__ import annotations

import cv2
import numpy as np

from lucky_fern.core.arrays import F32
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.effects import smoothed

_LARGEST = 8  # texels; growing by a disc twice is growing by one twice as large, and quicker


def grown(values: F32, texels: int, around: Islands) -> F32:
    """(r, c) values, each the largest (below 0: the smallest) within a disc over the surface."""

    def grow(mine: F32) -> F32:
        left = abs(texels)
        while left > 0:
            radius = min(left, _LARGEST)
            work = cv2.dilate if texels > 0 else cv2.erode
            mine = np.asarray(work(mine, _disc(radius), borderType=cv2.BORDER_REPLICATE), np.float32)
            left -= radius
        return mine

    out = np.zeros_like(values)
    beyond = np.float32(0.0 if texels > 0 else 1.0)
    for island in around.each(values[..., None], abs(texels)):
        made = grow(np.where(island.known, island.values[..., 0], beyond))[island.inner]
        out[island.box][island.mine] = made[island.mine]
    return out


def evened(values: F32, radius: float, around: Islands) -> F32:
    """(r, c) values whose edges run smoothly, and as sharply as before; ``radius`` in texels.

    Blurred (a Gaussian of that standard deviation), then spread again about the middle between the smallest and the
    largest value near by, until an edge is a texel wide. What is even stays as it is.
    """
    reach = int(np.ceil(2 * radius))
    soft = smoothed(values[..., None], radius, around)[..., 0]
    low, high = grown(values, -reach, around), grown(values, reach, around)
    room = np.maximum(high - low, np.float32(1e-6))
    steep = np.float32(max(radius * np.sqrt(2 * np.pi), 1.0))
    share = np.clip(((soft - low) / room - np.float32(0.5)) * steep + np.float32(0.5), 0, 1)
    return np.asarray(low + share * (high - low), np.float32)


def _disc(radius: int) -> np.ndarray:
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    return np.asarray(x * x + y * y <= (radius + 0.25) ** 2).astype(np.uint8)
