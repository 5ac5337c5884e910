"""The slide in hand under the pointer: moved, scaled, turned and pulled, and brushed onto the surface."""

from __future__ import annotations

import time
from typing import cast

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QMouseEvent, QPixmap

from lucky_fern.core import easel
from lucky_fern.core.arrays import F64
from lucky_fern.core.colour import encode_srgb
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.painting.stroke import Stroke
from lucky_fern.core.pictures.pyramid import premultiplied
from lucky_fern.core.placing.slide import corners_of
from lucky_fern.core.placing.warp import reach_of, warped
from lucky_fern.core.project.document import KitPicture, Project
from lucky_fern.core.project.places import Throw, Warp
from lucky_fern.core.sheets.picking import smooth_normal
from lucky_fern.ui.gestures.gesture import Gesture, cursor_over
from lucky_fern.ui.gestures.grip import REACH, Grip, GripDrag
from lucky_fern.ui.gestures.pull_handles import pulled_points, pulled_to
from lucky_fern.ui.gestures.surface_view import SpaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.sliding import Sliding

_SHOWN = 512  # pixels of the longer side, over the view
_EVERY = 0.03  # seconds between two looks at what is being brushed


class SlideHandles(Gesture):
    """The Artwork station's, in the model view only: that is where a slide is held."""

    def __init__(self, view: SpaceView, work: Work, looking: Looking, sliding: Sliding) -> None:
        self.view = view
        self.work, self.looking, self.sliding = work, looking, sliding
        self._drag: GripDrag | None = None
        self._moving: F64 | None = None  # from the slide's middle to where it is held
        self._pulled: int | None = None
        self._pixmaps: dict[tuple[str, bool, Warp | None], QPixmap] = {}
        self.sliding.changed.connect(view.refresh)
        self.work.studio_changed.connect(self._pixmaps.clear)

    def grip(self) -> Grip | None:
        """The slide on the screen."""
        sliding = self.sliding
        if self.looking.station != "artwork" or sliding.slide is None or self.work.studio is None:
            return None
        ends = self.view.to_screen(corners_of(sliding.slide.place, sliding.height))
        if not np.isfinite(ends).all():
            return None
        centre = ends.mean(axis=0)
        return Grip(centre, (ends[1] + ends[2]) / 2 - centre, (ends[0] + ends[1]) / 2 - centre)

    def press(self, point: F64, event: QMouseEvent) -> bool:
        sliding, grip = self.sliding, self.grip()
        if grip is None or sliding.slide is None or sliding.brushing or event.button() != Qt.MouseButton.LeftButton:
            return False
        warp = sliding.slide.place.warp
        if sliding.pulling and warp is not None:
            far = np.linalg.norm(pulled_points(grip, warp) - point, axis=1)
            if far.min() <= REACH:
                self._pulled = int(far.argmin())
                return True
        handle = grip.grabbed(point)
        if handle is None or (sliding.pulling and handle != "move"):
            return False
        if handle == "move":
            self._moving = point - grip.centre
        else:
            self._drag = GripDrag(grip, handle, point, sliding.slide.place, sliding.height, 1e-9)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        sliding, grip = self.sliding, self.grip()
        if sliding.slide is None or grip is None:
            return
        place = sliding.slide.place
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self._pulled is not None and place.warp is not None:
            warp = pulled_to(grip, place.warp, self._pulled, point)
            if warp is not None:
                sliding.set_place(replace(place, warp=warp))
        elif self._drag is not None:
            sliding.set_place(cast(Throw, self._drag.place_at(point, free=shift, stepped=shift)))
        elif self._moving is not None:
            self._move_to(point - self._moving)

    def _move_to(self, point: F64) -> None:
        """Bring its middle under a pixel, in the plane of the screen through it."""
        sliding, camera = self.sliding, self.view.camera
        assert sliding.slide is not None
        x, y = point[0] / self.view.width() * 2 - 1, 1 - point[1] / self.view.height() * 2
        origin, direction = camera.ray(float(x), float(y), self.view.aspect)
        middle, back = np.array(sliding.slide.place.point), camera.axes[2]
        along = float((middle - origin) @ back) / float(direction @ back)
        at = origin + direction * along
        point_ = (float(at[0]), float(at[1]), float(at[2]))
        sliding.set_place(replace(sliding.slide.place, point=point_))

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._drag = self._moving = self._pulled = None

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        grip = self.grip()
        if grip is None or self.sliding.brushing:
            return None
        return cursor_over(grip.grabbed(point))

    def show(self) -> None:
        drawn, sliding = self.view.drawn, self.sliding
        drawn.slide = None
        grip = self.grip()
        if grip is None or sliding.slide is None or self.work.project is None or sliding.hidden:
            return
        place = sliding.slide.place
        reach = 1.0 if place.warp is None else reach_of(place.warp)
        wide, high = place.width * reach, sliding.height * reach
        box = replace(place, width=wide)
        tiles = [(0, 0)]
        if place.repeat:
            tiles = [(i, j) for j in range(-3, 4) for i in range(-3, 4)]
        corner = corners_of(box, high)
        across, down = corner[1] - corner[0], corner[3] - corner[0]
        quads = [self.view.to_screen(corner + i * across / reach + j * down / reach) for i, j in tiles]
        pixmap = self._pixmap(self.work.project, sliding.slide.picture, place)
        if pixmap is not None:
            drawn.slide = (pixmap, [quad for quad in quads if np.isfinite(quad).all()], sliding.slide.opacity)
        if sliding.brushing:
            drawn.grip = None
            return
        if sliding.pulling and place.warp is not None:
            drawn.grip = None
            drawn.mesh = pulled_points(grip, place.warp).reshape(place.warp.rows, place.warp.columns, 2)
        else:
            drawn.grip = grip

    def _pixmap(self, project: Project, picture: str, place: Throw) -> QPixmap | None:
        kit: KitPicture | None = project.pictures.get(picture)
        if kit is None or self.work.studio is None:
            return None
        key = (kit.digest, place.flip, place.warp)
        if key not in self._pixmaps:
            rgba = self.work.studio.sources.picture(kit).rgba
            step = max(1, -(-max(rgba.shape[:2]) // _SHOWN))
            light = premultiplied(np.ascontiguousarray(rgba[::step, ::step]), "colour")
            if place.flip:
                light = np.ascontiguousarray(light[:, ::-1])
            if place.warp is not None:
                light = warped(light, place.warp)
            alpha = light[..., 3:]
            straight = np.divide(light[..., :3], alpha, out=np.zeros_like(light[..., :3]), where=alpha > 0)
            pixels = np.concatenate([encode_srgb(np.clip(straight, 0, 1)), alpha], axis=2)
            data = np.ascontiguousarray(np.rint(pixels * 255).astype(np.uint8))
            image = QImage(
                data.tobytes(), data.shape[1], data.shape[0], 4 * data.shape[1], QImage.Format.Format_RGBA8888
            )
            while len(self._pixmaps) > 8:
                self._pixmaps.pop(next(iter(self._pixmaps)))
            self._pixmaps[key] = QPixmap.fromImage(image)
        return self._pixmaps[key]


class SlideBrush(Gesture):
    """Brushes the slide in hand onto the surface: a decal whose mask the brush reveals. Alt takes away again."""

    def __init__(self, view: SpaceView, work: Work, looking: Looking, maps: Maps, sliding: Sliding) -> None:
        self.view = view
        self.work, self.looking, self.maps, self.sliding = work, looking, maps, sliding
        self._stroke: Stroke | None = None
        self._layer = 0
        self._began: Project | None = None
        self._value = 1.0
        self._shown = 0.0

    @property
    def draws(self) -> bool:
        return self._on

    @property
    def _on(self) -> bool:
        return self.looking.station == "artwork" and self.sliding.brushing

    def press(self, point: F64, event: QMouseEvent) -> bool:
        sliding, studio = self.sliding, self.work.studio
        if not self._on or studio is None or event.button() != Qt.MouseButton.LeftButton:
            return False
        hit = self.view.surface_at(point)
        layer = None if hit is None else sliding.layer_to_brush()
        if layer is None:
            return False
        self.work.end_gesture()
        easel.bring_to_size(studio, layer)
        self._layer, self._began = layer, studio.project
        self._value = 0.0 if event.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0
        self._stroke = easel.begin_stroke(studio, sliding.brush)
        sliding.hide(True)
        self.go(point, True)
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        self.go(point, False)

    def release(self, point: F64, event: QMouseEvent) -> None:
        if self._stroke is not None:
            self._stroke.end()
            self._put(True)
            self.work.refresh()
        self._stroke = self._began = None
        self.work.end_gesture()
        self.sliding.hide(False)

    def go(self, point: F64, now: bool) -> None:
        """The stroke goes on to a pixel; ``now`` shows it at once."""
        hit, studio = self.view.surface_at(point), self.work.studio
        self.view.drawn.disc = None
        if self._stroke is None or studio is None:
            return
        if hit is None:
            self._stroke.lift()
            return
        self._stroke.go_to(hit.position, smooth_normal(studio.model, hit))
        self._put(now)

    def _put(self, now: bool) -> None:
        studio = self.work.studio
        if studio is None or self._stroke is None or self._began is None:
            return
        if not now and time.monotonic() - self._shown < _EVERY:
            return
        self._shown = time.monotonic()
        try:
            fresh = self._stroke.take_fresh()
            if fresh.coverage:
                easel.paint_on_mask(studio, self._layer, fresh, self._value, self._began)
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)
            return
        self.maps.composite()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if not self._on:
            return None
        hit = self.view.surface_at(point)
        self.view.drawn.disc = None
        if hit is not None:
            pixel = self.view.length_of(1.0, hit)
            self.view.drawn.disc = (point, self.sliding.brush.radius / max(pixel, 1e-12))
        self.view.redraw()
        return Qt.CursorShape.CrossCursor

    def show(self) -> None:
        if not self._on:
            self.view.drawn.disc = None
