"""Paths under the pointer: drawing a new one by points or a stroke, and moving, adding and taking away points."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.snap import snapped_hit
from lucky_fern.core.project.places import Along, Point
from lucky_fern.core.sheets.picking import SurfaceHit, smooth_normal
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.striping import StripeTool
from lucky_fern.words import tr

_REACH = 9.0  # pixels within which a point is taken hold of
_SNAP = 8.0  # pixels
_DRAGGED = 6.0  # pixels after which a press is a stroke


class StripeHandles(Gesture):
    """The Artwork station's. Points are squares; the dots between them become points when they are dragged."""

    def __init__(
        self,
        view: SurfaceView,
        work: Work,
        selection: Selection,
        looking: Looking,
        faces: Faces,
        striping: StripeTool,
    ) -> None:
        self.view = view
        self.work, self.selection, self.looking, self.faces, self.striping = work, selection, looking, faces, striping
        self._held: int | None = None
        self._stroke: list[tuple[Point, Point]] = []
        self._pressed: F64 | None = None
        striping.changed.connect(view.refresh)

    @property
    def draws(self) -> bool:
        return self.striping.armed

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if self.looking.station != "artwork" or event.button() != Qt.MouseButton.LeftButton:
            return False
        tool = self.striping
        if tool.armed:
            return self._draw(point, event)
        stripe = self.selection.path
        if stripe is None:
            return False
        layer, place, _ = stripe
        knots = self._knots(place)
        knot = self._near(point, knots)
        if knot is not None:
            self.work.end_gesture()
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self._take_away(knot)
                return True
            self._held = knot
            return True
        middle = self._near(point, _middles(knots, place.closed))
        hit = self.view.surface_at(point)
        if middle is None or hit is None:
            return False
        self.work.end_gesture()
        at, facing = _told(self.work, hit)
        points = (*place.points[: middle + 1], at, *place.points[middle + 1 :])
        normals = (*place.normals[: middle + 1], facing, *place.normals[middle + 1 :])
        self.work.execute(self.selection.path_edit(layer, replace(place, points=points, normals=normals)))
        self._held = middle + 1
        return True

    def _draw(self, point: F64, event: QMouseEvent) -> bool:
        """A press while drawing: a stroke begins, or it is a click and a point is added where it is let go."""
        tool = self.striping
        if event.type() == event.Type.MouseButtonDblClick:
            tool.arm(False)
            return True
        going = tool.going
        if going is not None and len(going[1].points) > 2:
            first = self._knots(going[1])[0]
            if first is not None and np.linalg.norm(first - point) <= _REACH:
                tool.close()
                return True
        hit = self._snapped(point, event)
        if hit is None:
            self.work.said.emit(tr("There is no surface there; click on the model or on an island."), True)
        else:
            self._stroke, self._pressed = [_told(self.work, hit)], point
        return True

    def _go_on(self, point: F64) -> None:
        """The stroke goes on to what lies under a pixel."""
        hit = self.view.surface_at(point)
        if hit is None or not self._stroke or self._pressed is None:
            return
        if len(self._stroke) > 1 or np.linalg.norm(point - self._pressed) > _DRAGGED:
            start = self.view.surface_at(self._pressed)
            if len(self._stroke) == 1 and start is not None:  # a hand that draws snaps to nothing
                self._stroke[0] = _told(self.work, start)
                self.view.drawn.hint_line = ""
            self._stroke.append(_told(self.work, hit))
            points, normals = (np.array(one) for one in zip(*self._stroke, strict=True))
            self.view.drawn.way = self.view.line_of(points, normals)
            self.view.redraw()

    def _snapped(self, point: F64, event: QMouseEvent) -> SurfaceHit | None:
        hit, studio = self.view.surface_at(point), self.work.studio
        if hit is None or studio is None or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return hit
        found = snapped_hit(studio.model, hit, self.view.length_of(_SNAP, hit), self.faces.chosen)
        self.view.drawn.hint_line = tr("on the {to}", to=found.to) if found.to else ""
        return found.hit

    def _take_away(self, knot: int) -> None:
        stripe = self.selection.path
        if stripe is None or len(stripe[1].points) <= 2:
            self.work.said.emit(tr("A path keeps two points; remove the layer to be rid of it."), True)
            return
        layer, place, _ = stripe
        points = place.points[:knot] + place.points[knot + 1 :]
        normals = place.normals[:knot] + place.normals[knot + 1 :]
        closed = place.closed and len(points) > 2
        new = replace(place, points=points, normals=normals, closed=closed)
        self.work.execute(self.selection.path_edit(layer, new))

    def move(self, point: F64, event: QMouseEvent) -> None:
        if self._stroke:
            self._go_on(point)
            return
        stripe, held = self.selection.path, self._held
        if stripe is None or held is None:
            return
        hit = self._snapped(point, event)
        if hit is None:
            return
        layer, place, _ = stripe
        at, facing = _told(self.work, hit)
        points = (*place.points[:held], at, *place.points[held + 1 :])
        normals = (*place.normals[:held], facing, *place.normals[held + 1 :])
        self.work.execute(self.selection.path_edit(layer, replace(place, points=points, normals=normals)), merge=True)

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._held = None
        self.view.drawn.hint_line = ""
        stroke, self._stroke = self._stroke, []
        if len(stroke) > 2:
            self.striping.draw(*zip(*stroke, strict=True))
        elif stroke:
            self.striping.add(*stroke[0])

    def finish(self) -> None:
        self.striping.arm(False)

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if self.looking.station != "artwork":
            return None
        if self.striping.armed:
            return Qt.CursorShape.CrossCursor
        stripe = self.selection.path
        if stripe is not None:
            knots = self._knots(stripe[1])
            if self._near(point, [*knots, *_middles(knots, stripe[1].closed)]) is not None:
                return Qt.CursorShape.PointingHandCursor
        return None

    def show(self) -> None:
        drawn = self.view.drawn
        drawn.knots, drawn.way = [], []
        if self.looking.station != "artwork" or self.work.studio is None:
            return
        stripe, tool = self.selection.path, self.striping
        if tool.armed and tool.first is not None and stripe is None:
            spot = self.view.spot(np.array(tool.first[0]), np.array(tool.first[1]))
            drawn.knots = [] if spot is None else [(spot, True)]
        if stripe is None:
            return
        _, place, length = stripe
        knots = self._knots(place)
        drawn.knots = [(spot, True) for spot in knots if spot is not None]
        if not tool.armed:
            drawn.knots += [(spot, False) for spot in _middles(knots, place.closed) if spot is not None]
        path = self.work.studio.sources.stripe(place, length, None).path
        drawn.way = self.view.line_of(path.points, path.normals)

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


def _told(work: Work, hit: SurfaceHit) -> tuple[Point, Point]:
    """A point of the surface and its normal, as documents keep them."""
    assert work.studio is not None
    normal = smooth_normal(work.studio.model, hit)
    x, y, z = (float(f"{value:.9g}") for value in hit.position)
    u, v, w = (float(f"{value:.6g}") for value in normal)
    return (x, y, z), (u, v, w)
