"""Texels of pixel art that are painted outside every island: they are seen, and kept in files, as they are."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.compositing.layer_row import layer_chunks, row_of
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.showing import showing
from lucky_fern.core.sheets.grid import span
from lucky_fern.core.sheets.sheet import Sheet


def loose_texels(sources: Sources, project: Project, map_name: str, sheet: Sheet) -> Bool | None:
    """(rows, columns) the texels outside islands on which a layer that shows is painted; None if there are none.

    Only on pixel art: elsewhere what lies outside copies the nearest texel of an island.
    """
    if not project.is_pixel_art(sheet.key):
        return None
    layers = list(_painted(project, map_name, sheet))
    if not layers:
        return None

    def find() -> Bool:
        found = np.zeros(sheet.size.shape, np.bool_)
        for layer in layers:
            for chunk in layer_chunks(sources, project, layer, map_name, sheet):
                stamp = row_of(layer).stamp(sources, project, layer, map_name, sheet, chunk)
                if stamp is not None and stamp.alpha is not None:
                    found[span(chunk, sheet.size)] |= stamp.alpha > 0
        return found & ~sheet.covered

    painted = tuple((layer.scope, (layer.content.painted or {})[str(sheet.key)]) for layer in layers)
    key = ("loose", sheet.key, sheet.size, map_name, repr(painted))
    found: Bool = sources.kept.get(key, find, lambda made: made.nbytes)
    return found if found.any() else None


def _painted(project: Project, map_name: str, sheet: Sheet) -> Iterator[Layer]:
    """The layers that show, and are painted on a sheet's map."""
    for layer, _ in showing(project.layers, sheet.key, {map_name}):
        painted = (layer.content.painted or {}).get(str(sheet.key))
        if painted is not None and painted.maps.get(map_name):
            yield layer
