"""The composited colour taken back to the model's points, and how much of it they can hold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, U8
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Extent, SheetKey, all_chunks, span, to_texels
from lucky_fern.core.sheets.surface import Surface

NOTICED = 12 / 255  # a texel further off than this from what its points give counts as lost


@dataclass(frozen=True)
class VertexColours:
    """``colours`` (T, 3, 4) uint8 sRGB; ``lost`` the share of texels that they cannot hold, ``worst`` where most."""

    colours: U8
    lost: float
    worst: str

    @property
    def warning(self) -> str | None:
        if self.lost < 0.02:
            return None
        return (
            f"the points of the model are too sparse for {self.lost:.0%} of what is painted (most on {self.worst}): "
            "it looks blurred there. Write a subdivided copy, or give it textures."
        )


def vertex_colours(sources: Sources, project: Project, model: Model | None = None) -> VertexColours:
    """Composite the colour of all sheets and read it at the points of ``model`` (a finer copy, say)."""
    surface = sources.surface if model is None else Surface(model)
    texels = {
        key: np.asarray(
            composite_sheet(sources, project, "colour", sources.surface.sheet(key, project.size_of(key)), 8), np.uint8
        )
        for key in sources.surface.keys
    }
    fine = surface.model
    corners = np.full((fine.triangle_count, 3, 4), 255, np.uint8)
    for key in surface.keys:
        rows = surface.placement.triangles[key]
        corners[rows, :, :3] = _read(texels[key], fine.uv[rows] - np.floor(fine.uv[rows].mean(axis=1))[:, None])
    # Corners of one point that lie on one spot of a sheet are one colour; across seams they are averaged as light.
    light = decode_srgb(corners[..., :3] / 255.0)
    flat = fine.triangles.reshape(-1)
    count = np.maximum(np.bincount(flat, minlength=len(fine.positions)), 1)
    mean = np.stack(
        [np.bincount(flat, light.reshape(-1, 3)[:, k], len(fine.positions)) / count for k in range(3)], axis=1
    )
    corners[..., :3] = np.round(encode_srgb(mean[fine.triangles]) * 255)
    lost, worst = _lost(surface, texels, corners)
    return VertexColours(corners, lost, worst)


def _read(texels: U8, uv: F64) -> U8:
    """(..., 3) bilinear samples of a sheet's colour, as light."""
    size = Extent(*texels.shape[1::-1])
    at = np.nan_to_num(to_texels(uv, size) - 0.5)
    x, y = np.clip(at[..., 0], 0, size.width - 1), np.clip(at[..., 1], 0, size.height - 1)
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    right, low = np.minimum(left + 1, size.width - 1), np.minimum(top + 1, size.height - 1)
    fx, fy = (x - left)[..., None], (y - top)[..., None]
    light = decode_srgb(np.arange(256) / 255.0)
    upper = light[texels[top, left]] * (1 - fx) + light[texels[top, right]] * fx
    lower = light[texels[low, left]] * (1 - fx) + light[texels[low, right]] * fx
    return np.asarray(np.round(encode_srgb(upper * (1 - fy) + lower * fy) * 255), np.uint8)


def _lost(surface: Surface, texels: dict[SheetKey, U8], corners: U8) -> tuple[float, str]:
    """The share of texels that differ from what the points give there, and the part with most of them."""
    model = surface.model
    bad, every = np.zeros(len(model.parts)), 0
    light = decode_srgb(corners[..., :3] / 255.0)
    for key in surface.keys:
        size = Extent(*texels[key].shape[1::-1])
        sheet = surface.sheet(key, size)
        for chunk in all_chunks(size):
            points = sheet.surface_points(chunk)
            inside = points.triangle >= 0
            if not inside.any():
                continue
            rows = points.triangle[inside]
            given = encode_srgb(np.einsum("nk,nkd->nd", points.barycentric[inside], light[rows]))
            real = texels[key][span(chunk, size)][inside] / 255.0
            off = np.abs(given - real).max(axis=1) > NOTICED
            bad += np.bincount(model.part[rows[off]], minlength=len(model.parts))
            every += len(rows)
    return (float(bad.sum() / every) if every else 0.0), (model.parts[int(bad.argmax())] if len(bad) else "")
