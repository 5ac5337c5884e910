"""Texels drawn one by one: pencil, line, frame, ellipse, fill, replace; exact, on the layer in hand."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, TypeVar, get_args

import numpy as np
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import F64, I64, Bool
from lucky_fern.core.compositing.reading import texel_at
from lucky_fern.core.easel import bring_to_size
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.project.commands import PaintPixels, Several
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of
from lucky_fern.core.texels import drawing
from lucky_fern.core.texels.filling import filled, same_colour
from lucky_fern.core.texels.setting import one_texel, put_places
from lucky_fern.core.udim import corner_of
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.words import tr

Shape = Literal[
    "pencil", "line", "frame", "block", "ring", "disc", "fill", "replace", "dither", "choose", "choose-alike"
]
SHAPES: tuple[Shape, ...] = get_args(Shape)
FREE: tuple[Shape, ...] = ("pencil", "dither")
AT_ONCE: tuple[Shape, ...] = ("fill", "replace")
CHOOSING: tuple[Shape, ...] = ("choose", "choose-alike")
_SMALL = 128 * 128  # texels of a sheet that are looked through at once
_T = TypeVar("_T")
Spot = tuple[SheetKey, drawing.Place]  # a sheet, and a row and column of it


class Texels(QObject):
    """What is drawn with, and what is being drawn."""

    changed = Signal()

    def __init__(self, work: Work, painting: Painting, errands: Errands) -> None:
        super().__init__()
        self.work, self.painting, self.errands = work, painting, errands
        self.shape: Shape = "pencil"
        self.size = 1
        self.round = False
        self.second = "#2f3b45"  # the other of two colours
        self.across = self.down = False  # mirrored on the sheet
        self._key: SheetKey | None = None
        self._layer = -1
        self._away = False
        self._path: list[drawing.Place] = []
        self._begun: Project | None = None

    def set(self, **changes: object) -> None:
        """Change what is held here."""
        for name, value in changes.items():
            setattr(self, name, value)
        self.changed.emit()

    @property
    def going(self) -> bool:
        return self._key is not None

    def spot(self, at: tuple[SheetKey, F64] | None) -> Spot | None:
        """The sheet, row and column at a place (2,) of a tile."""
        studio = self.work.studio
        if studio is None or at is None:
            return None
        key, (u, v) = at
        return key, texel_at(float(u), float(v), studio.project.size_of(key))

    def corners(self, hit: SurfaceHit | None) -> tuple[F64, F64] | None:
        """(4, 3) the corners of the texel under a point of the surface, in its face's plane, and (3,) the normal."""
        studio = self.work.studio
        key = None if studio is None or hit is None else sheet_of(studio.surface, hit)
        if studio is None or hit is None or key is None:
            return None
        row, column = texel_at(*local_uv(hit, key), studio.project.size_of(key))
        size, model = studio.project.size_of(key), studio.model
        at = np.array([(column, row), (column + 1, row), (column + 1, row + 1), (column, row + 1)], np.float64)
        uv = np.stack([at[:, 0] / size.width, 1 - at[:, 1] / size.height], axis=1) + corner_of(key.tile)
        laid, places = model.uv[hit.triangle], model.corners[hit.triangle]
        steps = np.stack([laid[1] - laid[0], laid[2] - laid[0]], axis=1)
        if abs(np.linalg.det(steps)) < 1e-18:
            return None
        shares = np.linalg.solve(steps, (uv - laid[0]).T).T
        return places[0] + shares @ (places[1:] - places[0]), model.face_normals[hit.triangle]

    def begin(self, found: Spot | None, other: bool) -> bool:
        """Draw from a texel on; ``other`` does the opposite: takes away."""
        studio = self.work.studio
        if studio is None or found is None:
            return False
        if self.painting.on_mask:
            self.work.warn(tr("Texels are drawn on layers, not on masks."))
            return False
        layer = self.painting.target()
        if layer is None:
            return False
        self._key, self._layer, self._path = found[0], layer, [found[1]]
        self._away = self.painting.erasing != other
        try:
            bring_to_size(studio, layer)
        except LuckyFernError as error:
            self._key = None
            self.work.warn(str(error))
            return False
        self.work.end_gesture()
        self._begun = studio.project
        if self.shape in AT_ONCE:
            self._fill(found)
        else:
            self._draw(False)
        return True

    def go(self, found: Spot | None) -> None:
        """On to another texel of the same sheet."""
        if found is None or found[0] != self._key or found[1] == self._path[-1]:
            return
        self._path.append(found[1])
        if self.shape in FREE:
            self._draw(True)

    def end(self) -> None:
        """What was drawn is one step."""
        if self._key is not None and self.shape not in (*FREE, *AT_ONCE):
            self._draw(True)
        self._key = self._begun = None
        self.work.end_gesture()

    def covered(self) -> I64:
        """(N, 2) rows and columns that what is being drawn covers now."""
        assert self._key is not None and self.work.project is not None
        size = self.work.project.size_of(self._key)
        first, last = self._path[0], self._path[-1]
        if self.shape in FREE:
            places = drawing.thick(drawing.trail(self._path), self.size, self.round)
        elif self.shape == "line":
            places = drawing.thick(drawing.line(first, last), self.size, self.round)
        elif self.shape in ("frame", "block"):
            places = drawing.frame(first, last, self.shape == "block")
        else:
            places = drawing.ellipse(first, last, self.shape == "disc")
        return drawing.on_sheet(drawing.mirrored(places, size.shape, self.across, self.down), size.shape)

    def _fill(self, spot: Spot) -> None:
        """Fill what hangs together with a texel, or all of its sheet that is like it."""
        studio, layer, (key, _) = self.work.studio, self._layer, spot
        assert studio is not None
        begun, across, down = studio.project, self.across, self.down
        paint = {name: one_texel(None if self._away else value, name) for name, value in self.painting.paint.items()}

        def edits(where: Bool) -> tuple[PaintPixels, ...]:
            for mirrored, flip in ((across, np.s_[:, ::-1]), (down, np.s_[::-1])):
                where = where | where[flip] if mirrored else where
            return filled(studio, begun, layer, key, where, paint)

        def put(made: tuple[PaintPixels, ...]) -> None:
            if made:
                self.work.execute(Several(made, named=tr("Texels")))
                self.work.end_gesture()

        self.find_alike(spot, self.shape == "fill", edits, put)

    def find_alike(self, spot: Spot, joined: bool, make: Callable[[Bool], _T], then: Callable[[_T], object]) -> None:
        """Find (rows, columns) what has the colour of a texel on its sheet, or hangs together with it; go on with it.

        On small sheets at once; on others ``make`` runs beside the window, and ``then`` on its thread, unless the
        project has become another one meanwhile.
        """
        studio, name = self.work.studio, self._map
        assert studio is not None
        begun, (key, at) = studio.project, spot

        def find() -> _T:
            return make(same_colour(studio.sources, begun, key, at, name, joined))

        def done(found: _T) -> None:
            if studio is not self.work.studio or studio.project is not begun:
                self.work.warn(tr("The project was changed meanwhile, so nothing was filled or chosen."))
            else:
                then(found)

        if np.prod(begun.size_of(key).shape) <= _SMALL:
            done(find())
        else:
            self.errands.send(tr("Looking for texels of this colour …"), find, done)

    @property
    def _map(self) -> str:
        used = [name for name in self.painting.values if name in self.painting.used]
        return used[0] if used else "colour"

    def _draw(self, merge: bool) -> None:
        studio, key = self.work.studio, self._key
        if studio is None or key is None:
            return
        places, made = self.covered(), []
        for name, value in self.painting.paint.items() if len(places) else ():
            texels = one_texel(None if self._away else value, name)
            if self.shape == "dither" and not self._away:
                other = one_texel(self.second, name) if isinstance(value, str) else None
                texels, mine = drawing.in_turn(places, texels, other)
            else:
                mine = places
            command = put_places(studio, self._layer, key, name, mine, texels, self._begun) if len(mine) else None
            if command is not None:
                made.append(command)
        if made:
            self.work.execute(Several(tuple(made), named=tr("Texels")), merge=merge)
