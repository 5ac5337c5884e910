"""Blend formulas as the recommendation writes them, in float64: the reference of the compositing tests."""

from __future__ import annotations

import numpy as np


def w3c(mode: str, cb: np.ndarray, cs: np.ndarray) -> np.ndarray:
    """B(cb, cs) as section 9 of the recommendation writes it; add and subtract clamped."""
    if mode == "normal":
        return cs
    if mode == "multiply":
        return cb * cs
    if mode == "screen":
        return cb + cs - cb * cs
    if mode == "overlay":
        return w3c("hard-light", cs, cb)
    if mode in ("darken", "min"):
        return np.minimum(cb, cs)
    if mode in ("lighten", "max"):
        return np.maximum(cb, cs)
    with np.errstate(divide="ignore", invalid="ignore"):
        if mode == "color-dodge":
            return np.where(cb == 0, 0, np.where(cs == 1, 1, np.minimum(1, cb / (1 - cs))))
        if mode == "color-burn":
            return np.where(cb == 1, 1, np.where(cs == 0, 0, 1 - np.minimum(1, (1 - cb) / cs)))
    if mode == "hard-light":
        return np.where(cs <= 0.5, w3c("multiply", cb, 2 * cs), w3c("screen", cb, 2 * cs - 1))
    if mode == "soft-light":
        d = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
        return np.where(cs <= 0.5, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (d - cb))
    if mode == "difference":
        return np.abs(cb - cs)
    if mode == "exclusion":
        return cb + cs - 2 * cb * cs
    return np.clip(cb + cs, 0, 1) if mode == "add" else np.clip(cb - cs, 0, 1)
