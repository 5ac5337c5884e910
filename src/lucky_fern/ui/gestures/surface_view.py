"""What gestures know of a view: how screen and surface correspond, and where to write what is drawn."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from lucky_fern.core.arrays import F64, I32
from lucky_fern.core.project.places import Framed
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.render.camera import Camera
from lucky_fern.render.sheet_scene import FlatCamera, TileMap
from lucky_fern.ui.gestures.drawn import Drawn
from lucky_fern.ui.gestures.grip import Grip


class SurfaceView(Protocol):
    """Either view. Points are (2,) float64 pixels, y down."""

    flat: bool  # whether this is the view of the sheets

    @property
    def drawn(self) -> Drawn: ...

    def width(self) -> int: ...

    def height(self) -> int: ...

    def redraw(self) -> None:
        """Paint what is drawn over the view anew."""

    def refresh(self) -> None:
        """Show everything as it is now."""

    def surface_at(self, point: F64) -> SurfaceHit | None:
        """The point of the surface under a pixel."""

    def sheet_at(self, point: F64) -> tuple[SheetKey, F64] | None:
        """The sheet under a pixel, and where on its tile (2,); beside islands too where this view shows that."""

    def place_at(self, point: F64) -> F64 | None:
        """What lies under a pixel as this view measures it: (3,) on the surface, or (2,) in UV space."""

    def face_at(self, point: F64) -> int | None:
        """The face under a pixel."""

    def owners(self) -> tuple[I32, F64]:
        """The face seen at each pixel (height, width), and the corners (T, 3, 3) of all faces on the screen."""

    def spot(self, position: F64, normal: F64) -> F64 | None:
        """Where a point of the surface lies on the screen; None where it looks away or lies on no sheet."""

    def line_of(self, points: F64, normals: F64) -> list[F64]:
        """Lines (N, 2) on the screen that show a path over the surface as far as it is seen."""

    def line_through(self, points: F64) -> F64 | None:
        """A line (N, 3) in the air on the screen, where this view shows what lies in the air."""

    def length_of(self, pixels: float, hit: SurfaceHit) -> float:
        """How long, in model units, so many pixels are at a point of the surface."""

    def outline_on_sheet(self, points: F64) -> tuple[SheetKey, F64] | None:
        """A sheet and an outline (N, 2) in its UV space, of one (N, 2) in pixels; None where this view shows none."""

    def outline_of(self, key: SheetKey, low: F64, high: F64) -> F64 | None:
        """(5, 2) the closed outline, on the screen, of a box of a sheet's tile; None where no sheets are shown."""

    def line_on(self, key: SheetKey, ends: F64) -> F64 | None:
        """(2, 2) a line between two places of a sheet's tile, on the screen; None where no sheets are shown."""

    def grip(self) -> Grip | None:
        """The selected decal's handles, if they can be seen here."""

    def grip_of(self, place: Framed, height: float) -> Grip | None:
        """Where a decal lies on the screen, if it can be seen here."""

    def drop_picture(self, picture: str, point: F64, then: Callable[[], object] = ...) -> bool:
        """Lay a kit picture where a pixel is; whether there was anything to lie on."""

    def moved(self, place: Framed, point: F64) -> Framed | None:
        """The place with its middle under a pixel; None where there is nothing to lie on."""


class SpaceView(SurfaceView, Protocol):
    """The model view: it has a camera in space."""

    camera: Camera

    @property
    def aspect(self) -> float: ...

    def to_screen(self, points: F64) -> F64:
        """(..., 2) pixels of (..., 3) points."""


class PlaneView(SurfaceView, Protocol):
    """The sheet view: sheets side by side in a plane."""

    camera: FlatCamera
    tiles: TileMap

    def plane_at(self, point: F64) -> F64:
        """(2,) in the plane of the sheets, under a pixel."""

    def pixel_of(self, plane: F64) -> F64:
        """(..., 2) pixels of places in the plane of the sheets."""
