"""A sheet's layers as OpenRaster (freedesktop.org's specification, 0.0.6): one picture a layer, in a ZIP archive."""

from __future__ import annotations

import html
import io
import zipfile
from collections.abc import Sequence
from typing import Any, TypeVar, cast

import cv2
import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import U8, U16
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.loose import loose_texels
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_alone, composite_rect
from lucky_fern.core.exporting.channels import rounded
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.maps import LOOK, MAPS
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.document import Group, Layer, Project
from lucky_fern.core.project.loans import Box
from lucky_fern.core.sheets.grid import Chunk, all_chunks, span
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet

_Pixels = TypeVar("_Pixels", U8, U16, "U8 | U16")
_THUMBNAIL = 256
_EARLIEST = (1980, 1, 1, 0, 0, 0)  # of a ZIP archive: the same project gives the same bytes
# The blends that the format has, by our names (specification 0.0.6, "composite-op").
_OPERATORS = {
    "normal": "svg:src-over", "add": "svg:plus",
    **{one: f"svg:{one}" for one in ("multiply", "screen", "overlay", "darken", "lighten", "color-dodge",
                                     "color-burn", "hard-light", "soft-light", "difference")},
}  # fmt: skip


def encode_layers(
    sources: Sources, project: Project, sheet: Sheet, map_name: str = "colour", box: Box | None = None,
    hidden: Sequence[tuple[str, U8]] = (), times: int = 1,
) -> bytes:  # fmt: skip
    """The colour map's layers on a sheet, topmost first, masks and strengths of what is in groups put in.

    Of another map all of it is one layer. ``box`` (left, upper, right, lower) is the part that is wanted; ``hidden``
    are pictures of it (rows, columns, 4) that lie on top and are not shown. Each texel becomes a square of ``times``.

    What the format cannot say (see :func:`baked_layers`) is put in as it looks on what lies below it, so that the
    layers together show what the map shows.
    """
    left, upper, right, lower = box or (0, 0, sheet.size.width, sheet.size.height)
    part = slice(upper, lower), slice(left, right)
    if map_name != LOOK:
        bits = 16 if MAPS[map_name].wide else 8
        whole = _whole(composite_sheet(sources, project, map_name, sheet, bits)[part])
        return _archive([], _enlarged(whole, times), hidden)
    pictures: list[tuple[Layer, U8]] = []
    for at, layer in enumerate(project.layers):
        if layer.visible:
            rgba = _baked(sources, project, sheet, at) if _to_bake(layer) else _alone(sources, project, sheet, layer)
            rgba = np.ascontiguousarray(rgba[part])
            if rgba[..., 3].any():
                pictures.append((layer, _enlarged(rgba, times)))
    whole = _whole(composite_sheet(sources, project, "colour", sheet, 8)[part])
    return _archive(pictures, _enlarged(whole, times), hidden)


def _enlarged(pixels: _Pixels, times: int) -> _Pixels:
    return pixels if times == 1 else pixels.repeat(times, axis=0).repeat(times, axis=1)


def _whole(pixels: U8 | U16) -> U8 | U16:
    """A map as opaque RGBA."""
    planes = pixels.reshape(*pixels.shape[:2], -1)
    planes = planes if planes.shape[2] == 3 else planes.repeat(3, axis=2)
    made: Any = np.dstack([planes, np.full(planes.shape[:2], np.iinfo(planes.dtype).max, planes.dtype)])
    return cast("U8 | U16", made)


def _archive(
    pictures: list[tuple[Layer, U8]], whole: U8 | U16, hidden: Sequence[tuple[str, U8]] = ()
) -> bytes:  # fmt: skip
    """The archive of layers, from the bottom, and of what they show together; that alone, where there are none."""
    stack = [
        f'  <layer name="{html.escape(layer.name)}" src="data/{number}.png" x="0" y="0" visibility="visible" '
        f'opacity="{layer.opacity * _channel_opacity(layer):.6g}" composite-op="{_operator(layer)}"/>'
        for number, (layer, _) in reversed(list(enumerate(pictures)))
    ]
    if not pictures:
        stack = ['  <layer name="all" src="data/0.png" x="0" y="0" visibility="visible" opacity="1" '
                 'composite-op="svg:src-over"/>']  # fmt: skip
    guides = [
        f'  <layer name="{html.escape(name)}" src="data/guide {number}.png" x="0" y="0" visibility="hidden" '
        f'opacity="1" composite-op="svg:src-over"/>'
        for number, (name, _) in enumerate(hidden)
    ]
    stack = guides + stack
    high, wide = whole.shape[:2]
    frame = f'<image version="0.0.6" w="{wide}" h="{high}">'
    xml = "\n".join([
        '<?xml version="1.0" encoding="UTF-8"?>', frame, " <stack>", *stack, " </stack>", "</image>", "",
    ])  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        _put(archive, "mimetype", b"image/openraster", zipfile.ZIP_STORED)
        _put(archive, "stack.xml", xml.encode(), zipfile.ZIP_DEFLATED)
        for number, rgba in enumerate([one for _, one in pictures] or [whole]):
            _put(archive, f"data/{number}.png", encode_png(rgba), zipfile.ZIP_STORED)
        for number, (_, rgba) in enumerate(hidden):
            _put(archive, f"data/guide {number}.png", encode_png(rgba), zipfile.ZIP_DEFLATED)
        _put(archive, "mergedimage.png", encode_png(whole), zipfile.ZIP_STORED)
        by = min(1.0, _THUMBNAIL / max(wide, high))
        size = max(1, round(wide * by)), max(1, round(high * by))
        small = cv2.resize(whole, size, interpolation=cv2.INTER_AREA) // (1 if whole.itemsize == 1 else 257)
        _put(archive, "Thumbnails/thumbnail.png", encode_png(np.asarray(small, np.uint8)), zipfile.ZIP_STORED)
    return out.getvalue()


