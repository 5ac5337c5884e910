"""Which texels an eye sees: those that face it and that nothing hides."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.placing.placed import draw_placed
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet

_WIDE = 3.0  # of the view's height: what is seen beside it does not matter


class Seen:
    """What an eye sees of a model: a white picture thrown from there reaches just that."""

    def __init__(self, model: Model, eye: Eye) -> None:
        wide = 2 * eye.half * _WIDE
        far = 2 * model.diagonal + float(np.linalg.norm(eye.target - model.bounds.mean(axis=0)))
        (x, y, z), (nx, ny, nz), (ux, uy, uz) = eye.target.tolist(), eye.axes[2].tolist(), eye.axes[1].tolist()
        place = Throw(
            (x, y, z), (nx, ny, nz), (ux, uy, uz), wide, wide, depth=far, angle_limit=90.0,
            lens=None if eye.parallel else eye.distance,
        )  # fmt: skip
        self._placed = throw(model, place, wide)
        self._white = build_pyramid(Picture("white", np.full((1, 1, 4), 65535, np.uint16), False), "data")

    def texels(self, sheet: Sheet, chunk: Chunk) -> Bool:
        """(r, c) bool, which texels of a chunk are seen."""
        return np.asarray(draw_placed(self._placed, sheet, chunk, self._white, True, False)[..., 3] > 0)
