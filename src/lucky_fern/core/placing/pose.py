"""Poses as hands see them: where a decal's middle and half axes are, on the surface and on the sheet.

Everything that dragging, dropping, scaling and turning in either view needs, without any window.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.way import SheetPose, SurfacePose, as_point, upright, way_of
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import Drape, Framed, Lay, Roll, Throw, distance_from_axis
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit, pick, smooth_normal
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of

SMALLEST_SHARE = 1e-4  # of the model's size; handles do not shrink a decal below it


def hit_under(model: Model, place: Place) -> SurfaceHit | None:
    """The surface point that a placed picture's middle falls on, nearest to its own point."""
    return way_of(place).hit_under(model, place)


def surface_pose(surface: Surface, place: Place, height: float) -> SurfacePose | None:
    """The pose in the world; None for a laid picture whose middle lies on no island."""
    return way_of(place).surface_pose(surface, place, height)


def sheet_pose(surface: Surface, place: Place, height: float) -> SheetPose | None:
    """The pose on the sheet; None for a thrown picture whose middle falls on nothing with UVs."""
    return way_of(place).sheet_pose(surface, place, height)


def texels_of(surface: Surface, project: Project, place: Framed, height: float) -> tuple[float, float] | None:
    """How many texels a decal gets across and down, at its middle."""
    pose = sheet_pose(surface, place, height)
    if pose is None or pose.sheet not in surface.keys:
        return None
    size = project.size_of(pose.sheet)
    texels = np.array([size.width, size.height])
    return float(2 * np.linalg.norm(pose.half_x * texels)), float(2 * np.linalg.norm(pose.half_y * texels))


def drop_thrown(model: Model, hit: SurfaceHit, proportion: float, view_up: F64, share: float = 0.3) -> Throw:
    """The pose of a picture dropped on the surface.

    Parameters
    ----------
    proportion : the picture's height over its width.
    view_up : what is up on the screen, for surfaces that lie flat.
    share : the longer side as a share of the model's second-largest extent.
    """
    extent = float(np.sort(model.bounds[1] - model.bounds[0])[1]) or model.diagonal
    longer = extent * share
    width = longer if proportion <= 1 else longer / proportion
    normal = smooth_normal(model, hit)
    depth = longer / 2
    return Throw(
        point=as_point(hit.position),
        normal=as_point(normal),
        up=as_point(upright(normal, view_up)),
        width=width,
        depth=depth,
        stand_off=depth,
    )


def move_to(surface: Surface, place: Framed, hit: SurfaceHit) -> Framed:
    """Slide a decal so that its middle lies on a point of the surface; it stays upright."""
    made: Framed = way_of(place).moved(surface, place, hit)
    return made


def move_to_uv(surface: Surface, place: Framed, key: SheetKey, uv: F64) -> Framed:
    """Move a decal so that its middle lies at a place of a material's UV space."""
    made: Framed = way_of(place).moved_uv(surface, place, key, uv)
    return made


def nudged(surface: Surface, project: Project, place: Framed, height: float, step: F64, own: bool) -> Framed:
    """Move a decal by so many texels: along u and v, or (``own``) along what is right and up in its picture."""
    pose = sheet_pose(surface, place, height)
    if pose is None or pose.sheet not in surface.keys:
        return place
    size = project.size_of(pose.sheet)
    texels = np.array([size.width, size.height])
    if own:
        step = unit_rows(pose.half_x * texels) * step[0] + unit_rows(pose.half_y * texels) * step[1]
    return move_to_uv(surface, place, pose.sheet, pose.centre + step / texels)


def scaled(place: Framed, height: float, across: float, down: float, smallest: float) -> Framed:
    """Scale a decal about its middle. Proportions that follow the picture go on following it."""
    width = max(place.width * across, smallest)
    if place.height is None and abs(across - down) < 1e-9:
        new: Framed = replace(place, width=width)
    else:
        new = replace(place, width=width, height=max(height * down, smallest))
    grown = max(width / place.width, (max(height * down, smallest)) / height)
    made: Framed = way_of(new).scaled(new, grown)
    return made


def turned(place: Framed, degrees: float) -> Framed:
    """Turn a decal counter-clockwise; the angle is kept between −180 and 180."""
    return replace(place, rotate=(place.rotate + degrees + 180.0) % 360.0 - 180.0)


