"""Stripes under the pointer: picking the points of a new one, and moving, adding and taking away those of another."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.placing.snap import snapped_hit
from lucky_fern.core.project.commands import AddLayer, SetPlace, free_name
from lucky_fern.core.project.document import Channel, Decal
from lucky_fern.core.project.places import Along, Point
from lucky_fern.core.sheets.picking import SurfaceHit, smooth_normal
from lucky_fern.ui.gesture import Gesture

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk
    from lucky_fern.ui.view import View

_REACH = 9.0  # pixels within which a point is taken hold of
_NARROW = 0.02  # of the model's size: a new stripe's width
_SNAP = 8.0  # pixels


class StripeTool(QObject):
    """A stripe being drawn: each point clicked goes on with it."""

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.armed = False
        self.first: tuple[Point, Point] | None = None  # the point clicked before there is a stripe
        self._drawn: int | None = None

    def arm(self, on: bool) -> None:
        """Begin, or end, drawing a stripe."""
        if on == self.armed:
            return
        self.armed, self.first, self._drawn = on, None, None
        if on:
            self.desk.said.emit(
                "Click points on the model or on a sheet; click the first one again to close the stripe, "
                "press Enter or double-click to end it.", False,
            )  # fmt: skip
        else:
            self.desk.end_gesture()
        self.changed.emit()

    def add(self, point: Point, normal: Point) -> None:
        """Go on to a point."""
        desk, studio = self.desk, self.desk.studio
        if studio is None:
            return
        stripe = desk.stripe
        if self._drawn is not None and stripe is not None and stripe[0].id == self._drawn:
            place = stripe[1]
            grown = replace(place, points=(*place.points, point), normals=(*place.normals, normal))
            desk.execute(SetPlace(stripe[0].id, grown), merge=True)
        elif self.first is None:
            self.first = point, normal
        elif self.first[0] != point:
            picture = studio.keep_figure(Figure("rectangle", colour=desk.figure_style.colour))
            place = Along((self.first[0], point), (self.first[1], normal), studio.model.diagonal * _NARROW)
            name = free_name(studio.project, "Stripe")
            if desk.execute(AddLayer(name, Decal(picture, place), {"colour": Channel("picture")})):
                self._drawn = desk.selected
        self.changed.emit()

    def close(self) -> None:
        """Bring the stripe back to its first point, and end it."""
        stripe = self.desk.stripe
        if stripe is not None and stripe[0].id == self._drawn and len(stripe[1].points) > 2:
            self.desk.execute(SetPlace(stripe[0].id, replace(stripe[1], closed=True)), merge=True)
        self.arm(False)


class StripeHandles(Gesture):
    """The Artwork station's. Points are squares; the dots between them become points when they are dragged."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.desk = view.desk
        self._held: int | None = None
        view.desk.striping.changed.connect(view.refresh)

    @property
    def draws(self) -> bool:
        return self.desk.striping.armed

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if self.desk.station != "artwork" or event.button() != Qt.MouseButton.LeftButton:
            return False
        tool = self.desk.striping
        if tool.armed:
            return self._draw(point, event)
        stripe = self.desk.stripe
        if stripe is None:
            return False
        layer, place, _ = stripe
        knots = self._knots(place)
        knot = self._near(point, knots)
        if knot is not None:
            self.desk.end_gesture()
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self._take_away(knot)
                return True
            self._held = knot
            return True
        middle = self._near(point, _middles(knots, place.closed))
        hit = self.view.surface_at(point)
        if middle is None or hit is None:
            return False
        self.desk.end_gesture()
        at, facing = _told(self.desk, hit)
        points = (*place.points[: middle + 1], at, *place.points[middle + 1 :])
        normals = (*place.normals[: middle + 1], facing, *place.normals[middle + 1 :])
        self.desk.execute(SetPlace(layer.id, replace(place, points=points, normals=normals)))
        self._held = middle + 1
        return True

    def _draw(self, point: F64, event: QMouseEvent) -> bool:
        tool, stripe = self.desk.striping, self.desk.stripe
        if event.type() == event.Type.MouseButtonDblClick:
            tool.arm(False)
            return True
        if stripe is not None and stripe[0].id == tool._drawn and len(stripe[1].points) > 2:
            knots = self._knots(stripe[1])
            if knots[0] is not None and np.linalg.norm(knots[0] - point) <= _REACH:
                tool.close()
                return True
        hit = self._snapped(point, event)
        if hit is None:
            self.desk.said.emit("There is no surface there; click on the model or on an island.", True)
        else:
            tool.add(*_told(self.desk, hit))
        return True

    def _snapped(self, point: F64, event: QMouseEvent) -> SurfaceHit | None:
        hit, studio = self.view.surface_at(point), self.desk.studio
        if hit is None or studio is None or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return hit
        found = snapped_hit(studio.model, hit, self.view.length_of(_SNAP, hit), self.desk.faces.chosen)
        self.view.overlay.hint_line = f"on the {found.to}" if found.to else ""
        return found.hit

    def _take_away(self, knot: int) -> None:
        stripe = self.desk.stripe
        if stripe is None or len(stripe[1].points) <= 2:
            self.desk.said.emit("A stripe keeps two points; remove the layer to be rid of it.", True)
            return
        layer, place, _ = stripe
        points = place.points[:knot] + place.points[knot + 1 :]
        normals = place.normals[:knot] + place.normals[knot + 1 :]
        closed = place.closed and len(points) > 2
        self.desk.execute(SetPlace(layer.id, replace(place, points=points, normals=normals, closed=closed)))

    def move(self, point: F64, event: QMouseEvent) -> None:
        stripe, held = self.desk.stripe, self._held
        if stripe is None or held is None:
            return
        hit = self._snapped(point, event)
        if hit is None:
            return
        layer, place, _ = stripe
        at, facing = _told(self.desk, hit)
        points = (*place.points[:held], at, *place.points[held + 1 :])
        normals = (*place.normals[:held], facing, *place.normals[held + 1 :])
        self.desk.execute(SetPlace(layer.id, replace(place, points=points, normals=normals)), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._held = None
        self.view.overlay.hint_line = ""

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if self.desk.station != "artwork":
            return None
        if self.desk.striping.armed:
            return Qt.CursorShape.CrossCursor
        stripe = self.desk.stripe
        if stripe is not None:
            knots = self._knots(stripe[1])
            if self._near(point, [*knots, *_middles(knots, stripe[1].closed)]) is not None:
                return Qt.CursorShape.PointingHandCursor
        return None

    def show(self) -> None:
        overlay = self.view.overlay
        overlay.knots, overlay.way = [], []
        if self.desk.station != "artwork" or self.desk.studio is None:
            return
        stripe, tool = self.desk.stripe, self.desk.striping
        if tool.armed and tool.first is not None and stripe is None:
            spot = self.view.spot(np.array(tool.first[0]), np.array(tool.first[1]))
            overlay.knots = [] if spot is None else [(spot, True)]
        if stripe is None:
            return
        _, place, length = stripe
        knots = self._knots(place)
        overlay.knots = [(spot, True) for spot in knots if spot is not None]
        if not tool.armed:
            overlay.knots += [(spot, False) for spot in _middles(knots, place.closed) if spot is not None]
        path = self.desk.studio.sources.stripe(place, length, None).path
        overlay.way = self.view.line_of(path.points, path.normals)

    def _near(self, point: F64, spots: list[F64 | None]) -> int | None:
        far = [np.inf if spot is None else float(np.linalg.norm(spot - point)) for spot in spots]
        best = int(np.argmin(far)) if far else -1
        return best if best >= 0 and far[best] <= _REACH else None

    def _knots(self, place: Along) -> list[F64 | None]:
        return [self.view.spot(np.array(point), np.array(normal))
                for point, normal in zip(place.points, place.normals, strict=True)]  # fmt: skip


def _middles(knots: list[F64 | None], closed: bool) -> list[F64 | None]:
    """Half-way between neighbouring points on the screen."""
    pairs = zip(knots, knots[1:] + (knots[:1] if closed else []), strict=False)
    return [None if a is None or b is None else (a + b) / 2 for a, b in pairs]


def _told(desk: Desk, hit: SurfaceHit) -> tuple[Point, Point]:
    """A point of the surface and its normal, as documents keep them."""
    assert desk.studio is not None
    normal = smooth_normal(desk.studio.model, hit)
    x, y, z = (float(f"{value:.9g}") for value in hit.position)
    u, v, w = (float(f"{value:.6g}") for value in normal)
    return (x, y, z), (u, v, w)
