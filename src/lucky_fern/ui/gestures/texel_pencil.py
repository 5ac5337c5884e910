"""Texels drawn by the hand, in both views; Alt takes them away."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.tools.texels import AT_ONCE, FREE, Texels


class TexelPencil(Gesture):
    """Before the brush: it is asked only while texels are drawn."""

    def __init__(self, view: SurfaceView, looking: Looking, painting: Painting, texels: Texels) -> None:
        self.view, self.looking, self.painting, self.texels = view, looking, painting, texels
        self._start: F64 | None = None
        self._pointed = False  # whether what is drawn at the pointer is this gesture's

    @property
    def _in_hand(self) -> bool:
        return self.looking.station == "paint" and self.painting.tool == "texels" and not self.painting.picking_tip

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if not self._in_hand:
            if self._pointed:
                self._pointed, self.view.drawn.box = False, []
            return None
        self._outline(point)
        return Qt.CursorShape.CrossCursor

    def _outline(self, point: F64) -> None:
        """Draw round the texel under the pointer, as it lies on the surface."""
        drawn, corners = self.view.drawn, self.texels.corners(self.view.surface_at(point))
        spots = [] if corners is None else [self.view.spot(place, corners[1]) for place in corners[0]]
        seen = [spot for spot in spots if spot is not None]
        self._pointed, drawn.disc, drawn.twins = True, None, []
        drawn.box = [np.array([*seen, seen[0]])] if len(seen) == 4 else []
        self.view.redraw()

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self._in_hand or event.button() != Qt.MouseButton.LeftButton:
            return False
        self._start = point
        self.texels.begin(self.view.surface_at(point), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        return True

    def move(self, point: F64, event: QMouseEvent) -> None:
        if not self.texels.going or self._start is None:
            return
        self.texels.go(self.view.surface_at(point))
        if self.texels.shape not in (*FREE, *AT_ONCE):
            self.view.drawn.outline = np.stack([self._start, point])
            self.view.redraw()

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._start = None
        self.view.drawn.outline = None
        self.view.redraw()
        if self.texels.going:
            self.texels.go(self.view.surface_at(point))
            self.texels.end()