def in_mode(surface: Surface, place: Framed, height: float, mode: str, axis: str | None = None) -> Framed | None:
    """The same picture placed another way (``throw``, ``drape``, ``roll`` or ``lay``), alike at its middle.

    A roll takes the axis of the model (``x``, ``y``, ``z``) nearest to what is up in the picture, through the middle
    of the part under it. None where there is nothing to hold on to: no surface under it, or no UVs.
    """
    if mode == "lay":
        return as_laid(surface, place, height) if place.on_surface else place
    pose = surface_pose(surface, place, height)
    if pose is None:
        return None
    width, tall = float(2 * np.linalg.norm(pose.half_x)), float(2 * np.linalg.norm(pose.half_y))
    kept = tall if place.height is not None else None
    standing = way_of(place).standing(place)
    if standing is None:
        standing = as_point(pose.centre), as_point(pose.normal), as_point(unit_rows(pose.half_y)), 0.0
    point, normal, up, rotate = standing
    if mode == "throw":
        depth = max(width, tall) / 2
        return Throw(point, normal, up, width, kept, depth, rotate=rotate, stand_off=depth)
    if mode == "drape":
        return Drape(point, normal, up, width, kept, rotate)
    return _as_roll(surface, pose, width, kept, axis)


def _as_roll(
    surface: Surface, pose: SurfacePose, width: float, height: float | None, axis: str | None
) -> Roll | None:
    model = surface.model
    up = unit_rows(pose.half_y)
    number = "xyz".index(axis) if axis else int(np.abs(up).argmax())
    along = np.zeros(3)
    along[number] = -1.0 if up[number] < 0 else 1.0
    hit = pick(model, pose.centre + pose.normal * 1e-4 * model.diagonal, -pose.normal)
    part = model.part == model.part[hit.triangle] if hit is not None else np.ones(model.triangle_count, np.bool_)
    # The part's own middle: the best circle seen along the axis, or the middle of its box.
    foot = cylinder_middle(model.corners[part], model.face_normals[part], along)
    made = Roll(as_point(foot), as_point(along), as_point(pose.centre), width, height)
    if distance_from_axis(made) == 0:
        return None
    slant = float(np.degrees(np.arctan2(-up @ np.cross(along, pose.normal), up @ along)))
    return replace(made, rotate=slant if abs(slant) > 0.5 else 0.0)


def cylinder_middle(corners: F64, normals: F64, axis: F64) -> F64:
    """(3,) the point where the normals of faces that lie round an axis meet, in the least-squares sense."""
    middle = corners.mean(axis=1)
    flat = normals - np.outer(normals @ axis, axis)
    weight = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    weight = weight * np.linalg.norm(flat, axis=1)
    direction = unit_rows(flat)
    # Sum of squared distances to the lines along the normals: I - d dᵀ of each, across the axis.
    across = np.eye(3) - np.outer(axis, axis)
    each = across[None] - direction[:, :, None] * direction[:, None, :]
    matrix = (each * weight[:, None, None]).sum(axis=0) + np.outer(axis, axis) * weight.sum()
    right = ((each @ middle[:, :, None])[..., 0] * weight[:, None]).sum(axis=0)
    right = right + axis * (corners.reshape(-1, 3).mean(axis=0) @ axis) * weight.sum()
    box = (corners.min(axis=(0, 1)) + corners.max(axis=(0, 1))) / 2
    if np.linalg.cond(matrix) > 1e6:
        return np.asarray(box, np.float64)
    return np.asarray(np.linalg.solve(matrix, right), np.float64)


def as_laid(surface: Surface, place: Framed, height: float) -> Lay | None:
    """A laid picture that looks like a placed one at its middle; None if that falls on nothing with UVs."""
    pose = sheet_pose(surface, place, height)
    if pose is None:
        return None
    column, row = corner_of(pose.sheet.tile)
    centre = (float(pose.centre[0] - column), float(pose.centre[1] - row))
    angle = float(np.degrees(np.arctan2(pose.half_x[1], pose.half_x[0])))
    width, tall = float(2 * np.linalg.norm(pose.half_x)), float(2 * np.linalg.norm(pose.half_y))
    return Lay(pose.sheet.material, pose.sheet.tile, centre, width, tall, angle)
