"""Noise over a square that meets itself on all sides: lattices of whole cells, told apart by whole numbers alone."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.compiled import kernel

_FORMS = ("soft", "cells", "ridges")


def tiled(u: F64, v: F64, form: str, cells: int | tuple[int, int], octaves: int, seed: int, pixel: float) -> F64:
    """(rows, columns) values 0 … 1 at (1 or rows, columns) ``u`` and (rows, 1 or columns) ``v``, 0 … 1.

    ``soft``: gradient noise (K. Perlin, "Improving Noise", 2002) on a lattice of ``cells`` along each side that
    repeats; ``ridges``: where it goes through zero; ``cells``: the distance to the nearest of scattered points
    (S. Worley, "A Cellular Texture Basis Function", 1996). Octaves finer than a ``pixel`` shows are left out.
    """
    across, down = (cells, cells) if isinstance(cells, int) else cells
    while octaves > 1 and max(across, down) * 2 ** (octaves - 1) * pixel > 0.5:
        octaves -= 1
    x, y = np.broadcast_arrays(u, v)
    out = np.empty(x.shape)
    kind = _FORMS.index(form)
    _fill(np.ascontiguousarray(x).ravel(), np.ascontiguousarray(y).ravel(), kind, across, down, octaves, seed,
          out.reshape(-1))  # fmt: skip
    if form == "soft":
        out = 0.5 + 0.75 * out
    elif form == "ridges":
        out = 1 - 2 * out
    return np.asarray(np.clip(out, 0, 1))


@kernel
def _hash(x: int, y: int, seed: int) -> int:
    """A whole number of 31 bits for a lattice point."""
    h = np.uint32(seed) * np.uint32(0x9E3779B1)
    h ^= np.uint32(x) * np.uint32(0x85EBCA6B)
    h = (h << np.uint32(13)) | (h >> np.uint32(19))
    h ^= np.uint32(y) * np.uint32(0xC2B2AE35)
    h ^= h >> np.uint32(16)
    h *= np.uint32(0x7FEB352D)
    h ^= h >> np.uint32(15)
    h *= np.uint32(0x846CA68B)
    h ^= h >> np.uint32(16)
    return int(h & np.uint32(0x7FFFFFFF))


@kernel
def _gradient_noise(x: float, y: float, across: int, down: int, seed: int) -> float:
    """−1 … 1, of period ``across`` and ``down``."""
    i, j = int(np.floor(x)), int(np.floor(y))
    x, y = x - i, y - j
    s = x * x * x * (x * (x * 6 - 15) + 10)
    t = y * y * y * (y * (y * 6 - 15) + 10)
    total = 0.0
    for a in range(2):
        for b in range(2):
            angle = _hash((i + a) % across, (j + b) % down, seed) * (2 * np.pi / 2147483648.0)
            weight = (s if a else 1 - s) * (t if b else 1 - t)
            total += weight * (np.cos(angle) * (x - a) + np.sin(angle) * (y - b))
    return total * 1.4


@kernel
def _nearest(x: float, y: float, across: int, down: int, seed: int) -> float:
    """Distance to the nearest of the points that lie one to a cell, about 0 … 1."""
    i, j = int(np.floor(x)), int(np.floor(y))
    best = 9.0
    for a in range(-1, 2):
        for b in range(-1, 2):
            h = _hash((i + a) % across, (j + b) % down, seed)
            dx = i + a + (h & 0xFFFF) / 65536.0 - x
            dy = j + b + ((h >> 15) & 0xFFFF) / 65536.0 - y
            best = min(best, dx * dx + dy * dy)
    return float(np.sqrt(best))


@kernel
def _fill(xs: F64, ys: F64, kind: int, across: int, down: int, octaves: int, seed: int, out: F64) -> None:
    for k in range(len(xs)):
        total, weight, whole = 0.0, 1.0, 0.0
        a, d = across, down
        for octave in range(octaves):
            x, y = xs[k] * a, ys[k] * d
            if kind == 1:
                value = _nearest(x, y, a, d, seed + octave)
            else:
                value = _gradient_noise(x, y, a, d, seed + octave)
                if kind == 2:
                    value = abs(value)
            total += weight * value
            whole += weight
            weight *= 0.5
            a *= 2
            d *= 2
        out[k] = total / whole
