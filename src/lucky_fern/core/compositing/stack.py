"""Putting the layers of the stack onto a rectangle of one map, from the bottom up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

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
from lucky_fern.core.compositing.effects import adjusted, blurred, halo
from lucky_fern.core.compositing.masks import island_numbers, mask_values
from lucky_fern.core.compositing.relief import relief_normals
from lucky_fern.core.compositing.sources import DRAWN, Sources, Stamp, triangles_in
from lucky_fern.core.maps import MAPS, MapSpec, parse_value
from lucky_fern.core.project.document import Adjustment, Channel, Group, Layer, Project
from lucky_fern.core.project.effects import Blur
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.region import Rect, chunks_in, gathered
from lucky_fern.core.sheets.sheet import Sheet

RELIEF = "relief"  # stands for the heights that shape the normal map, where a map's name is asked
_FULL = np.float32(1 / 65535)


@dataclass(frozen=True)
class View:
    """What is asked for: one map (or the heights that shape normals) on a rectangle of a sheet."""

    sources: Sources
    project: Project
    map: str
    sheet: Sheet
    rect: Rect

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
        return None if channel is None or (self.map == RELIEF and not channel.relief) else channel


@dataclass
class Canvas:
    """Values (r, c, n) float32; ``alpha`` (r, c) where the canvas began with nothing, else None."""

    values: F32
    alpha: F32 | None = None


def view_reach(project: Project, map_name: str) -> int:
    """How many texels around its own a texel of a map depends on, through blurs and relief."""
    reach = stack_reach(project.layers, "height" if map_name == RELIEF else map_name)
    if map_name == "normal" and has_relief(project.layers):
        reach = max(reach, 1 + stack_reach(project.layers, "height"))
    return reach


def stack_reach(layers: tuple[Layer, ...], map_name: str) -> int:
    """Texels that all blurs of a stretch of the stack together reach."""
    reach = 0
    for layer in layers:
        if not layer.visible:
            continue
        if isinstance(layer.content, Adjustment) and map_name in layer.active_channels():
            reach += halo(layer.content.effect)
        reach += stack_reach(layer.children, map_name)
    return reach


def has_relief(layers: tuple[Layer, ...]) -> bool:
    """Whether some layer's height shapes the normal map."""
    return any(layer.visible and (_gives_relief(layer) or has_relief(layer.children)) for layer in layers)


def _gives_relief(layer: Layer) -> bool:
    channel = layer.active_channels().get("height")
    return channel is not None and channel.relief


def composite_rect(
    sources: Sources, project: Project, map_name: str, sheet: Sheet, rect: Rect, focus: int | None
) -> F32:
    """(r, c, n) float32 values 0…1 of a rectangle of a map, colours sRGB-encoded.

    ``focus`` names a layer being edited: what lies below it is kept, so that doing it again costs only
    that layer and those above it. Values do not depend on it.
    """
    wide = rect.grown(stack_reach(project.layers, "height" if map_name == RELIEF else map_name), sheet.size)
    view = View(sources, project, map_name, sheet, wide)
    canvas, first = _begin(view, focus)
    _put_all(project.layers[first:], canvas, view)
    values = canvas.values[rect.within(wide)]
    if map_name == "normal" and has_relief(project.layers):
        shaped = _relief(sources, project, sheet, rect)
        blend_normal_arrays(shaped, np.ascontiguousarray(values), np.ones(rect.shape, np.float32))
        values = shaped
    return np.ascontiguousarray(values)


def composite_alone(
    sources: Sources, project: Project, map_name: str, sheet: Sheet, rect: Rect, layer: Layer
) -> tuple[F32, F32]:
    """A layer by itself on a rectangle of a map: (r, c, n) values and (r, c) how far it covers, at full strength.

    Masks and the strengths of layers inside a group are put in.
    """
    channels = {name: replace(channel, opacity=1.0, blend=None) for name, channel in layer.channels.items()}
    whole = replace(layer, opacity=1.0, blend="normal", channels=channels)
    wide = rect.grown(stack_reach((whole,), map_name), sheet.size)
    view = View(sources, project, map_name, sheet, wide)
    shape = (*wide.shape, view.spec.components)
    canvas = Canvas(np.zeros(shape, np.float32), np.zeros(wide.shape, np.float32))
    _put_all((whole,), canvas, view)
    assert canvas.alpha is not None
    return canvas.values[rect.within(wide)], canvas.alpha[rect.within(wide)]


