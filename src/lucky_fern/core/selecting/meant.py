"""Which faces a click on one of them means."""

from __future__ import annotations

from typing import cast

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.selecting.spread import Unit, whole
from lucky_fern.core.sheets.picking import SurfaceHit, sheet_of
from lucky_fern.core.sheets.surface import Surface


def faces_meant(model: Model, surface: Surface, hit: SurfaceHit, what: str, chosen: Bool) -> Bool:
    """(T,) bool, the faces that a click means: ``face``, ``island``, ``part``, ``material``, ``tile``, ``selection``.

    ``chosen`` is the selection.
    """
    if what == "selection":
        return chosen.copy()
    faces = np.zeros(model.triangle_count, np.bool_)
    key = sheet_of(surface, hit)
    if what == "tile":
        for other in surface.keys:
            if key is not None and other.tile == key.tile:
                faces[surface.placement.triangles[other]] = True
        return faces
    faces[hit.triangle] = True
    return whole(model, faces, cast(Unit, what))
