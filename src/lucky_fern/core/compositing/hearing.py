"""Masks that follow a map below: as bright as it is, or where it is like a value."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

import numpy as np

from lucky_fern.core.arrays import F32, U16
from lucky_fern.core.colour import luminance_of
from lucky_fern.core.compositing.masks import Asking, ShapeRow
from lucky_fern.core.compositing.stack import composite_below
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.project.shapes import HeardShape
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet


class HeardMask(ShapeRow):
    """What lies below the layer that asks."""

    def piece(self, asking: Asking, shape: HeardShape, sheet: Sheet, chunk: Chunk) -> U16 | None:
        rect = rect_of(chunk, sheet.size)
        values = composite_below(asking.sources, asking.project, asking.layer, shape.source, sheet, rect)
        if shape.like is None:
            share = brightness(values, shape.source)
        else:
            wanted = cast("Sequence[float]", parse_value(shape.source, shape.like))
            share = likeness(values, wanted, shape.tolerance, shape.soft)
        return np.asarray(np.clip(share, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)


def brightness(values: F32, map_name: str) -> F32:
    """(r, c) how bright a map's values (r, c, n) are: colours by their luminance, normals by their slope."""
    if MAPS[map_name].directional:
        return np.asarray(1 - (values[..., 2] * 2 - 1), np.float32)
    return luminance_of(values) if values.shape[2] == 3 else values[..., 0]


def likeness(values: F32, wanted: Sequence[float], tolerance: float, soft: float) -> F32:
    """(r, c) 1 where every component differs by ``tolerance`` at most, running out over ``soft`` more."""
    differs = np.abs(values - np.asarray(wanted, np.float32)).max(axis=2)
    beyond = differs - np.float32(tolerance + 0.5 / 255)
    return np.asarray(np.clip(1 - beyond / np.float32(max(soft, 1e-6)), 0, 1), np.float32)
