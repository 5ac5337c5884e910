"""Telling whether a picture that is taken for normals holds any."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import Array
from lucky_fern.words import tr

_SAMPLES = 256  # rows and columns that are looked at
_GREY = 0.02  # by which the three differ at the most, in the mean, where they are one number
_SHORT, _LONG = 0.5, 1.4  # lengths between which directions lie, in the middle of all


def not_normals(rgba: Array) -> str | None:
    """A sentence about a picture (rows, columns, 4) that holds no normals; None where it may hold some."""
    step = max(1, max(rgba.shape[:2]) // _SAMPLES)
    some = rgba[::step, ::step]
    some = some[some[..., 3] > 0]
    if not len(some):
        return None
    values = some[:, :3].astype(np.float64) / np.iinfo(rgba.dtype).max
    if np.abs(values - values.mean(axis=1, keepdims=True)).mean() < _GREY:
        return tr("it is grey, as heights are: take it for height and let that shape the normals")
    length = float(np.median(np.linalg.norm(values * 2 - 1, axis=1)))
    if not _SHORT <= length <= _LONG or np.median(values[:, 2]) < 0.5:
        return tr("its colours are no directions: normals are mostly bluish, of length 1")
    return None
