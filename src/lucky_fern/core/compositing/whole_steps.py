"""Filters that give the same bits wherever a rectangle begins and ends.

OpenCV's filters do the last texels of a row, those that fill no whole step of the processor's vectors, by other
instructions, which round otherwise. What a texel comes to must not depend on the rectangle that it was asked in, so
rows are made whole steps long here.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from lucky_fern.core.arrays import F32

_STEP = 64  # texels


def in_whole_steps(values: F32, border: int, work: Callable[[F32], F32]) -> F32:
    """What a filter makes of (r, c[, n]) float32 values; what is added to rows goes on as OpenCV's ``border``."""
    wide = values.shape[1]
    spare = -wide % _STEP
    if spare:
        values = np.asarray(
            cv2.copyMakeBorder(values, 0, 0, 0, spare, border, value=(0.0, 0.0, 0.0, 0.0)), np.float32
        )
    return np.asarray(work(values), np.float32)[:, :wide]
