"""A chunk halved again and again: the mips that it brings along to the graphics card."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, U8, U16
from lucky_fern.core.colour import DECODE_8, ENCODE_16
from lucky_fern.core.compiled import kernel

LEVELS = 8  # down to one texel a chunk
_TO_LIGHT = DECODE_8 * np.float32(65535)
_PLAIN = np.arange(256, dtype=np.float32) * np.float32(257)


def halvings(pixels: U8, encoded: bool) -> list[U8]:
    """A (n, n, 4) chunk, n a power of two, halved down to one texel by area mean.

    With ``encoded`` the first three components are sRGB and are averaged as light.
    """
    side = pixels.shape[0]
    count = min(LEVELS, side.bit_length() - 1)
    sides = [side >> level for level in range(1, count + 1)]
    flat = np.empty((sum(n * n for n in sides), 4), np.uint8)
    _halve(pixels, count, _TO_LIGHT if encoded else _PLAIN, _PLAIN, encoded, ENCODE_16, flat)
    ends = np.cumsum([n * n for n in sides])
    return [flat[end - n * n : end].reshape(n, n, 4) for n, end in zip(sides, ends, strict=True)]


@kernel
def _halve(pixels: U8, count: int, table: F32, plain: F32, encoded: bool, encode: U16, flat: U8) -> None:
    """Every level from the one before; sums stay in floats of 0…65535."""
    side = pixels.shape[0]
    half = side // 2
    values = np.empty((half, half, 4), np.float32)
    for r in range(half):
        for c in range(half):
            for k in range(4):
                use = plain if k == 3 else table
                total = use[pixels[2 * r, 2 * c, k]] + use[pixels[2 * r, 2 * c + 1, k]]
                total += use[pixels[2 * r + 1, 2 * c, k]] + use[pixels[2 * r + 1, 2 * c + 1, k]]
                values[r, c, k] = total * np.float32(0.25)
    start = 0
    for level in range(count):
        if level:
            half //= 2
            for r in range(half):  # in place: what is read lies never before what is written
                for c in range(half):
                    for k in range(4):
                        total = values[2 * r, 2 * c, k] + values[2 * r, 2 * c + 1, k]
                        total += values[2 * r + 1, 2 * c, k] + values[2 * r + 1, 2 * c + 1, k]
                        values[r, c, k] = total * np.float32(0.25)
        for r in range(half):
            for c in range(half):
                for k in range(4):
                    value = values[r, c, k]
                    if encoded and k < 3:
                        value = np.float32(encode[int(value + np.float32(0.5))])
                    flat[start + r * half + c, k] = np.uint8(value / np.float32(257) + np.float32(0.5))
        start += half * half
