"""Brushwork: painted pixels."""

from __future__ import annotations

from collections.abc import Set as AbstractSet

import numpy as np

from lucky_fern.core.compositing.brushwork import changed_paint, draw_painted, painted_chunks
from lucky_fern.core.compositing.layer_row import LayerRow
from lucky_fern.core.compositing.sources import Sources, Stamp, triangles_in
from lucky_fern.core.project.document import Brushwork, Layer, Project
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet


class Painted(LayerRow):
    def chunks(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet
    ) -> AbstractSet[Chunk]:
        painted = (layer.content.painted or {}).get(str(sheet.key))
        return set() if painted is None else painted_chunks(painted, map_name, sheet.size)

    def stamp(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk
    ) -> Stamp | None:
        painted = (layer.content.painted or {}).get(str(sheet.key))
        if painted is None:
            return None
        nearest = project.is_pixel_art(sheet.key)
        rgba = draw_painted(painted, map_name, sheet.size, chunk, sources.blobs, sources.kept, nearest)
        if rgba is None:
            return None
        mask = sources.scope_mask(triangles_in(project, layer.scope), sheet, chunk)
        if mask is not None:
            rgba = np.where(mask[..., None] == 0, np.uint16(0), rgba)
        return Stamp(rgba, rgba[..., 3])

    def changed(self, was: Brushwork, now: Brushwork, map_name: str, sheet: Sheet) -> AbstractSet[Chunk]:
        return changed_paint(was.sheets, now.sheets, sheet, map_name)
