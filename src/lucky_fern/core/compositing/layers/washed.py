"""Washes: values or repeating pictures everywhere."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import cast

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.compositing.layer_row import LayerRow, kit_of
from lucky_fern.core.compositing.pictures import flavour_of
from lucky_fern.core.compositing.sources import Sources, Stamp, triangles_in
from lucky_fern.core.maps import directs
from lucky_fern.core.pictures.pyramid import Flavour
from lucky_fern.core.placing.lay import draw_laid, repeat_on_sheet, whole_tile
from lucky_fern.core.placing.leaning import uv_directions
from lucky_fern.core.placing.triplanar import draw_triplanar, plane_axes, shares
from lucky_fern.core.placing.vertices import draw_vertex_colours
from lucky_fern.core.placing.way import Texels
from lucky_fern.core.project.document import KitPicture, Layer, Project, Wash
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Triangles


class Washed(LayerRow):
    def chunks(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet
    ) -> AbstractSet[Chunk]:
        wash = cast(Wash, layer.content)
        channel = layer.channels.get(map_name)
        named = wash.by == "tiles" and channel is not None and channel.picture is not None
        if named and channel is not None and kit_of(project, channel, layer, sheet.key) is None:
            return set()  # no picture for this tile
        return super().chunks(sources, project, layer, map_name, sheet)

    def stamp(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk
    ) -> Stamp | None:
        channel, wash = layer.channels[map_name], cast(Wash, layer.content)
        chosen = triangles_in(project, layer.scope)
        if channel.source == "vertices":
            rgba = _vertex_colours(sources, chosen, sheet, chunk)
            return Stamp(rgba, rgba[..., 3])
        kit = kit_of(project, channel, layer, sheet.key)
        if kit is None:
            if channel.picture is not None:
                return None  # a sequence without a picture for this tile
            return Stamp(None, sources.scope_mask(chosen, sheet, chunk))
        if channel.moved:
            (u, v), (du, dv), by = wash.offset, channel.shift, channel.scale
            wash = replace(wash, offset=(u + du, v + dv), repeat=(wash.repeat[0] / by, wash.repeat[1] / by))
        wash = replace(wash, sampling=project.sampling_on(sheet.key, wash.sampling))
        own = channel.pictured
        # Where a value follows the alpha, the drawing that the colour map needs anyway will do.
        flavour = flavour_of(map_name if own else "colour", kit.taken)
        rgba = washed_picture(sources, kit, wash, flavour, own and directs(map_name), chosen, sheet, chunk)
        return Stamp(rgba, rgba[..., 3])


def washed_picture(
    sources: Sources, kit: KitPicture, wash: Wash, flavour: Flavour, normals: bool,
    chosen: Triangles | None, sheet: Sheet, chunk: Chunk,
) -> U16:  # fmt: skip
    """(r, c, 4) uint16 straight RGBA of a wash's picture on a chunk."""

    def draw() -> U16:
        pyramid = sources.pictures.pyramid(kit, flavour)
        nearest, encode = wash.sampling == "nearest", flavour == "colour"
        if wash.by == "triplanar":
            drawn = draw_triplanar(wash, sheet, chunk, pyramid, nearest, encode)
            if normals:
                _turn_planes(sources, wash, sheet, chunk, drawn, [
                    draw_triplanar(wash, sheet, chunk, pyramid, nearest, encode, axis) for axis in range(3)
                ])  # fmt: skip
        else:
            repeat = wash.by != "tiles"  # a tile's own picture ends at the tile's border
            affine = repeat_on_sheet(wash, sheet.key, sheet.size) if repeat else whole_tile(sheet.size)
            drawn = draw_laid(affine, sheet.size, chunk, pyramid, nearest, encode, repeat=repeat)
            if normals:
                rotate, signs = (wash.rotate, wash.repeat) if repeat else (0.0, (1.0, 1.0))
                sources.turn(drawn, sheet, chunk,
                             lambda texels: uv_directions(sheet.model, texels.triangle, rotate, signs))  # fmt: skip
        return sources.cut(drawn, chosen, sheet, chunk)

    key = (wash, kit.digest, kit.taken, flavour, normals, chosen, sheet.key, sheet.size, chunk)
    return sources.kept.get(key, draw, lambda made: made.nbytes)


def _turn_planes(sources: Sources, wash: Wash, sheet: Sheet, chunk: Chunk, drawn: U16, planes: list[U16]) -> None:
    """Mix the normals of three projections, each turned into the surface's frame by itself."""
    mixed = np.zeros((*drawn.shape[:2], 3))
    share = shares(sheet, chunk, wash.sampling == "nearest")
    for axis, plane in enumerate(planes):

        def axes(texels: Texels, axis: int = axis) -> tuple[F64, F64]:
            return plane_axes(wash, sheet.model, texels.triangle, axis)

        sources.turn(plane, sheet, chunk, axes)
        mixed += plane[..., :3] * (share[..., axis] * (plane[..., 3] > 0))[..., None]
    total = sum(share[..., axis] * (plane[..., 3] > 0) for axis, plane in enumerate(planes))
    there = np.asarray(total) > 0
    drawn[there, :3] = np.rint(mixed[there] / np.asarray(total)[there, None])


def _vertex_colours(sources: Sources, chosen: Triangles | None, sheet: Sheet, chunk: Chunk) -> U16:
    """(r, c, 4) uint16 straight RGBA of the colours that the model's points carry."""
    return sources.kept.get(
        ("vertices", chosen, sheet.key, sheet.size, chunk),
        lambda: sources.cut(draw_vertex_colours(sheet, chunk), chosen, sheet, chunk),
        lambda made: made.nbytes,
    )
