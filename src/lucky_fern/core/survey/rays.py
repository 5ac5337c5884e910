"""How open the surface is, and how thick what lies under it: by rays.

Rays are cast by Embree (through embreex); what is done before and after is ours.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model

_GOLDEN = np.pi * (3 - np.sqrt(5))
_AT_ONCE = 1 << 17  # rays
_OFF = 2e-5  # of the model's diagonal, that rays begin off the surface
_CONE = 60.0  # degrees round the way in, for thickness


class Rays:
    """A model that rays are cast at; safe to use from several threads."""

    def __init__(self, model: Model) -> None:
        from embreex.mesh_construction import TriangleMesh  # slow to load, and not needed before the window shows
        from embreex.rtcore_scene import EmbreeScene

        self.scene = EmbreeScene()
        self._mesh = TriangleMesh(self.scene, np.ascontiguousarray(model.corners, np.float32))
        self._normals = model.face_normals
        self._off = model.diagonal * _OFF

    def covered(self, points: F64, normals: F64, reach: float, count: int) -> F64:
        """(N,) float64 how much of the hemispheres over points (N, 3) is covered within ``reach``.

        By the cosine to ``normals`` (N, 3), those of the faces: 0 where all is open. ``count`` rays a point, spread
        evenly (a Fibonacci lattice on the disc, turned from point to point) and projected up onto the hemisphere.
        """
        directions = cosine_disc(count, 1.0)

        def hit(origins: F32, ways: F32) -> F64:
            far = np.full(len(ways), reach, np.float32)
            # What is met within reach is told by its row, else -1.
            found = self.scene.run(origins, ways, dists=far, query="OCCLUDED")
            return np.asarray(found >= 0, np.float64)

        return self._mean(points, normals, directions, hit)

    def first(self, origins: F64, ways: F64, reach: float) -> tuple[I32, F64, F64, F64]:
        """The first face on each ray (N, 3) along unit ``ways``, -1 for none within ``reach``; where on it (the
        weights of its second and third corner) and how far along.
        """
        row = np.full(len(origins), -1, np.int32)
        u, v, far = (np.zeros(len(origins)) for _ in range(3))
        for start in range(0, len(origins), _AT_ONCE):
            some = slice(start, start + _AT_ONCE)
            count = len(origins[some])
            found = self.scene.run(
                np.ascontiguousarray(origins[some], np.float32), np.ascontiguousarray(ways[some], np.float32),
                dists=np.full(count, reach, np.float32), output=True,
            )  # fmt: skip
            row[some], u[some], v[some], far[some] = found["primID"], found["u"], found["v"], found["tfar"]
        return row, u, v, far

    def thickness(self, points: F64, normals: F64, reach: float, count: int) -> F64:
        """(N,) float64 mean way through the solid below points (N, 3), no longer than ``reach``.

        Along rays within 60° of straight down (−``normals``), by the cosine. A ray that meets no back of a face has
        no solid to go through that ends: it counts as long as ``reach``.
        """
        directions = cosine_disc(count, float(np.sin(np.radians(_CONE))))

        def way(origins: F32, ways: F32) -> F64:
            found = self.scene.run(origins, ways, dists=np.full(len(ways), reach, np.float32), output=True)
            row = found["primID"]
            met = row >= 0
            out = np.full(len(ways), reach)
            leaving = (self._normals[row[met]] * ways[met]).sum(axis=1) > 0
            out[met] = np.where(leaving, np.minimum(found["tfar"][met], reach), reach)
            return out

        return self._mean(points, -normals, directions, way)

    def _mean(self, points: F64, normals: F64, directions: F64, ask: Callable[[F32, F32], F64]) -> F64:
        """(N,) mean of what ``ask`` answers for every ray, rays in pieces."""
        out = np.empty(len(points))
        step = max(_AT_ONCE // len(directions), 1)
        for start in range(0, len(points), step):
            some = slice(start, start + step)
            origins, ways = _rays(points[some], normals[some], directions, self._off)
            out[some] = ask(origins, ways).reshape(-1, len(directions)).mean(axis=1)
        return out


def cosine_disc(count: int, radius: float) -> F64:
    """(count, 3) float64 unit directions about +z, as dense as the cosine, out to where the sine is ``radius``."""
    number = np.arange(count) + 0.5
    far, turn = np.sqrt(number / count) * radius, number * _GOLDEN
    flat = np.stack([far * np.cos(turn), far * np.sin(turn)], axis=1)
    return np.column_stack([flat, np.sqrt(np.maximum(1 - (flat * flat).sum(axis=1), 0))])


@kernel
def _chance(x: float, y: float, z: float) -> float:
    """A number 0…1 for a place, which shows no pattern on a grid of texels."""
    h = np.uint32(int(np.floor(x)) & 0xFFFFFFFF) * np.uint32(0x9E3779B1)
    h ^= h >> np.uint32(15)
    h = (h + np.uint32(int(np.floor(y)) & 0xFFFFFFFF)) * np.uint32(0x85EBCA6B)
    h ^= h >> np.uint32(13)
    h = (h + np.uint32(int(np.floor(z)) & 0xFFFFFFFF)) * np.uint32(0xC2B2AE35)
    h ^= h >> np.uint32(16)
    h *= np.uint32(0x7FEB352D)
    h ^= h >> np.uint32(15)
    return float(h & np.uint32(0xFFFFFFFF)) / 4294967296.0


@kernel
def _rays(points: F64, normals: F64, directions: F64, off: float) -> tuple[F32, F32]:
    """Every direction round every normal; origins lie off the surface."""
    count = len(directions)
    origins = np.empty((len(points) * count, 3), np.float32)
    ways = np.empty((len(points) * count, 3), np.float32)
    for n in range(len(points)):
        x, y, z = normals[n, 0], normals[n, 1], normals[n, 2]
        # A frame round the normal (T. Duff et al., "Building an Orthonormal Basis, Revisited", 2017).
        sign = 1.0 if z >= 0 else -1.0
        a = -1.0 / (sign + z)
        b = x * y * a
        ux, uy, uz = 1.0 + sign * x * x * a, sign * b, -sign * x
        vx, vy, vz = b, sign + y * y * a, -y
        # Turned from point to point, so that no pattern shows.
        angle = 2.0 * np.pi * _chance(points[n, 0] / off, points[n, 1] / off, points[n, 2] / off)
        cos, sin = np.cos(angle), np.sin(angle)
        for k in range(count):
            p = directions[k, 0] * cos - directions[k, 1] * sin
            q = directions[k, 0] * sin + directions[k, 1] * cos
            r = directions[k, 2]
            at = n * count + k
            ways[at, 0], ways[at, 1], ways[at, 2] = (
                p * ux + q * vx + r * x,
                p * uy + q * vy + r * y,
                p * uz + q * vz + r * z,
            )
            origins[at, 0], origins[at, 1], origins[at, 2] = (
                points[n, 0] + off * x,
                points[n, 1] + off * y,
                points[n, 2] + off * z,
            )
    return origins, ways
