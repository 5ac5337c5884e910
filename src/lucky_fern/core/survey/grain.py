"""Noise in space: no layout knows of it, so it has no seams.

Values run from 0 to 1, their mean over a large surface is 0.5, and they are the same on every machine: lattice points
are told apart by whole numbers alone.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.compiled import kernel

FORMS = ("soft", "cells", "ridges")
# What brings each form to a mean of 0.5 and spreads it over 0…1: its own mean (measured over millions of points), and
# by how much it is stretched; ridges stand where the noise goes through zero.
_SHAPES = ((0.0, 0.85), (0.5195, 1.15), (0.2205, -1.3))


def grain(points: F64, form: str, size: float, octaves: int, seed: int) -> F64:
    """(N,) float64 of points (N, 3).

    ``soft``: gradient noise (K. Perlin, "Improving Noise", 2002) summed over octaves, each half as large and half as
    strong; ``ridges``: its absolute values; ``cells``: the distance to the nearest of scattered points (S. Worley, "A
    Cellular Texture Basis Function", 1996). ``size`` is the length of the largest lattice's cells.
    """
    out = np.empty(len(points))
    _grain(np.ascontiguousarray(points), FORMS.index(form), size, octaves, seed, out)
    middle, stretch = _SHAPES[FORMS.index(form)]
    return np.clip(0.5 + (out - middle) * stretch, 0.0, 1.0)


@kernel
def _mixed(x: int, y: int, z: int, seed: int) -> int:
    """A whole number of 32 bits for a lattice point."""
    h = np.uint32(seed) * np.uint32(0x9E3779B1)
    h ^= np.uint32(x & 0xFFFFFFFF) * np.uint32(0x85EBCA6B)
    h = (h << np.uint32(13)) | (h >> np.uint32(19))
    h ^= np.uint32(y & 0xFFFFFFFF) * np.uint32(0xC2B2AE35)
    h = (h << np.uint32(11)) | (h >> np.uint32(21))
    h ^= np.uint32(z & 0xFFFFFFFF) * np.uint32(0x27D4EB2F)
    h ^= h >> np.uint32(16)
    h *= np.uint32(0x7FEB352D)
    h ^= h >> np.uint32(15)
    h *= np.uint32(0x846CA68B)
    h ^= h >> np.uint32(16)
    return int(h & np.uint32(0xFFFFFFFF))  # products are wider


@kernel
def _slope(h: int, x: float, y: float, z: float) -> float:
    """One of Perlin's twelve gradients, times a way from its lattice point."""
    k = h & 15
    u = x if k < 8 else y
    v = y if k < 4 else (x if k == 12 or k == 14 else z)
    return (u if k & 1 == 0 else -u) + (v if k & 2 == 0 else -v)


@kernel
def _soft(x: float, y: float, z: float, seed: int) -> float:
    """Gradient noise, −1 … 1."""
    i, j, k = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    x, y, z = x - i, y - j, z - k
    u = x * x * x * (x * (x * 6 - 15) + 10)
    v = y * y * y * (y * (y * 6 - 15) + 10)
    w = z * z * z * (z * (z * 6 - 15) + 10)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                weight = (u if a else 1 - u) * (v if b else 1 - v) * (w if c else 1 - w)
                total += weight * _slope(_mixed(i + a, j + b, k + c, seed), x - a, y - b, z - c)
    return total


@kernel
def _cells(x: float, y: float, z: float, seed: int) -> float:
    """Distance to the nearest of the points that lie one to a cell."""
    i, j, k = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    best = 9.0
    for far in range(1, 3):
        if far == 2 and best <= 1.0:
            break  # what lies two cells away is further than that
        best = _nearest_of(i, j, k, x, y, z, far, seed, best)
    return float(np.sqrt(best))


@kernel
def _nearest_of(i: int, j: int, k: int, x: float, y: float, z: float, far: int, seed: int, best: float) -> float:
    """Square of the distance to the nearest point of the cells round one, ``best`` if none is nearer."""
    for a in range(-far, far + 1):
        for b in range(-far, far + 1):
            for c in range(-far, far + 1):
                h = _mixed(i + a, j + b, k + c, seed)
                dx = i + a + (h & 1023) / 1023.0 - x
                dy = j + b + ((h >> 10) & 1023) / 1023.0 - y
                dz = k + c + ((h >> 20) & 1023) / 1023.0 - z
                best = min(best, dx * dx + dy * dy + dz * dz)
    return best


@kernel
def _grain(points: F64, form: int, size: float, octaves: int, seed: int, out: F64) -> None:
    for n in range(len(points)):
        total, whole, strength, finer = 0.0, 0.0, 1.0, 1.0 / size
        for octave in range(octaves):
            x, y, z = points[n, 0] * finer, points[n, 1] * finer, points[n, 2] * finer
            if form == 1:
                value = _cells(x, y, z, seed + octave)
            else:
                value = _soft(x, y, z, seed + octave)
                if form == 2:
                    value = abs(value)
            total += value * strength
            whole += strength
            strength, finer = strength / 2, finer * 2
        out[n] = total / whole
