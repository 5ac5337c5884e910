"""Texels drawn by the hand, in both views; Alt takes them away."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPixmap

from lucky_fern.core.arrays import F64, U8
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.gestures.face_picker import how_of
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.surface_view import SurfaceView
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.tools.texel_area import Box, TexelArea
from lucky_fern.ui.tools.texel_blocks import TexelBlocks
from lucky_fern.ui.tools.texels import AT_ONCE, CHOOSING, FREE, Spot, Texels


class TexelPencil(Gesture):
    """Before the brush: it is asked only while texels are worked on, to draw, choose or put blocks down."""

    def __init__(
        self, view: SurfaceView, work: Work, looking: Looking, painting: Painting, texels: Texels, area: TexelArea,
        blocks: TexelBlocks,
    ) -> None:  # fmt: skip
        self.view, self.work, self.looking, self.painting, self.texels = view, work, looking, painting, texels
        self.area, self.blocks = area, blocks
        self._start: F64 | None = None
        self._from: Spot | None = None  # where a rectangle that is being chosen begins
        self._pointed = False  # whether what is drawn at the pointer is this gesture's
        self._at: F64 | None = None
        for signal in (area.changed, blocks.changed):
            signal.connect(self._changed)

    def _changed(self) -> None:
        if self._at is not None and self.blocks.in_hand is None:
            self.view.drawn.block = None
        self.view.refresh()

    @property
    def _in_hand(self) -> bool:
        return self.looking.station == "paint" and self.painting.tool == "texels" and not self.painting.picking_tip

    def spot(self, point: F64) -> Spot | None:
        """The texel under a pixel: of the surface, or, on sheets of pixel art, anywhere."""
        found = self.view.sheet_at(point)
        project = self.work.project
        if found is None or project is None:
            return None
        if not project.is_pixel_art(found[0]) and self.view.surface_at(point) is None:
            return None
        return self.texels.spot(found)

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        if not self._in_hand:
            if self._pointed:
                self._pointed, self.view.drawn.box, self.view.drawn.block = False, [], None
            return None
        self._at = point
        self._outline(point)
        return Qt.CursorShape.CrossCursor

    def _outline(self, point: F64) -> None:
        """Draw round the texel under the pointer, as it lies on the surface, or show the block that is in hand."""
        drawn, spot = self.view.drawn, self.spot(point)
        self._pointed, drawn.disc, drawn.twins, drawn.box, drawn.block = True, None, [], [], None
        if spot is not None:
            key, (row, column) = spot
            box = self._box(key, (column, row, column + 1, row + 1))
            if box is None:
                corners = self.texels.corners(self.view.surface_at(point))
                spots = [] if corners is None else [self.view.spot(place, corners[1]) for place in corners[0]]
                seen = [spot for spot in spots if spot is not None]
                box = np.array([*seen, seen[0]]) if len(seen) == 4 else None
            drawn.box = [] if box is None else [box]
            self._show_block(key, row, column)
        self.view.redraw()

    def _box(self, key: SheetKey, box: Box) -> F64 | None:
        """(5, 2) the outline of a rectangle of texels on the screen, where sheets are shown."""
        project = self.work.project
        if project is None:
            return None
        size = project.size_of(key)
        left, upper, right, lower = np.array(box) / ([size.width, size.height] * 2)
        return self.view.outline_of(key, np.array([left, 1 - lower]), np.array([right, 1 - upper]))

    def _show_block(self, key: SheetKey, row: int, column: int) -> None:
        block = self.blocks.in_hand
        if block is None:
            return
        left, upper = self.blocks.corner(row, column)
        rows, columns = block.shape
        outline = self._box(key, (left, upper, left + columns, upper + rows))
        if outline is not None:
            self.view.drawn.box = [outline]
            self.view.drawn.block = (pixmap_of(block.rgba()), outline[:4])

    def press(self, point: F64, event: QMouseEvent) -> bool:
        if not self._in_hand or event.button() != Qt.MouseButton.LeftButton:
            return False
        self._start, spot = point, self.spot(point)
        if self.blocks.in_hand is not None:
            if spot is not None:
                self.blocks.stamp(spot[0], *spot[1])
            return True
        if self.texels.shape in CHOOSING:
            self._choose(spot, event)
            return True
        self.texels.begin(spot, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        return True

    def _choose(self, spot: Spot | None, event: QMouseEvent) -> None:
        if spot is None:
            if how_of(event) == "new":
                self.area.clear()
        elif self.texels.shape == "choose":
            self._from = spot
        else:
            how = how_of(event)
            self.texels.find_alike(
                spot, False, lambda found: found, lambda found: self.area.choose(spot[0], found, how)
            )

    def _chosen(self, point: F64) -> tuple[SheetKey, Box] | None:
        """The rectangle from where the drag began to a pixel."""
        spot, start = self.spot(point), self._from
        if start is None or spot is None or spot[0] != start[0]:
            return None
        (r0, c0), (r1, c1) = start[1], spot[1]
        return start[0], (min(c0, c1), min(r0, r1), max(c0, c1) + 1, max(r0, r1) + 1)

    def move(self, point: F64, event: QMouseEvent) -> None:
        if self._from is not None:
            found = self._chosen(point)
            outline = None if found is None else self._box(*found)
            if outline is not None:
                self.view.drawn.outline = outline[:4]
            self.view.redraw()
            return
        if not self.texels.going or self._start is None:
            return
        self.texels.go(self.spot(point))
        if self.texels.shape not in (*FREE, *AT_ONCE):
            self.view.drawn.outline = np.stack([self._start, point])
            self.view.redraw()

    def release(self, point: F64, event: QMouseEvent) -> None:
        self._start = None
        self.view.drawn.outline = None
        found = self._chosen(point)
        self._from = None
        if found is not None:
            self.area.choose_box(*found, how_of(event))
        self.view.redraw()
        if self.texels.going:
            self.texels.go(self.spot(point))
            self.texels.end()

    def nudge(self, step: tuple[int, int], event: QKeyEvent) -> bool:
        """Arrow keys move what is chosen round, by a texel."""
        if not self._in_hand or not self.area.any or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        self.blocks.shift(step[0], -step[1])
        return True

    def show(self) -> None:
        key = self.area.key
        shown = key is not None and self.looking.station in ("paint", "model")
        lines = self.area.lines() if shown else []
        self.view.drawn.area = [
            line for ends in lines if key is not None and (line := self.view.line_on(key, ends)) is not None
        ]


def pixmap_of(rgba: U8) -> QPixmap:
    """(rows, columns, 4) as a pixmap."""
    data = np.ascontiguousarray(rgba)
    rows, columns, _ = data.shape
    return QPixmap.fromImage(QImage(data.data, columns, rows, columns * 4, QImage.Format.Format_RGBA8888).copy())
