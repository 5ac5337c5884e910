"""Faces by what lies on them: the mean colour of a map (or of a picture over the tile) under each."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F64, Array, Bool
from lucky_fern.core.sheets.grid import Extent, SheetKey, all_chunks, span
from lucky_fern.core.sheets.surface import Surface


def mean_colours(surface: Surface, texels_of: Callable[[SheetKey], Array | None]) -> F64:
    """(T, n) mean stored value 0…1 of the texels that each face owns; NaN where there are none.

    Parameters
    ----------
    texels_of : (size, size, n) uint8 or uint16 of a sheet, row 0 at the top; None for nothing. Faces smaller than
        a texel take the one that their middle lies on.
    """
    count = surface.model.triangle_count
    found = {key: texels for key in surface.keys if (texels := texels_of(key)) is not None}
    if not found:
        return np.full((count, 1), np.nan)
    width = next(iter(found.values())).shape[2]
    total, weight = np.zeros((count, width)), np.zeros(count)
    for key, texels in found.items():
        size = Extent(*texels.shape[1::-1])
        full = float(np.iinfo(texels.dtype).max)
        sheet = surface.sheet(key, size)
        for chunk in all_chunks(size):
            owner = sheet.owners(chunk)
            inside = owner >= 0
            if not inside.any():
                continue
            rows = sheet.triangle[owner[inside]]
            values = texels[span(chunk, size)][inside] / full
            for k in range(width):
                total[:, k] += np.bincount(rows, values[:, k], count)
            weight += np.bincount(rows, minlength=count)
        bare = weight[sheet.triangle] == 0
        middle = sheet.xy[bare].mean(axis=1)
        at = np.clip(middle.astype(np.int64), 0, [size.width - 1, size.height - 1])
        total[sheet.triangle[bare]] = texels[at[:, 1], at[:, 0]] / full
        weight[sheet.triangle[bare]] = 1
    out = np.full((count, width), np.nan)
    out[weight > 0] = total[weight > 0] / weight[weight > 0, None]
    return out


def like_colour(means: F64, seed: int, tolerance: float) -> Bool:
    """(T,) bool, faces whose mean differs from that of face ``seed`` by ``tolerance`` at most in each component."""
    with np.errstate(invalid="ignore"):
        return np.asarray((np.abs(means - means[seed]) <= tolerance).all(axis=1), np.bool_)
