"""Faces cut along texels: a texel's square becomes faces of its own, and the surface, its UVs and its paint stay.

In the texel space of a sheet each face of the file is covered by rectangles, of what is chosen and of the rest, and
cut along them; every point on an edge is a corner of all that meet there, on both sides of a seam too, so that no
T-junction can crack.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np

from lucky_fern.core.arrays import F64, I64, Array, Bool, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.rectangles import rectangles
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.tangents import mikk_tangents
from lucky_fern.core.sheets.grid import Extent, SheetKey, to_texels
from lucky_fern.core.udim import corner_of
from lucky_fern.words import tr

_NEAR = 1e-7  # texels, and shares of an edge: places closer than that are one
_SAME = 4e-7  # of a face
_ASIDE = 0.31  # round numbers lie in the middle of no gap between two bins
_MOST_PIECES = 100_000
_Edge = tuple[int, int]


@dataclass(frozen=True)
class Cut:
    """A model with more faces; ``origin`` (T,) int64 which face of the one before each was part of."""

    model: Model
    origin: I64


@dataclass
class _Piece:
    """A convex part of a triangle: its corners as shares of the triangle's (n, 3), and whether it is chosen."""

    corners: F64
    chosen: bool


def cut_texels(model: Model, key: SheetKey, size: Extent, area: Bool, faces: Bool, material: str) -> Cut:
    """Have the squares of texels be faces of a material of their own.

    Parameters
    ----------
    size, area : the sheet's texels, and (rows, columns) which of them are chosen.
    faces : (T,) which faces are cut, if any of their texels are chosen.

    Raises
    ------
    CommandError
        If no chosen texel lies on those faces.
    """
    number = model.materials.index(key.material)
    mine = np.flatnonzero(faces & model.has_uv & (model.material == number))
    xy = to_texels(model.uv[mine] - corner_of(key.tile), size)
    near = np.isin(model.polygon[mine], model.polygon[mine[_any_in(area, xy)]])
    mine, xy = mine[near], xy[near]
    pieces: dict[int, list[_Piece]] = {}
    order = np.argsort(model.polygon[mine], kind="stable")
    for at in np.split(order, np.flatnonzero(np.diff(model.polygon[mine[order]])) + 1) if len(mine) else ():
        pieces.update(_polygon_cut(xy[at], mine[at], area))
    if not pieces:
        raise CommandError(tr("none of the chosen texels lies on faces that may be cut"))
    if sum(map(len, pieces.values())) > _MOST_PIECES:
        raise CommandError(tr("that would make more than {most} faces; choose fewer texels", most=_MOST_PIECES))
    return _assembled(model, pieces, material)


def _any_in(area: Bool, xy: F64) -> Bool:
    """(N,) whether a chosen texel lies in the box round each triangle (N, 3, 2): most of a model is left out so."""
    count = np.pad(area.astype(np.int64).cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))
    high, wide = area.shape
    low = np.clip(np.floor(xy.min(axis=1)), 0, [wide, high]).astype(np.int64)
    end = np.clip(np.ceil(xy.max(axis=1)), 0, [wide, high]).astype(np.int64)
    left, upper = low[:, 0], low[:, 1]
    right, lower = end[:, 0], end[:, 1]
    return np.asarray(count[lower, right] - count[upper, right] - count[lower, left] + count[upper, left] > 0)


def wrapped(model: Model, materials: tuple[str, ...]) -> Cut:
    """The model with all of some materials on tile 1001, as where their UVs repeat; cut along the borders of tiles.

    Raises
    ------
    CommandError
        If that would make too many faces.
    """
    rows = np.flatnonzero(model.has_uv & np.isin(model.material, [model.materials.index(one) for one in materials]))
    low = np.floor(model.uv[rows].min(axis=1) + _NEAR)
    high = np.ceil(model.uv[rows].max(axis=1) - _NEAR)
    cells = np.maximum(high - low, 1).prod(axis=1)
    if cells[cells > 1].sum() > _MOST_PIECES:
        raise CommandError(tr("UVs of {materials} reach over {count:.0f} tiles; bring them nearer first",
                              materials=", ".join(materials), count=cells.sum()))  # fmt: skip
    pieces: dict[int, list[_Piece]] = {}
    for at in np.flatnonzero(cells > 1).tolist():
        u, v = (np.arange(low[at, axis], high[at, axis]) for axis in (0, 1))
        corner = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
        made = _triangle_cut(model.uv[rows[at]], np.concatenate([corner, corner + 1], axis=1), [False] * len(corner))
        if len(made) > 1:
            pieces[int(rows[at])] = made
    cut = _assembled(model, pieces, materials[0]) if pieces else Cut(model, np.arange(model.triangle_count))
    made_of = cut.model
    mine = made_of.has_uv & np.isin(made_of.material, [made_of.materials.index(one) for one in materials])
    uv = made_of.uv.copy()
    uv[mine] -= np.floor(uv[mine].mean(axis=1, keepdims=True))
    inside = np.abs(uv[mine] - 0.5) <= 0.5 + 1e-6
    uv[mine] = np.where(inside, np.clip(uv[mine], 0, 1), uv[mine])
    tangents = mikk_tangents(made_of.positions, made_of.triangles, uv, made_of.normals)
    return Cut(replace(made_of, uv=uv, tangents=tangents), cut.origin)


