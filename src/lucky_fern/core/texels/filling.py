"""Texels of one colour: found on a map as it is now, and filled."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lucky_fern.core.arrays import Array, Bool
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.commands import PaintPixels
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels import drawing
from lucky_fern.core.texels.setting import put_texels


def same_colour(
    sources: Sources, project: Project, key: SheetKey, at: drawing.Place, map_name: str, joined: bool
) -> Bool:
    """(rows, columns) what has the colour of a texel of a sheet's map, anywhere or hanging together with it."""
    sheet = sources.surface.sheet(key, project.size_of(key))
    return drawing.area(composite_sheet(sources, project, map_name, sheet, 8), at, joined)


def filled(
    studio: Studio, begun: Project, layer: int, key: SheetKey, where: Bool, paint: Mapping[str, Array]
) -> tuple[PaintPixels, ...]:
    """The edits that set texels where ``where`` (rows, columns of a sheet) says, to a painted texel (n,) of each map.

    They are set on what was painted as it was ``begun``.
    """
    rows, columns = (np.flatnonzero(where.any(axis=axis)) for axis in (1, 0))
    if not len(rows):
        return ()
    rect = Rect(int(rows[0]), int(rows[-1]) + 1, int(columns[0]), int(columns[-1]) + 1)
    mine = where[rect.top : rect.bottom, rect.left : rect.right]
    edits = [
        put_texels(studio, layer, key, name, rect, np.broadcast_to(texel, (*rect.shape, len(texel))), mine, begun)
        for name, texel in paint.items()
    ]
    return tuple(edit for edit in edits if edit is not None)
