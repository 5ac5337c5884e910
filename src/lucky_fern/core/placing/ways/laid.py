"""Laid pictures: flat in UV space."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import ClassVar

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, I32, U16, Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.frame import lay_matrix
from lucky_fern.core.placing.lay import draw_laid, laid_chunks, lay_on_sheet
from lucky_fern.core.placing.leaning import uv_directions
from lucky_fern.core.placing.way import Drawing, SheetPose, SurfacePose, Texels, Way, laid_only, surface_axes
from lucky_fern.core.project.places import Lay
from lucky_fern.core.sheets.grid import Chunk, SheetKey, every_chunk
from lucky_fern.core.sheets.picking import SurfaceHit, at_uv, hit_at, local_uv, sheet_of
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of


class Laid(Way):
    scoped: ClassVar[bool] = False

    def work(self, model: Model, place: Lay, height: float, allowed: Bool | None = None) -> None:
        return None

    def chunks(self, worked: None, place: Lay, height: float, sheet: Sheet) -> AbstractSet[Chunk]:
        affine = lay_on_sheet(place, height, sheet.key, sheet.size)
        if affine is not None and place.repeat:
            return every_chunk(sheet.size)
        return set() if affine is None else laid_chunks(affine, sheet.size)

    def draw(self, worked: None, place: Lay, height: float, sheet: Sheet, chunk: Chunk, how: Drawing) -> U16:
        affine = lay_on_sheet(place, height, sheet.key, sheet.size)
        assert affine is not None
        return draw_laid(affine, sheet.size, chunk, how.pyramid, how.nearest, how.encode, repeat=place.repeat)

    def axes(self, worked: None, place: Lay, sheet: Sheet, texels: Texels) -> tuple[F64, F64]:
        return uv_directions(sheet.model, texels.triangle, place.rotate)

    def hit_under(self, model: Model, place: Lay) -> SurfaceHit | None:
        return None

    def surface_pose(self, surface: Surface, place: Lay, height: float) -> SurfacePose | None:
        hit = at_uv(surface, place.material, _global_centre(place))
        axes = None if hit is None else surface_axes(surface.model, hit.triangle)
        if hit is None or axes is None:
            return None
        right, up = _half_axes(place, height)
        return SurfacePose(hit.position, axes @ right, axes @ up, hit.normal)

    def sheet_pose(self, surface: Surface, place: Lay, height: float) -> SheetPose | None:
        right, up = _half_axes(place, height)
        return SheetPose(SheetKey(place.material, place.tile), _global_centre(place), right, up)

    def moved(self, surface: Surface, place: Lay, hit: SurfaceHit) -> Lay:
        key = sheet_of(surface, hit)
        if key is None:
            return place
        return replace(place, material=key.material, tile=key.tile, centre=local_uv(hit, key))

    def moved_uv(self, surface: Surface, place: Lay, key: SheetKey, uv: F64) -> Lay:
        column, row = corner_of(key.tile)
        centre = (float(uv[0] - column), float(uv[1] - row))
        return replace(place, material=key.material, tile=key.tile, centre=centre)

    def mirrored(self, place: Lay, number: int, about: float, readable: bool) -> Lay:
        raise laid_only(place)

    def turned(self, place: Lay, turn: F64, foot: F64) -> None:
        return None

    def carried(self, old: Surface, new: Surface, place: Lay) -> Lay | None:
        """None where the new layout is not a plain turn of the old one there."""
        hit = at_uv(old, place.material, _global_centre(place))
        if hit is None:
            return place
        before, after = old.model.uv[hit.triangle], new.model.uv[hit.triangle]
        if np.array_equal(before, after) and old.model.materials == new.model.materials:
            return place
        steps = np.stack([before[1] - before[0], before[2] - before[0]])
        if abs(np.linalg.det(steps)) < 1e-18 or not np.isfinite(after).all():
            return None
        affine = np.linalg.solve(steps, np.stack([after[1] - after[0], after[2] - after[0]])).T
        (a, b), (c, d) = affine
        scale = float(np.sqrt(abs(np.linalg.det(affine))))
        if np.linalg.det(affine) < 0 or abs(a - d) + abs(b + c) > 0.02 * scale:
            return None  # turned over or squeezed: no turned rectangle does it
        there = hit_at(new.model, hit.triangle, hit.barycentric)
        key = sheet_of(new, there)
        if key is None:
            return None
        return replace(
            place, material=key.material, tile=key.tile, centre=local_uv(there, key), width=place.width * scale,
            height=None if place.height is None else place.height * scale,
            rotate=place.rotate + float(np.degrees(np.arctan2(c, a))),
        )  # fmt: skip

    def spread(self, surface: Surface, worked: None, place: Lay, height: float) -> tuple[I32, F64]:
        model = surface.model
        rows = np.flatnonzero(model.has_uv & (model.material == model.materials.index(place.material)))
        matrix, offset = lay_matrix(place, height)
        return rows.astype(np.int32), (model.uv[rows] - corner_of(place.tile)) @ matrix.T + offset

    def standing(self, place: Lay) -> None:
        return None

    def depth(self, place: Lay) -> float:
        return np.inf


def _global_centre(place: Lay) -> F64:
    return np.add(corner_of(place.tile), place.centre).astype(np.float64)


def _half_axes(place: Lay, height: float) -> tuple[F64, F64]:
    angle = np.radians(place.rotate)
    right = np.array([np.cos(angle), np.sin(angle)])
    up = np.array([-right[1], right[0]])
    return right * place.width / 2, up * height / 2
