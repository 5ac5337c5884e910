"""A path over the surface through picked points: straight with round corners, or smooth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.places import Along

_MOST = 3000  # points of a path
_FINE = 6.0  # points to a stripe's width
_FEWEST = 12  # points between two picked ones


@dataclass(frozen=True)
class Path:
    """Points (N, 3) on the surface with unit normals (N, 3), and how far along the path each lies (N,).

    A closed path ends where it begins. ``lost`` is the share of its points that found no surface.
    """

    points: F64
    normals: F64
    along: F64
    lost: float
    closed: bool

    @property
    def length(self) -> float:
        return float(self.along[-1])


def path_of(model: Model, place: Along) -> Path:
    """The path of a stripe, laid onto the surface."""
    controls, normals = np.array(place.points, np.float64), unit_rows(np.array(place.normals, np.float64))
    if place.closed and len(controls) > 2:
        controls, normals = np.vstack([controls, controls[:1]]), np.vstack([normals, normals[:1]])
    closed = place.closed and len(controls) > 3
    where, lifted, sag = _drawn(controls, place, closed)
    whole = np.minimum(lifted.astype(int), len(controls) - 2)
    share = (lifted - whole)[:, None]
    towards = unit_rows(normals[whole] * (1 - share) + normals[whole + 1] * share)
    found, met = _onto(model, where, towards, place.width + sag)
    steps = np.linalg.norm(np.diff(found, axis=0), axis=1)
    kept = np.append(True, steps > 1e-9 * max(model.diagonal, 1e-300))
    found, towards = found[kept], towards[kept]
    along = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(found, axis=0), axis=1)))
    return Path(found, towards, along, float(1 - met.mean()), closed)


def _drawn(controls: F64, place: Along, closed: bool) -> tuple[F64, F64, float]:
    """The path through the air: points (N, 3), where between the picked ones they lie (N,), the longest leg."""
    legs = np.linalg.norm(np.diff(controls, axis=0), axis=1)
    total = max(float(legs.sum()), 1e-300)
    step = max(place.width / _FINE, total / _MOST)
    counts = np.maximum(np.ceil(legs / step), _FEWEST).astype(int)
    lifted = np.concatenate([k + np.arange(count) / count for k, count in enumerate(counts)] + [[len(legs)]])
    if place.smooth and len(controls) > 2:
        return _smooth(controls, lifted, closed), lifted, float(legs.max())
    return _straight(controls, lifted, legs, place.corner, closed), lifted, float(legs.max())


def _straight(controls: F64, lifted: F64, legs: F64, radius: float, closed: bool) -> F64:
    """Straight legs; within a radius of a picked point they turn as a parabola that touches both."""
    whole = np.minimum(lifted.astype(int), len(legs) - 1)
    share = (lifted - whole)[:, None]
    points: F64 = controls[whole] * (1 - share) + controls[whole + 1] * share
    if radius <= 0:
        return points
    count = len(controls)
    corners = range(count - 1) if closed else range(1, count - 1)
    for k in corners:
        before, after = (k - 1) % (count - 1) if closed else k - 1, k
        reach = min(radius, legs[before] / 2, legs[after] / 2)
        if reach <= 0:
            continue
        start = controls[k] + (controls[before] - controls[k]) * reach / legs[before]
        end = controls[k] + (controls[k + 1] - controls[k]) * reach / legs[after]
        # From −1 (where the turn begins) over 0 (at the picked point) to 1.
        offset = np.where(whole == before, (lifted - before - 1) * legs[before] / reach, np.inf)
        offset = np.where(whole == after, (lifted - after) * legs[after] / reach, offset)
        turning = np.abs(offset) < 1
        u = ((offset[turning] + 1) / 2)[:, None]
        points[turning] = (1 - u) ** 2 * start + 2 * u * (1 - u) * controls[k] + u**2 * end
    if closed:
        points[-1] = points[0]
    return points


def _smooth(controls: F64, lifted: F64, closed: bool) -> F64:
    """A centripetal Catmull–Rom spline.

    Reference: C. Yuksel et al., "Parameterization and applications of Catmull–Rom curves", 2011.
    """
    first = controls[-2] if closed else 2 * controls[0] - controls[1]
    last = controls[1] if closed else 2 * controls[-1] - controls[-2]
    every = np.vstack([first, controls, last])
    whole = np.minimum(lifted.astype(int), len(controls) - 2)
    p = [every[whole + k] for k in range(4)]
    knots = [np.zeros(len(lifted))]
    for k in range(3):
        knots.append(knots[-1] + np.maximum(np.sqrt(np.linalg.norm(p[k + 1] - p[k], axis=1)), 1e-12))
    t = (knots[1] + (lifted - whole) * (knots[2] - knots[1]))[:, None]
    t0, t1, t2, t3 = (knot[:, None] for knot in knots)
    a1 = (t1 - t) / (t1 - t0) * p[0] + (t - t0) / (t1 - t0) * p[1]
    a2 = (t2 - t) / (t2 - t1) * p[1] + (t - t1) / (t2 - t1) * p[2]
    a3 = (t3 - t) / (t3 - t2) * p[2] + (t - t2) / (t3 - t2) * p[3]
    b1 = (t2 - t) / (t2 - t0) * a1 + (t - t0) / (t2 - t0) * a2
    b2 = (t3 - t) / (t3 - t1) * a2 + (t - t1) / (t3 - t1) * a3
    return np.asarray((t2 - t) / (t2 - t1) * b1 + (t - t1) / (t2 - t1) * b2)


def _onto(model: Model, points: F64, towards: F64, reach: float) -> tuple[F64, F64]:
    """The points of the surface nearest along each point's normal, and whether there was one (N,)."""
    middle, radius = model.balls
    out, met = points.copy(), np.zeros(len(points))
    for start in range(0, len(points), 32):  # stretch by stretch: few triangles lie near each
        part = slice(start, start + 32)
        centre = points[part].mean(axis=0)
        extent = float(np.linalg.norm(points[part] - centre, axis=1).max()) + reach
        near = np.linalg.norm(middle - centre, axis=1) <= extent + radius
        _project(model.corners[near], points[part], towards[part], reach, out[part], met[part])
    return out, met


