"""The Paint station's hand in both views: strokes, straight lines, stamps and fills."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.painting.steady import Steady
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.ui.gesture import Gesture

if TYPE_CHECKING:
    from lucky_fern.ui.view import View

_EVERY = 0.03  # seconds between two looks at what is being painted
_STEP = 3.0  # pixels between two points of a straight line
_LOCKED = 15.0  # degrees, between the directions that Shift holds a line to


class BrushGesture(Gesture):
    """Alt does the opposite (erases, or hides); Shift joins a stroke to the last one, or holds a line to 15°."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.desk = view.desk
        self._steady = Steady("off", 0.0)
        self._start: F64 | None = None
        self._outline: list[F64] = []
        self._last: F64 | None = None  # where the last stroke ended, on the screen
        self._shown = 0.0
        self._pointed = False  # whether the circle at the pointer is this gesture's
        view.desk.painting.changed.connect(view.refresh)

    @property
    def draws(self) -> bool:
        return self.desk.station == "paint"

    def press(self, point: F64, event: QMouseEvent) -> bool:
        painting = self.desk.painting
        if self.desk.station != "paint" or event.button() != Qt.MouseButton.LeftButton or self.desk.studio is None:
            return False
        other = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._start, self._outline = point, [point]
        if painting.tool != "brush":
            return True
        if shift and self._last is not None:
            self._straight(self._last, point, other)
            self._last, self._start = point, None
            return True
        hit = self.view.surface_at(point)
        if hit is None or not painting.begin(hit, other):
            self._start = None
            return True
        self._steady = Steady(painting.steadying, painting.steady_strength)
        self._steady.push(point)
        painting.show()
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        painting, overlay = self.desk.painting, self.view.overlay
        if self._start is None:
            return
        if painting.tool == "brush":
            for place in self._steady.push(point):
                painting.go(self.view.surface_at(place))
            if time.monotonic() - self._shown >= _EVERY:
                self._shown = time.monotonic()
                painting.show()
            self._show_disc(point)
            return
        if painting.tool in ("line", "gradient"):
            overlay.outline = np.stack([self._start, self._locked(point, event)])
        elif painting.tool == "stamp":
            overlay.disc = (self._start, float(np.linalg.norm(point - self._start)))
        else:
            self._outline.append(point)
            overlay.outline = np.array(self._outline)
        overlay.update()

    def release(self, point: F64, event: QMouseEvent) -> None:
        painting, start = self.desk.painting, self._start
        self._start = None
        self.view.overlay.outline = None
        self.view.overlay.update()
        if start is None:
            return
        other = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if painting.tool == "brush":
            for place in self._steady.finish():
                painting.go(self.view.surface_at(place))
            painting.end()
            self._last = point
        elif painting.tool == "line":
            end = self._locked(point, event, start)
            self._straight(start, end, other)
            self._last = end
        elif painting.tool == "stamp":
            self._stamp(start, point, other)
        elif painting.tool == "gradient":
            self._gradient(start, self._locked(point, event, start), other)
        else:
            self._fill(start, point, other)

    def _locked(self, point: F64, event: QMouseEvent, start: F64 | None = None) -> F64:
        """The end of a line; with Shift its direction is held to steps of 15 degrees."""
        start = self._start if start is None else start
        if start is None or not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
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
        painting = self.desk.painting
        first = next((k for k, hit in enumerate(hits) if hit is not None), None)
        if first is None:
            self.desk.said.emit("There is no surface under that line.", True)
            return
        begun = hits[first]
        if begun is None or not painting.begin(begun, other):
            return
        for hit in hits[first + 1 :]:
            painting.go(hit)
        painting.end()

    def _stamp(self, start: F64, end: F64, other: bool) -> None:
        """One sample: as large as the brush where it was clicked, else as far as it was dragged out."""
        painting, hit = self.desk.painting, self.view.surface_at(start)
        if hit is None:
            return
        way = end - start
        far = float(np.linalg.norm(way))
        if far < 4:
            begun = painting.begin(hit, other)
        else:
            angle = float(np.degrees(np.arctan2(-way[1], way[0])))
            begun = painting.begin(hit, other, self.view.length_of(far, hit), angle)
        if begun:
            painting.end()

    def _gradient(self, start: F64, end: F64, other: bool) -> None:
        """What the fill tool would fill, running out from where it was pressed to where it is let go."""
        first, last = self.view.surface_at(start), self.view.surface_at(end)
        if first is None or last is None or np.linalg.norm(first.position - last.position) == 0:
            self.desk.said.emit("Drag from one point of the model to another.", True)
        else:
            self.desk.painting.fill_at(first, other, last)

    def _fill(self, start: F64, end: F64, other: bool) -> None:
        """A click fills what is there; a drag fills what it goes round, on the sheet."""
        painting, view = self.desk.painting, self.view
        if float(np.ptp(np.array([*self._outline, end]), axis=0).max()) < 4:
            hit = view.surface_at(start)
            if hit is not None:
                painting.fill_at(hit, other)
            return
        found = view.outline_on_sheet(np.array([*self._outline, end]))
        if found is None:
            self.desk.said.emit("Draw round what is to be filled in the sheet view; in the model view, click.", True)
        else:
            painting.fill_outline(*found, other)

    def _show_disc(self, point: F64) -> None:
        hit = self.view.surface_at(point)
        self._pointed, self.view.overlay.disc = True, None
        if hit is not None and self.desk.painting.tool in ("brush", "line"):
            pixel = self.view.length_of(1.0, hit)
            self.view.overlay.disc = (point, self.desk.painting.radius / max(pixel, 1e-12))
        self.view.overlay.update()

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if self.desk.station != "paint":
            return None
        self._show_disc(point)
        return Qt.CursorShape.CrossCursor

    def show(self) -> None:
        if self.desk.station != "paint" and self._pointed:
            self._pointed, self.view.overlay.disc = False, None
