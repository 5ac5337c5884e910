"""Decals: one placed picture."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import cast

from lucky_fern.core.compositing.layer_row import LayerRow, kit_of
from lucky_fern.core.compositing.pictures import flavour_of
from lucky_fern.core.compositing.sources import Put, Sources, Stamp, triangles_in
from lucky_fern.core.maps import directs
from lucky_fern.core.project.document import Channel, Decal, Layer, Project
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet


class Placed(LayerRow):
    def chunks(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet
    ) -> AbstractSet[Chunk]:
        decal = cast(Decal, layer.content)
        place = _place(decal, layer.channels.get(map_name))
        height = place.tall(project.picture_size(decal.picture))
        return sources.place_chunks(place, height, triangles_in(project, layer.scope), sheet)

    def stamp(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk
    ) -> Stamp | None:
        channel, decal = layer.channels[map_name], cast(Decal, layer.content)
        kit = kit_of(project, channel, layer, sheet.key)
        if kit is None:
            return None  # a sequence without a picture for this tile
        own = channel.pictured
        # Where a value follows the alpha, the drawing that the colour map needs anyway will do.
        flavour = flavour_of(map_name if own else "colour", kit.taken)
        place = _place(decal, channel)
        height = place.tall(project.picture_size(decal.picture))
        sampling, chosen = project.sampling_on(sheet.key, decal.sampling), triangles_in(project, layer.scope)
        put = Put(kit.drawn, place, height, sampling, flavour, chosen, own and directs(map_name))
        rgba = sources.placed(put, sheet, chunk)
        return Stamp(rgba, rgba[..., 3])


def _place(decal: Decal, channel: Channel | None) -> Place:
    """Where the picture of one map is put."""
    moved = channel is not None and channel.moved
    return decal.place.askew(channel.shift, channel.scale) if moved and channel is not None else decal.place
