"""Faces laid by whole texels."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.by_texels import gathered
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.layout.row import Asked, Edited, EditRow, Laying, with_layout
from lucky_fern.core.project.layouts import GatherSheets
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr


class ByTexels(Laying):
    """Material by material, on a sheet of a size; all of the faces lie somewhere before, unless it ``makes`` UVs.

    What moves them ``in_place`` does so on purpose under what is painted.
    """

    def __init__(
        self, lay: Callable[[Layout, Any, Extent], None], makes: bool = False, in_place: bool = False
    ) -> None:
        self._lay, self._makes = lay, makes
        self.in_place = in_place

    def lay(self, layout: Layout, edit: Any, asked: Asked) -> None:
        chosen = layout.chosen
        for number in np.unique(layout.model.material[chosen]):
            layout.chosen = chosen & (layout.model.material == number)
            laid = layout.chosen & layout.model.has_uv
            if not self._makes and not laid.any():
                raise CommandError(tr("some of the selected faces have no UVs; lay them out first"))
            self._lay(layout, edit, asked.size_at(layout.model.materials[number], layout.tile(laid)))
        layout.chosen = chosen


class Gathering(EditRow):
    """Sheets as blocks of one."""

    def edited(self, asked: Asked, edit: GatherSheets) -> Edited:
        model = asked.model
        rows = np.arange(model.triangle_count) if asked.chosen is None else np.flatnonzero(asked.chosen)
        made = gathered(model, edit, rows, asked.size_of)
        note = tr("{count} sheets are blocks of {sheet} now, which has {size} texels", count=len(made.were),
                  sheet=made.key, size=made.size)  # fmt: skip
        renamed = replace(model, material=made.model.material, materials=made.model.materials)
        return Edited(with_layout(renamed, made.model.uv), (note,), sized=(made.key, made.size), were=made.were)
