"""Throwing a picture: straight through the air onto what faces it, reaches in, and is not hidden."""

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.hidden import box_of, gather_occluders
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.project.places import Throw


def throw(model: Model, place: Throw, height: float, allowed: Bool | None = None) -> PlacedPicture:
    """Work out a pose. ``allowed`` (T,) bool leaves out triangles (a scope by parts)."""
    frame = pose_frame(place)
    half = np.array([place.width / 2, height / 2])
    # Only what may lie under the picture, however far towards the projector, is looked at more closely.
    middle, radius = model.balls
    offset = middle - frame.origin
    along = offset @ frame.towards
    aside = np.einsum("ij,ij->i", offset, offset) - along * along
    near = aside <= (float(np.hypot(*half)) + radius) ** 2 * (1 + 1e-9)
    rows = np.flatnonzero(near & (along + radius >= -place.depth - 1e-9 * model.diagonal))
    under = np.ascontiguousarray((model.corners[rows] - frame.origin) @ frame.matrix.T)
    low, high = box_of(under)
    inside = (low[:, 0] <= half[0]) & (low[:, 1] <= half[1]) & (high[:, 0] >= -half[0]) & (high[:, 1] >= -half[1])
    inside &= (low[:, 2] <= place.depth) & (high[:, 2] >= -place.depth)
    cosine = model.face_normals[rows] @ frame.towards
    inside &= np.degrees(np.arccos(np.clip(cosine, -1, 1))) <= place.angle_limit + 1e-6
    inside &= cosine > 1e-9 if place.angle_limit <= 90 else True
    if allowed is not None:
        inside &= allowed[rows]
    occluders = None
    if not place.through and inside.any():
        occluders = gather_occluders(under, rows, low, high, half, place.depth, model.diagonal)
    corners = np.zeros((model.triangle_count, 3, 3))
    corners[rows] = under
    reached = np.zeros(model.triangle_count, np.bool_)
    reached[rows] = inside
    limit = np.inf if place.stand_off is None else place.stand_off
    return PlacedPicture(corners, reached, occluders, place.width, height, place.depth, limit)
