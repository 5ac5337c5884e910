"""What layers are put onto: a rectangle of one map, and what is asked of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F32, U16
from lucky_fern.core.colour import LUMINANCE
from lucky_fern.core.compositing.blend import (
    MODE_NUMBERS,
    blend_arrays,
    blend_isolated,
    blend_luminance,
    blend_normal_arrays,
    blend_normals,
    blend_rgba,
    blend_value,
    blend_value_through,
    luminance,
)
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.compositing.sources import Sources, Stamp, triangles_in
from lucky_fern.core.maps import MAPS, MapSpec, parse_value
from lucky_fern.core.project.document import Channel, Layer, Project, Relief
from lucky_fern.core.sheets.region import Rect, gathered
from lucky_fern.core.sheets.sheet import Sheet

RELIEF = "relief"  # stands for the heights that shape the normal map, where a map's name is asked
DRAWN = ("picture", "painted", "vertices")  # sources of channels that are drawn, not a value
_FULL = np.float32(1 / 65535)


@dataclass(frozen=True)
class View:
    """What is asked for: one map (or the heights that shape normals) on a rectangle of a sheet.

    ``layers`` are those that are put on, from the bottom; with ``until``, only what lies below the layer of that id.
    ``alone`` has the canvas begin with nothing.
    """

    sources: Sources
    project: Project
    map: str
    sheet: Sheet
    rect: Rect
    layers: tuple[Layer, ...]
    alone: bool = False
    until: int | None = None
    covering: bool = False  # only how far the canvas is covered is asked, not by what
    relief: Relief | None = None  # of heights that shape normals: only those in this unit, the highest as it is

    @property
    def stored(self) -> str:
        """The map whose channels are read."""
        return "height" if self.map == RELIEF else self.map

    @property
    def spec(self) -> MapSpec:
        return MAPS[self.stored]

    def channel(self, layer: Layer) -> Channel | None:
        """What a layer gives here, if it gives anything."""
        channel = layer.active_channels().get(self.stored)
        return None if channel is None or (self.map == RELIEF and not layer.shapes_normals) else channel

    def steeper(self, channel: Channel) -> float:
        """How many times as steep as its source a layer's height or normals are taken."""
        if self.relief is None:
            return channel.strength if self.spec.directional else 1.0
        if channel.relief is None or channel.relief.unit != self.relief.unit:
            return 0.0
        return channel.relief.strength / self.relief.strength


@dataclass
class Canvas:
    """Values (r, c, n) float32; ``alpha`` (r, c) where the canvas began with nothing, else None.

    Values are straight: there are none where alpha is 0. Normals alone are whole everywhere, as details add up from
    the flat one; their alpha only says where there are any.
    """

    values: F32
    alpha: F32 | None = None

    def weighs(self, view: View) -> bool:
        """Whether its values count only as far as its alpha says."""
        return self.alpha is not None and not view.spec.directional


def blank(view: View) -> Canvas:
    """A canvas as the map starts, or with nothing on it."""
    return nothing(view) if view.alone else Canvas(_started(view))


def nothing(view: View) -> Canvas:
    """A canvas with nothing on it."""
    if view.spec.directional:  # details add up from the flat normal, which is where nothing is
        values = _started(view)
    else:
        values = np.zeros((*view.rect.shape, view.spec.components), np.float32)
    return Canvas(values, np.zeros(view.rect.shape, np.float32))


def _started(view: View) -> F32:
    rows, columns = view.rect.shape
    values = np.empty((rows, columns, view.spec.components), np.float32)
    # Row by row: component by component takes ten times as long.
    values.reshape(rows, -1)[:] = np.tile(np.array(view.spec.start, np.float32), columns)
    return values


def writes(layer: Layer, view: View) -> bool:
    """Whether a layer, or one that it holds, gives anything to the map."""
    if layer.content.holds_layers:
        return any(writes(child, view) for child in layer.children)
    return view.channel(layer) is not None


def strength(layer: Layer, opacity: float, view: View) -> F32 | None:
    """(r, c) how strongly a group or adjustment shows: opacity, mask and scope; None for fully everywhere."""
    mask = mask_values(view.sources, view.project, layer, view.sheet, view.rect)
    chosen = triangles_in(view.project, layer.scope)
    if mask is None and chosen is None:
        return None if opacity >= 1 else np.full(view.rect.shape, opacity, np.float32)
    shown = np.full(view.rect.shape, opacity, np.float32)
    if mask is not None:
        shown *= mask * _FULL
    if chosen is not None:
        part = gathered(
            view.rect, view.sheet.size, np.zeros((), np.uint16),
            lambda chunk: view.sources.scope_mask(chosen, view.sheet, chunk),
        )  # fmt: skip
        shown *= 0 if part is None else part * _FULL
    return shown


