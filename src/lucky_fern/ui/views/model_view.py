"""The model view: the model in 3D, turned, lit and painted on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lucky_fern.core.arrays import F64, I32, Bool
from lucky_fern.core.compositing.levels import Needs
from lucky_fern.core.compositing.reading import reading, texel_at
from lucky_fern.core.placing.pose import move_to, surface_pose
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.project.places import Framed, Throw
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.needs import needs_of_faces, texels_a_unit
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, pick, sheet_of
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.render.camera import AXIS_VIEWS, Camera
from lucky_fern.render.model_painter import ModelPainter, ModelPicture
from lucky_fern.render.model_scene import Look
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.session.compositing_thread import Seen
from lucky_fern.ui.tools.sliding import look_of
from lucky_fern.ui.views.matter import Matter
from lucky_fern.ui.views.view import View
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.words import tr


@guarded
class ModelView(View):
    """Orbit with the left button, pan with the middle one (or Shift), turn the light with the right one."""

    def __init__(self, matter: Matter) -> None:
        self.laying, self.baking = matter.laying, matter.baking
        self.camera = Camera()
        self.look = Look()
        self._shown: Bool | None = None  # the faces that are drawn
        self._uv: F64 | None = None  # where they lie for a while
        self._needed: tuple[object, Needs] | None = None  # what was asked last, and the answer
        self._measured: tuple[Surface, dict[SheetKey, Extent], tuple[F64, F64]] | None = None
        super().__init__(tr("Model view"), matter, ModelPainter)
        self.looking.look_asked.connect(self.look_along)
        self.faces.shown_changed.connect(self._shown_changed)
        self.baking.changed.connect(self.update)

    @property
    def aspect(self) -> float:
        return self.width() / max(self.height(), 1)

    # --- drawing ------------------------------------------------------------------------------------------

    def reset_layout(self) -> None:
        self._shown, self._uv = self.faces.shown, None

    def _shown_changed(self) -> None:
        self._shown = self.faces.shown
        self._owners = None
        self.refresh()

    def preview(self) -> None:
        if not self.laying.stay:
            self._uv = self.faces.preview

    def reset_scene(self) -> None:
        self.reset_layout()
        self.frame_all()
        self.hint("" if self.work.studio is not None else tr("Open a model (OBJ, GLB, glTF, PLY or STL) to begin."))

    def picture(self) -> ModelPicture:
        studio = self.work.studio
        looking = self.looking
        alone = looking.shown_map or ("colour" if looking.differing is not None else None)
        look = replace(
            self.look, shown_map=alone, against=looking.differing, false_colours=looking.false_colours,
            checker=self.faces.checker,
        )  # fmt: skip
        surface = studio.surface if studio is not None else None
        return ModelPicture(
            surface, self.camera, self.aspect, look, self._shown, self._uv, self._coloured, self.baking.lines
        )

    def picture_left(self) -> ModelPicture | None:
        """The same with the map that is looked at left of the line; None for none."""
        name, picture = self.looking.left_map, self.picture()
        return None if name is None else replace(picture, look=replace(picture.look, shown_map=name))

    def seen(self) -> Seen:
        """Finds the chunks with triangles that face the camera and lie in its frame (or round it), and how finely."""
        studio, camera, aspect, sizes = self.work.studio, self.camera, self.aspect, self.work.sheet_sizes()
        if studio is None:
            return dict
        surface, high = studio.surface, self.height() * self.devicePixelRatio()

        asked = (surface, camera, aspect, high, sizes)

        def find() -> Needs:
            if set(sizes) != set(surface.keys):
                return {}
            kept = self._needed
            if kept is not None and kept[0] == asked:
                return kept[1]
            middle, fine = self._faces(surface, sizes)
            eye = camera.axes[2] if camera.parallel else camera.eye - middle
            flat = camera.project(middle, aspect)
            inside = (np.abs(flat[..., :2]) < 1.1).all(axis=1)
            inside &= (surface.model.face_normals * eye).sum(axis=1) > 0
            needs = needs_of_faces(surface, sizes, inside, fine * camera.units_a_pixel(middle, high))
            self._needed = asked, needs
            return needs

        return find

    def _faces(self, surface: Surface, sizes: dict[SheetKey, Extent]) -> tuple[F64, F64]:
        """(T, 3) the middles of all faces and (T,) how fine their texels are, worked out once for a surface."""
        kept = self._measured
        if kept is None or kept[0] is not surface or kept[1] != sizes:
            found = surface.model.corners.mean(axis=1), texels_a_unit(surface, sizes)
            kept = self._measured = (surface, sizes, found)
        return kept[2]

    def set_look(self, **changes: object) -> None:
        """Change how the model is drawn (see :class:`Look`)."""
        self.look = replace(self.look, **changes)  # type: ignore[arg-type]  # names of Look, each of its own type
        self.update()

    def frame_all(self) -> None:
        """The whole model in view."""
        if self.work.studio is not None:
            self.set_camera(self.camera.framing(self.work.studio.model.bounds, self.aspect))

    def go_to_triangles(self, triangles: I32) -> None:
        """Look at some triangles from where most of them face."""
        studio = self.work.studio
        if studio is None or not len(triangles):
            return
        model = studio.model
        corners, normals = model.corners[triangles], model.face_normals[triangles]
        self.set_camera(self.camera.facing(corners, normals, model.diagonal * 0.02, self.aspect))

    def look_from(self, name: str) -> None:
        """One of the six axis views."""
        yaw, pitch = AXIS_VIEWS[name]
        self.camera = replace(self.camera, yaw=yaw, pitch=pitch)
        self.frame_all()

    def set_parallel(self, parallel: bool) -> None:
        self.set_camera(replace(self.camera, parallel=parallel))

    def set_camera(self, camera: Camera) -> None:
        self.camera = camera
        axes, target = np.stack(camera.axes), np.asarray(camera.target)
        self.looking.look_from(Eye(axes, target, camera.distance, camera.half_height(), camera.parallel))
        self.refresh()
        self.maps.look_again()
        self._marker_changed()

    def look_along(self, place: Throw) -> None:
        """Look from where a throw's lens is, at what its picture is before."""
        yaw, pitch, distance = look_of(place)
        camera = replace(self.camera, yaw=yaw, pitch=pitch, target=place.point, parallel=place.lens is None)
        if distance:
            camera = replace(camera, distance=distance)
        self.set_camera(camera)

    # --- between screen and surface -------------------------------------------------------------------------

    def hit(self, point: F64) -> SurfaceHit | None:
        """The surface under a pixel."""
        if self.work.studio is None:
            return None
        x, y = point[0] / self.width() * 2 - 1, 1 - point[1] / self.height() * 2
        origin, direction = self.camera.ray(float(x), float(y), self.aspect)
        shown, front = self.faces.shown, self.look.front_only
        return pick(self.work.studio.model, origin, direction, shown=shown, front=front)

    def surface_at(self, point: F64) -> SurfaceHit | None:
        return self.hit(point)

    def sheet_at(self, point: F64) -> tuple[SheetKey, F64] | None:
        hit, studio = self.hit(point), self.work.studio
        key = None if hit is None or studio is None else sheet_of(studio.surface, hit)
        return None if hit is None or key is None else (key, np.array(local_uv(hit, key)))

    def outline_of(self, key: SheetKey, low: F64, high: F64) -> F64 | None:
        return None

    def line_on(self, key: SheetKey, ends: F64) -> F64 | None:
        return None

    def place_at(self, point: F64) -> F64 | None:
        hit = self.hit(point)
        return None if hit is None else hit.position

    def spot(self, position: F64, normal: F64) -> F64 | None:
        eye = self.camera.axes[2] if self.camera.parallel else self.camera.eye - position
        place = self.to_screen(position)
        return place if float(normal @ eye) > 0 and np.isfinite(place).all() else None

    def line_of(self, points: F64, normals: F64) -> list[F64]:
        eye = self.camera.axes[2] if self.camera.parallel else self.camera.eye - points
        flat = self.to_screen(points)
        seen = ((normals * eye).sum(axis=1) > 0) & np.isfinite(flat).all(axis=1)
        ends = np.flatnonzero(np.diff(np.concatenate([[False], seen, [False]]).astype(int)))
        return [flat[start:end] for start, end in zip(ends[::2], ends[1::2], strict=True) if end - start > 1]

    def line_through(self, points: F64) -> F64 | None:
        flat = self.to_screen(points)
        return flat if np.isfinite(flat).all() else None

    def length_of(self, pixels: float, hit: SurfaceHit) -> float:
        half = self.camera.half_height()
        if not self.camera.parallel:
            half *= float((self.camera.eye - hit.position) @ self.camera.axes[2]) / self.camera.distance
        return pixels * 2 * half / max(self.height(), 1)

    def face_at(self, point: F64) -> int | None:
        hit = self.hit(point)
        return None if hit is None else hit.triangle

    def standpoint(self) -> object:
        return self.camera

    def screen_faces(self, surface: Surface) -> F64:
        model = surface.model
        depth = self.camera.depth(model.corners)
        return np.concatenate([self.to_screen(model.corners), depth[..., None]], axis=2)

    def to_screen(self, points: F64) -> F64:
        """(..., 2) pixels of (..., 3) points."""
        flat = self.camera.project(points, self.aspect)
        return np.stack([(flat[..., 0] + 1) * self.width() / 2, (1 - flat[..., 1]) * self.height() / 2], axis=-1)

    def grip_of(self, place: Framed, height: float) -> Grip | None:
        assert self.work.studio is not None
        pose = surface_pose(self.work.studio.surface, place, height)
        if pose is None:
            return None
        eye = self.camera.axes[2] if self.camera.parallel else self.camera.eye - pose.centre
        if float(pose.normal @ eye) <= 0:
            return None  # it looks away
        ends = self.to_screen(np.stack([pose.centre, pose.centre + pose.half_x, pose.centre + pose.half_y]))
        if not np.isfinite(ends).all():
            return None
        return Grip(ends[0], ends[1] - ends[0], ends[2] - ends[0])

    def moved(self, place: Framed, point: F64) -> Framed | None:
        hit = self.hit(point)
        if hit is None or self.work.studio is None:
            return None
        return move_to(self.work.studio.surface, place, hit)

    def marker_place(self) -> F64 | None:
        marker = self.looking.marker
        if marker is None:
            return None
        place = self.to_screen(marker.position)
        return place if np.isfinite(place).all() else None

    def hover(self, point: F64) -> None:
        hit = self.hit(point)
        self.overlay.facts = self._reading(hit)
        self.overlay.update()
        self.looking.mark(hit, self)

    def leaveEvent(self, event: object) -> None:
        self.overlay.facts = ""
        self.overlay.update()
        super().leaveEvent(event)

    def _reading(self, hit: SurfaceHit | None) -> str:
        """The value under the pointer."""
        studio, levels = self.work.studio, self.maps.levels
        if hit is None or studio is None or levels is None or not np.isfinite(hit.uv).all():
            return ""
        key = sheet_of(studio.surface, hit)
        if key is None:
            return ""
        size = studio.project.size_of(key)
        return reading(levels, key, size, self.looking.shown_map or "colour", *texel_at(*local_uv(hit, key), size))

    def navigate(self, how: str, dx: float, dy: float, point: F64) -> None:
        if how == "orbit":
            self.set_camera(self.camera.orbited(-dx * 0.45, dy * 0.45))
        elif how == "pan":
            self.set_camera(self.camera.panned(dx * 2 / self.width(), -dy * 2 / self.height(), self.aspect))
        elif how == "zoom":
            self.set_camera(self.camera.zoomed(1.15**dy))
        elif how == "light":
            self.set_look(lamp_deg=(self.look.lamp_deg + dx * 0.6) % 360.0)

    def drop_picture(self, picture: str, point: F64, then: Callable[[], object] = lambda: None) -> bool:
        hit = self.hit(point)
        if hit is None:
            return False
        return self.bringing.drop_on_surface(picture, hit, self.camera.axes[1], then)
