"""From some faces to others: whole polygons, islands, pieces, materials, neighbours, all that face a way."""

from __future__ import annotations

from typing import Literal

import numpy as np

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.model.model import Model, groups, shared_edges

Unit = Literal["face", "island", "piece", "part", "material"]
UNITS: tuple[Unit, ...] = ("face", "island", "piece", "part", "material")


def whole(model: Model, chosen: Bool, unit: Unit) -> Bool:
    """(T,) bool, every unit that any chosen face belongs to, whole.

    A ``face`` is a polygon of the file, a ``piece`` all that hangs together over edges, a ``part`` a named part.
    Faces without UVs are islands by themselves.
    """
    if unit == "piece":
        first, second = shared_edges(model.triangles)[:2]
        number = groups(model.triangle_count, np.stack([first, second], axis=1))
    else:
        number = {"face": model.polygon, "island": model.islands, "part": model.part, "material": model.material}[
            unit
        ]
    inside: Bool = np.isin(number, np.unique(number[chosen]))
    if unit == "island":
        inside &= (number >= 0) | chosen
    return inside


def grown(model: Model, chosen: Bool, steps: int = 1) -> Bool:
    """The chosen faces and all that share a corner point with them, ``steps`` times; below 0 takes away instead."""
    out = chosen.copy()
    for _ in range(abs(steps)):
        mine = out if steps > 0 else ~out
        touched = np.zeros(len(model.positions), np.bool_)
        touched[model.triangles[mine]] = True
        near = np.asarray(touched[model.triangles].any(axis=1), np.bool_)
        before, out = out, near if steps > 0 else ~near
        if np.array_equal(before, out):
            break  # there is nothing more to reach
    # Half a polygon is none.
    whole_face = whole(model, out if steps > 0 else ~out, "face")
    return whole_face if steps > 0 else ~whole_face


def facing(model: Model, direction: F64, angle_deg: float) -> Bool:
    """(T,) bool, faces within an angle of a direction."""
    length = float(np.linalg.norm(direction))
    cosine = model.face_normals @ (direction / max(length, 1e-300))
    return np.asarray(cosine >= np.cos(np.radians(angle_deg)) - 1e-9, np.bool_)


def like_normal(model: Model, seed: Bool, angle_deg: float) -> Bool:
    """The faces that can be reached from ``seed`` without turning by more than an angle from one to the next."""
    first, second = shared_edges(model.triangles)[:2]
    cosine = (model.face_normals[first] * model.face_normals[second]).sum(axis=1)
    smooth = cosine >= np.cos(np.radians(angle_deg)) - 1e-9
    number = groups(model.triangle_count, np.stack([first[smooth], second[smooth]], axis=1))
    return np.asarray(np.isin(number, np.unique(number[seed])), np.bool_)