def _polygon_cut(xy: F64, rows: I64, area: Bool) -> dict[int, list[_Piece]]:
    """Pieces of the triangles of one face of the file; none if no chosen texel lies on it."""
    high, wide = area.shape
    low = np.floor(xy.min(axis=(0, 1)) + _NEAR).astype(np.int64)
    end = np.ceil(xy.max(axis=(0, 1)) - _NEAR).astype(np.int64)
    if (low >= end).any() or low[0] >= wide or low[1] >= high or (end <= 0).any():
        return {}
    # Beyond the sheet nothing is chosen: a face that reaches over its border is covered there too.
    part = np.zeros((end[1] - low[1], end[0] - low[0]), np.bool_)
    inner = area[max(low[1], 0) : min(end[1], high), max(low[0], 0) : min(end[0], wide)]
    top, left = max(-low[1], 0), max(-low[0], 0)
    part[top : top + inner.shape[0], left : left + inner.shape[1]] = inner
    if not part.any():
        return {}
    both = [(box, True) for box in rectangles(part)], [(box, False) for box in rectangles(~part)]
    boxes = np.array([box for some in both for box, _ in some], np.float64) + np.tile(low, 2)
    chosen = [which for some in both for _, which in some]
    found: dict[int, list[_Piece]] = {}
    for row, corners in zip(rows.tolist(), xy, strict=True):
        made = _triangle_cut(corners, boxes, chosen)
        if any(piece.chosen for piece in made):
            found[row] = made
    return found


def _triangle_cut(corners: F64, boxes: F64, chosen: list[bool]) -> list[_Piece]:
    edges = np.stack([corners[1] - corners[0], corners[2] - corners[0]], axis=1)
    area = float(np.linalg.det(edges))
    if abs(area) < 1e-9:
        return []
    to_shares = np.linalg.inv(edges)
    low, high = corners.min(axis=0), corners.max(axis=0)
    meets = ((boxes[:, :2] < high - _NEAR) & (boxes[:, 2:] > low + _NEAR)).all(axis=1)
    made = []
    outlines = boxes[:, [0, 1, 2, 1, 2, 3, 0, 3]].reshape(-1, 4, 2)
    within = (outlines - corners[0]) @ to_shares.T
    whole = ((within >= 0).all(axis=2) & (within.sum(axis=2) <= 1)).all(axis=1)
    for at in np.flatnonzero(meets).tolist():
        left, upper, right, lower = boxes[at]
        points = outlines[at] if whole[at] else corners if area > 0 else corners[::-1]
        for axis, limit, sign in ((0, left, 1), (0, right, -1), (1, upper, 1), (1, lower, -1)):
            if whole[at] or len(points) < 3:
                break
            points = _clipped(points, axis, limit, sign)
        if len(points) < 3 or _area(points) < 1e-6:
            continue
        shares = (points - corners[0]) @ to_shares.T
        shares = np.column_stack([1 - shares.sum(axis=1), shares])
        shares[np.abs(shares) < _SAME] = 0.0  # on a side
        shares /= shares.sum(axis=1, keepdims=True)
        if area < 0:
            shares = shares[::-1]
        made.append(_Piece(shares, chosen[at]))
    return made


def _clipped(points: F64, axis: int, limit: float, sign: int) -> F64:
    """A convex outline on one side of a line (I. E. Sutherland and G. W. Hodgman, 1974)."""
    inside = (points[:, axis] - limit) * sign
    if (inside >= -_NEAR).all():
        return points
    out: list[Array] = []
    for n in range(len(points)):
        here, there = inside[n - 1], inside[n]
        if (here > _NEAR and there < -_NEAR) or (here < -_NEAR and there > _NEAR):
            share = here / (here - there)
            met = points[n - 1] + (points[n] - points[n - 1]) * share
            met[axis] = limit
            out.append(met)
        if there >= -_NEAR:
            out.append(points[n])
    return np.array(out) if out else np.zeros((0, 2))


