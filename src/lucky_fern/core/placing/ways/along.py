"""Stripes: pictures run along a path over the surface."""

from __future__ import annotations

from collections.abc import Set as AbstractSet

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, U16, Bool, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.along import Stripe, draw_stripe, run_along, stripe_chunks
from lucky_fern.core.placing.way import Drawing, Texels, Way, as_point, mirrored_point
from lucky_fern.core.project.places import Along
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface


class RunAlong(Way):
    def work(self, model: Model, place: Along, height: float, allowed: Bool | None = None) -> Stripe:
        return run_along(model, place, height, allowed)

    def chunks(self, worked: Stripe, place: Along, height: float, sheet: Sheet) -> AbstractSet[Chunk]:
        return stripe_chunks(worked, sheet)

    def draw(self, worked: Stripe, place: Along, height: float, sheet: Sheet, chunk: Chunk, how: Drawing) -> U16:
        return draw_stripe(worked, sheet, chunk, how.pyramid, how.nearest, how.encode, place.flip)

    def axes(self, worked: Stripe, place: Along, sheet: Sheet, texels: Texels) -> tuple[F64, F64]:
        """Along the path and to its left, as the nearest piece of it runs."""
        points = worked.path.points
        tangent = unit_rows(np.diff(points, axis=0))
        side = unit_rows(np.cross((worked.path.normals[1:] + worked.path.normals[:-1]) / 2, tangent))
        from scipy.spatial import cKDTree

        nearest = cKDTree((points[1:] + points[:-1]) / 2).query(texels.position)[1]
        return tangent[nearest] * (-1.0 if place.flip else 1.0), side[nearest]

    def hit_under(self, model: Model, place: Along) -> SurfaceHit | None:
        return None

    def moved(self, surface: Surface, place: Along, hit: SurfaceHit) -> Along:
        return place

    def moved_uv(self, surface: Surface, place: Along, key: SheetKey, uv: F64) -> Along:
        return place

    def mirrored(self, place: Along, number: int, about: float, readable: bool) -> Along:
        """The other way round, so that what is up in the picture stays up."""
        points = tuple(mirrored_point(point, number, about) for point in reversed(place.points))
        normals = tuple(mirrored_point(normal, number, 0.0) for normal in reversed(place.normals))
        flip = place.flip if readable else not place.flip
        return replace(place, points=points, normals=normals, taper=place.taper[::-1], flip=flip)

    def turned(self, place: Along, turn: F64, foot: F64) -> Along | None:
        points = tuple(as_point(turn @ (np.asarray(one) - foot) + foot) for one in place.points)
        return replace(place, points=points, normals=tuple(as_point(turn @ np.asarray(one)) for one in place.normals))

    def standing(self, place: Along) -> None:
        return None

    def depth(self, place: Along) -> float:
        return np.inf
