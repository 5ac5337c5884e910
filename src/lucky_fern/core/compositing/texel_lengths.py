"""How long texels are on the surface: in the mean over all sheets, and where they are finest."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F64, triangle_areas
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface

_NEXT_TO_NOTHING = 1e-4  # of a sheet's texels: smaller triangles than that together do not count


def mean_length(surface: Surface, size_of: Callable[[SheetKey], Extent]) -> float:
    """The edge in model units of a square texel that is as large as all of them are in the mean."""
    rows = np.flatnonzero(surface.sheet_of_triangle >= 0)
    area, texels = _areas(surface, size_of)
    return float(np.sqrt(area[rows].sum() / max(texels[rows].sum(), 1e-12)))


def finest(surface: Surface, key: SheetKey, size_of: Callable[[SheetKey], Extent]) -> float:
    """How many times as short as in the mean texels of a sheet are, where they are shortest; at least 1."""
    area, texels = _areas(surface, size_of)
    rows = np.flatnonzero((surface.sheet_of_triangle == surface.keys.index(key)) & (texels > 0))
    if not len(rows):
        return 1.0
    length = np.sqrt(area[rows] / texels[rows])
    order = np.argsort(length)
    share = np.cumsum(texels[rows][order]) / texels[rows].sum()
    least = float(length[order][min(int(np.searchsorted(share, _NEXT_TO_NOTHING)), len(order) - 1)])
    return max(mean_length(surface, size_of) / max(least, 1e-12), 1.0)


def _areas(surface: Surface, size_of: Callable[[SheetKey], Extent]) -> tuple[F64, F64]:
    """(T,) areas of triangles in square units, and in texels; 0 for those without a sheet."""
    model = surface.model
    known = (surface.sheet_of_triangle >= 0) & model.has_uv
    uv = np.nan_to_num(model.uv)
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    every = np.array([*(size_of(key).texels for key in surface.keys), 0], np.float64)
    flat = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2 * every[surface.sheet_of_triangle]
    return np.where(known, triangle_areas(model.corners), 0.0), np.where(known, flat, 0.0)
