"""What a way of placing can do: the row of :data:`~lucky_fern.core.project.kinds.PLACES`."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Any, ClassVar, Protocol, cast

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, I32, I64, U16, Bool, unit_rows
from lucky_fern.core.errors import CommandError
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.project.kinds import PLACES, Place
from lucky_fern.core.project.places import OnSurface
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit, at_uv, pick, sheet_of, smooth_normal, uv_axes
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr


class Worked(Protocol):
    """A pose worked out against a model."""

    @property
    def reached(self) -> Bool:
        """(T,) bool, the triangles that it may touch."""

    @property
    def nbytes(self) -> int:
        """Memory that it takes."""


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


@dataclass(frozen=True)
class Drawing:
    """How a picture is drawn: as squares (``nearest``), and whether its light is to be encoded as sRGB."""

    pyramid: Pyramid
    nearest: bool
    encode: bool


@dataclass(frozen=True)
class Texels:
    """Texels of a chunk that lie on the surface: (N,) rows of the model's triangles, (N, 3) places in space."""

    triangle: I32
    position: F64


class Way:
    """What is common to the ways of placing by a point in space; the others override it."""

    scoped: ClassVar[bool] = True  # working it out leaves out faces; else what is drawn is cut afterwards
    follows: ClassVar[bool] = False  # the surface, so that lettering keeps its shape

    def work(self, model: Model, place: Any, height: float, allowed: Bool | None = None) -> Worked | None:
        """Work out a pose; None where there is nothing to. ``allowed`` (T,) bool leaves out triangles."""
        raise NotImplementedError

    def near(self, model: Model, place: Any, height: float) -> I64 | None:
        """(N,) rows of the model with all that it may touch, found more quickly than it is worked out; None: all."""
        return None

    def chunks(self, worked: Any, place: Any, height: float, sheet: Sheet) -> AbstractSet[Chunk]:
        """The chunks of a sheet that it may touch."""
        raise NotImplementedError

    def draw(self, worked: Any, place: Any, height: float, sheet: Sheet, chunk: Chunk, how: Drawing) -> U16:
        """(r, c, 4) uint16 straight RGBA that it gives to a chunk."""
        raise NotImplementedError

    def axes(self, worked: Any, place: Any, sheet: Sheet, texels: Texels) -> tuple[F64, F64]:
        """How the surface runs to the right and up in the picture at texels: two (N, 3), of any length."""
        raise NotImplementedError

    # --- as hands see it ------------------------------------------------------------------------------------------

    def hit_under(self, model: Model, place: Any) -> SurfaceHit | None:
        """The surface point that its middle falls on, nearest to its own point."""
        raise NotImplementedError

    def surface_pose(self, surface: Surface, place: Any, height: float) -> SurfacePose | None:
        """The pose in the world."""
        frame = pose_frame(place)
        return SurfacePose(frame.origin, frame.right * place.width / 2, frame.up * height / 2, frame.towards)

    def sheet_pose(self, surface: Surface, place: Any, height: float) -> SheetPose | None:
        """The pose on the sheet; None where its middle falls on nothing with UVs."""
        hit = self.hit_under(surface.model, place)
        if hit is None or not np.isfinite(hit.uv).all():
            return None
        key, axes = sheet_of(surface, hit), surface_axes(surface.model, hit.triangle)
        if key is None or axes is None:
            return None
        frame = pose_frame(place)
        # On a slanted face the picture covers more of the surface: follow it along the throw, not upright.
        flat = np.stack([frame.right, frame.up]) @ axes
        if abs(np.linalg.det(flat)) < 1e-9 * np.abs(flat).max() ** 2:
            return None
        to_uv = np.linalg.inv(flat)
        return SheetPose(key, hit.uv, to_uv[:, 0] * place.width / 2, to_uv[:, 1] * height / 2)

    def moved(self, surface: Surface, place: Any, hit: SurfaceHit) -> Any:
        """Slid so that its middle lies on a point of the surface; it stays upright."""
        normal = smooth_normal(surface.model, hit)
        up = np.asarray(place.up)
        if np.linalg.norm(np.cross(up, normal)) < 0.2 * np.linalg.norm(up):
            up = upright(normal, pose_frame(place).up)
        return replace(place, point=as_point(hit.position), normal=as_point(normal), up=as_point(up))

    def moved_uv(self, surface: Surface, place: Any, key: SheetKey, uv: F64) -> Any:
        """Moved so that its middle lies at a place of a material's UV space."""
        hit = at_uv(surface, key.material, uv)
        return place if hit is None else self.moved(surface, place, hit)

    def scaled(self, place: Any, grown: float) -> Any:
        """What else of it grows along with its width."""
        return place

    def mirrored(self, place: Any, number: int, about: float, readable: bool) -> Any:
        """Its twin on the other side of the plane where coordinate ``number`` is ``about``."""
        normal, up = np.array(place.normal), np.array(place.up)
        normal[number], up[number] = -normal[number], -up[number]
        made = replace(
            place, point=mirrored_point(place.point, number, about), normal=as_point(normal), up=as_point(up)
        )
        return replace(made, rotate=-place.rotate, flip=place.flip if readable else not place.flip)

    def turned(self, place: Any, turn: F64, foot: F64) -> Any | None:
        """Turned by a (3, 3) rotation about a point; None where it would be none."""
        point = as_point(turn @ (np.asarray(place.point) - foot) + foot)
        return replace(
            place,
            point=point,
            normal=as_point(turn @ np.asarray(place.normal)),
            up=as_point(turn @ np.asarray(place.up)),
        )

    def carried(self, old: Surface, new: Surface, place: Any) -> Any | None:
        """On the same piece of the surface in a new layout; None where it cannot follow."""
        return place

    def spread(self, surface: Surface, worked: Any, place: Any, height: float) -> tuple[I32, F64]:
        """The triangles it lies on, and where their corners (N, 3, 2) are in it, 0…1 from its upper left."""
        return worked.rows, worked.corners[..., :2] / [worked.width, -worked.height] + 0.5

    def standing(self, place: Any) -> tuple[Any, Any, Any, float] | None:
        """Point, normal, up and turn of a place that has them."""
        return place.point, place.normal, place.up, place.rotate

    def depth(self, place: Any) -> float:
        """How far from its own plane it reaches, inf where that has no bound."""
        return 0.0


