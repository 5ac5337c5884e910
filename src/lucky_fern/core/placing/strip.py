"""A picture read at many places, each with a footprint of its own."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import CUT, SMOOTH, Levels, footprint, sample


def sampled(pyramid: Pyramid, s: F64, t: F64, wide: F64, tall: F64, encode: bool) -> U16:
    """(N, 4) uint16 straight RGBA of a picture at places (N,) from its left and its top; nothing outside it.

    ``wide`` and ``tall`` (N,) are how much of the picture a place stands for; ``encode`` writes light as sRGB.
    """
    out = np.zeros((len(s), 4), np.uint16)
    _sampled(pyramid.levels, s, t, wide, tall, encode, ENCODE_16, out)
    return out


@kernel
def _sampled(levels: Levels, s: F64, t: F64, wide: F64, tall: F64, encode: bool, table: U16, out: U16) -> None:
    for n in range(len(s)):
        if not (0.0 <= s[n] <= 1.0 and 0.0 <= t[n] <= 1.0):
            continue
        how = footprint(levels.offset, levels.width, levels.height, wide[n], 0.0, 0.0, tall[n], SMOOTH)
        red, green, blue, alpha = sample(levels.texels, levels.offset, levels.width, levels.height, how, s[n], t[n],
                                         wide[n], 0.0, 0.0, tall[n], CUT)  # fmt: skip
        if alpha <= 0.0:
            continue
        f = 65535.0 / alpha
        red, green, blue = min(red * f + 0.5, 65535.0), min(green * f + 0.5, 65535.0), min(blue * f + 0.5, 65535.0)
        if encode:
            out[n, 0], out[n, 1], out[n, 2] = table[int(red)], table[int(green)], table[int(blue)]
        else:
            out[n, 0], out[n, 1], out[n, 2] = int(red), int(green), int(blue)
        out[n, 3] = int(alpha * 65535.0 + 0.5)
