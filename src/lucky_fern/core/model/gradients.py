"""How a surface runs along flat coordinates that lie on it: UVs, a picture's own, a sheet's texels."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64


def axes_of(world: F64, flat: F64) -> tuple[F64, F64]:
    """How a point of each triangle moves when one of its flat coordinates grows by one and the other stays.

    Parameters
    ----------
    world : (N, 3, 3) corners in space. flat : (N, 3, 2) the same corners in flat coordinates, NaN counted as 0.

    Returns
    -------
    Two (N, 3): the columns of the inverse of the affine map from triangle to plane; zero where that has no area.
    """
    plain = np.nan_to_num(flat)
    e1, e2 = world[:, 1] - world[:, 0], world[:, 2] - world[:, 0]
    d1, d2 = plain[:, 1] - plain[:, 0], plain[:, 2] - plain[:, 0]
    area = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    safe = np.where(np.abs(area) < 1e-18 * np.abs(np.stack([d1, d2])).max(axis=(0, 2)) ** 2 + 1e-300, np.inf, area)[
        :, None
    ]
    return (e1 * d2[:, 1:] - e2 * d1[:, 1:]) / safe, (e2 * d1[:, :1] - e1 * d2[:, :1]) / safe
