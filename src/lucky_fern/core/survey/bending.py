"""Which way the form runs: along edges and cylinders, round nothing, where the surface bends least.

Each edge bends the surface across itself; the sum of a vertex's, weighted by angle and length,
tells the directions of least and most bending there (D. Cohen-Steiner and J.-M. Morvan, "Restricted Delaunay
triangulations and normal cycle", 2003). Flat ground takes it from what lies round about.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I32, unit_rows
from lucky_fern.core.model.model import Model, shared_edges

_ROUNDS = 24  # of handing directions on to flat ground
_SHARPEST = np.radians(60.0)  # a sharper edge says no more about how the form runs
_LEVEL = 1e-3  # of the mean: how much the default counts, which is level with the horizon


def form_tensors(model: Model) -> F64:
    """(V, 3, 3) float64 symmetric; the form runs along the axis of its largest eigenvalue."""
    first, second, corner, _, after, _ = shared_edges(model.triangles)
    a, b = model.triangles[first, corner], model.triangles[first, after]
    way = model.positions[b] - model.positions[a]
    length = np.linalg.norm(way, axis=1)
    cosine = np.clip((model.face_normals[first] * model.face_normals[second]).sum(axis=1), -1, 1)
    weight = np.minimum(np.arccos(cosine), _SHARPEST) * length
    along = unit_rows(way)
    each = weight[:, None, None] * along[:, :, None] * along[:, None, :]
    count = len(model.positions)
    out = np.zeros((count, 3, 3))
    np.add.at(out, a, each)
    np.add.at(out, b, each)
    return _handed_on(model, out, a, b)


def _handed_on(model: Model, tensors: F64, a: I32, b: I32) -> F64:
    """Tensors as they are where the surface bends, and its neighbours' mean where it does not."""
    from scipy.sparse import coo_matrix  # slow to load, and not needed before the window shows

    count = len(tensors)
    own = np.trace(tensors, axis1=1, axis2=2)
    mean = float(own[own > 0].mean()) if (own > 0).any() else 1.0
    ones = np.ones(2 * len(a))
    links = coo_matrix((ones, (np.concatenate([a, b]), np.concatenate([b, a]))), (count, count)).tocsr()
    degree = np.maximum(np.asarray(links.sum(axis=1)).ravel(), 1)
    flat = tensors.reshape(count, 9)
    share = np.minimum(own / mean, 1.0)[:, None]  # how much a vertex keeps to itself
    spread = flat.copy()
    for _ in range(_ROUNDS):
        spread = share * flat + (1 - share) * (links @ spread) / degree[:, None]
    corner = np.zeros((count, 3))
    np.add.at(corner, model.triangles.ravel(), np.repeat(model.face_normals, 3, axis=0))
    level = unit_rows(np.cross([0.0, 1.0, 0.0], unit_rows(corner)))
    level[np.linalg.norm(level, axis=1) < 0.5] = (1.0, 0.0, 0.0)
    default = _LEVEL * mean * (level[:, :, None] * level[:, None, :]).reshape(count, 9)
    return np.asarray((spread + default).reshape(count, 3, 3))


def form_directions(tensors: F64, model: Model, triangle: I32, barycentric: F64, normal: F64) -> F64:
    """(N, 3) unit directions in which the form runs at points of triangles, at right angles to ``normal`` (N, 3)."""
    tensor = np.einsum("nk,nkde->nde", barycentric, tensors[model.triangles[triangle]])
    side = np.where(np.abs(normal[:, :1]) < 0.8, np.array([[1.0, 0.0, 0.0]]), np.array([[0.0, 1.0, 0.0]]))
    e = unit_rows(np.cross(normal, side))
    f = np.cross(normal, e)
    ee = np.einsum("nd,nde,ne->n", e, tensor, e)
    ff = np.einsum("nd,nde,ne->n", f, tensor, f)
    ef = np.einsum("nd,nde,ne->n", e, tensor, f)
    angle = 0.5 * np.arctan2(2 * ef, ee - ff)  # of the larger eigenvalue's axis
    return np.asarray(e * np.cos(angle)[:, None] + f * np.sin(angle)[:, None])