def _begin(view: View, focus: int | None) -> tuple[Canvas, int]:
    """A canvas with what lies below the layer in focus, and the number of the first layer still to be put on."""
    layers = view.project.layers
    first = next((at for at, layer in enumerate(layers) if focus is not None and _holds(layer, focus)), 0)
    key = (view.map, view.sheet.key, view.sheet.size, view.rect)
    written = any(_writes(layer, view) for layer in layers[:first])
    found = view.sources.below.find(key) if written else None
    if isinstance(found, tuple) and _same_below(found[0], layers[:first], found[1], view.project):
        return Canvas(found[2].copy()), first
    values = np.empty((*view.rect.shape, view.spec.components), np.float32)
    for number, start in enumerate(view.spec.start):
        values[..., number] = start
    canvas = Canvas(values)
    if not written:
        return canvas, first
    _put_all(layers[:first], canvas, view)
    view.sources.below.put(key, (layers[:first], view.project, canvas.values.copy()), canvas.values.nbytes)
    return canvas, first


def _holds(layer: Layer, focus: int) -> bool:
    return layer.id == focus or any(_holds(child, focus) for child in layer.children)


def _writes(layer: Layer, view: View) -> bool:
    if isinstance(layer.content, Group):
        return any(_writes(child, view) for child in layer.content.layers)
    return view.channel(layer) is not None


def _same_below(old: tuple[Layer, ...], new: tuple[Layer, ...], before: Project, after: Project) -> bool:
    """Whether the same layers, masks and pictures lie below: by identity, as projects share what did not change."""
    if len(old) != len(new) or any(a is not b for a, b in zip(old, new, strict=True)):
        return False
    return (
        (before.masks is after.masks or before.masks == after.masks)
        and (before.pictures is after.pictures or before.pictures == after.pictures)
        and before.sequences == after.sequences
    )


def _relief(sources: Sources, project: Project, sheet: Sheet, rect: Rect) -> F32:
    """(r, c, 3) normals that the heights marked for it give."""
    wide = rect.grown(1, sheet.size)
    height = composite_rect(sources, project, RELIEF, sheet, wide, None)[..., 0]
    owner = gathered(wide, sheet.size, np.array(-1, np.int32), lambda chunk: sources.owners(sheet, chunk))
    assert owner is not None
    return np.ascontiguousarray(
        relief_normals(height, owner, sheet, project.relief, project.sheet_size)[rect.within(wide)]
    )


# --- one layer after the other -----------------------------------------------------------------------------------


def _put_all(layers: tuple[Layer, ...], canvas: Canvas, view: View) -> None:
    for layer in layers:
        if not layer.visible or layer.opacity <= 0 or not layer.scope.holds_sheet(view.sheet.key):
            continue
        if isinstance(layer.content, Group):
            _put_group(layer, layer.content, canvas, view)
        elif isinstance(layer.content, Adjustment):
            _adjust(layer, layer.content, canvas, view)
        else:
            _put_leaf(layer, canvas, view)


def _strength(layer: Layer, opacity: float, view: View) -> F32 | None:
    """(r, c) how strongly a group or adjustment shows: opacity, mask and scope; None for fully everywhere."""
    mask = mask_values(view.sources, view.project, layer.mask, view.sheet, view.rect)
    chosen = triangles_in(view.project, layer.scope)
    if mask is None and chosen is None:
        return None if opacity >= 1 else np.full(view.rect.shape, opacity, np.float32)
    strength = np.full(view.rect.shape, opacity, np.float32)
    if mask is not None:
        strength *= mask * _FULL
    if chosen is not None:
        part = gathered(
            view.rect, view.sheet.size, np.zeros((), np.uint16),
            lambda chunk: view.sources.scope_mask(chosen, view.sheet, chunk),
        )  # fmt: skip
        strength *= 0 if part is None else part * _FULL
    return strength