def _area(points: F64) -> float:
    x, y = points[:, 0], points[:, 1]
    return abs(float(x[:-1] @ y[1:] - y[:-1] @ x[1:] + x[-1] * y[0] - y[-1] * x[0])) / 2


def _assembled(model: Model, pieces: dict[int, list[_Piece]], material: str) -> Cut:
    """All faces, cut and whole, with every point on an edge a corner of all that meet there."""
    on_edges = _edge_points(model, pieces)
    weights: list[F64] = []  # (3, 3) each: a new triangle's corners as shares of the old one's
    origin: list[int] = []
    fresh: list[bool] = []
    polygon: list[int] = []
    touched = dict(pieces)
    for row in _at_edges(model, on_edges).tolist():
        touched.setdefault(row, [_Piece(np.eye(3), False)])
    number = int(model.polygon.max(initial=-1)) + 1
    for row, parts in touched.items():
        extra = _border_points(model, row, on_edges)
        every = _unique(np.concatenate([np.eye(3), extra, *(part.corners for part in parts)]))
        for part in parts:
            outline = _with_points(part.corners, every)
            whole = len(parts) == 1 and not part.chosen
            for ear in _ears(np.ascontiguousarray(outline[:, 1:])).tolist():
                weights.append(outline[ear])
                origin.append(row)
                fresh.append(part.chosen)
                polygon.append(int(model.polygon[row]) if whole else number)
            number += not whole
    return _model_of(model, np.array(weights), np.array(origin, np.int64), np.array(fresh), np.array(polygon),
                     np.array(sorted(touched), np.int64), material)  # fmt: skip


def _at_edges(model: Model, edges: Collection[_Edge]) -> I64:
    """The triangles that have any of some edges."""
    ends = np.sort(np.stack([model.triangles, np.roll(model.triangles, -1, axis=1)], axis=2).astype(np.int64), axis=2)
    span = int(model.triangles.max(initial=0)) + 1
    wanted = np.array([low * span + high for low, high in edges], np.int64)
    return np.flatnonzero(np.isin(ends[..., 0] * span + ends[..., 1], wanted).any(axis=1))


def _edge_points(model: Model, pieces: dict[int, list[_Piece]]) -> dict[_Edge, list[float]]:
    """Where new corners lie on edges: shares of the way from the vertex of the lower number to the other."""
    found: dict[_Edge, list[float]] = {}
    for row, parts in pieces.items():
        vertices = model.triangles[row].tolist()
        for corners in (part.corners for part in parts):
            for k in range(3):
                a, b = vertices[k], vertices[(k + 1) % 3]
                on = (corners[:, (k + 2) % 3] == 0) & (corners[:, k] > 0) & (corners[:, (k + 1) % 3] > 0)
                for share in corners[on][:, (k + 1) % 3 if a < b else k].tolist():
                    known = found.setdefault((min(a, b), max(a, b)), [])
                    if all(abs(share - other) > _SAME for other in known):
                        known.append(share)
    return found


def _border_points(model: Model, row: int, on_edges: dict[_Edge, list[float]]) -> F64:
    """(n, 3) the points on a triangle's edges, as shares of its corners."""
    vertices, found = model.triangles[row].tolist(), []
    for k in range(3):
        a, b = vertices[k], vertices[(k + 1) % 3]
        for share in on_edges.get((min(a, b), max(a, b)), ()):
            point = [0.0, 0.0, 0.0]
            point[k], point[(k + 1) % 3] = (1 - share, share) if a < b else (share, 1 - share)
            found.append(point)
    return np.array(found, np.float64).reshape(-1, 3)


def parted(every: F64) -> F64:
    """(k, 3, 3) triangles of a face, as shares of its corners, that has some points (n, 3) on its edges."""
    outline = _with_points(np.eye(3), every)
    return outline[_ears(np.ascontiguousarray(outline[:, 1:]))]


def _unique(points: F64) -> F64:
    """Points of which no two are one place; the first of those that are stays."""
    from scipy.spatial import cKDTree

    first = np.arange(len(points))
    for one, other in sorted(cKDTree(points).query_pairs(_SAME)):
        first[other] = min(first[other], first[one])
    return points[np.unique(first)]


