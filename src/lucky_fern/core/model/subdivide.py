"""A finer copy of a model: every triangle cut into four at the middles of its edges."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lucky_fern.core.arrays import Array, equal_rows, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.tangents import mikk_tangents

# The four triangles by corners 0, 1, 2 and the middles 3 (of 0–1), 4 (of 1–2), 5 (of 2–0).
_PIECES = np.array([[0, 3, 5], [3, 1, 4], [5, 4, 2], [3, 4, 5]])


def subdivided(model: Model, times: int = 1) -> Model:
    """The same surface with four times the triangles, ``times`` over; nothing moves."""
    for _ in range(times):
        model = _once(model)
    return model


def _once(model: Model) -> Model:
    corners = _cut(model.corners)
    first, number = equal_rows(corners.reshape(-1, 3))
    positions = corners.reshape(-1, 3)[first]
    triangles = number.reshape(-1, 3).astype(np.int32)
    uv = _cut(model.uv)
    normals = unit_rows(_cut(model.normals.astype(np.float64))).astype(np.float32)
    colours = model.corner_colours
    return replace(
        model, positions=positions, triangles=triangles, uv=uv, normals=normals,
        tangents=mikk_tangents(positions, triangles, uv, normals),
        material=np.repeat(model.material, 4), part=np.repeat(model.part, 4), polygon=np.repeat(model.polygon, 4),
        corner_colours=None if colours is None else np.round(_cut(colours.astype(np.float64))).astype(np.uint8),
    )  # fmt: skip


def _cut(values: Array) -> Array:
    """(T, 3, k) values of corners to (4T, 3, k)."""
    middles = (values + np.roll(values, -1, axis=1)) / 2
    six = np.concatenate([values, middles], axis=1)
    return six[:, _PIECES].reshape(-1, 3, values.shape[2])