def _put_group(layer: Layer, group: Group, canvas: Canvas, view: View) -> None:
    channel = layer.channels.get(view.stored, Channel())
    if not channel.on or not _writes(layer, view):
        return
    opacity = layer.opacity * channel.opacity
    if opacity <= 0:
        return
    strength = _strength(layer, opacity, view)
    if strength is not None and not strength.any():
        return
    if group.isolated:
        own = Canvas(np.zeros_like(canvas.values), np.zeros(view.rect.shape, np.float32))
        if view.spec.kind == "normal":  # details add up from the flat normal, which is where nothing is
            own = Canvas(np.full_like(canvas.values, view.spec.start))
        _put_all(group.layers, own, view)
        alpha = np.ones(view.rect.shape, np.float32) if own.alpha is None else own.alpha
        _lay_on(canvas, own.values, alpha if strength is None else alpha * strength, layer.blend_on(channel), view)
    elif strength is None:
        _put_all(group.layers, canvas, view)
    else:
        before = Canvas(canvas.values.copy(), None if canvas.alpha is None else canvas.alpha.copy())
        _put_all(group.layers, canvas, view)
        _mix(before, canvas, strength)


def _mix(before: Canvas, after: Canvas, strength: F32) -> None:
    """``after`` becomes so much of itself and the rest of what was before."""
    part = strength[..., None]
    if before.alpha is None or after.alpha is None:
        after.values[:] = before.values + part * (after.values - before.values)
        return
    alpha = before.alpha + strength * (after.alpha - before.alpha)
    light = before.values * before.alpha[..., None] * (1 - part) + after.values * after.alpha[..., None] * part
    after.values[:] = np.divide(light, alpha[..., None], out=np.zeros_like(light), where=alpha[..., None] > 0)
    after.alpha[:] = alpha


def _adjust(layer: Layer, adjustment: Adjustment, canvas: Canvas, view: View) -> None:
    channel = view.channel(layer)
    if channel is None:
        return
    strength = _strength(layer, layer.opacity * channel.opacity, view)
    if strength is not None and not strength.any():
        return
    view.sources.count_blend()
    islands = np.zeros((0, 0), np.int32)
    if halo(adjustment.effect):
        islands = island_numbers(view.sources, view.sheet, view.rect)
    if canvas.alpha is not None and isinstance(adjustment.effect, Blur):
        _blur_isolated(canvas, adjustment.effect.radius, view, islands, strength)
        return
    new = adjusted(canvas.values, adjustment.effect, view.spec, islands)
    alpha = np.ones(view.rect.shape, np.float32) if strength is None else strength
    mode = MODE_NUMBERS[layer.blend_on(channel)]
    if view.spec.kind == "normal":
        mode = MODE_NUMBERS["normal"]
    blend_arrays(canvas.values, np.ascontiguousarray(new, np.float32), alpha, mode)


def _blur_isolated(canvas: Canvas, radius: float, view: View, islands: np.ndarray, strength: F32 | None) -> None:
    """Blur a canvas that began with nothing: light as far as it covers, and how far it covers."""
    assert canvas.alpha is not None
    before = Canvas(canvas.values.copy(), canvas.alpha.copy())
    scalar = MAPS["height"]
    cover = blurred(np.ascontiguousarray(canvas.alpha[..., None]), radius, scalar, islands)[..., 0]
    weighted = blurred(canvas.values * canvas.alpha[..., None], radius, scalar, islands)
    canvas.values[:] = np.divide(
        weighted, cover[..., None], out=np.zeros_like(weighted), where=cover[..., None] > 1e-6
    )
    canvas.alpha[:] = cover
    if strength is not None:
        _mix(before, canvas, strength)


