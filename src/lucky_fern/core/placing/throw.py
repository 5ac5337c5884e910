"""Throwing a picture: through the air onto what faces it, reaches in, and is not hidden."""

import numpy as np

from lucky_fern.core.arrays import F64, I64, Bool, box_of, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.bent import through_lens
from lucky_fern.core.placing.frame import Frame, pose_frame
from lucky_fern.core.placing.hidden import gather_occluders
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.project.places import Throw

_BEFORE = 0.98  # of the way to the lens; what reaches nearer to it is neither painted on nor hides anything


def rows_near(model: Model, place: Throw, height: float) -> I64:
    """(N,) rows, rising, of what a pose may touch and of what may hide something from it; some others, too."""
    frame = pose_frame(place)
    wide, least = _beam(model, place, _half(model, place, height))
    return model.tree.about(frame.origin, frame.towards, wide, least).astype(np.int64)


def _half(model: Model, place: Throw, height: float) -> F64:
    """Half the width and half the height of what is thrown."""
    if place.repeat:
        off = float(np.linalg.norm(np.asarray(place.point) - model.bounds.mean(axis=0)))
        return np.full(2, 2 * model.diagonal + off)
    return np.array([place.width / 2, height / 2])


def _beam(model: Model, place: Throw, half: F64) -> tuple[float, float]:
    """How far from the middle ray the picture reaches, and how far along it what it reaches begins."""
    spread = 1.0 if place.lens is None else 1 + place.depth / place.lens  # of the rays behind the middle
    return float(np.hypot(*half)) * spread, -place.depth - 1e-9 * model.diagonal


def throw(model: Model, place: Throw, height: float, allowed: Bool | None = None) -> PlacedPicture:
    """Work out a pose. ``allowed`` (T,) bool leaves out triangles (a scope by parts)."""
    frame, half = pose_frame(place), _half(model, place, height)
    # Only what may lie under the picture, however far towards the projector, is looked at more closely.
    rows = rows_near(model, place, height)
    wide, least = _beam(model, place, half)
    middle, radius = (of_all[rows] for of_all in model.balls)
    offset = middle - frame.origin
    along = offset @ frame.towards
    aside = np.einsum("ij,ij->i", offset, offset) - along * along
    near = aside <= (wide + radius) ** 2 * (1 + 1e-9)
    near &= along + radius >= least
    rows, middle = rows[near], middle[near]
    under = np.ascontiguousarray((model.corners[rows] - frame.origin) @ frame.matrix.T)
    if place.lens is not None:
        ahead = under[..., 2].max(axis=1) < _BEFORE * place.lens
        rows, under, middle = rows[ahead], under[ahead], middle[ahead]
    deep = under[..., 2]
    inside = (deep.min(axis=1) <= place.depth) & (deep.max(axis=1) >= -place.depth)
    reach, weights = place.depth, None
    if place.lens is not None:
        reach *= place.lens / (place.lens + place.depth)  # how deep that is behind the lens
        under, weights = through_lens(under, place.lens)
    low, high = box_of(under)
    inside &= (low[:, 0] <= half[0]) & (low[:, 1] <= half[1]) & (high[:, 0] >= -half[0]) & (high[:, 1] >= -half[1])
    cosine = _facing(frame, place, middle, model.face_normals[rows])
    if place.fade:
        inside &= cosine > 1e-9 if place.angle_limit <= 90 else True  # corners say the rest
    else:
        inside &= np.degrees(np.arccos(np.clip(cosine, -1, 1))) <= place.angle_limit + 1e-6
        inside &= cosine > 1e-9 if place.angle_limit <= 90 else True
    if allowed is not None:
        inside &= allowed[rows]
    occluders = None
    if not place.through and inside.any():
        occluders = gather_occluders(under, rows, low, high, half, reach, model.diagonal)
    limit = np.inf
    if place.stand_off is not None and (place.lens is None or place.stand_off < place.lens):
        limit = place.stand_off
        limit *= 1.0 if place.lens is None else place.lens / (place.lens - place.stand_off)
    strengths = _strengths(model, frame, place, rows[inside]) if place.fade else None
    kept = rows[inside].astype(np.int32)
    return PlacedPicture(
        model.triangle_count,
        kept,
        np.ascontiguousarray(under[inside]),
        occluders,
        place.width,
        height,
        place.depth,
        limit,
        weights=None if weights is None else np.ascontiguousarray(weights[inside]),
        strengths=strengths,
        repeat=place.repeat,
    )


def _facing(frame: Frame, place: Throw, points: F64, normals: F64) -> F64:
    """The cosine between normals and the way to the projector."""
    if place.lens is None:
        return np.asarray(normals @ frame.towards, np.float64)
    towards = unit_rows(frame.origin + frame.towards * place.lens - points)
    return np.asarray((normals * towards).sum(axis=-1), np.float64)


def _strengths(model: Model, frame: Frame, place: Throw, rows: I64) -> F64:
    """(N, 3) how strongly the picture shows at corners: less and less towards the limit of the angle."""
    cosine = _facing(frame, place, model.corners[rows], model.normals[rows].astype(np.float64))
    angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    return np.ascontiguousarray((place.angle_limit - angle) / place.fade)
