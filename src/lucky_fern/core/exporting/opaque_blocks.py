"""Blocks of BC7 that are opaque to the last step, in its mode of one line of sixteen colours.

Reference: "BC7 Format Mode Reference" of Direct3D 11, mode 6: two ends of 7 bits a component and one shared bit each.
An alpha of 255 needs that bit in both ends, so colours of the ends are odd.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, U8, Array
from lucky_fern.core.compiled import kernel

# How far along the line each of the sixteen lies, of 64.
_WEIGHTS = np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64], np.int64)
_ROUNDS = 4  # of fitting the ends to what chose them
_MODE_BITS, _END_BITS = 7, 7


def opaque_line_blocks(tiles: U8) -> tuple[U8, F64]:
    """Blocks (N, 16) uint8 of (N, 4, 4, 4) uint8 RGBA whose alpha is 255, and their squared errors (N,) float64."""
    texels = np.ascontiguousarray(tiles[..., :3]).reshape(-1, 16, 3)
    ends, chosen = np.zeros((len(texels), 2, 3), np.int64), np.zeros((len(texels), 16), np.int64)
    error = np.zeros(len(texels))
    _fit(texels, _WEIGHTS, ends, chosen, error)
    return _written(ends, chosen), error


@kernel
def _fit(texels: U8, weights: Array, ends: Array, chosen: Array, error: F64) -> None:
    """Ends in 7 bits (N, 2, 3) and steps (N, 16): the axis of most change, then least squares, then single steps."""
    pick, trial = np.zeros(16, np.int64), np.zeros((2, 3), np.int64)
    for at in range(len(texels)):
        block = texels[at].astype(np.float64)
        mean = np.array([block[:, k].mean() for k in range(3)])
        axis = np.ones(3)
        spread = np.zeros((3, 3))
        for n in range(16):
            for i in range(3):
                for j in range(3):
                    spread[i, j] += (block[n, i] - mean[i]) * (block[n, j] - mean[j])
        for i in range(3):  # begins where the change is largest, never at right angles to it
            if spread[i, i] >= max(spread[0, 0], spread[1, 1], spread[2, 2]):
                axis = spread[i].copy()
        for _ in range(8):
            axis = spread @ axis
            size = np.sqrt((axis * axis).sum())
            axis = axis / size if size > 0 else np.array([1.0, 0.0, 0.0])
        low, high = np.inf, -np.inf
        for n in range(16):
            along = ((block[n] - mean) * axis).sum()
            low, high = min(low, along), max(high, along)
        one, other = mean + low * axis, mean + high * axis
        best = np.inf
        for _ in range(_ROUNDS):
            for k in range(3):
                trial[0, k] = min(max(round((one[k] - 1) / 2), 0), 127)
                trial[1, k] = min(max(round((other[k] - 1) / 2), 0), 127)
            found = _chosen(texels[at], trial, weights, pick)
            if found < best:
                best = found
                ends[at], chosen[at] = trial, pick
            aa, ab, bb = 0.0, 0.0, 0.0
            right = np.zeros((2, 3))
            for n in range(16):
                w = weights[pick[n]] / 64.0
                aa, ab, bb = aa + (1 - w) ** 2, ab + w * (1 - w), bb + w * w
                right[0] += (1 - w) * block[n]
                right[1] += w * block[n]
            whole = aa * bb - ab * ab
            if whole < 1e-9:
                break
            one, other = (bb * right[0] - ab * right[1]) / whole, (aa * right[1] - ab * right[0]) / whole
        for _ in range(_ROUNDS):
            before = best
            for end in range(2):
                for k in range(3):
                    for step in (-1, 1):
                        trial[:] = ends[at]
                        trial[end, k] = min(max(trial[end, k] + step, 0), 127)
                        found = _chosen(texels[at], trial, weights, pick)
                        if found < best:
                            best = found
                            ends[at], chosen[at] = trial, pick
            if best == before:
                break
        error[at] = best


@kernel
def _chosen(block: U8, ends: Array, weights: Array, pick: Array) -> float:
    """The nearest step of the line for each texel (16, 3), and the squared error of all."""
    total = 0.0
    for n in range(16):
        least = np.inf
        for w in range(16):
            off = 0.0
            for k in range(3):
                a, b = 2 * ends[0, k] + 1, 2 * ends[1, k] + 1
                value = ((64 - weights[w]) * a + weights[w] * b + 32) >> 6
                off += (value - block[n, k]) ** 2
            if off < least:
                least, pick[n] = off, w
        total += least
    return total


def _written(ends: Array, chosen: Array) -> U8:
    """The 128 bits of each block; the first texel's step has three bits, so its line may run the other way."""
    turned = chosen[:, 0] >= 8
    ends, chosen = ends.copy(), chosen.copy()
    ends[turned], chosen[turned] = ends[turned][:, ::-1], 15 - chosen[turned]
    bits = np.zeros((len(ends), 128), np.uint8)
    bits[:, _MODE_BITS - 1] = 1  # mode 6

    def put(start: int, width: int, values: Array) -> int:
        bits[:, start : start + width] = (values[:, None] >> np.arange(width)) & 1
        return start + width

    at = _MODE_BITS
    opaque = np.full(len(ends), 127)
    for component in range(4):
        for end in range(2):
            at = put(at, _END_BITS, ends[:, end, component] if component < 3 else opaque)
    for _ in range(2):
        at = put(at, 1, np.ones(len(ends), np.int64))
    for texel in range(16):
        at = put(at, 4 if texel else 3, chosen[:, texel])
    return np.packbits(bits, axis=1, bitorder="little")
