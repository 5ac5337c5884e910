"""A model as it is written: faces whose UVs repeat as they came, not as they were cut to lie on one tile."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lucky_fern.core.arrays import I64
from lucky_fern.core.model.model import Model


@dataclass(frozen=True)
class Written:
    """``model`` is what goes into a file; ``source`` (T,) int64 a painted face that lies where it does."""

    model: Model
    source: I64


def as_written(model: Model) -> Written:
    """The model with all faces of materials that repeat as its own file has them."""
    file = model.file
    if not model.repeats or file is None:
        return Written(model, np.arange(model.triangle_count))
    numbers = [model.materials.index(name) for name in model.repeats]
    stay = np.flatnonzero(~np.isin(model.material, numbers))
    came, material, source = [], [], []
    for name, number in zip(model.repeats, numbers, strict=True):
        rows = np.flatnonzero(file.material == file.materials.index(model.repeats[name]))
        came.append(rows)
        material.append(np.full(len(rows), number, np.int32))
        some = np.flatnonzero(model.material == number)
        source.append(np.full(len(rows), some[0] if len(some) else 0))
    rows = np.concatenate(came)
    both = replace(
        model, repeats={}, file=None,
        positions=np.concatenate([model.positions, file.positions]),
        triangles=np.concatenate([model.triangles[stay], file.triangles[rows] + len(model.positions)]),
        uv=np.concatenate([model.uv[stay], file.uv[rows]]),
        normals=np.concatenate([model.normals[stay], file.normals[rows]]),
        tangents=np.concatenate([model.tangents[stay], file.tangents[rows]]),
        material=np.concatenate([model.material[stay], *material]),
        part=np.concatenate([model.part[stay], file.part[rows]]),
        polygon=np.concatenate([model.polygon[stay], file.polygon[rows] + int(model.polygon.max(initial=0)) + 1]),
        corner_colours=None if model.corner_colours is None or file.corner_colours is None
        else np.concatenate([model.corner_colours[stay], file.corner_colours[rows]]),
    )  # fmt: skip
    used, triangles = np.unique(both.triangles, return_inverse=True)
    places, welded = np.unique(both.positions[used], axis=0, return_inverse=True)
    both = replace(both, positions=places, triangles=welded.ravel()[triangles].reshape(-1, 3).astype(np.int32))
    return Written(both, np.concatenate([stay, *source]))
