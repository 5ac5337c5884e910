"""Heights from normals: the surface whose slopes come nearest to those that the normals say.

The least-squares surface of a field of slopes (R. T. Frankot and R. Chellappa, "A method for enforcing
integrability in shape from shading algorithms", 1988), held to level over long ways, so that a texel depends on its
neighbourhood only: (1/w² − Δ) h = −div g, whose answer to a single slope falls off as exp(−r / w).
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, Bool
from lucky_fern.core.compiled import kernel

FALLS_OFF = 8  # times w, beyond which nothing counts: exp(−8)
_STEEPEST = 0.05  # z of the steepest normal that is believed
_CLOSE = 1e-5  # of what there was to solve
_MOST_ROUNDS = 600


def risen(normals: F32, known: Bool, wide: float, long: float = 1.0) -> F32:
    """(r, c) float32 heights in texels' widths above level, of stored normals (r, c, 3) 0…1, +Y up.

    ``long``: how many times as long as wide a texel is.

    Only texels that are ``known`` (r, c) bool and next to one another count; shapes over many times ``wide`` texels
    flatten out, those of a few keep all but (λ / 2π · wide)⁻² of their height.
    """
    vector = normals.astype(np.float64) * 2 - 1
    z = np.maximum(vector[..., 2], _STEEPEST)
    across, down = -vector[..., 0] / z, vector[..., 1] / z * long
    out = np.zeros(known.shape)
    _solve(np.ascontiguousarray(across), np.ascontiguousarray(down), known, 1 / wide**2, out)
    return out.astype(np.float32)


@kernel
def _apply(h: F64, known: Bool, level: float, out: F64) -> None:
    rows, columns = known.shape
    for r in range(rows):
        for k in range(columns):
            if not known[r, k]:
                out[r, k] = 0.0
                continue
            total = level * h[r, k]
            if k + 1 < columns and known[r, k + 1]:
                total += h[r, k] - h[r, k + 1]
            if k > 0 and known[r, k - 1]:
                total += h[r, k] - h[r, k - 1]
            if r + 1 < rows and known[r + 1, k]:
                total += h[r, k] - h[r + 1, k]
            if r > 0 and known[r - 1, k]:
                total += h[r, k] - h[r - 1, k]
            out[r, k] = total


@kernel
def _solve(across: F64, down: F64, known: Bool, level: float, h: F64) -> None:
    """Conjugate gradients (M. R. Hestenes and E. Stiefel, 1952) from level ground."""
    rows, columns = known.shape
    rest = np.zeros((rows, columns))
    for r in range(rows):
        for k in range(columns):
            if not known[r, k]:
                continue
            if k + 1 < columns and known[r, k + 1]:
                step = (across[r, k] + across[r, k + 1]) / 2
                rest[r, k] -= step
                rest[r, k + 1] += step
            if r + 1 < rows and known[r + 1, k]:
                step = (down[r, k] + down[r + 1, k]) / 2
                rest[r, k] -= step
                rest[r + 1, k] += step
    way, turned = rest.copy(), np.zeros((rows, columns))
    square = 0.0
    for r in range(rows):
        for k in range(columns):
            square += rest[r, k] * rest[r, k]
    first = square
    for _ in range(_MOST_ROUNDS):
        if square <= first * _CLOSE * _CLOSE or square == 0.0:
            return
        _apply(way, known, level, turned)
        along = 0.0
        for r in range(rows):
            for k in range(columns):
                along += way[r, k] * turned[r, k]
        step = square / along
        left = 0.0
        for r in range(rows):
            for k in range(columns):
                h[r, k] += step * way[r, k]
                rest[r, k] -= step * turned[r, k]
                left += rest[r, k] * rest[r, k]
        share = left / square
        square = left
        for r in range(rows):
            for k in range(columns):
                way[r, k] = rest[r, k] + share * way[r, k]
