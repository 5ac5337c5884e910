"""Groups: what they hold, together."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from typing import cast

import numpy as np

from lucky_fern.core.arrays import F32
from lucky_fern.core.compositing.blend import blend_normal_arrays
from lucky_fern.core.compositing.canvas import Canvas, View, lay_on, mix, nothing, strength, writes
from lucky_fern.core.compositing.effects import unit_normals
from lucky_fern.core.compositing.layer_row import LayerRow, layer_chunks
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import holds, put_all
from lucky_fern.core.project.document import Channel, Group, Layer, Project
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet


class Grouping(LayerRow):
    def put(self, layer: Layer, canvas: Canvas, view: View) -> Canvas | None:
        group = cast(Group, layer.content)
        if view.until is not None and holds(layer, view.until):
            return put_all(group.layers, nothing(view) if group.isolated else canvas, view)
        _put_group(layer, group, canvas, view)
        return None

    def chunks(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet
    ) -> AbstractSet[Chunk]:
        inside = [layer_chunks(sources, project, child, map_name, sheet) for child in layer.children
                  if child.content.holds_layers or map_name in child.active_channels()]  # fmt: skip
        return set[Chunk]().union(*inside)


def _put_group(layer: Layer, group: Group, canvas: Canvas, view: View) -> None:
    channel = layer.channels.get(view.stored, Channel())
    if not channel.on or not writes(layer, view):
        return
    opacity = layer.opacity * channel.opacity
    if opacity <= 0:
        return
    shown = strength(layer, opacity, view)
    if shown is not None and not shown.any():
        return
    if group.isolated:
        own = nothing(view)
        put_all(group.layers, own, view)
        assert own.alpha is not None
        if own.weighs(view):
            lay_on(
                canvas, own.values, own.alpha if shown is None else own.alpha * shown, layer.blend_on(channel), view
            )
        else:
            _add_details(canvas, own, shown, view)
    elif shown is None:
        put_all(group.layers, canvas, view)
    else:
        before = Canvas(canvas.values.copy(), None if canvas.alpha is None else canvas.alpha.copy())
        put_all(group.layers, canvas, view)
        mix(before, canvas, shown, view)
        if view.spec.directional:
            canvas.values[:] = unit_normals(canvas.values)


def _add_details(canvas: Canvas, own: Canvas, shown: F32 | None, view: View) -> None:
    """Put the normals of a group onto a canvas: whole ones, which say flat where the group has nothing."""
    full = np.ones(view.rect.shape, np.float32)
    blend_normal_arrays(canvas.values, own.values, full if shown is None else np.ascontiguousarray(shown))
    if canvas.alpha is not None and own.alpha is not None:
        cover = own.alpha if shown is None else own.alpha * shown
        canvas.alpha += cover * (1 - canvas.alpha)
