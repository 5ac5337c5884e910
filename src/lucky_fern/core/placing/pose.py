"""Poses as hands see them: where a decal's middle and half axes are, on the surface and on the sheet.

Everything that dragging, dropping, scaling and turning in either view needs, without any window.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.drape import start_of
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.project.commands.checks import distance_from_axis
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.places import Drape, Framed, Lay, OnSurface, Roll, Throw
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit, at_uv, local_uv, pick, sheet_of, smooth_normal, uv_axes
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of

SMALLEST_SHARE = 1e-4  # of the model's size; handles do not shrink a decal below it


@dataclass(frozen=True)
class SurfacePose:
    """A decal in the world: middle and half axes, (3,) float64."""

    centre: F64
    half_x: F64
    half_y: F64
    normal: F64


@dataclass(frozen=True)
class SheetPose:
    """A decal in a material's UV space, linearised at its middle: (2,) float64, tiles counted along."""

    sheet: SheetKey
    centre: F64
    half_x: F64
    half_y: F64


def _axes(model: Model, triangle: int) -> F64 | None:
    """(3, 2) columns: how the surface point moves with u and with v; None where that is not defined."""
    along_u, along_v = uv_axes(model, triangle)
    axes = np.stack([along_u, along_v], axis=1)
    return axes if np.abs(axes).max() > 0 else None


def hit_under(model: Model, place: OnSurface) -> SurfaceHit | None:
    """The surface point that a placed picture's middle falls on, nearest to its own point."""
    if isinstance(place, Drape):
        return start_of(model, place)
    if isinstance(place, Roll):
        frame = pose_frame(place)
        hit = pick(model, frame.origin + frame.towards * model.diagonal, -frame.towards)
        far = distance_from_axis(place)
        return hit if hit is not None and float((hit.position - frame.origin) @ frame.towards) > -far else None
    normal = unit_rows(np.asarray(place.normal, np.float64))
    point = np.asarray(place.point, np.float64)
    hit = pick(model, point + normal * place.depth, -normal)
    if hit is not None and float((point - hit.position) @ normal) <= 2 * place.depth:
        return hit
    return None


def surface_pose(surface: Surface, place: Framed, height: float) -> SurfacePose | None:
    """The pose in the world; None for a laid picture whose middle lies on no island."""
    if not isinstance(place, Lay):
        frame = pose_frame(place)
        return SurfacePose(frame.origin, frame.right * place.width / 2, frame.up * height / 2, frame.towards)
    hit = at_uv(surface, place.material, _global_centre(place))
    axes = None if hit is None else _axes(surface.model, hit.triangle)
    if hit is None or axes is None:
        return None
    right, up = _lay_axes(place, height)
    return SurfacePose(hit.position, axes @ right, axes @ up, hit.normal)


def sheet_pose(surface: Surface, place: Framed, height: float) -> SheetPose | None:
    """The pose on the sheet; None for a thrown picture whose middle falls on nothing with UVs."""
    if isinstance(place, Lay):
        right, up = _lay_axes(place, height)
        return SheetPose(SheetKey(place.material, place.tile), _global_centre(place), right, up)
    hit = hit_under(surface.model, place)
    if hit is None or not np.isfinite(hit.uv).all():
        return None
    key, axes = sheet_of(surface, hit), _axes(surface.model, hit.triangle)
    if key is None or axes is None:
        return None
    frame = pose_frame(place)
    # On a slanted face the picture covers more of the surface: follow it along the throw, not upright.
    flat = np.stack([frame.right, frame.up]) @ axes
    if abs(np.linalg.det(flat)) < 1e-9 * np.abs(flat).max() ** 2:
        return None
    to_uv = np.linalg.inv(flat)
    return SheetPose(key, hit.uv, to_uv[:, 0] * place.width / 2, to_uv[:, 1] * height / 2)


def _global_centre(place: Lay) -> F64:
    return np.add(corner_of(place.tile), place.centre).astype(np.float64)


def _lay_axes(place: Lay, height: float) -> tuple[F64, F64]:
    angle = np.radians(place.rotate)
    right = np.array([np.cos(angle), np.sin(angle)])
    up = np.array([-right[1], right[0]])
    return right * place.width / 2, up * height / 2


def texels_of(surface: Surface, project: Project, place: Framed, height: float) -> tuple[float, float] | None:
    """How many texels a decal gets across and down, at its middle."""
    pose = sheet_pose(surface, place, height)
    if pose is None or pose.sheet not in surface.keys:
        return None
    size = project.size_of(pose.sheet)
    return float(2 * np.linalg.norm(pose.half_x) * size), float(2 * np.linalg.norm(pose.half_y) * size)


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
        point=_point(hit.position),
        normal=_point(normal),
        up=_point(_upright(normal, view_up)),
        width=width,
        depth=depth,
        stand_off=depth,
    )


def drop_laid(surface: Surface, uv: F64, key: SheetKey, share: float = 0.3) -> Lay:
    """The pose of a picture laid flat at a place of UV space; ``share`` of the tile's width."""
    column, row = corner_of(key.tile)
    return Lay(key.material, key.tile, (float(uv[0] - column), float(uv[1] - row)), share)


