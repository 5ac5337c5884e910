"""Faces that were cut along texels joined again: a face of the file is one again once all of it has one material."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from lucky_fern.core.arrays import F64, I64, Array, Bool, triangle_areas, unit_rows
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.cutting import parted
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.tangents import mikk_tangents
from lucky_fern.words import tr

_NEAR = 1e-6  # of the model's diagonal: corners closer than that are one; of a face: what lies that far in is inside
_WHOLE = 1e-4  # of a face's area that its pieces may be off


@dataclass(frozen=True)
class Joined:
    """A model with fewer faces.

    ``origin`` (T,) which face of the one before each is, or has the largest part of; ``back`` says which material
    the faces (rows of the model before) of each material went back to.
    """

    model: Model
    origin: I64
    back: dict[str, I64]


def join(model: Model, base: Model, material: str) -> Joined:
    """The model with the faces of a material given back to what they were cut from; ``base`` is it as it came.

    Raises
    ------
    CommandError
        If none of them was cut off from others.
    """
    if material not in model.materials:
        raise CommandError(tr("there is no material {name!r} to be joined", name=material))
    number = model.materials.index(material)
    loose, whole = _differing(model, base)
    groups = pieces_in(model, loose, base, whole)
    back: dict[str, list[int]] = {}
    owner = model.material.astype(np.int64)
    for face, rows in groups.items():
        mine = rows[model.material[rows] == number]
        if not len(mine):
            continue
        others = model.material[rows][model.material[rows] != number]
        name = base.materials[base.material[face]]
        if name == material:  # others were cut off from it
            continue
        if name in model.materials:
            to = model.materials.index(name)
        elif len(others):  # it is called otherwise by now
            to = int(np.bincount(others).argmax())
        else:
            continue
        owner[mine] = to
        back.setdefault(model.materials[to], []).extend(mine.tolist())
    if not back:
        raise CommandError(tr("no face of {name} was cut off from another material", name=material))
    model_ = replace(model, material=owner.astype(np.int32))
    made, origin = _merged(model_, base, groups)
    used = np.unique(made.material)
    kept = tuple(made.materials[one] for one in used)
    made = replace(made, material=np.searchsorted(used, made.material).astype(np.int32), materials=kept)
    return Joined(made, origin, {name: np.array(sorted(rows), np.int64) for name, rows in back.items()})


def _differing(model: Model, base: Model) -> tuple[I64, I64]:
    """The faces of a model that the one it came from has not, and those that it has not any more."""
    mine, theirs = _names(model, base), _names(base, base)
    return np.flatnonzero(~np.isin(mine, theirs)), np.flatnonzero(~np.isin(theirs, mine))


def _names(of: Model, base: Model) -> Array:
    """(T,) a name for each face, by the places of its corners in their order."""
    near = max(base.diagonal, 1e-12) * _NEAR
    places = np.ascontiguousarray(np.round(of.corners / near).astype(np.int64).reshape(-1, 9))
    return places.view([("", np.int64)] * 9).ravel()


def pieces_in(model: Model, loose: I64, base: Model, whole: I64) -> dict[int, I64]:
    """Face of another model (rows ``whole``) → the faces (of rows ``loose``) that lie in it and cover it."""
    if not len(loose) or not len(whole):
        return {}
    middle, normals = model.corners[loose].mean(axis=1), model.face_normals[loose]
    area, near = triangle_areas(model.corners[loose]), max(base.diagonal, 1e-12) * _NEAR
    corners = base.corners[whole]
    centre = corners.mean(axis=1)
    reach = np.linalg.norm(corners - centre[:, None], axis=2).max(axis=1)
    about = cKDTree(middle).query_ball_point(centre, reach)
    found = {}
    for face, mine, some in zip(whole.tolist(), corners, about, strict=True):
        at = np.array(sorted(some), np.int64)
        if not len(at):
            continue
        normal = base.face_normals[face]
        at = at[(np.abs((middle[at] - mine[0]) @ normal) <= 10 * near) & (normals[at] @ normal > 0.999)]
        at = at[_inside(mine, middle[at])]
        wanted = triangle_areas(mine[None])[0]
        if len(at) and abs(area[at].sum() - wanted) <= _WHOLE * wanted:
            found[face] = loose[at]
    return found


def _shares(corners: F64, points: F64) -> F64:
    """(N, 3) how much of each corner (3, 3) points (N, 3) of its plane have."""
    edges = np.stack([corners[1] - corners[0], corners[2] - corners[0]], axis=1)
    found = (points - corners[0]) @ np.linalg.pinv(edges).T
    return np.column_stack([1 - found.sum(axis=1), found])


def _inside(corners: F64, points: F64) -> Bool:
    return np.asarray((_shares(corners, points) >= -_NEAR).all(axis=1))


def _merged(model: Model, base: Model, groups: dict[int, I64]) -> tuple[Model, I64]:
    """One face for each of the file's whose pieces have one material and one way to lie in UV space.

    Where a neighbour stays cut, the corners that it has on their common edge stay, so that nothing cracks.
    """
    gone = np.zeros(model.triangle_count, np.bool_)
    laid: dict[int, F64] = {}
    for face, rows in groups.items():
        found = _laid(model, rows, base.corners[face])
        if found is not None and not np.ptp(model.material[rows]) and not np.ptp(model.part[rows]):
            laid[face], gone[rows] = found, True
    if not laid:
        return model, np.arange(model.triangle_count)
    kept = np.flatnonzero(~gone)
    others = np.unique(model.positions[np.unique(model.triangles[kept])], axis=0)
    weights, faces, first, polygon = [], [], [], []
    number = int(model.polygon.max(initial=-1)) + 1
    for face in laid:
        made = _outline(base.corners[face], others)
        whole = len(made) == 1
        rows = groups[face]
        weights += list(made)
        faces += [face] * len(made)
        first += [int(rows[triangle_areas(model.corners[rows]).argmax()])] * len(made)
        polygon += [int(base.polygon[face]) if whole else number] * len(made)
        number += not whole
    shares, of = np.array(weights), np.array(faces, np.int64)

    def mixed(values: Array) -> Array:
        return np.asarray(np.einsum("nij,njk->nik", shares, values.astype(np.float64)))

    places = mixed(base.corners[of]).reshape(-1, 3)
    # Corners are found again among the positions by their places.
    distance, at = cKDTree(model.positions).query(places)
    if distance.max() > max(base.diagonal, 1e-12) * _NEAR:
        raise CommandError(tr("the faces that were cut lie otherwise than in the model's file; nothing was changed"))
    triangles = np.concatenate([model.triangles[kept], at.reshape(-1, 3)]).astype(np.int32)
    uv = np.concatenate([model.uv[kept], mixed(np.array([laid[face] for face in faces]))])
    turned = unit_rows(mixed(base.normals[of]).reshape(-1, 3)).reshape(-1, 3, 3).astype(np.float32)
    normals = np.concatenate([model.normals[kept], turned])
    colours = model.corner_colours
    if colours is not None and base.corner_colours is not None:
        colours = np.concatenate([colours[kept], np.rint(mixed(base.corner_colours[of])).astype(np.uint8)])
    origin = np.concatenate([kept, np.array(first, np.int64)])
    made_of = replace(
        model, triangles=triangles, uv=uv, normals=normals, corner_colours=colours,
        polygon=np.concatenate([model.polygon[kept], polygon]).astype(np.int32),
        tangents=mikk_tangents(model.positions, triangles, uv, normals), material=model.material[origin],
        part=model.part[origin],
    )  # fmt: skip
    return in_order(made_of, base, origin)


def _outline(corners: F64, others: F64) -> F64:
    """(k, 3, 3) the triangles of a face, as shares of its corners, with all ``others`` (N, 3) on its edges."""
    low, high = corners.min(axis=0), corners.max(axis=0)
    room = _NEAR * max(float((high - low).max()), 1e-300)
    near = others[((others >= low - room) & (others <= high + room)).all(axis=1)]
    shares = _shares(corners, near)
    off = np.linalg.norm(shares @ corners - near, axis=1)
    on = (off <= room) & (shares >= -_NEAR).all(axis=1) & (np.abs(shares) <= _NEAR).any(axis=1)
    on &= (shares < 1 - _NEAR).all(axis=1)
    points = shares[on]
    points[np.abs(points) <= _NEAR] = 0.0
    points /= points.sum(axis=1, keepdims=True)
    return parted(np.concatenate([np.eye(3), points]))


def in_order(model: Model, base: Model, origin: I64) -> tuple[Model, I64]:
    """Where all faces are those of the file again, in its order and on its positions."""
    if model.triangle_count != base.triangle_count:
        return model, origin
    mine, theirs = _names(model, base), _names(base, base)
    order, place = np.argsort(mine, kind="stable"), np.argsort(theirs, kind="stable")
    if (mine[order] != theirs[place]).any():
        return model, origin
    turn = np.empty(len(order), np.int64)
    turn[place] = order
    colours = model.corner_colours
    made = replace(
        model, positions=base.positions, triangles=base.triangles, uv=model.uv[turn], normals=model.normals[turn],
        tangents=model.tangents[turn], material=model.material[turn], part=model.part[turn],
        polygon=model.polygon[turn], corner_colours=None if colours is None else colours[turn],
    )  # fmt: skip
    return made, origin[turn]


def _laid(model: Model, rows: I64, corners: F64) -> F64 | None:
    """(3, 2) where a face's corners lie in UV space if all its pieces lie there alike; None if they do not."""
    shares = _shares(corners, model.corners[rows].reshape(-1, 3))
    uv = model.uv[rows].reshape(-1, 2)
    if not np.isfinite(uv).all():
        return None
    laid = np.linalg.lstsq(shares, uv, rcond=None)[0]
    extent = max(float(np.ptp(laid, axis=0).max()), 1e-12)
    return np.asarray(laid) if np.abs(shares @ laid - uv).max() <= 1e-4 * extent else None
