"""Low-distortion relaxation of a flattened patch: every triangle as rigid as its neighbours let it be.

The local/global iteration of L. Liu, L. Zhang, Y. Xu, C. Gotsman and S. Gortler, "A Local/Global Approach to Mesh
Parameterization", 2008 (as rigid as possible), with triangles under the picture weighted above those beside it.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I64


def relax(
    points: F64, triangles: I64, flat: F64, weight: F64, frames: F64, rounds: int = 12, enough: float = 1e-4
) -> F64:
    """Flat places (V, 2) with little distortion.

    Parameters
    ----------
    points, triangles : (V, 3) in the world and (N, 3).
    flat : (V, 2) to begin with; every point of a triangle must have a place.
    weight : (N,) above 0, how much each triangle counts.
    frames : (N, 3) which way is right on each triangle, to begin with; where it is no number, ``flat`` tells.
    enough : the iteration ends when nothing moves further than this share of the mean edge.
    """
    from scipy.sparse import coo_matrix  # slow to load, and not needed before something is draped
    from scipy.sparse.linalg import splu

    used, local = np.unique(triangles, return_inverse=True)
    tri = local.reshape(-1, 3)
    corner = points[used][tri]
    rest = _in_plane(corner)
    # Cotangents of the angles opposite each edge k → k+1.
    angle = np.empty((len(tri), 3))
    for k in range(3):
        a, b = rest[:, k] - rest[:, (k + 2) % 3], rest[:, (k + 1) % 3] - rest[:, (k + 2) % 3]
        cross = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        angle[:, k] = (a * b).sum(axis=1) / np.maximum(cross, 1e-12 * (np.abs(a).max() * np.abs(b).max() + 1e-300))
    angle = np.clip(angle, 0.02, 50.0) * weight[:, None]
    i, j = tri, np.roll(tri, -1, axis=1)
    count = len(used)
    w = angle.ravel()
    rows = np.concatenate([i.ravel(), j.ravel(), i.ravel(), j.ravel()])
    columns = np.concatenate([i.ravel(), j.ravel(), j.ravel(), i.ravel()])
    matrix = coo_matrix((np.concatenate([w, w, -w, -w]), (rows, columns)), shape=(count, count)).tocsc()
    # Nothing holds it in place otherwise.
    matrix = matrix + coo_matrix(([float(w.mean())], ([0], [0])), shape=(count, count)).tocsc()
    # Symmetric and positive definite: an ordering for that, and no pivoting.
    options = {"SymmetricMode": True}
    solve = splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options=options).solve
    now = flat[used]
    edge = np.roll(rest, -1, axis=1) - rest
    size = float(np.linalg.norm(edge, axis=2).mean()) or 1.0
    turn = _along(corner, frames)
    unknown = ~np.isfinite(frames).all(axis=1)
    turn[unknown] = _rotations(
        edge[unknown], np.roll(now[tri], -1, axis=1)[unknown] - now[tri][unknown], angle[unknown]
    )
    for number in range(rounds):
        if number:
            turn = _rotations(edge, np.roll(now[tri], -1, axis=1) - now[tri], angle)
        c, sine = turn[:, 0, 0, None], turn[:, 1, 0, None]
        pull = np.stack([c * edge[..., 0] - sine * edge[..., 1], sine * edge[..., 0] + c * edge[..., 1]], axis=-1)
        pull *= angle[..., None]
        right = np.zeros((count, 2))
        for k in range(2):
            right[:, k] = np.bincount(j.ravel(), pull[..., k].ravel(), count)
            right[:, k] -= np.bincount(i.ravel(), pull[..., k].ravel(), count)
        right[0] += float(w.mean()) * now[0]
        new = solve(right)
        moved = float(np.abs(new - now).max())
        now = new
        if moved < enough * size:
            break
    out = flat.copy()
    out[used] = now
    return out


def _in_plane(corner: F64) -> F64:
    """(N, 3, 2) triangles laid into the plane as they are, counter-clockwise as seen from outside."""
    a, b = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    length = np.maximum(np.linalg.norm(a, axis=1), 1e-300)
    x = (a * b).sum(axis=1) / length
    y = np.linalg.norm(np.cross(a, b), axis=1) / length
    out = np.zeros((len(corner), 3, 2))
    out[:, 1, 0], out[:, 2, 0], out[:, 2, 1] = length, x, y
    return out


def _along(corner: F64, frames: F64) -> F64:
    """(N, 2, 2) the rotation of each triangle that lays its frame's right along x."""
    a = corner[:, 1] - corner[:, 0]
    normal = np.cross(a, corner[:, 2] - corner[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    first = a / np.maximum(np.linalg.norm(a, axis=1, keepdims=True), 1e-300)
    c, s = (first * frames).sum(axis=1), -(np.cross(normal, first) * frames).sum(axis=1)
    size = np.maximum(np.hypot(c, s), 1e-300)
    c, s = c / size, s / size
    return np.stack([np.stack([c, -s], axis=1), np.stack([s, c], axis=1)], axis=1)


def _rotations(edge: F64, drawn: F64, weight: F64) -> F64:
    """(N, 2, 2) the rotation of each triangle that its drawn edges are nearest to."""
    c = (weight * (edge * drawn).sum(axis=2)).sum(axis=1)
    s = (weight * (edge[..., 0] * drawn[..., 1] - edge[..., 1] * drawn[..., 0])).sum(axis=1)
    size = np.maximum(np.hypot(c, s), 1e-300)
    c, s = c / size, s / size
    return np.stack([np.stack([c, -s], axis=1), np.stack([s, c], axis=1)], axis=1)
