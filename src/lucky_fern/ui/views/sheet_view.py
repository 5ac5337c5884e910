"""The sheet view: all tiles where they lie in UV space."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QPushButton

from lucky_fern.core.arrays import F64, I32
from lucky_fern.core.compositing.levels import Needs
from lucky_fern.core.compositing.reading import reading, texel_at
from lucky_fern.core.placing.pose import move_to_uv, sheet_pose
from lucky_fern.core.project.layouts import Unwrap
from lucky_fern.core.project.places import Framed
from lucky_fern.core.sheets.grid import Extent, SheetKey, to_texels
from lucky_fern.core.sheets.needs import needs_of_box
from lucky_fern.core.sheets.picking import SurfaceHit, at_uv, pick, sheet_of, uv_axes
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of
from lucky_fern.render.sheet_painter import SheetPainter, SheetPicture
from lucky_fern.render.sheet_scene import FlatCamera, TileMap
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.compositing_thread import Seen
from lucky_fern.ui.views.matter import Matter
from lucky_fern.ui.views.view import View
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.words import tr

_LABEL_MARGIN = 18  # pixels round the name of a sheet
_GRIDDED = 8.0  # pixels that a texel has at least where lines are drawn between them
_PIXELS_PER_TEXEL = 48.0


@guarded
class SheetView(View):
    """Pan with any button, zoom with the wheel down to single texels."""

    flat = True

    def __init__(self, matter: Matter) -> None:
        self.camera = FlatCamera()
        self.tiles = TileMap(())
        self.wires = True
        self.ground = (0.60, 0.60, 0.60)
        self._uv: F64 | None = None  # where coloured faces lie for a while
        self._all_framed = True  # nobody has zoomed or panned yet: everything stays in view when the size changes
        super().__init__(tr("Sheet view"), matter, SheetPainter)
        self.unwrap = QPushButton(tr("Unwrap it"), self)
        self.unwrap.setToolTip(tr("Cut and unwrap the whole model, so that there is something to paint on"))
        self.unwrap.clicked.connect(lambda: matter.laying.do(Unwrap()))
        self.unwrap.hide()

    # --- drawing ------------------------------------------------------------------------------------------

    def reset_layout(self) -> None:
        self._uv = None
        studio = self.work.studio
        self.tiles = self._tiles_now()
        if self._all_framed:
            self.frame_all()
        else:
            self.set_camera(self.camera)
        self.overlay.facts = ""
        bare = studio is not None and not studio.surface.keys
        self.unwrap.setVisible(bare)
        said = studio.warnings[-1] if studio is not None and studio.warnings else tr("This model has no UVs.")
        self.hint(said if bare else "")

    def _tiles_now(self) -> TileMap:
        studio = self.work.studio
        return TileMap(studio.surface.keys if studio is not None else (), self.work.sheet_sizes())

    def _follow_sizes(self) -> None:
        """Sheets of other proportions lie otherwise."""
        if self._tiles_now() != self.tiles:
            self.reset_layout()

    def _follow(self, change: Change) -> None:
        self._follow_sizes()
        super()._follow(change)

    def reset_scene(self) -> None:
        self.reset_layout()
        self.frame_all()

    def picture(self) -> SheetPicture:
        studio, looking = self.work.studio, self.looking
        shown = looking.against if looking.how == "beside" and looking.against is not None else looking.shown_map
        return SheetPicture(
            studio.surface if studio is not None else None, self.tiles, self.camera, self.width(), self.height(),
            self.ground, shown, looking.differing, looking.false_colours, self.wires, self.faces.checker, self._uv,
            self._coloured,
        )  # fmt: skip

    def picture_left(self) -> SheetPicture | None:
        """The same with the map that is looked at left of the line; None for none."""
        name = self.looking.left_map
        return None if name is None else replace(self.picture(), shown_map=name)

    def preview(self) -> None:
        self._uv = self.faces.preview

    def go_to_triangles(self, triangles: I32) -> None:
        """Look at where some triangles lie on their sheets."""
        studio = self.work.studio
        if studio is None:
            return
        number = studio.surface.sheet_of_triangle[triangles]
        kept, number = triangles[number >= 0], number[number >= 0]
        if not len(kept):
            return
        origin, unit = (np.array([by[key.material] for key in studio.surface.keys])[number][:, None]
                        for by in (self.tiles.origin, self.tiles.unit))  # fmt: skip
        flat = studio.model.uv[kept] * unit + origin
        low, high = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
        room = 0.1 * max(float((high - low).max()), 0.02)
        self.set_camera(FlatCamera.framing(np.stack([low - room, high + room]), self.width(), self.height()))

    def seen(self) -> Seen:
        """Finds the chunks that lie in the view's rectangle, and how finely they are seen."""
        low = self.plane_at(np.array([0.0, self.height()]))
        high = self.plane_at(np.array([self.width(), 0.0]))
        tiles, sizes, pixels = self.tiles, self.work.sheet_sizes(), self.camera.scale * self.devicePixelRatio()

        def find() -> Needs:
            seen = {}
            for key, size in sizes.items():
                if key not in tiles.keys:
                    continue
                ends = np.stack([tiles.to_uv(key, end) for end in (low, high)]) - corner_of(key.tile)
                (left, bottom), (right, top) = to_texels(ends, size)
                wide = pixels * float(tiles.unit[key.material][0])
                seen[key] = needs_of_box(size, np.array([left, top]), np.array([right, bottom]), size.width / wide)
            return seen

        return find

    def frame_all(self) -> None:
        """All sheets in view."""
        self.set_camera(FlatCamera.framing(self.tiles.bounds(), self.width(), self.height()))
        self._all_framed = True

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.unwrap.adjustSize()
        self.unwrap.move((self.width() - self.unwrap.width()) // 2, self.height() // 2 + 44)
        if self._all_framed:
            self.frame_all()
        else:
            self.set_camera(self.camera)

    def set_wires(self, on: bool) -> None:
        self.wires = on
        self.update()

    def set_camera(self, camera: FlatCamera) -> None:
        self.camera = camera
        self._all_framed = False
        self.overlay.labels = [
            (self.pixel_of(self.tiles.corner(key)), text) for key in self.tiles.keys if (text := self._name_of(key))
        ]
        self.refresh()
        self.maps.look_again()
        self._marker_changed()

    def _name_of(self, key: SheetKey) -> str:
        """What is written on a sheet: as much of its name as has room there."""
        wide = self.camera.scale * self.tiles.unit[key.material][0] - _LABEL_MARGIN
        names = (f"{key.material} {key.tile}", str(key.tile))
        return next((name for name in names if self.fontMetrics().horizontalAdvance(name) <= wide), "")

    def refresh(self) -> None:
        self._show_grid()
        super().refresh()

    def _show_grid(self) -> None:
        """Lines between the texels of pixel art, once those are large enough."""
        studio, lines = self.work.studio, []
        for key in self.tiles.keys if studio is not None else ():
            size = studio.project.size_of(key) if studio is not None else Extent(1, 1)
            if studio is None or not studio.project.is_pixel_art(key) or self.camera.scale / size.longest < _GRIDDED:
                continue
            corner = self.tiles.corner(key)
            low, high = self.pixel_of(corner), self.pixel_of(corner + self.tiles.unit[key.material])
            for axis, count, limit in ((0, size.width, self.width()), (1, size.height, self.height())):
                places = np.linspace(low[axis], high[axis], count + 1)
                for place in places[(places >= 0) & (places <= limit)].tolist():
                    ends = np.array([low, high])
                    ends[:, axis] = place
                    lines.append(ends)
        self.overlay.grid = lines

    # --- between screen and sheet -----------------------------------------------------------------------------

    def pixel_of(self, plane: F64) -> F64:
        """Where places in the plane of all sheets are drawn."""
        return self.camera.to_screen(plane, self.width(), self.height())

    def plane_at(self, point: F64) -> F64:
        """The place on the plane of all sheets under a pixel."""
        return self.camera.to_plane(float(point[0]), float(point[1]), self.width(), self.height())

    def face_at(self, point: F64) -> int | None:
        studio, plane = self.work.studio, self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        if studio is None or key is None:
            return None
        hit = at_uv(studio.surface, key.material, self.tiles.to_uv(key, plane), self.faces.shown)
        return None if hit is None else hit.triangle

    def standpoint(self) -> object:
        return self.camera

    def screen_faces(self, surface: Surface) -> F64:
        corners = np.full((surface.model.triangle_count, 3, 3), np.nan)
        for key in surface.keys:
            rows = surface.placement.triangles[key]
            corners[rows, :, :2] = self.pixel_of(self.tiles.to_plane(key.material, surface.model.uv[rows]))
            corners[rows, :, 2] = 0.0
        return corners

    def surface_at(self, point: F64) -> SurfaceHit | None:
        studio, plane = self.work.studio, self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        if studio is None or key is None:
            return None
        return at_uv(studio.surface, key.material, self.tiles.to_uv(key, plane))

    def sheet_at(self, point: F64) -> tuple[SheetKey, F64] | None:
        plane = self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        return None if key is None else (key, self.tiles.to_uv(key, plane) - corner_of(key.tile))

    def outline_of(self, key: SheetKey, low: F64, high: F64) -> F64 | None:
        (u0, v0), (u1, v1) = low, high
        return self.line_on(key, np.array([(u0, v0), (u1, v0), (u1, v1), (u0, v1), (u0, v0)]))

    def line_on(self, key: SheetKey, ends: F64) -> F64 | None:
        if key not in self.tiles.keys:
            return None
        return self.pixel_of(self.tiles.to_plane(key.material, ends + corner_of(key.tile)))

    def place_at(self, point: F64) -> F64 | None:
        plane = self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        return None if key is None else self.tiles.to_uv(key, plane)

    def spot(self, position: F64, normal: F64) -> F64 | None:
        studio = self.work.studio
        if studio is None:
            return None
        reach = 1e-3 * studio.model.diagonal
        hit = pick(studio.model, position + normal * reach, -normal)
        key = None if hit is None or not np.isfinite(hit.uv).all() else sheet_of(studio.surface, hit)
        if hit is None or key is None or np.linalg.norm(hit.position - position) > 3 * reach:
            return None
        return self.pixel_of(self.tiles.to_plane(key.material, hit.uv))

    def outline_on_sheet(self, points: F64) -> tuple[SheetKey, F64] | None:
        plane = np.array([self.plane_at(point) for point in points])
        key = self.tiles.sheet_at(plane.mean(axis=0))
        return None if key is None else (key, self.tiles.to_uv(key, plane) - corner_of(key.tile))

    def length_of(self, pixels: float, hit: SurfaceHit) -> float:
        studio = self.work.studio
        assert studio is not None
        along_u, along_v = uv_axes(studio.model, hit.triangle)
        unit = self.tiles.unit[studio.model.materials[studio.model.material[hit.triangle]]]
        area = float(np.linalg.norm(np.cross(along_u, along_v))) / float(unit.prod())
        return pixels / self.camera.scale * float(np.sqrt(area))

    def grip_of(self, place: Framed, height: float) -> Grip | None:
        assert self.work.studio is not None
        pose = sheet_pose(self.work.studio.surface, place, height)
        if pose is None or pose.sheet.material not in self.tiles.origin:
            return None
        plane = self.tiles.to_plane(pose.sheet.material, pose.centre)
        unit = self.tiles.unit[pose.sheet.material]
        ends = self.pixel_of(np.stack([plane, plane + pose.half_x * unit, plane + pose.half_y * unit]))
        return Grip(ends[0], ends[1] - ends[0], ends[2] - ends[0])

    def moved(self, place: Framed, point: F64) -> Framed | None:
        studio, plane = self.work.studio, self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        if studio is None or key is None:
            return None
        return move_to_uv(studio.surface, place, key, self.tiles.to_uv(key, plane))

    def marker_place(self) -> F64 | None:
        marker, studio = self.looking.marker, self.work.studio
        key = None if marker is None or studio is None else sheet_of(studio.surface, marker)
        if key is None or marker is None or not np.isfinite(marker.uv).all():
            return None
        return self.pixel_of(self.tiles.to_plane(key.material, marker.uv))

    def hover(self, point: F64) -> None:
        studio, plane = self.work.studio, self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        if studio is None or key is None:
            self.looking.mark(None, self)
            self.overlay.facts = ""
            self.overlay.update()
            return
        uv = self.tiles.to_uv(key, plane)
        size = studio.project.size_of(key)
        inside = uv - corner_of(key.tile)
        row, column = texel_at(float(inside[0]), float(inside[1]), size)
        levels = self.maps.levels
        self.overlay.facts = (
            reading(levels, key, size, self.looking.shown_map or "colour", row, column) if levels is not None else ""
        )
        self.overlay.update()
        self.looking.mark(at_uv(studio.surface, key.material, uv), self)

    def leaveEvent(self, event: object) -> None:
        self.overlay.facts = ""
        self.overlay.update()
        super().leaveEvent(event)

    def navigate(self, how: str, dx: float, dy: float, point: F64) -> None:
        if how == "zoom":
            most = _PIXELS_PER_TEXEL * max([*(size.longest for size in self.work.sheet_sizes().values()), 16])
            self.set_camera(
                self.camera.zoomed(1.25**dy, float(point[0]), float(point[1]), self.width(), self.height(), most)
            )
        else:
            self.set_camera(self.camera.panned(dx, dy))

    def drop_picture(self, picture: str, point: F64, then: Callable[[], object] = lambda: None) -> bool:
        plane = self.plane_at(point)
        key = self.tiles.sheet_at(plane)
        if key is None:
            return False
        done = self.bringing.drop_on_sheet(picture, key, self.tiles.to_uv(key, plane))
        if done:
            then()
        return done
