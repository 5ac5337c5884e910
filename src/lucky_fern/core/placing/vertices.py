"""Colours that the model's points carry, spread over its faces."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import U16
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.sheets.grid import Chunk, shape
from lucky_fern.core.sheets.sheet import Sheet


def draw_vertex_colours(sheet: Sheet, chunk: Chunk) -> U16:
    """(r, c, 4) uint16 straight sRGB-encoded RGBA of a chunk: corners' colours mixed as premultiplied light.

    Nothing where the model carries no colours.
    """
    out = np.zeros((*shape(chunk, sheet.size), 4), np.uint16)
    colours = sheet.model.corner_colours
    if colours is None:
        return out
    points = sheet.surface_points(chunk)
    inside = points.triangle >= 0
    triangle = points.triangle[inside]
    corner = colours[triangle].astype(np.float64) / 255
    light = decode_srgb(corner[..., :3]) * corner[..., 3:]
    weights = np.clip(points.barycentric[inside], 0, 1)
    weights /= weights.sum(axis=1, keepdims=True)
    alpha = np.einsum("nk,nk->n", weights, corner[..., 3])
    mixed = np.einsum("nk,nkd->nd", weights, light) / np.maximum(alpha, 1e-9)[:, None]
    out[inside, :3] = np.round(encode_srgb(mixed) * 65535)
    out[inside, 3] = np.round(alpha * 65535)
    return out
