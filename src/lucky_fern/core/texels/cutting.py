"""Texels that are chosen on sheets cut off into a material of their own."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.rectangles import rectangles
from lucky_fern.core.project.layouts import CutTexels
from lucky_fern.core.sheets.grid import SheetKey, span
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr


def cut_off(
    studio: Studio, areas: Mapping[SheetKey, Bool], material: str, chosen: Bool | None = None
) -> tuple[str, ...]:
    """Have the chosen texels of sheets ((rows, columns) each) be faces of a material; what there is to say.

    ``chosen`` (T,) limits it to some faces.

    Raises
    ------
    CommandError
        If no chosen texel lies on those faces; nothing is changed then.
    """
    notes: list[str] = []
    mine, done = chosen, False
    for key, area in areas.items():
        sheet = studio.surface.sheet(key, studio.project.size_of(key))
        inside = area & covered_by(sheet, np.ones(studio.model.triangle_count, np.bool_) if mine is None else mine)
        if not inside.any():
            continue
        boxes = tuple((left, upper, right, lower) for left, upper, right, lower in rectangles(inside).tolist())
        prepared = studio.prepare_layout(CutTexels(str(key), material, boxes), mine)
        studio.execute(prepared.command)
        notes += prepared.notes
        done = True
        if mine is not None and prepared.origin is not None:  # faces are numbered anew
            mine = mine[prepared.origin]
    if not done:
        raise CommandError(tr("none of the chosen texels lies on faces that may be cut"))
    notes.append(
        tr("games must read the sheet of {name} without smoothing and without mips, or texels bleed", name=material)
    )
    return tuple(notes)


def covered_by(sheet: Sheet, faces: Bool) -> Bool:
    """(rows, columns) the texels of a sheet that some faces (T,) own."""
    found = np.zeros(sheet.size.shape, np.bool_)
    mine = faces[sheet.triangle]
    for chunk in sheet.chunks_of(mine) if mine.any() else ():
        owner = sheet.owners(chunk)
        found[span(chunk, sheet.size)] = (owner >= 0) & mine[owner]
    return found
