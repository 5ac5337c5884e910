"""A sheet's layers as OpenRaster (freedesktop.org's specification, 0.0.6): one picture a layer, in a ZIP archive."""

from __future__ import annotations

import html
import io
import zipfile

import cv2
import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_alone
from lucky_fern.core.exporting.channels import rounded
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.sheets.grid import Chunk, all_chunks, for_each, span
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet

_THUMBNAIL = 256
_EARLIEST = (1980, 1, 1, 0, 0, 0)  # of a ZIP archive: the same project gives the same bytes
_OPERATORS = ("multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
              "soft-light", "difference", "exclusion")  # fmt: skip


def encode_layers(sources: Sources, project: Project, sheet: Sheet) -> bytes:
    """The colour map's layers on a sheet, topmost first, masks and strengths of what is in groups put in.

    Adjustments have no pixels of their own and are left out; the merged picture has all of it.
    """
    pictures: list[tuple[Layer, U8]] = []
    for layer in project.layers:
        if _has_pixels(layer) and layer.visible:
            rgba = _alone(sources, project, sheet, layer)
            if rgba[..., 3].any():
                pictures.append((layer, rgba))
    merged = composite_sheet(sources, project, "colour", sheet, 8)
    stack = [
        f'  <layer name="{html.escape(layer.name)}" src="data/{number}.png" x="0" y="0" visibility="visible" '
        f'opacity="{layer.opacity * _channel_opacity(layer):.6g}" composite-op="{_operator(layer)}"/>'
        for number, (layer, _) in reversed(list(enumerate(pictures)))
    ]
    size = sheet.size
    frame = f'<image version="0.0.6" w="{size}" h="{size}">'
    xml = "\n".join([
        '<?xml version="1.0" encoding="UTF-8"?>', frame, " <stack>", *stack, " </stack>", "</image>", "",
    ])  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        _put(archive, "mimetype", b"image/openraster", zipfile.ZIP_STORED)
        _put(archive, "stack.xml", xml.encode(), zipfile.ZIP_DEFLATED)
        for number, (_, rgba) in enumerate(pictures):
            _put(archive, f"data/{number}.png", encode_png(rgba), zipfile.ZIP_STORED)
        whole: U8 = np.dstack([merged, np.full(merged.shape[:2], 255, np.uint8)]).astype(np.uint8)
        _put(archive, "mergedimage.png", encode_png(whole), zipfile.ZIP_STORED)
        small = cv2.resize(whole, (min(size, _THUMBNAIL),) * 2, interpolation=cv2.INTER_AREA)
        _put(archive, "Thumbnails/thumbnail.png", encode_png(np.asarray(small, np.uint8)), zipfile.ZIP_STORED)
    return out.getvalue()


def _has_pixels(layer: Layer) -> bool:
    """Whether it shows something by itself, or holds what does."""
    return layer.content.own_pixels or any(_has_pixels(child) for child in layer.children)


def _put(archive: zipfile.ZipFile, name: str, data: bytes, how: int) -> None:
    archive.writestr(zipfile.ZipInfo(name, _EARLIEST), data, how)


def _alone(sources: Sources, project: Project, sheet: Sheet, layer: Layer) -> U8:
    """(size, size, 4) straight RGBA of a layer by itself; its own strength is told beside it."""
    out = np.zeros((sheet.size, sheet.size, 4), np.uint8)

    def work(chunk: Chunk) -> None:
        at = span(chunk, sheet.size)
        values, alpha = composite_alone(sources, project, "colour", sheet, rect_of(chunk, sheet.size), layer)
        out[at] = rounded(np.concatenate([values, alpha[..., None]], axis=2), 8)

    for_each(work, all_chunks(sheet.size))
    return out


def _channel_opacity(layer: Layer) -> float:
    return layer.channels["colour"].opacity if "colour" in layer.channels else 1.0


def _operator(layer: Layer) -> str:
    channel = layer.channels.get("colour")
    blend = layer.blend if channel is None else layer.blend_on(channel)
    if blend == "add":
        return "svg:plus"
    return f"svg:{blend}" if blend in _OPERATORS else "svg:src-over"
