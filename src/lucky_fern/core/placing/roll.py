"""Rolling a picture round an axis: across it runs the angle, upwards the axis."""

from __future__ import annotations

import dataclasses

import msgspec
import numpy as np

from lucky_fern.core.arrays import F64, Bool, box_of, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.bent import Rolled
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.hidden import gather_occluders
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.project.places import Roll

_FACING = 0.05  # cosine to straight outwards; what is turned further away, lids for one, is not rolled onto


def roll(model: Model, place: Roll, height: float, allowed: Bool | None = None) -> PlacedPicture:
    """Work out a rolled pose. ``allowed`` (T,) bool leaves out triangles (a scope by parts).

    The picture comes from outside: what stands further out hides what lies behind it, unless it goes ``through``.
    """
    distance, unrolled, facing, lying = _unroll(model, place)
    if allowed is not None:
        facing &= allowed
    angle = np.radians(place.rotate)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    half = np.array([place.width, height]) / 2
    depth = float(np.abs(unrolled[..., 2]).max(initial=distance)) + distance
    made: PlacedPicture | None = None
    # Once as it lies, and once more a full turn to either side, for what the cut at the back divides.
    for turns in (0, -1, 1):
        here = unrolled.copy()
        here[..., 0] += turns * 2 * np.pi * distance
        here[..., :2] = here[..., :2] @ turn
        low, high = box_of(here)
        under = (low[:, :2] <= half).all(axis=1) & (high[:, :2] >= -half).all(axis=1)
        inside = facing & under
        if turns and not inside.any():
            continue
        occluders = None
        if not place.through and inside.any():
            rows = np.flatnonzero(under)
            near = np.ascontiguousarray(here[rows])
            occluders = gather_occluders(near, rows, low[rows], high[rows], half, depth, model.diagonal)
        kept = np.flatnonzero(inside).astype(np.int32)
        one = PlacedPicture(
            model.triangle_count,
            kept,
            np.ascontiguousarray(here[kept]),
            occluders,
            place.width,
            height,
            depth,
            np.inf,
            rolled=Rolled(np.ascontiguousarray(lying[kept]), distance, float(np.cos(angle)), float(np.sin(angle))),
        )
        made = one if made is None else dataclasses.replace(one, beyond=made)
    assert made is not None
    return made


def _unroll(model: Model, place: Roll) -> tuple[float, F64, Bool, F64]:
    """The distance of the roll's point from its axis, all corners unrolled, the triangles that face outwards, and how
    corners lie round the axis.

    Corners (T, 3, 3) are the arc at that distance, the height above the point, and how much further out they lie;
    round the axis: how far right of it, the height above the point, and how far towards the picture.
    """
    frame = pose_frame(msgspec.structs.replace(place, rotate=0.0))
    foot = np.asarray(place.axis_point, np.float64)
    middle = frame.origin - foot
    distance = float(middle @ frame.towards)
    offset = model.corners - foot
    x, y = offset @ frame.right, offset @ frame.towards
    out = np.hypot(x, y)
    angle = np.arctan2(x, y)
    # Corners of one triangle lie within half a turn of its first.
    angle = angle[:, :1] + (angle - angle[:, :1] + np.pi) % (2 * np.pi) - np.pi
    along = (offset - middle) @ frame.up
    unrolled = np.stack([angle * distance, along, out - distance], axis=-1)
    outwards = offset.mean(axis=1)
    outwards = unit_rows(outwards - frame.up * (outwards @ frame.up)[:, None])
    facing = (outwards * model.face_normals).sum(axis=1) > _FACING
    facing &= out.min(axis=1) > 1e-6 * distance
    return distance, unrolled, np.asarray(facing, np.bool_), np.stack([x, along, y], axis=-1)