def _put_leaf(layer: Layer, canvas: Canvas, view: View) -> None:
    channel = view.channel(layer)
    if channel is None:
        return
    mask = mask_values(view.sources, view.project, layer.mask, view.sheet, view.rect)
    if mask is not None and not mask.any():
        return  # nothing of it shows: it need not be drawn
    stamp = _stamp(layer, view)
    if stamp is None:
        return
    if mask is not None:
        stamp = _masked(stamp, mask)
    view.sources.count_blend()
    opacity = layer.opacity * channel.opacity
    if canvas.alpha is not None:
        values, alpha = _as_values(stamp, channel, view)
        _lay_on(canvas, values, alpha * np.float32(opacity), layer.blend_on(channel), view)
        return
    _put_stamp(canvas.values, stamp, channel, opacity, MODE_NUMBERS[layer.blend_on(channel)], view)


def _put_stamp(acc: F32, stamp: Stamp, channel: Channel, opacity: float, mode: int, view: View) -> None:
    """The quick ways, for a canvas that is opaque."""
    if not isinstance(channel.source, str) or channel.source not in DRAWN:
        value = np.array(parse_value(view.stored, channel.source), np.float32)
        if stamp.alpha is None:
            blend_value(acc, value, opacity, mode)
        else:
            blend_value_through(acc, value, np.ascontiguousarray(stamp.alpha), opacity, mode)
    elif stamp.rgba is not None:
        if view.spec.kind == "normal":
            blend_normals(acc, stamp.rgba, opacity)
        elif view.spec.kind == "scalar":
            blend_luminance(acc, stamp.rgba, LUMINANCE, opacity, mode)
        else:
            blend_rgba(acc, stamp.rgba, opacity, mode)


def _lay_on(canvas: Canvas, values: F32, alpha: F32, blend: str, view: View) -> None:
    """Values with their own alpha onto a canvas of either kind."""
    alpha = np.ascontiguousarray(alpha, np.float32)
    if view.spec.kind == "normal":
        blend_normal_arrays(canvas.values, values, alpha)
    elif canvas.alpha is None:
        blend_arrays(canvas.values, values, alpha, MODE_NUMBERS[blend])
    else:
        blend_isolated(canvas.values, canvas.alpha, values, alpha, MODE_NUMBERS[blend])


def _as_values(stamp: Stamp, channel: Channel, view: View) -> tuple[F32, F32]:
    """A stamp as (r, c, n) float32 values and (r, c) float32 alpha."""
    shape = view.rect.shape
    alpha = np.ones(shape, np.float32) if stamp.alpha is None else stamp.alpha * _FULL
    if stamp.rgba is None or channel.source not in DRAWN:
        values = np.empty((*shape, view.spec.components), np.float32)
        values[:] = parse_value(view.stored, channel.source)
    elif view.spec.kind == "scalar":
        values = np.empty((*shape, 1), np.float32)
        luminance(stamp.rgba, LUMINANCE, values)
    else:
        values = stamp.rgba[..., :3] * _FULL
    return np.ascontiguousarray(values), alpha


def _stamp(layer: Layer, view: View) -> Stamp | None:
    """What a leaf layer gives to the rectangle; None for nothing."""
    touched = view.sources.chunks(view.project, layer, view.stored, view.sheet)
    places = [chunk for chunk in chunks_in(view.rect) if chunk in touched]
    if not places:
        return None
    made: dict[Chunk, Stamp] = {}
    for chunk in places:
        stamp = view.sources.stamp(view.project, layer, view.stored, view.sheet, chunk)
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


def _masked(stamp: Stamp, mask: U16) -> Stamp:
    """A stamp as far as a mask shows it."""
    if stamp.alpha is None:
        return Stamp(None, mask)
    alpha = ((stamp.alpha.astype(np.uint32) * mask + 32767) // 65535).astype(np.uint16)
    if stamp.rgba is None:
        return Stamp(None, alpha)
    rgba = stamp.rgba.copy()
    rgba[..., 3] = alpha
    return Stamp(rgba, alpha)
