"""The Paint station's hand in both views: strokes, straight lines, stamps and fills."""

from __future__ import annotations

import time

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent, QWheelEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.painting.brush import Pen
from lucky_fern.core.painting.steady import Steady
from lucky_fern.core.painting.symmetry import symmetry_lines, ways_of
from lucky_fern.core.sheets.picking import SurfaceHit, smooth_normal
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.filling import Filling
from lucky_fern.ui.tools.painting import FREEHAND, Painting
from lucky_fern.words import tr

_EVERY = 0.03  # seconds between two looks at what is being painted
_STEP = 3.0  # pixels between two points of a straight line
_LOCKED = 15.0  # degrees, between the directions that Shift holds a line to
_CLICK = 4.0  # pixels; what goes less far was a click


def _holds(event: QMouseEvent, key: Qt.KeyboardModifier) -> bool:
    return bool(event.modifiers() & key)


class BrushGesture(Gesture):
    """Alt does the opposite (erases, or hides); Shift joins a stroke to the last one, or holds a line to 15°."""

    def __init__(self, view: SurfaceView, work: Work, looking: Looking, painting: Painting, filling: Filling) -> None:
        self.view = view
        self.work, self.looking, self.painting, self.filling = work, looking, painting, filling
        self._steady = Steady("off", 0.0)
        self._start: F64 | None = None
        self._outline: list[F64] = []
        self._last: F64 | None = None  # where the last stroke ended, on the screen
        self._shown = 0.0
        self._pointed = False  # whether what is drawn at the pointer is this gesture's
        painting.changed.connect(view.refresh)

    @property
    def draws(self) -> bool:
        return self.looking.station == "paint"

    def press(self, point: F64, event: QMouseEvent) -> bool:
        painting = self.painting
        if self.looking.station != "paint" or event.button() != Qt.MouseButton.LeftButton or self.work.studio is None:
            return False
        self._start, self._outline = point, [point]
        if painting.picking_tip or painting.tool not in FREEHAND:
            return True
        other = _holds(event, Qt.KeyboardModifier.AltModifier)
        hit = self.view.surface_at(point)
        if painting.tool == "clone" and _holds(event, Qt.KeyboardModifier.ControlModifier):
            self._start = None
            if hit is not None:
                painting.take_from(hit)
        elif painting.tool == "brush" and _holds(event, Qt.KeyboardModifier.ShiftModifier) and self._last is not None:
            self._straight(self._last, point, other)
            self._last, self._start = point, None
        elif hit is None or not painting.begin(hit, other, self.view.flat):
            self._start = None
        else:
            self._steady = Steady(painting.steadying, painting.steady_strength)
            self._steady.push(point)
            painting.show()
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        painting, drawn = self.painting, self.view.drawn
        if self._start is None:
            return
        if painting.picking_tip or (painting.tool == "fill" and self.filling.boxed):
            drawn.outline = _box(self._start, point)
        elif painting.tool in FREEHAND:
            for place in self._steady.push(point):
                painting.go(self.view.surface_at(place))
            if self._due():
                painting.show()
            self._show_pointer(point)
            return
        elif painting.tool in ("line", "gradient"):
            drawn.outline = np.stack([self._start, self._locked(point, event)])
        elif painting.tool == "stamp":
            if float(np.linalg.norm(point - self._start)) >= _CLICK and self._due():
                self._stamp(self._start, point, event)
        else:
            self._outline.append(point)
            drawn.outline = np.array(self._outline)
        self.view.redraw()

    def _due(self) -> bool:
        if time.monotonic() - self._shown < _EVERY:
            return False
        self._shown = time.monotonic()
        return True

    def release(self, point: F64, event: QMouseEvent) -> None:
        painting, start = self.painting, self._start
        self._start = None
        self.view.drawn.outline = None
        self.view.redraw()
        if start is None:
            return
        other = _holds(event, Qt.KeyboardModifier.AltModifier)
        if painting.picking_tip:
            self._take_tip(start, point)
        elif painting.tool in FREEHAND:
            for place in self._steady.finish():
                painting.go(self.view.surface_at(place))
            painting.end()
            self._last = point
        elif painting.tool == "line":
            end = self._locked(point, event, start)
            self._straight(start, end, other)
            self._last = end
        elif painting.tool == "stamp":
            self._stamp(start, point, event)
            painting.end()  # what was shown last stays, if this place has no surface
        elif painting.tool == "gradient":
            self._gradient(start, self._locked(point, event, start), other)
        else:
            self._fill(start, point, other)

    def _locked(self, point: F64, event: QMouseEvent, start: F64 | None = None) -> F64:
        """The end of a line; with Shift its direction is held to steps of 15 degrees."""
        start = self._start if start is None else start
        if start is None or not _holds(event, Qt.KeyboardModifier.ShiftModifier):
            return point
        way = point - start
        angle = np.radians(round(np.degrees(np.arctan2(way[1], way[0])) / _LOCKED) * _LOCKED)
        direction = np.array([np.cos(angle), np.sin(angle)])
        return np.asarray(start + direction * float(way @ direction), np.float64)

    def _straight(self, start: F64, end: F64, other: bool) -> None:
        """A stroke that is straight on the screen."""
        count = max(2, int(np.linalg.norm(end - start) / _STEP))
        hits = [self.view.surface_at(start + (end - start) * k / (count - 1)) for k in range(count)]
        self.stroke_through(hits, other)

    def stroke_through(self, hits: list[SurfaceHit | None], other: bool) -> None:
        """A whole stroke through points of the surface; it is taken off where there is none."""
        painting = self.painting
        first = next((k for k, hit in enumerate(hits) if hit is not None), None)
        if first is None:
            self.work.said.emit(tr("There is no surface under that line."), True)
            return
        begun = hits[first]
        if begun is None or not painting.begin(begun, other, self.view.flat):
            return
        for hit in hits[first + 1 :]:
            painting.go(hit)
        painting.end()

    def _stamp(self, start: F64, end: F64, event: QMouseEvent) -> bool:
        """The tip once: as large as the brush where it was clicked, else as it was dragged out."""
        painting, way = self.painting, end - start
        other = _holds(event, Qt.KeyboardModifier.AltModifier)
        far = float(np.linalg.norm(way))
        middle = (start + end) / 2 if painting.cornered and far >= _CLICK else start
        hit = self.view.surface_at(middle)
        if hit is None:
            return False
        if far < _CLICK:
            return painting.stamp(hit, self.view.flat, other, None)
        if not painting.cornered:
            angle = float(np.degrees(np.arctan2(-way[1], way[0])))
            return painting.stamp(hit, self.view.flat, other, self.view.length_of(far, hit), angle=angle)
        wide, tall = np.maximum(np.abs(way), 2.0) / 2
        if _holds(event, Qt.KeyboardModifier.ShiftModifier):
            wide = tall = max(wide, tall)
        aspect = float(np.clip(tall / wide, 0.05, 20))
        return painting.stamp(
            hit, self.view.flat, other, self.view.length_of(float(wide), hit), aspect=aspect, angle=0.0
        )

    def _take_tip(self, start: F64, end: F64) -> None:
        found = self.view.outline_on_sheet(np.stack([start, end]))
        if found is None:
            self.work.said.emit(tr("Draw a rectangle round it in the sheet view."), True)
        else:
            self.painting.tip_of_sheet(*found)

    def _gradient(self, start: F64, end: F64, other: bool) -> None:
        """What the fill tool would fill, running out from where it was pressed to where it is let go."""
        hit, first, last = self.view.surface_at(start), self.view.place_at(start), self.view.place_at(end)
        if hit is None or first is None or last is None or np.linalg.norm(first - last) == 0:
            self.work.said.emit(tr("Drag from one point of the model to another."), True)
        else:
            self.filling.gradient(hit, first, last, other)

    def _fill(self, start: F64, end: F64, other: bool) -> None:
        """A click fills what is there; a drag fills what it goes round, on the sheet."""
        filling, view = self.filling, self.view
        drawn = _box(start, end) if filling.boxed else np.array([*self._outline, end])
        if float(np.ptp(drawn, axis=0).max()) < _CLICK:
            hit = view.surface_at(start)
            if hit is not None:
                filling.at(hit, other)
            return
        found = view.outline_on_sheet(drawn)
        if found is None:
            self.work.said.emit(
                tr("Draw round what is to be filled in the sheet view; in the model view, click."), True
            )
        else:
            filling.outline(*found, other)

    # --- what is drawn over the view --------------------------------------------------------------------------

    def _show_pointer(self, point: F64) -> None:
        """How far the brush reaches, where its mirror images are, and what is cloned."""
        drawn, painting, studio = self.view.drawn, self.painting, self.work.studio
        hit = self.view.surface_at(point)
        self._pointed, drawn.disc, drawn.twins, drawn.source = True, None, [], None
        if hit is not None and studio is not None and painting.tool in (*FREEHAND, "line", "stamp"):
            radius = painting.radius / max(self.view.length_of(1.0, hit), 1e-12)
            if painting.brush.ground == "screen":
                radius = painting.size * self.view.height()
            drawn.disc = (point, radius)
            normal = smooth_normal(studio.model, hit)
            if painting.symmetry is not None:
                ways = ways_of(painting.symmetry)[1:]
                spots = [self.view.spot(turn @ hit.position + shift, turn @ normal) for turn, shift in ways]
                drawn.twins = [spot for spot in spots if spot is not None]
        if painting.tool == "clone" and painting.source is not None and studio is not None:
            drawn.source = self.view.spot(painting.source.position, smooth_normal(studio.model, painting.source))
        self.view.redraw()

    def wheel(self, turns: float, event: QWheelEvent) -> bool:
        """With Ctrl the wheel makes the brush larger or smaller."""
        if not self.draws or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        self.painting.set(size=float(np.clip(self.painting.size * 1.15**turns, 0.0005, 0.3)))
        return True

    def hold_pen(self, pen: Pen) -> None:
        self.painting.pen = pen

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if self.looking.station != "paint":
            return None
        self._show_pointer(point)
        return Qt.CursorShape.CrossCursor

    def show(self) -> None:
        drawn, studio = self.view.drawn, self.work.studio
        drawn.planes = []
        if self.looking.station == "paint":
            symmetry = self.painting.symmetry
            if symmetry is not None and studio is not None:
                lines = [self.view.line_through(line) for line in symmetry_lines(symmetry, studio.model.bounds)]
                drawn.planes = [line for line in lines if line is not None]
        elif self._pointed:
            self._pointed, drawn.disc, drawn.twins, drawn.source = False, None, [], None


def _box(start: F64, end: F64) -> F64:
    """(4, 2) corners of the rectangle between two points."""
    return np.array([start, (end[0], start[1]), end, (start[0], end[1])])
