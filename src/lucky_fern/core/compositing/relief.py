"""Normals from heights: what stands higher leans the surface away from it.

With the surface S(u, v) and height h along its normal N, the raised surface's normal is N − ∇h to first
order (J. F. Blinn, "Simulation of Wrinkled Surfaces", 1978), taken apart along MikkTSpace's T and B.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, Bool
from lucky_fern.core.compositing.around import Around
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.model.gradients import axes_of
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.document import Relief
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.sheets.region import Rect, gathered
from lucky_fern.core.sheets.sheet import Sheet


def slopes_of(height: F32, around: Around, relief: Relief, project_size: Extent) -> F32:
    """(r, c, 2) float32 slopes along T and B from (r, c, 1) heights 0…1 of a rectangle.

    They are taken towards neighbours on the surface, over seams too. One texel more on each side than is wanted
    should be given.
    """
    sheet = around.sheet
    along_x, along_v = np.zeros(height.shape[:2], np.float32), np.zeros(height.shape[:2], np.float32)
    for island in around.each(height, 1):
        x, y = (_slope(island.values[..., 0], island.known, axis)[island.inner] for axis in (1, 0))
        along_x[island.box][island.mine] = x[island.mine]
        along_v[island.box][island.mine] = -y[island.mine]
    if relief.unit == "texels":
        # Texels of a sheet of the project's size, so that sheets of other sizes agree.
        x = along_x * np.float32(relief.strength * sheet.size.width / project_size.width)
        y = along_v * np.float32(relief.strength * sheet.size.height / project_size.height)
    else:
        per_texel = frame_slopes(sheet.model)[sheet.triangle[owners_of(around.sources, sheet, around.rect)]]
        along_x, along_v = along_x * np.float32(sheet.size.width), along_v * np.float32(sheet.size.height)
        strength = np.float32(relief.strength)
        x = np.asarray(strength * along_x * per_texel[..., 0], np.float32)
        y = np.asarray(strength * (along_x * per_texel[..., 1] + along_v * per_texel[..., 2]), np.float32)
    return np.stack([x, y], axis=2)


def normals_of(slopes: F32, sources: Sources, sheet: Sheet, rect: Rect) -> F32:
    """(r, c, 3) float32 tangent-space normals, stored 0…1, of slopes (r, c, 2) along T and B."""
    out = np.concatenate([-slopes, np.ones((*slopes.shape[:2], 1), np.float32)], axis=2)
    out /= np.linalg.norm(out, axis=2, keepdims=True)
    out = out * 0.5 + 0.5
    out[owners_of(sources, sheet, rect) < 0] = (0.5, 0.5, 1.0)
    return out.astype(np.float32)


def owners_of(sources: Sources, sheet: Sheet, rect: Rect) -> I32:
    """(r, c) int32, the row of ``sheet.xy`` that owns each texel of a rectangle; -1 outside."""
    owner = gathered(rect, sheet.size, np.array(-1, np.int32), lambda chunk: sources.owners(sheet, chunk))
    assert owner is not None
    return owner


def frame_slopes(model: Model) -> F64:
    """(T, 3) float64: how slopes in UV become slopes along T and B, in one over model units.

    dh/dT = a·dh/du and dh/dB = b·dh/du + c·dh/dv for the three columns a, b, c, where T runs along ∂S/∂u.
    """
    along_u, along_v = axes_of(model.corners, model.uv)
    length = np.linalg.norm(along_u, axis=1)
    t = along_u / np.maximum(length, 1e-300)[:, None]
    # B stands at right angles to T in the triangle's plane, on the side towards which v grows.
    across = along_v - t * (along_v * t).sum(axis=1, keepdims=True)
    width = np.linalg.norm(across, axis=1)
    usable = (length > 1e-12) & (width > 1e-12)
    with np.errstate(divide="ignore", invalid="ignore"):
        a = np.where(usable, 1 / length, 0.0)
        c = np.where(usable, 1 / width, 0.0)
        b = np.where(usable, -(along_v * t).sum(axis=1) / (length * width), 0.0)
    return np.stack([a, b, c], axis=1)


def _slope(height: F32, known: Bool, axis: int) -> F32:
    """Change from one texel to the next along an axis: central, or to one side where the surface ends."""
    forward = np.zeros_like(height)
    here, there = [slice(None), slice(None)], [slice(None), slice(None)]
    here[axis], there[axis] = slice(None, -1), slice(1, None)
    low, high = tuple(here), tuple(there)
    same = known[low] & known[high]
    step = np.where(same, height[high] - height[low], 0)
    forward[low] = step
    backward = np.zeros_like(height)
    backward[high] = step
    count = np.zeros(height.shape, np.float32)
    count[low] += same
    count[high] += same
    return np.asarray((forward + backward) / np.maximum(count, 1), np.float32)
