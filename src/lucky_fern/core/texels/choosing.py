"""Texels chosen by what a map holds."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from lucky_fern.core.arrays import U8, U16, Bool
from lucky_fern.core.colour import LUMINANCE, from_hex


def alike(values: U8 | U16, colours: Iterable[str], tolerance: float) -> Bool:
    """(r, c) where a map (r, c, n) is like any of some colours (``#rrggbb``): no channel off by more (0…1)."""
    top = float(np.iinfo(values.dtype).max)
    found = np.zeros(values.shape[:2], np.bool_)
    for colour in colours:
        wanted = np.rint(np.array(from_hex(colour)) * top)
        found |= np.abs(values.astype(np.float64) - wanted).max(axis=2) <= tolerance * top
    return found


def so_bright(values: U8 | U16, low: float, high: float) -> Bool:
    """(r, c) where a map's luminance as stored, or its value, lies between two numbers (0…1)."""
    top = float(np.iinfo(values.dtype).max)
    grey = values @ LUMINANCE if values.shape[2] == 3 else values[..., 0]
    return np.asarray((grey >= low * top - 0.5) & (grey <= high * top + 0.5))
