"""Triangles put together again to the polygons that they were cut from."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import I64
from lucky_fern.core.model.model import Model


def outlines(model: Model) -> tuple[I64, I64, I64]:
    """The faces of the file as loops of corners.

    Returns
    -------
    sizes : (P,) how many corners each face has.
    corners : (sum of sizes,) corner numbers (triangle · 3 + corner), face after face in order of their triangles.
        A face whose triangles do not close to one loop comes as its triangles.
    face : (T,) the face that each triangle belongs to.
    """
    starts = np.concatenate([[0], np.flatnonzero(np.diff(model.polygon)) + 1, [model.triangle_count]])
    loops: list[list[int]] = []
    face = np.zeros(model.triangle_count, np.int64)
    vertices = model.triangles
    for low, high in zip(starts[:-1].tolist(), starts[1:].tolist(), strict=True):
        loop = _loop(vertices[low:high].tolist(), low) if high - low > 1 else None
        if loop is None:
            face[low:high] = np.arange(len(loops), len(loops) + high - low)
            loops += [[3 * t, 3 * t + 1, 3 * t + 2] for t in range(low, high)]
        else:
            face[low:high] = len(loops)
            loops.append(loop)
    sizes = np.array([len(loop) for loop in loops], np.int64)
    return sizes, np.array([corner for loop in loops for corner in loop], np.int64), face


def _loop(triangles: list[list[int]], first: int) -> list[int] | None:
    """Corner numbers round some triangles; None unless they have one border that visits each point once."""
    directed = {(t[k], t[(k + 1) % 3]): 3 * (first + n) + k for n, t in enumerate(triangles) for k in range(3)}
    border = {start: (end, corner) for (start, end), corner in directed.items() if (end, start) not in directed}
    if len(border) != sum((end, start) not in directed for start, end in directed):
        return None
    begin = triangles[0][0] if triangles[0][0] in border else next(iter(border), None)
    if begin is None:
        return None
    loop: list[int] = []
    at = begin
    while len(loop) <= len(border):
        if at not in border:
            return None
        following, corner = border[at]
        loop.append(corner)
        at = following
        if at == begin:
            return loop if len(loop) == len(border) else None
    return None