def on_surface(place: Place) -> OnSurface:
    """A place that stands in space, as such."""
    assert place.framed and place.on_surface
    return cast(OnSurface, place)


def way_of(place: Place) -> Way:
    """What a place's kind can do."""
    return cast(Way, PLACES.of(place))


def laid_only(place: Place) -> CommandError:
    """What is said of a place that stands nowhere in space."""
    return CommandError(
        tr("a picture placed by '{lower}' does not stand in space", lower=type(place).__name__.lower())
    )


def surface_axes(model: Model, triangle: int) -> F64 | None:
    """(3, 2) columns: how the surface point moves with u and with v; None where that is not defined."""
    along_u, along_v = uv_axes(model, triangle)
    axes = np.stack([along_u, along_v], axis=1)
    return axes if np.abs(axes).max() > 0 else None


def under_throw(model: Model, point: F64, normal: F64, depth: float) -> SurfaceHit | None:
    """The surface nearest to a point from above, within a depth either way along a normal."""
    hit = pick(model, point + normal * depth, -normal)
    return hit if hit is not None and float((point - hit.position) @ normal) <= 2 * depth else None


def upright(normal: F64, view_up: F64) -> F64:
    """The world's up, or the screen's where the surface lies flat."""
    world = np.array([0.0, 1.0, 0.0])
    return world if abs(float(normal @ world)) < 0.9 else np.asarray(view_up, np.float64)


def as_point(vector: F64) -> tuple[float, float, float]:
    """A vector as the document keeps it: nine digits, which no model needs to exceed."""
    x, y, z = (float(f"{value:.9g}") + 0.0 for value in vector)
    return x, y, z


def mirrored_point(point: tuple[float, float, float], number: int, about: float) -> tuple[float, float, float]:
    """A point on the other side of the plane where one coordinate is ``about``."""
    out = list(point)
    out[number] = 2 * about - out[number]
    return out[0], out[1], out[2]


def unit(vector: object) -> F64:
    """A vector scaled to length 1."""
    return unit_rows(np.asarray(vector, np.float64))
