"""How finely sheets are looked at: the level that is enough, chunk by chunk.

Level 0 is a sheet at its own size, each next one half as wide; a level is enough where none of its texels is larger
than a pixel.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I32, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.grid import CHUNK, Extent, SheetKey, to_texels
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of

UNSEEN = 127  # the level of what nobody looks at
_LAST = 12


def texels_a_unit(surface: Surface, sizes: dict[SheetKey, Extent]) -> F64:
    """(T,) float64 how many texels of their sheet lie along a unit of the model on each face; 0 where none do."""
    model = surface.model
    area = np.linalg.norm(
        np.cross(model.corners[:, 1] - model.corners[:, 0], model.corners[:, 2] - model.corners[:, 0]), axis=1
    )
    one, other = model.uv[:, 1] - model.uv[:, 0], model.uv[:, 2] - model.uv[:, 0]
    flat = np.abs(one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0])
    texels = np.zeros(len(area))
    for key, rows in surface.placement.triangles.items():
        texels[rows] = flat[rows] * sizes[key].texels
    fine = np.isfinite(texels) & (area > 0)
    found = np.zeros(len(area))
    found[fine] = np.sqrt(texels[fine] / area[fine])
    return found


def needs_of_faces(
    surface: Surface, sizes: dict[SheetKey, Extent], seen: Array, texels_a_pixel: F64
) -> dict[SheetKey, Array]:
    """For each sheet (down, across) int8, the level that is enough on its chunks for the faces that are seen.

    ``seen`` (T,) bool; ``texels_a_pixel`` (T,) float64 how many texels lie along a pixel of the screen on them.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        level = np.floor(np.log2(texels_a_pixel))
    level = np.where(np.isfinite(level), np.clip(level, 0, _LAST), _LAST).astype(np.int8)
    found = {}
    for key, rows in surface.placement.triangles.items():
        size = sizes[key]
        need = np.full((size.down, size.across), UNSEEN, np.int8)
        mine = rows[seen[rows]]
        if len(mine):
            xy = to_texels(surface.model.uv[mine] - corner_of(key.tile), size)
            low = np.clip(np.floor(np.nan_to_num(xy.min(axis=1)) / CHUNK), 0, (size.across - 1, size.down - 1))
            high = np.clip(np.floor(np.nan_to_num(xy.max(axis=1)) / CHUNK), 0, (size.across - 1, size.down - 1))
            _enter(low.astype(np.int32), high.astype(np.int32), level[mine], need)
        found[key] = need
    return found


@kernel
def _enter(low: I32, high: I32, level: Array, need: Array) -> None:
    """Enter the least level of boxes of chunks (N, 2), x and y, both ends counted."""
    for n in range(len(low)):
        for row in range(low[n, 1], high[n, 1] + 1):
            for column in range(low[n, 0], high[n, 0] + 1):
                need[row, column] = min(need[row, column], level[n])


def needs_of_box(size: Extent, low: F64, high: F64, texels_a_pixel: float) -> Array:
    """(down, across) int8, the same for a sheet seen flat, from ``low`` to ``high`` (x, y) texels."""
    need = np.full((size.down, size.across), UNSEEN, np.int8)
    first = np.clip(np.floor(low / CHUNK), 0, (size.across, size.down)).astype(int)
    last = np.clip(np.ceil(high / CHUNK), 0, (size.across, size.down)).astype(int)
    level = int(np.clip(np.floor(np.log2(max(texels_a_pixel, 1e-9))), 0, _LAST))
    need[first[1] : last[1], first[0] : last[0]] = level
    return need