def baked_layers(project: Project) -> list[Layer]:
    """The visible layers of the stack that OpenRaster cannot say: adjustments, and blends that it does not have."""
    return [layer for layer in project.layers if layer.visible and _shows(layer) and _to_bake(layer)]


def _shows(layer: Layer) -> bool:
    return LOOK in layer.active_channels() or any(_shows(child) for child in layer.children if child.visible)


def _to_bake(layer: Layer) -> bool:
    if _blend(layer) not in _OPERATORS:
        return True
    if not layer.content.holds_layers:
        return not layer.content.own_pixels
    # A group that lets through what is below is more than its own pixels, unless all in it simply lies on top.
    through = layer.content.settled == Group()
    return through and any(_beyond_normal(child) for child in layer.children if child.visible)


def _beyond_normal(layer: Layer) -> bool:
    if layer.content.holds_layers:
        return _to_bake(layer) or _blend(layer) != "normal"
    return _shows(layer) and (not layer.content.own_pixels or _blend(layer) != "normal")


def _baked(sources: Sources, project: Project, sheet: Sheet, at: int) -> U8:
    """(rows, columns, 4) straight RGBA that, simply laid on what is below layer ``at``, shows what the layer makes of
    it.
    """
    layer = project.layers[at]
    channels = {name: replace(one, opacity=1.0) for name, one in layer.channels.items()}
    full = replace(layer, opacity=1.0, channels=channels)
    whole = replace(project, layers=(*project.layers[:at], full, *project.layers[at + 1 :]))
    out = np.zeros((*sheet.size.shape, 4), np.uint8)

    def work(chunk: Chunk) -> None:
        rect, place = rect_of(chunk, sheet.size), span(chunk, sheet.size)
        before = composite_rect(sources, whole, "colour", sheet, rect, under=layer.id)
        after = composite_rect(sources, whole, "colour", sheet, rect, under=layer.id, with_it=True)
        alpha = composite_alone(sources, project, "colour", sheet, rect, layer)[1][..., None]
        colour = before + (after - before) / np.maximum(alpha, np.float32(1e-4))
        differs = np.abs(after - before).max(axis=2, keepdims=True) > 1e-6
        # Where the layer's own coverage does not say it all, what comes out lies there in full.
        sound = (alpha > 1e-3) & (np.abs(colour - 0.5) <= 0.5 + 1 / 510).all(axis=2, keepdims=True)
        colour, alpha = np.where(sound, colour, after), np.where(sound | ~differs, alpha * sound, 1)
        out[place] = rounded(np.concatenate([np.clip(colour, 0, 1), alpha], axis=2).astype(np.float32), 8)

    for_each(work, all_chunks(sheet.size))
    return _padded(out, sources, project, sheet)


def _padded(out: U8, sources: Sources, project: Project, sheet: Sheet) -> U8:
    """A layer with what lies between islands filled, as the picture of all layers has it."""
    sheet.padding.fill(out, loose=loose_texels(sources, project, "colour", sheet))
    return out


def _put(archive: zipfile.ZipFile, name: str, data: bytes, how: int) -> None:
    archive.writestr(zipfile.ZipInfo(name, _EARLIEST), data, how)


def _alone(sources: Sources, project: Project, sheet: Sheet, layer: Layer) -> U8:
    """(rows, columns, 4) straight RGBA of a layer by itself; its own strength is told beside it."""
    out = np.zeros((*sheet.size.shape, 4), np.uint8)

    def work(chunk: Chunk) -> None:
        at = span(chunk, sheet.size)
        values, alpha = composite_alone(sources, project, "colour", sheet, rect_of(chunk, sheet.size), layer)
        out[at] = rounded(np.concatenate([values, alpha[..., None]], axis=2), 8)

    for_each(work, all_chunks(sheet.size))
    return _padded(out, sources, project, sheet)


def _channel_opacity(layer: Layer) -> float:
    return layer.channels[LOOK].opacity if LOOK in layer.channels else 1.0


def _blend(layer: Layer) -> str:
    channel = layer.channels.get("colour")
    return layer.blend if channel is None else layer.blend_on(channel)


def _operator(layer: Layer) -> str:
    return "svg:src-over" if _to_bake(layer) else _OPERATORS[_blend(layer)]