def _with_points(outline: F64, every: F64) -> F64:
    """A convex outline with all points that lie on its sides among its corners; its own give way to theirs."""
    low, high = outline.min(axis=0) - 2 * _SAME, outline.max(axis=0) + 2 * _SAME
    every = every[((every >= low) & (every <= high)).all(axis=1)]
    begin = outline[:, None, 1:]
    way = np.concatenate([outline[1:], outline[:1]])[:, None, 1:] - begin
    length = np.maximum(np.sqrt((way * way).sum(axis=2)), 2 * _SAME)
    off = every[None, :, 1:] - begin
    along = (off * way).sum(axis=2) / length
    aside = np.abs(off[..., 0] * way[..., 1] - off[..., 1] * way[..., 0]) / length
    on = (aside < 2 * _SAME) & (along > -2 * _SAME) & (along < length - 2 * _SAME)
    side, point = np.nonzero(on)
    return every[point[np.lexsort((along[side, point], side))]]


@kernel
def _ears(flat: F64) -> I64:
    """(k, 3) triangles of a convex outline (n, 2) some of whose corners lie on straight sides; none without an area.

    Each time the largest ear that leaves something with an area.
    """
    left = np.arange(len(flat))
    found = np.empty((max(len(flat) - 2, 0), 3), np.int64)
    count, n = 0, len(flat)
    while n > 3:
        best, at = 0.0, -1
        for k in range(n):
            ear = np.array([left[k - 1 if k else n - 1], left[k], left[(k + 1) % n]])
            here = _height(flat, ear)
            if here > best:
                rest = np.concatenate((left[:k], left[k + 1 : n]))
                if _height(flat, rest) > 0:
                    best, at = here, k
        if at < 0:
            break
        found[count] = left[at - 1 if at else n - 1], left[at], left[(at + 1) % n]
        count += 1
        left[at : n - 1] = left[at + 1 : n].copy()
        n -= 1
    if n == 3 and _height(flat, left[:3]) > 0:
        found[count] = left[0], left[1], left[2]
        count += 1
    return found[:count]


@kernel
def _height(flat: F64, rows: I64) -> float:
    """The area of a convex outline; 0 if it is as good as a line."""
    area, extent = 0.0, 0.0
    for k in range(len(rows)):
        a, b = flat[rows[k]], flat[rows[(k + 1) % len(rows)]]
        area += a[0] * b[1] - a[1] * b[0]
        extent = max(extent, abs(a[0] - flat[rows[0], 0]), abs(a[1] - flat[rows[0], 1]))
    area = abs(area) / 2
    return area if area > 2 * _SAME * extent else 0.0


def _model_of(model: Model, weights: F64, origin: I64, fresh: Bool, polygon: I64, gone: I64, material: str) -> Cut:
    kept = np.ones(model.triangle_count, np.bool_)
    kept[gone] = False
    materials = model.materials if material in model.materials else (*model.materials, material)

    def mixed(values: Array) -> Array:
        return np.asarray(np.einsum("nij,njk->nik", weights, values[origin].astype(np.float64)))

    places = mixed(model.corners)
    # Corners are one row of positions where they are one place; the model's own keep their numbers.
    near = max(model.diagonal, 1e-12) * 1e-9
    every = np.concatenate([model.positions, places.reshape(-1, 3)])
    _, first, inverse = np.unique(np.round(every / near + _ASIDE).astype(np.int64), axis=0, return_index=True,
                                  return_inverse=True)  # fmt: skip
    rank = np.argsort(np.argsort(first))
    positions = every[np.sort(first)]
    number = rank[inverse.ravel()]
    triangles = np.concatenate([number[model.triangles[kept]], number[len(model.positions) :].reshape(-1, 3)])
    uv = np.concatenate([model.uv[kept], mixed(model.uv)])
    normals = np.concatenate([model.normals[kept], unit_rows(mixed(model.normals).reshape(-1, 3)).reshape(-1, 3, 3)])
    colours = model.corner_colours
    if colours is not None:
        colours = np.concatenate([colours[kept], np.rint(mixed(colours)).astype(np.uint8)])
    origins = np.concatenate([np.flatnonzero(kept), origin])
    used = np.where(fresh, materials.index(material), model.material[origin])
    normals = normals.astype(np.float32)
    made = replace(
        model, positions=positions, triangles=triangles.astype(np.int32), uv=uv, normals=normals,
        tangents=mikk_tangents(positions, triangles.astype(np.int32), uv, normals),
        material=np.concatenate([model.material[kept], used]).astype(np.int32), materials=materials,
        part=model.part[origins], polygon=np.concatenate([model.polygon[kept], polygon]).astype(np.int32),
        corner_colours=colours,
    )  # fmt: skip
    return Cut(made, origins)
