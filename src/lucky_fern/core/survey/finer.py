"""What a finer model has that this one lacks: its normals, its height over the surface, and what of it is covered.

From every texel a ray goes straight down from a cage around the surface; where it meets the finer model within the
cage's reach on both sides, that is what the texel stands for.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F32, Bool, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.leaning import frames, uv_directions
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.survey.falls import rounded_normals
from lucky_fern.core.survey.rays import Rays

_RAYS = 48  # for what is covered


@dataclass(frozen=True)
class Carried:
    """Of a chunk (r, c): what was found; normals (r, c, 3), −1…1, as a picture that lies by UV holds them; how far
    the finer surface lies over this one, in model units; how open it is there, 0…1.
    """

    found: Bool
    normal: F32
    height: F32
    open: F32


class Finer:
    """A finer model, and a cage (model units) within which it is looked for; safe to use from several threads."""

    def __init__(self, model: Model, finer: Model, cage: float) -> None:
        self.cage, self._finer, self._rays = cage, finer, Rays(finer)
        # Straight down is alike on both sides of a hard edge, or there would be gaps between.
        self._down = -rounded_normals(model)

    def carry(self, sheet: Sheet, chunk: Chunk, cover: bool = True) -> Carried:
        """What is found for the texels of a chunk; how open it is only if ``cover`` is asked for: it costs most."""
        points = sheet.surface_points(chunk)
        inside = points.triangle >= 0
        rows, columns = np.nonzero(inside)
        weight, start = points.barycentric[inside], points.position[inside]
        down = unit_rows(np.einsum("nk,nkd->nd", weight, self._down[points.triangle[inside]]))
        row, u, v, way = self._rays.first(start - down * self.cage, down, 2 * self.cage)
        met = row >= 0
        met[met] = (self._finer.face_normals[row[met]] * down[met]).sum(axis=1) < 0  # not its inside
        at, shares = row[met], np.stack([1 - u[met] - v[met], u[met], v[met]], axis=1)
        normals = unit_rows(np.einsum("nk,nkd->nd", shares, self._finer.normals[at].astype(np.float64)))
        owner = sheet.owners(chunk)[rows, columns]
        frame = frames(sheet, chunk, rows[met].astype(np.int64), columns[met].astype(np.int64), owner[met])
        found = np.zeros(inside.shape, np.bool_)
        found[rows[met], columns[met]] = True
        normal = np.zeros((*inside.shape, 3), np.float32)
        normal[..., 2] = 1
        lean = (normals * frame[0]).sum(axis=1) + 1j * (normals * frame[1]).sum(axis=1)
        # A picture's x runs as u does on its face, not as the frame's tangent.
        right = uv_directions(sheet.model, sheet.triangle[owner[met]], 0.0)[0]
        bearing = (right * frame[0]).sum(axis=1) + 1j * (right * frame[1]).sum(axis=1)
        lean *= np.conj(bearing) / np.maximum(np.abs(bearing), 1e-300)
        normal[found] = unit_rows(np.stack([lean.real, lean.imag, (normals * frame[2]).sum(axis=1)], axis=1))
        height, open_ = np.zeros(inside.shape, np.float32), np.ones(inside.shape, np.float32)
        height[found] = self.cage - way[met]
        if cover:
            there = np.einsum("nk,nkd->nd", shares, self._finer.corners[at])
            open_[found] = 1 - self._rays.covered(there, self._finer.face_normals[at], self._finer.diagonal, _RAYS)
        return Carried(found, normal, height, open_)


def apart(model: Model, finer: Model, cage: float) -> float:
    """How far the boxes of two models lie apart, in model units, where the model's is ``cage`` larger all round."""
    low, high = model.bounds[0] - cage, model.bounds[1] + cage
    gaps = np.maximum(np.maximum(finer.bounds[0] - high, low - finer.bounds[1]), 0)
    return float(np.linalg.norm(gaps))
