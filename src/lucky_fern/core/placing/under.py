"""How much of a placed picture lies under another one that is put on above it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Array, Bool
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.way import on_surface, way_of
from lucky_fern.core.project.places import Framed
from lucky_fern.core.sheets.raster import mark_triangles
from lucky_fern.core.sheets.surface import Surface

_ACROSS = 48  # points asked along each side


@dataclass(frozen=True)
class Spots:
    """Points of the surface spread evenly over a picture: ``triangle`` (N,) and ``barycentric`` (N, 3).

    ``row`` and ``column`` (N,) say which of the points of an even grid over the picture each is.
    """

    triangle: I32
    barycentric: F64
    row: I64
    column: I64


def may_meet(place: Framed, height: float, other: Framed, tall: float) -> bool:
    """Whether two pictures are near enough that one may lie on the other: quickly asked, and never wrong with no."""
    reach = sum(
        float(np.hypot(one.width, high)) / 2 + way_of(one).depth(one)
        for one, high in ((place, height), (other, tall))
    )
    if not np.isfinite(reach):
        return True
    return bool(
        float(np.linalg.norm(np.subtract(pose_frame(on_surface(place)).origin, pose_frame(on_surface(other)).origin)))
        <= reach
    )


def spots_of(surface: Surface, place: Framed, height: float, placed: PlacedPicture | None) -> Spots:
    """Where on the surface a picture lies; ``placed`` is its pose worked out, None for a laid one."""
    rows, flat = way_of(place).spread(surface, placed, place, height)
    scaled = np.ascontiguousarray(flat * _ACROSS)
    owner = np.full((_ACROSS, _ACROSS), -1, np.int32)
    every = np.arange(len(scaled), dtype=np.int32)
    mark_triangles(scaled, np.zeros(len(scaled), np.uint8), every, 0, 0, owner, every)
    down, across = np.nonzero(owner >= 0)
    item = owner[down, across]
    a, b, c = scaled[item, 0], scaled[item, 1], scaled[item, 2]
    p = np.stack([across + 0.5, down + 0.5], axis=1)
    area = _cross(b - a, c - a)
    wb, wc = _cross(p - a, c - a) / area, _cross(b - a, p - a) / area
    return Spots(rows[item], np.stack([1 - wb - wc, wb, wc], axis=1), down, across)


def rim_of(surface: Surface, place: Framed, height: float, placed: PlacedPicture | None) -> list[F64]:
    """Lines (N, 3) in the world along the edge of a picture as it lies; they break where it finds no surface."""
    spots = spots_of(surface, place, height, placed)
    grid = np.full((_ACROSS, _ACROSS, 3), np.nan)
    grid[spots.row, spots.column] = np.einsum("nk,nkd->nd", spots.barycentric, surface.model.corners[spots.triangle])
    ring = np.concatenate([grid[0, :-1], grid[:-1, -1], grid[-1, :0:-1], grid[::-1, 0]])
    there = np.isfinite(ring).all(axis=1)
    ends = np.flatnonzero(np.diff(np.concatenate([[False], there, [False]]).astype(int)))
    return [ring[start:end] for start, end in zip(ends[::2], ends[1::2], strict=True) if end - start > 1]


def covered_share(
    surface: Surface, spots: Spots, place: Framed, height: float, placed: PlacedPicture | None, alpha: Array | None
) -> float:
    """The share of spots on which another picture lies, where its ``alpha`` ((rows, columns), 0…1) says so."""
    if not len(spots.triangle):
        return 0.0
    rows, flat = way_of(place).spread(surface, placed, place, height)
    found = np.full(surface.model.triangle_count, -1)
    found[rows] = np.arange(len(rows))
    found = found[spots.triangle]
    there: Bool = found >= 0
    if not there.any():
        return 0.0
    flat = flat[found]
    at = np.einsum("nk,nkd->nd", spots.barycentric, np.nan_to_num(flat))
    inside = there & ((at >= 0) & (at < 1)).all(axis=1)
    if alpha is not None:
        rows_, columns = alpha.shape
        x, y = np.clip((at * [columns, rows_]).astype(int), 0, [columns - 1, rows_ - 1]).T
        inside &= alpha[y, x] > 0.5
    return float(inside.mean())


def _cross(a: F64, b: F64) -> F64:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0], np.float64)