def move_to(surface: Surface, place: Framed, hit: SurfaceHit) -> Framed:
    """Slide a decal so that its middle lies on a point of the surface; it stays upright."""
    if isinstance(place, Roll):
        moved = replace(place, point=_point(hit.position))
        return moved if distance_from_axis(moved) > 0 else place
    if isinstance(place, Throw | Drape):
        normal = smooth_normal(surface.model, hit)
        up = np.asarray(place.up)
        if np.linalg.norm(np.cross(up, normal)) < 0.2 * np.linalg.norm(up):
            up = _upright(normal, pose_frame(place).up)
        return replace(place, point=_point(hit.position), normal=_point(normal), up=_point(up))
    key = sheet_of(surface, hit)
    if key is None:
        return place
    return replace(place, material=key.material, tile=key.tile, centre=local_uv(hit, key))


def move_to_uv(surface: Surface, place: Framed, key: SheetKey, uv: F64) -> Framed:
    """Move a decal so that its middle lies at a place of a material's UV space."""
    if isinstance(place, Lay):
        column, row = corner_of(key.tile)
        centre = (float(uv[0] - column), float(uv[1] - row))
        return replace(place, material=key.material, tile=key.tile, centre=centre)
    hit = at_uv(surface, key.material, uv)
    return place if hit is None else move_to(surface, place, hit)


def nudged(surface: Surface, project: Project, place: Framed, height: float, step: F64, own: bool) -> Framed:
    """Move a decal by so many texels: along u and v, or (``own``) along what is right and up in its picture."""
    pose = sheet_pose(surface, place, height)
    if pose is None or pose.sheet not in surface.keys:
        return place
    if own:
        step = unit_rows(pose.half_x) * step[0] + unit_rows(pose.half_y) * step[1]
    return move_to_uv(surface, place, pose.sheet, pose.centre + step / project.size_of(pose.sheet))


def scaled(place: Framed, height: float, across: float, down: float, smallest: float) -> Framed:
    """Scale a decal about its middle. Proportions that follow the picture go on following it."""
    width = max(place.width * across, smallest)
    if place.height is None and abs(across - down) < 1e-9:
        new: Framed = replace(place, width=width)
    else:
        new = replace(place, width=width, height=max(height * down, smallest))
    if isinstance(new, Throw) and isinstance(place, Throw):
        grown = max(width / place.width, (max(height * down, smallest)) / height)
        shrunk = grown if grown > 1 else min(1.0, grown)
        depth = place.depth * shrunk
        stand = None if place.stand_off is None else place.stand_off * shrunk
        new = replace(new, depth=depth, stand_off=stand)
    return new


def turned(place: Framed, degrees: float) -> Framed:
    """Turn a decal counter-clockwise; the angle is kept between −180 and 180."""
    return replace(place, rotate=(place.rotate + degrees + 180.0) % 360.0 - 180.0)


def in_mode(surface: Surface, place: Framed, height: float, mode: str, axis: str | None = None) -> Framed | None:
    """The same picture placed another way (``throw``, ``drape``, ``roll`` or ``lay``), alike at its middle.

    A roll takes the axis of the model (``x``, ``y``, ``z``) nearest to what is up in the picture, through the middle
    of the part under it. None where there is nothing to hold on to: no surface under it, or no UVs.
    """
    if mode == "lay":
        return place if isinstance(place, Lay) else as_laid(surface, place, height)
    pose = surface_pose(surface, place, height)
    if pose is None:
        return None
    width, tall = float(2 * np.linalg.norm(pose.half_x)), float(2 * np.linalg.norm(pose.half_y))
    kept = tall if place.height is not None else None
    if isinstance(place, Throw | Drape):
        point, normal, up, rotate = place.point, place.normal, place.up, place.rotate
    else:
        point, normal, up, rotate = _point(pose.centre), _point(pose.normal), _point(unit_rows(pose.half_y)), 0.0
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
    made = Roll(_point(foot), _point(along), _point(pose.centre), width, height)
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


def as_laid(surface: Surface, place: OnSurface, height: float) -> Lay | None:
    """A laid picture that looks like a placed one at its middle; None if that falls on nothing with UVs."""
    pose = sheet_pose(surface, place, height)
    if pose is None:
        return None
    column, row = corner_of(pose.sheet.tile)
    centre = (float(pose.centre[0] - column), float(pose.centre[1] - row))
    angle = float(np.degrees(np.arctan2(pose.half_x[1], pose.half_x[0])))
    width, tall = float(2 * np.linalg.norm(pose.half_x)), float(2 * np.linalg.norm(pose.half_y))
    return Lay(pose.sheet.material, pose.sheet.tile, centre, width, tall, angle)


def _upright(normal: F64, view_up: F64) -> F64:
    """The world's up, or the screen's where the surface lies flat."""
    world = np.array([0.0, 1.0, 0.0])
    return world if abs(float(normal @ world)) < 0.9 else np.asarray(view_up, np.float64)


def _point(vector: F64) -> tuple[float, float, float]:
    """A vector as the document keeps it: nine digits, which no model needs to exceed."""
    x, y, z = (float(f"{value:.9g}") for value in vector)
    return x, y, z
