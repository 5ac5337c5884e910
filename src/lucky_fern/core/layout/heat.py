"""Measures as colours: from what is as it should be (pale) to what is not."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.layout.measure import Measures

# Pale grey, yellow, orange, dark red: brightness falls all the way, so that it reads without colour too.
_ONE_WAY = np.array([[0.86, 0.88, 0.86], [0.95, 0.85, 0.40], [0.90, 0.50, 0.20], [0.60, 0.12, 0.12]])
_BOTH_WAYS = np.array(
    [[0.12, 0.30, 0.60], [0.55, 0.72, 0.86], [0.88, 0.88, 0.86], [0.93, 0.65, 0.35], [0.60, 0.12, 0.12]]
)


@dataclass(frozen=True)
class Heat:
    """Colours of triangles, and the legend that explains them."""

    colours: F64  # (T, 3) 0…1
    ramp: F64  # (n, 3), from the legend's left to its right
    labels: tuple[str, ...]  # spread evenly under the ramp
    title: str


def along(ramp: F64, share: F64) -> F64:
    """Colours (N, 3) at places 0…1 of an even ramp (n, 3)."""
    places = np.linspace(0, 1, len(ramp))
    return np.stack([np.interp(share, places, ramp[:, i]) for i in range(3)], axis=-1)


def stretch_heat(measures: Measures) -> Heat:
    """How much longer one way than the other a square of the picture becomes: 1 to 2 and more."""
    return heat_of_stretch(np.nan_to_num(measures.angle_stretch, nan=2.0))


def heat_of_stretch(stretch: F64) -> Heat:
    """Stretch (T,) as colours, from 1 to 2 and more."""
    return Heat(along(_ONE_WAY, stretch - 1.0), _ONE_WAY, ("1×", "1.5×", "2× and more"), "Stretch")


def density_heat(measures: Measures, sheet_size: float) -> Heat:
    """Texels for a unit of the model, on a scale of a quarter to four times the usual."""
    usual = measures.typical_density()
    ratio = np.nan_to_num(measures.density / max(usual, 1e-300), nan=1.0)
    share = 0.5 - np.log2(np.maximum(ratio, 1e-6)) / 4
    values = [usual * sheet_size * factor for factor in (4, 1, 0.25)]
    labels = tuple(f"{value:.0f}" if value >= 10 else f"{value:.2g}" for value in values)
    return Heat(along(_BOTH_WAYS, share), _BOTH_WAYS, labels, "Texels a unit")
