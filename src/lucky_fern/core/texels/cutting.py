"""Texels that are chosen on sheets cut off into a material of their own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.rectangles import rectangles
from lucky_fern.core.project.layouts import CutTexels, JoinCut
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import PreparedLayout, Studio
from lucky_fern.core.texels.choosing import alike, so_bright
from lucky_fern.words import tr


@dataclass(frozen=True)
class Wanted:
    """Texels of a map that are like one of some colours, or as bright as ``low`` … ``high`` (0…1)."""

    map: str
    colours: tuple[str, ...] = ()
    tolerance: float = 0.0
    low: float | None = None
    high: float = 1.0


def wanted_texels(studio: Studio, wanted: Wanted, material: str) -> dict[SheetKey, Bool]:
    """Sheet → (rows, columns) which of its texels are wanted; sheets of ``material`` are left out."""
    areas: dict[SheetKey, Bool] = {}
    for key in studio.surface.keys:
        if key.material == material:
            continue
        sheet = studio.surface.sheet(key, studio.project.size_of(key))
        values = composite_sheet(studio.sources, studio.project, wanted.map, sheet, 8)
        found = alike(values, wanted.colours, wanted.tolerance)
        if wanted.low is not None:
            found |= so_bright(values, wanted.low, wanted.high)
        if (found & sheet.covered).any():
            areas[key] = found & sheet.covered
    return areas


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
        prepared = prepare_cut(studio, key, area, material, mine)
        if prepared is None:
            continue
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


def prepare_cut(
    studio: Studio, key: SheetKey, area: Bool, material: str, chosen: Bool | None = None
) -> PreparedLayout | None:
    """The edit that cuts texels of one sheet off, not done yet; None if none of them lies on those faces."""
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    inside = area & sheet.texels_of(np.ones(studio.model.triangle_count, np.bool_) if chosen is None else chosen)
    if not inside.any():
        return None
    boxes = tuple((left, upper, right, lower) for left, upper, right, lower in rectangles(inside).tolist())
    return studio.prepare_layout(CutTexels(str(key), material, boxes), chosen)


def prepare_join(studio: Studio, material: str) -> PreparedLayout:
    """The edit that gives the faces of a material back to what they were cut from, not done yet.

    Raises
    ------
    CommandError
        If none of them was cut off.
    """
    return studio.prepare_layout(JoinCut(material.strip()))
