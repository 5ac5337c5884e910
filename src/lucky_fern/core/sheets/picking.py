"""Finding the point of the surface that a ray or a texel names."""

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, I32, Bool, unit_rows
from lucky_fern.core.model.gradients import axes_of
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of, tile_of


@dataclass(frozen=True)
class SurfaceHit:
    """A point on the surface: triangle and barycentrics, and what follows from them."""

    triangle: int
    barycentric: F64
    position: F64
    normal: F64  # of the flat triangle
    uv: F64  # NaN where the triangle has none


def hit_at(model: Model, triangle: int, barycentric: F64) -> SurfaceHit:
    """Everything about a point of a triangle."""
    return SurfaceHit(
        triangle,
        barycentric,
        barycentric @ model.corners[triangle],
        model.face_normals[triangle],
        barycentric @ model.uv[triangle],
    )


def pick(
    model: Model, origin: F64, direction: F64, behind: float = 0.0, shown: Bool | None = None, front: bool = False
) -> SurfaceHit | None:
    """The nearest point of the surface along a ray (origin (3,), direction (3,)); None if it is missed.

    Hits nearer than ``behind`` along the ray do not count, nor faces that are not ``shown`` ((T,) bool), nor, with
    ``front``, those that look the ray's way.
    """
    triangle, wb, wc = model.tree.nearest(origin, direction, behind, shown, front)
    return None if triangle < 0 else hit_at(model, int(triangle), np.array([1 - wb - wc, wb, wc]))


def at_uv(surface: Surface, material: str | None, uv: F64, chosen: Bool | None = None) -> SurfaceHit | None:
    """The point of the surface at a place in UV space ((2,), v up, tiles counted along).

    ``material`` None asks all materials in order. Where islands overlap, the first triangle answers.
    """
    column, row = int(np.floor(uv[0])), int(np.floor(uv[1]))
    if not (0 <= column <= 9 and row >= 0):
        return None
    for key in surface.keys:
        if key.tile != tile_of(column, row) or (material is not None and key.material != material):
            continue
        triangles: I32 = surface.placement.triangles[key]
        corner = surface.model.uv[triangles]
        b, c, p = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0], uv - corner[:, 0]
        area = b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0]
        safe = np.where(area == 0, np.inf, area)
        wb = (p[:, 0] * c[:, 1] - p[:, 1] * c[:, 0]) / safe
        wc = (b[:, 0] * p[:, 1] - b[:, 1] * p[:, 0]) / safe
        inside = (wb >= -1e-9) & (wc >= -1e-9) & (wb + wc <= 1 + 1e-9) & (area != 0)
        if chosen is not None:
            inside &= chosen[triangles]
        if inside.any():
            first = int(np.argmax(inside))
            return hit_at(
                surface.model,
                int(triangles[first]),
                np.array([1 - wb[first] - wc[first], wb[first], wc[first]]),
            )
    return None


def uv_axes(model: Model, triangle: int) -> tuple[F64, F64]:
    """How a point moves on the surface when u or v grows by one, on a triangle: two (3,) vectors.

    Zero vectors where the triangle has no area in UV space.
    """
    if not np.isfinite(model.uv[triangle]).all():
        return np.zeros(3), np.zeros(3)
    along_u, along_v = axes_of(model.corners[triangle : triangle + 1], model.uv[triangle : triangle + 1])
    return along_u[0], along_v[0]


def sheet_of(surface: Surface, hit: SurfaceHit) -> SheetKey | None:
    """The sheet that a point of the surface lies on."""
    number = int(surface.sheet_of_triangle[hit.triangle])
    if number < 0:
        return None
    material = surface.keys[number].material
    column, row = np.floor(hit.uv + 1e-9)
    exact = SheetKey(material, tile_of(int(column), int(row)))
    return exact if exact in surface.keys else surface.keys[number]


def local_uv(hit: SurfaceHit, key: SheetKey) -> tuple[float, float]:
    """UV of a point counted from its tile's lower left corner."""
    column, row = corner_of(key.tile)
    return float(hit.uv[0] - column), float(hit.uv[1] - row)


def smooth_normal(model: Model, hit: SurfaceHit) -> F64:
    """The shading normal at a point, unit length."""
    return unit_rows(hit.barycentric @ model.normals[hit.triangle].astype(np.float64))
