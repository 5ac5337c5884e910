"""Where water that runs over a texel comes from: the way up along the surface, face by face, to an edge."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Bool, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.survey.grain import grain

_MOST = 4096  # faces that one way may cross
_FLAT = 0.02  # sine of the slope below which nothing runs
_COARSE = 4.0  # of a streak's width: how far apart streaks stand
_WANDERS = 0.7  # of a streak's width
_DRY, _SPREAD = 0.52, 0.3  # of the noise: below it there is no streak; over which they grow to their whole length
_TIP = 0.35  # of a streak's length, over which it ends


class Climbed(NamedTuple):
    """For points (N,): how far it is up along the surface to the first edge that sheds (-1: none within reach), where
    on it that way ends (N, 3), and how that edge runs (N, 3).
    """

    far: F64
    source: F64
    along: F64


def rounded_normals(model: Model, angle: float = 180.0) -> F64:
    """(T, 3, 3) unit normals at corners: the mean, by area, of the faces round a point that lie within ``angle``
    degrees of the corner's own. At 180 no edge is hard.
    """
    c = model.corners
    area = np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1)
    point = model.triangles.ravel()
    order = np.argsort(point, kind="stable")
    starts = np.searchsorted(point[order], np.arange(len(model.positions) + 1))
    out = np.zeros((len(c), 3, 3))
    _round(model.triangles.astype(np.int64), order // 3, starts, model.face_normals.astype(np.float64), area,
           np.cos(np.radians(angle)) - 1e-9, out)  # fmt: skip
    return unit_rows(out.reshape(-1, 3)).reshape(-1, 3, 3)


@kernel
def _round(triangles: I64, faces: I64, starts: I64, normals: F64, area: F64, least: float, out: F64) -> None:
    for t in range(len(triangles)):
        for k in range(3):
            for at in range(starts[triangles[t, k]], starts[triangles[t, k] + 1]):
                other = faces[at]
                same = 0.0
                for i in range(3):
                    same += normals[t, i] * normals[other, i]
                if same >= least:
                    for i in range(3):
                        out[t, k, i] += area[other] * normals[other, i]


def climbed(
    surface: Surface, rounded: F64, points: F64, triangle: I32, edges: Bool, down: F64, reach: float
) -> Climbed:  # fmt: skip
    """Follow the steepest way up from points (N, 3) on faces (N,).

    Parameters
    ----------
    rounded : (T, 3, 3) :func:`rounded_normals`: by them ways run on over the creases of round things.
    edges : (T, 3) the edges that shed, as seen from each face.
    down : (3,) unit vector, where water runs to.
    reach : model units along the surface.
    """
    model, beyond = surface.model, surface.beyond
    made = Climbed(np.full(len(points), -1.0), np.zeros((len(points), 3)), np.zeros((len(points), 3)))
    if len(points):
        _climb(np.ascontiguousarray(points), triangle.astype(np.int64), model.corners, model.face_normals, rounded,
               beyond.neighbour, beyond.entry, np.ascontiguousarray(edges), -down, reach, *made)  # fmt: skip
    return made


def drips(made: Climbed, points: F64, reach: float, width: float, seed: int) -> F64:
    """(N,) float64 0…1: streaks of about ``width`` (model units), each of its own length up to ``reach``."""
    out, there = np.zeros(len(points)), made.far >= 0
    if not there.any():
        return out
    far, start = made.far[there], made.source[there]
    aside = grain(points[there], "soft", _COARSE * 2 * width, 2, seed + 1) - 0.5
    start = start + made.along[there] * (aside * 2 * _WANDERS * width * np.minimum(far / reach, 1))[:, None]
    wet = grain(start, "soft", _COARSE * width, 3, seed)
    length = reach * np.clip((wet - _DRY) / _SPREAD, 0, 1) ** 0.7
    solid = np.clip((length - far) / np.maximum(_TIP * length, 1e-12), 0, 1)
    out[there] = solid * (1 - 0.45 * far / reach)
    return out


@kernel
def _climb(
    points: F64, triangle: I32, corners: F64, normals: F64, rounded: F64, neighbour: I32, entry: I32, edges: Bool,
    up: F64, reach: float, far: F64, source: F64, along: F64,
) -> None:  # fmt: skip
    p, u, m, way = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for n in range(len(points)):
        t, came, gone = triangle[n], -1, 0.0
        for i in range(3):
            p[i] = points[n, i]
        for _ in range(_MOST):
            rise = up[0] * normals[t, 0] + up[1] * normals[t, 1] + up[2] * normals[t, 2]
            slope = 0.0
            if 1.0 - rise * rise < _FLAT * _FLAT:
                break
            # The rounded normal here, by how the faces opposite to corners share the area.
            for i in range(3):
                m[i] = 0.0
            for k in range(3):
                a, b = corners[t, (k + 1) % 3], corners[t, (k + 2) % 3]
                part = 0.0
                for i in range(3):
                    j, h = (i + 1) % 3, (i + 2) % 3
                    part += normals[t, i] * ((b[j] - a[j]) * (p[h] - a[h]) - (b[h] - a[h]) * (p[j] - a[j]))
                part = max(part, 0.0)
                for i in range(3):
                    m[i] += part * rounded[t, k, i]
            lean = length = 0.0
            for i in range(3):
                lean += up[i] * m[i]
                length += m[i] * m[i]
            rise = 0.0
            for i in range(3):
                u[i] = up[i] - (lean * m[i] / length if length > 0.0 else 0.0)
                rise += u[i] * normals[t, i]
            for i in range(3):
                u[i] -= rise * normals[t, i]
                slope += u[i] * u[i]
            slope = np.sqrt(slope)
            if slope < 1e-9:
                break
            best, edge = np.inf, -1
            for k in range(3):
                a, b = corners[t, k], corners[t, (k + 1) % 3]
                out = ahead = 0.0
                for i in range(3):
                    j, h = (i + 1) % 3, (i + 2) % 3
                    m[i] = normals[t, j] * (b[h] - a[h]) - normals[t, h] * (b[j] - a[j])  # inward
                    out -= u[i] * m[i]
                    ahead += (p[i] - a[i]) * m[i]
                if out <= 1e-9 * slope * np.sqrt(m[0] * m[0] + m[1] * m[1] + m[2] * m[2]):
                    continue
                step = max(ahead / out, 0.0)  # in lengths of u
                if step < best and (k != came or step > 0.0):
                    best, edge = step, k
            if edge < 0 or edge == came:
                break
            gone += best * slope
            if gone > reach:
                break
            for i in range(3):
                p[i] += best * u[i]
            if edges[t, edge]:
                far[n] = gone
                a, b = corners[t, edge], corners[t, (edge + 1) % 3]
                length = 0.0
                for i in range(3):
                    way[i] = b[i] - a[i]
                    length += way[i] * way[i]
                # The same from both sides of an edge.
                first = way[0] if way[0] != 0.0 else (way[1] if way[1] != 0.0 else way[2])
                length = np.sqrt(length) if first >= 0.0 else -np.sqrt(length)
                for i in range(3):
                    source[n, i] = p[i]
                    along[n, i] = way[i] / length if length != 0.0 else 0.0
                break
            other = neighbour[t, edge]
            if other < 0:
                break
            came = entry[t, edge]
            t = other
