"""What a kind of layer can do: the row of :data:`~lucky_fern.core.project.kinds.CONTENTS`."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import Any, cast

import numpy as np

from lucky_fern.core.arrays import U16
from lucky_fern.core.compositing.blend import MODE_NUMBERS
from lucky_fern.core.compositing.canvas import Canvas, View, as_values, lay_on, masked, put_stamp, steepened
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.compositing.sources import Sources, Stamp, triangles_in
from lucky_fern.core.project.document import Channel, KitPicture, Layer, Project
from lucky_fern.core.project.kinds import CONTENTS
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.region import chunks_in, gathered
from lucky_fern.core.sheets.sheet import Sheet


class LayerRow:
    """What is common to kinds of layers that have pixels of their own; the others override it."""

    def chunks(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet
    ) -> AbstractSet[Chunk]:
        """The chunks of a sheet's map that it may touch; its scope holds the sheet."""
        return sources.scope_chunks(triangles_in(project, layer.scope), sheet)

    def stamp(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk
    ) -> Stamp | None:
        """What it gives to a chunk of a map; None for nothing."""
        return None

    def changed(self, was: Any, now: Any, map_name: str, sheet: Sheet) -> AbstractSet[Chunk] | None:
        """The chunks on which two contents of this kind differ; None where that may be all that they touch."""
        return set() if was == now else None

    def put(self, layer: Layer, canvas: Canvas, view: View) -> Canvas | None:
        """Put it onto a canvas; what lies below ``view.until`` if that was met inside it."""
        _put_leaf(layer, canvas, view)
        return None

    def reach(self, content: Any) -> int:
        """How many texels beyond its own it sees of what lies below."""
        return 0

    def margin(self, content: Any) -> int:
        """How much of that must be on the same canvas: less where it fetches by itself what it sees."""
        return self.reach(content)

    def in_space(self, content: Any) -> bool:
        """Whether its reach is a length on the surface, in mean texels: more of them where they are fine."""
        return False

    def mask(self, layer: Layer, view: View) -> U16 | None:
        """(r, c) uint16 how far its mask lets it show; None for everywhere."""
        return mask_values(view.sources, view.project, layer, view.sheet, view.rect)

    def lifts(self, content: Any) -> bool:
        """Whether it stands out by itself, as high as the relief of the project's heights."""
        return False

    def spreads_mask(self, content: Any) -> bool:
        """Whether a mask's change at one texel may show at others, too."""
        return False


def row_of(layer: Layer) -> LayerRow:
    """What a layer's kind can do."""
    return cast(LayerRow, CONTENTS.of(layer.content))


def layer_chunks(sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet) -> AbstractSet[Chunk]:
    """The chunks of a sheet's map that a layer may touch; for a group, those of all that it holds."""
    if not layer.scope.holds_sheet(sheet.key):
        return set()
    return row_of(layer).chunks(sources, project, layer, map_name, sheet)


def kit_of(project: Project, channel: Channel, layer: Layer, key: SheetKey) -> KitPicture | None:
    """The picture that a layer takes for a map of a sheet; None if it takes none there."""
    placed = layer.content.placed
    name = channel.picture or (placed[0] if placed is not None else None)
    if name is None:
        return None
    if name in project.sequences:
        name = project.sequences[name].get(key.tile)
    return None if name is None else project.pictures[name]


def _put_leaf(layer: Layer, canvas: Canvas, view: View) -> None:
    """Put what a layer gives onto a canvas."""
    channel = view.channel(layer)
    if channel is None:
        return
    mask = row_of(layer).mask(layer, view)
    if mask is not None and not mask.any():
        return  # nothing of it shows: it need not be drawn
    stamp = _stamp(layer, view)
    if stamp is None:
        return
    if mask is not None:
        stamp = masked(stamp, mask)
    view.sources.count_blend()
    opacity = layer.opacity * channel.opacity
    by = view.steeper(channel)
    if canvas.alpha is not None or by != 1.0:
        values, alpha = as_values(stamp, channel, view)
        if by != 1.0:
            values = steepened(values, by, layer.blend_on(channel), view)
        lay_on(canvas, values, alpha * np.float32(opacity), layer.blend_on(channel), view)
        return
    put_stamp(canvas.values, stamp, channel, opacity, MODE_NUMBERS[layer.blend_on(channel)], view)


def _stamp(layer: Layer, view: View) -> Stamp | None:
    """What a leaf layer gives to the rectangle; None for nothing."""
    touched = layer_chunks(view.sources, view.project, layer, view.stored, view.sheet)
    places = [chunk for chunk in chunks_in(view.rect) if chunk in touched]
    if not places:
        return None
    made: dict[Chunk, Stamp] = {}
    for chunk in places:
        stamp = row_of(layer).stamp(view.sources, view.project, layer, view.stored, view.sheet, chunk)
        if stamp is not None:
            made[chunk] = stamp
    if not made:
        return None
    first = next(iter(made.values()))
    if first.rgba is not None:
        rgba = gathered(
            view.rect,
            view.sheet.size,
            np.zeros(4, np.uint16),
            lambda chunk: made[chunk].rgba if chunk in made else None,
        )
        return None if rgba is None else Stamp(np.ascontiguousarray(rgba), rgba[..., 3])
    if first.alpha is None:  # everywhere: the wash of a whole sheet
        return first
    alpha = gathered(
        view.rect,
        view.sheet.size,
        np.zeros((), np.uint16),
        lambda chunk: made[chunk].alpha if chunk in made else None,
    )
    return None if alpha is None else Stamp(None, alpha)