@kernel
def _project(corners: F64, points: F64, towards: F64, reach: float, out: F64, met: F64) -> None:
    """Write where the line through each point along its normal meets a face that looks the same way, nearest to it.

    Reference: T. Möller and B. Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection", 1997.
    """
    for n in range(len(points)):
        best = reach
        p, d = points[n].copy(), towards[n]
        for t in range(len(corners)):
            a = corners[t, 0]
            ux, uy, uz = corners[t, 1, 0] - a[0], corners[t, 1, 1] - a[1], corners[t, 1, 2] - a[2]
            vx, vy, vz = corners[t, 2, 0] - a[0], corners[t, 2, 1] - a[1], corners[t, 2, 2] - a[2]
            px, py, pz = d[1] * vz - d[2] * vy, d[2] * vx - d[0] * vz, d[0] * vy - d[1] * vx
            det = ux * px + uy * py + uz * pz
            # The determinant is minus the face's normal along the line: above 0 the face looks the other way.
            if det > -1e-300:
                continue
            sx, sy, sz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
            wb = (sx * px + sy * py + sz * pz) / det
            if wb < -1e-6 or wb > 1.0 + 1e-6:
                continue
            qx, qy, qz = sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux
            wc = (d[0] * qx + d[1] * qy + d[2] * qz) / det
            if wc < -1e-6 or wb + wc > 1.0 + 1e-6:
                continue
            far = (vx * qx + vy * qy + vz * qz) / det
            if abs(far) < best:
                best, met[n] = abs(far), 1.0
                out[n, 0], out[n, 1], out[n, 2] = p[0] + far * d[0], p[1] + far * d[1], p[2] + far * d[2]


def thinned(points: F64, tolerance: float) -> list[int]:
    """Which of the points (N, 3) of a line are kept so that the others lie within ``tolerance`` of it.

    References
    ----------
    Douglas and Peucker, "Algorithms for the reduction of the number of points required to represent a digitized
    line", 1973.
    """
    kept, todo = {0, len(points) - 1}, [(0, len(points) - 1)]
    while todo:
        low, high = todo.pop()
        if high - low < 2:
            continue
        start, way = points[low], points[high] - points[low]
        share = np.clip((points[low + 1 : high] - start) @ way / max(float(way @ way), 1e-300), 0, 1)
        far = np.linalg.norm(points[low + 1 : high] - start - share[:, None] * way, axis=1)
        worst = int(np.argmax(far))
        if far[worst] > tolerance:
            at = low + 1 + worst
            kept.add(at)
            todo += [(low, at), (at, high)]
    return sorted(kept)
