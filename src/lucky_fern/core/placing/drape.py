"""Draping a picture: from its middle along the surface, over seams, tiles and materials, with little distortion."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, Bool, box_of, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import Frame, pose_frame
from lucky_fern.core.placing.placed import PlacedPicture, distortion
from lucky_fern.core.placing.relax import relax
from lucky_fern.core.placing.unfold import Patch, gather
from lucky_fern.core.project.places import Drape
from lucky_fern.core.sheets.picking import SurfaceHit, pick
from lucky_fern.core.sheets.raster import mark_triangles

_BESIDE = 0.12  # of the picture's width, over which triangles beside it count less and less
_LEAST = 0.01  # what triangles far beside it count
_WORST = 4.0  # a triangle longer one way than the other by more is no picture any more
_PROBE = 64  # points across, at which it is asked how much of the picture finds a surface


def start_of(model: Model, place: Drape) -> SurfaceHit | None:
    """The point of the surface where a draped picture begins: under its point, or else the one nearest to it."""
    normal = unit_rows(np.asarray(place.normal, np.float64))
    point = np.asarray(place.point, np.float64)
    reach = place.width
    hit = pick(model, point + normal * reach, -normal)
    if hit is not None and abs(float((hit.position - point) @ normal)) <= reach:
        nearer = pick(model, point + normal * 1e-6 * model.diagonal, -normal)
        # What lies right under the point counts, not what stands in front of it.
        if nearer is not None and abs(float((nearer.position - point) @ normal)) <= 1e-4 * model.diagonal:
            return nearer
        return hit
    back = pick(model, point, normal)
    return back if back is not None and float((back.position - point) @ normal) <= reach else None


def drape(model: Model, place: Drape, height: float, allowed: Bool | None = None) -> PlacedPicture:
    """Work out a draped pose. ``allowed`` (T,) bool leaves out triangles (a scope by parts)."""
    count = model.triangle_count
    start = start_of(model, place)
    if start is None:
        nothing, nowhere = np.zeros(0, np.int32), np.zeros((0, 3, 3))
        return PlacedPicture(count, nothing, nowhere, None, place.width, height, 1.0, np.inf, lost=1.0)
    frame = _on_surface(pose_frame(place), start)
    half = np.array([place.width, height]) / 2
    patch = gather(model, start.triangle, frame.origin, frame.right, frame.up, float(np.hypot(*half)) * 1.1)
    flat = _flattened(patch, frame, start, half)
    stretch, area = distortion(patch.points[patch.triangles], flat[patch.triangles])
    sound = (area > 0) & (stretch <= _WORST)
    low, high = box_of(flat[patch.triangles])
    under = (low <= half).all(axis=1) & (high >= -half).all(axis=1)
    kept = under & sound
    if place.angle_limit < 180:
        kept &= model.face_normals[patch.rows] @ frame.towards >= np.cos(np.radians(place.angle_limit)) - 1e-9
    if allowed is not None:
        kept &= allowed[patch.rows]
    order = np.argsort(patch.rows[kept])
    corners = np.zeros((len(order), 3, 3))
    corners[:, :, :2] = flat[patch.triangles[kept]][order]
    rows = patch.rows[kept][order].astype(np.int32)
    worst = float(stretch[kept].max(initial=1.0))
    lost = _lost(flat[patch.triangles[kept]], half)
    return PlacedPicture(count, rows, corners, None, place.width, height, 1.0, np.inf, worst, lost)


def _on_surface(frame: Frame, start: SurfaceHit) -> Frame:
    """The frame tilted into the plane of the triangle where the picture begins."""
    up = frame.up - start.normal * (frame.up @ start.normal)
    if np.linalg.norm(up) < 1e-6:
        up = np.cross(start.normal, frame.right)
    up = unit_rows(up)
    return Frame(start.position, np.cross(up, start.normal), up, start.normal)


def _flattened(patch: Patch, frame: Frame, start: SurfaceHit, half: F64) -> F64:
    """(V, 2) places of the patch's points, the start at the origin and the picture upright there."""
    corner = patch.points[patch.triangles]
    normal = unit_rows(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]))
    cosine = normal @ frame.towards
    with np.errstate(invalid="ignore", divide="ignore"):
        # Right, turned as the shortest rotation turns the start's normal into each triangle's.
        axis = np.cross(frame.towards, normal)
        right = (
            frame.right
            + np.cross(axis, frame.right)
            + np.cross(axis, np.cross(axis, frame.right)) / (1 + cosine)[:, None]
        )
    right[cosine < -0.9] = np.nan  # too far round for that: the unfolding knows better
    first = int(np.flatnonzero(patch.rows == start.triangle)[0])

    def upright(flat: F64) -> F64:
        place = flat[patch.triangles[first]]
        flat = flat - start.barycentric @ place
        turn = _turn_of(corner[first], flat[patch.triangles[first]], frame)
        return flat @ turn.T

    smooth = upright(relax(patch.points, patch.triangles, patch.flat, np.ones(len(corner)), right, rounds=1))
    middle = smooth[patch.triangles].mean(axis=1)
    beside = np.maximum(np.abs(middle) - half, 0).max(axis=1) / (_BESIDE * 2 * half.max())
    weight = np.maximum(1 / (1 + beside**2) ** 2, _LEAST)
    return upright(relax(patch.points, patch.triangles, smooth, weight, right, rounds=8))


def _turn_of(corner: F64, flat: F64, frame: Frame) -> F64:
    """(2, 2) the rotation that brings a flattened triangle upright again."""
    here = np.stack([(corner - corner[0]) @ frame.right, (corner - corner[0]) @ frame.up], axis=1)[1:]
    there = (flat - flat[0])[1:]
    c, s = (here * there).sum(), (here[:, 1] * there[:, 0] - here[:, 0] * there[:, 1]).sum()
    size = max(float(np.hypot(c, s)), 1e-300)
    return np.array([[c, -s], [s, c]]) / size


def _lost(places: F64, half: F64) -> float:
    """The share of the picture under which no triangle (N, 3, 2) lies."""
    scaled = np.ascontiguousarray((places / half + 1) * (_PROBE / 2))
    owner = np.full((_PROBE, _PROBE), -1, np.int32)
    every = np.arange(len(scaled), dtype=np.int32)
    mark_triangles(scaled, np.zeros(len(scaled), np.uint8), every, 0, 0, owner, every)
    return float((owner < 0).mean())