def shown_on(layer: Layer, view: View) -> tuple[Channel, F32 | None] | None:
    """The channel of a layer on a view's map, and how strongly it shows there (:func:`strength`); None if nowhere."""
    channel = view.channel(layer)
    if channel is None:
        return None
    shown = strength(layer, layer.opacity * channel.opacity, view)
    if shown is not None and not shown.any():
        return None
    view.sources.count_blend()
    return channel, shown


def mix(before: Canvas, after: Canvas, strength: F32, view: View) -> None:
    """``after`` becomes so much of itself and the rest of what was before."""
    part = strength[..., None]
    if not after.weighs(view):
        after.values[:] = before.values + part * (after.values - before.values)
    if before.alpha is None or after.alpha is None:
        return
    if not after.weighs(view):
        after.alpha[:] = before.alpha + strength * (after.alpha - before.alpha)
        return
    alpha = before.alpha + strength * (after.alpha - before.alpha)
    light = before.values * before.alpha[..., None] * (1 - part) + after.values * after.alpha[..., None] * part
    after.values[:] = np.divide(light, alpha[..., None], out=np.zeros_like(light), where=alpha[..., None] > 0)
    after.alpha[:] = alpha


def put_stamp(acc: F32, stamp: Stamp, channel: Channel, opacity: float, mode: int, view: View) -> None:
    """The quick ways, for a canvas that is opaque."""
    if not isinstance(channel.source, str) or channel.source not in DRAWN:
        value = np.array(parse_value(view.stored, channel.source), np.float32)
        if stamp.alpha is None:
            blend_value(acc, value, opacity, mode)
        else:
            blend_value_through(acc, value, np.ascontiguousarray(stamp.alpha), opacity, mode)
    elif stamp.rgba is not None:
        if view.spec.directional:
            blend_normals(acc, stamp.rgba, opacity)
        elif view.spec.single:
            blend_luminance(acc, stamp.rgba, LUMINANCE, opacity, mode)
        else:
            blend_rgba(acc, stamp.rgba, opacity, mode)


def lay_on(canvas: Canvas, values: F32, alpha: F32, blend: str, view: View) -> None:
    """Values with their own alpha onto a canvas of either kind."""
    alpha = np.ascontiguousarray(alpha, np.float32)
    if view.spec.directional:
        blend_normal_arrays(canvas.values, values, alpha)
        if canvas.alpha is not None:
            canvas.alpha += alpha * (1 - canvas.alpha)
    elif canvas.alpha is None:
        blend_arrays(canvas.values, values, alpha, MODE_NUMBERS[blend])
    else:
        blend_isolated(canvas.values, canvas.alpha, values, alpha, MODE_NUMBERS[blend])


def steepened(values: F32, by: float, blend: str, view: View) -> F32:
    """Heights or normals (r, c, n) made ``by`` times as steep: about level, or from 0 where they are added."""
    if view.spec.directional:
        vector = values * 2 - 1
        vector[..., :2] *= np.float32(by)
        vector /= np.maximum(np.linalg.norm(vector, axis=2, keepdims=True), np.float32(1e-6))
        return np.ascontiguousarray(vector * np.float32(0.5) + np.float32(0.5))
    level = np.float32(0 if blend in ("add", "subtract") else 0.5)
    return np.ascontiguousarray(level + (values - level) * np.float32(by))


def as_values(stamp: Stamp, channel: Channel, view: View) -> tuple[F32, F32]:
    """A stamp as (r, c, n) float32 values and (r, c) float32 alpha."""
    shape = view.rect.shape
    alpha = np.ones(shape, np.float32) if stamp.alpha is None else stamp.alpha * _FULL
    if stamp.rgba is None or channel.source not in DRAWN:
        values = np.empty((*shape, view.spec.components), np.float32)
        values[:] = parse_value(view.stored, channel.source)
    elif view.spec.single:
        values = np.empty((*shape, 1), np.float32)
        luminance(stamp.rgba, LUMINANCE, values)
    else:
        values = stamp.rgba[..., :3] * _FULL
    return np.ascontiguousarray(values), alpha


def masked(stamp: Stamp, mask: U16) -> Stamp:
    """A stamp as far as a mask shows it."""
    if stamp.alpha is None:
        return Stamp(None, mask)
    alpha = ((stamp.alpha.astype(np.uint32) * mask + 32767) // 65535).astype(np.uint16)
    if stamp.rgba is None:
        return Stamp(None, alpha)
    rgba = stamp.rgba.copy()
    rgba[..., 3] = alpha
    return Stamp(rgba, alpha)
