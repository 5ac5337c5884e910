"""Automatic unwrapping: the surface cut into charts that lie flat with little stretch."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import xatlas

from lucky_fern.core.arrays import F64, I32, I64
from lucky_fern.core.model.model import groups

_PER_UNIT = 256.0  # texels a unit while it is cut; what comes out is divided by it again


def charts(positions: F64, triangles: I64, told: Callable[[float], None]) -> tuple[list[F64], list[I32]]:
    """Cut and flatten triangles (T, 3), rows of ``positions``, with xatlas.

    Pieces that do not hang together are done one after the other, so that it can be called off in between.

    Returns
    -------
    shapes : (N, 3, 2) of each chart in model units, counter-clockwise as seen from outside.
    rows : (N,) int32, which of the triangles each holds.
    """
    piece = groups(int(triangles.max()) + 1, np.concatenate([triangles[:, :2], triangles[:, 1:]]))[triangles[:, 0]]
    shapes: list[F64] = []
    rows: list[I32] = []
    order = np.argsort(piece, kind="stable")
    done = 0
    for mine in np.split(order, np.flatnonzero(np.diff(piece[order])) + 1):
        told(done / len(triangles))
        done += len(mine)
        used, local = np.unique(triangles[mine], return_inverse=True)
        points = positions[used] - positions[used].mean(axis=0)
        extent = max(float(np.abs(points).max()), 1e-300)  # pieces of any size are cut alike
        atlas = xatlas.Atlas()
        atlas.add_mesh((points / extent).astype(np.float32), local.reshape(-1, 3).astype(np.uint32))
        options = xatlas.PackOptions()
        options.texels_per_unit, options.padding, options.max_chart_size = _PER_UNIT, 1, 0
        atlas.generate(pack_options=options)
        _, indices, uvs = atlas.get_mesh(0)
        faces = np.asarray(indices, np.int64).reshape(-1, 3)
        uv = np.asarray(uvs, np.float64) * (atlas.width, atlas.height) / _PER_UNIT * extent
        chart = groups(len(uv), np.concatenate([faces[:, :2], faces[:, 1:]]))[faces[:, 0]]
        for number in np.unique(chart):
            inside = np.flatnonzero(chart == number)
            flat = uv[faces[inside]]
            a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
            if (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() < 0:
                flat = flat * (-1.0, 1.0)
            shapes.append(flat)
            rows.append(mine[inside].astype(np.int32))
    told(1.0)
    return shapes, rows
