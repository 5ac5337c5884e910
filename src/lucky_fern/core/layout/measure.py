"""How the layout carries the surface: texel density and stretch of every triangle.

The map from UV to the surface is affine on a triangle; its singular values are how much longer the surface is
than UV, the longest and the shortest way (P. Sander et al., "Texture Mapping Progressive Meshes", 2001).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.model.model import Model


@dataclass(frozen=True)
class Measures:
    """One value a triangle, (T,) float64; NaN where a triangle has no area in UV space.

    longest, shortest : model units for one unit of UV, the longest and the shortest way.
    area : of the surface, in square units. uv_area : signed, below 0 where the triangle is flipped.
    """

    longest: F64
    shortest: F64
    area: F64
    uv_area: F64

    @property
    def angle_stretch(self) -> F64:
        """1 where squares stay squares; 2 where they become twice as long as wide."""
        return self.longest / self.shortest

    @property
    def density(self) -> F64:
        """UV units for one model unit; times a sheet's size, texels for one unit."""
        return 1.0 / np.sqrt(self.longest * self.shortest)

    def typical_density(self) -> float:
        """The density of the whole surface: the square root of all UV area over all surface area."""
        valid = np.isfinite(self.longest)
        surface = float(self.area[valid].sum())
        return float(np.sqrt(np.abs(self.uv_area[valid]).sum() / surface)) if surface > 0 else 0.0

    def area_stretch(self) -> F64:
        """How much less detail a triangle gets than the whole surface; 1 the same, 2 half the texels each way."""
        return self.typical_density() / self.density


def measure(model: Model, proportions: F64 | None = None) -> Measures:
    """The measures of every triangle.

    ``proportions`` (T, 2): what u and v of each are multiplied by, where texels are no squares of UV space (see
    :attr:`~lucky_fern.core.sheets.grid.Extent.proportions`).
    """
    corner, uv = model.corners, np.nan_to_num(model.uv)
    e1, e2 = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    if proportions is not None:
        d1, d2 = d1 * proportions, d2 * proportions
    twice = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    size = np.maximum(np.abs(uv - uv[:, :1]).max(axis=(1, 2)), 1e-300)
    usable = model.has_uv & (np.abs(twice) > 1e-10 * size * size)
    safe = np.where(usable, twice, np.nan)[:, None]
    along_u, along_v = (e1 * d2[:, 1:] - e2 * d1[:, 1:]) / safe, (e2 * d1[:, :1] - e1 * d2[:, :1]) / safe
    a, b, c = (along_u**2).sum(axis=1), (along_u * along_v).sum(axis=1), (along_v**2).sum(axis=1)
    root = np.sqrt((a - c) ** 2 + 4 * b * b)
    longest = np.sqrt((a + c + root) / 2)
    shortest = np.sqrt(np.maximum((a + c - root) / 2, 0))
    area = np.linalg.norm(np.cross(e1, e2), axis=1) / 2
    return Measures(longest, shortest, area, np.where(usable, twice / 2, 0.0))
