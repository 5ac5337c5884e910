"""What is taken from the maps as they are: whole maps, shapes for masks, tips for brushes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8, U16
from lucky_fern.core.colour import LUMINANCE
from lucky_fern.core.compositing.brushwork import draw_painted
from lucky_fern.core.compositing.compositor import MapStore, composite_sheet, written_maps
from lucky_fern.core.compositing.hearing import brightness, likeness
from lucky_fern.core.compositing.still import Still
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import parse_value
from lucky_fern.core.painting.pixels import mask_chunk
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.commands import SetLayer
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.painted import MASK, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.shapes import HeardShape, PaintedShape
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey
from lucky_fern.core.sheets.region import Rect, gathered
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr


def whole_map(studio: Studio, key: SheetKey, map_name: str) -> U8 | U16:
    """A sheet's whole map as it is composited now; for tools that look for values."""
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    return composite_sheet(studio.sources, studio.project, map_name, sheet, 8)


def written(
    studio: Studio, finished: Callable[[Project], MapStore | None] = lambda _: None
) -> dict[SheetKey, dict[str, U8]]:
    """Sheet → map → (rows, columns, n) uint8 of all maps that layers write to, as they are composited now.

    ``finished`` answers with maps of a project that are composited already, where they are there.
    """
    project, sources, found = studio.project, studio.sources, dict[SheetKey, dict[str, U8]]()
    for key in studio.surface.keys:
        sheet = studio.surface.sheet(key, project.size_of(key))
        found[key] = {}
        for name in sorted(written_maps(sources, project, sheet)):
            pixels = composite_sheet(sources, project, name, sheet, 8, finished=lambda: finished(project))
            found[key][name] = pixels.astype(np.uint8, copy=False)
    return found


def shape_of_map(studio: Studio, layer_id: int, map_name: str, below_only: bool = False) -> PaintedShape:
    """A painted shape as bright as a map is without a layer: colours by their luminance, normals by slope."""

    return _shape_of(studio, layer_id, map_name, lambda values: brightness(values, map_name), below_only)


def shape_of_colour(
    studio: Studio, layer_id: int, map_name: str, wanted: Sequence[float], tolerance: float, soft: float,
    below_only: bool = False,
) -> PaintedShape:  # fmt: skip
    """A painted shape of where a map is like a value (encoded 0…1) without a layer.

    Full where every component differs by ``tolerance`` at most, running out over ``soft`` more.
    """

    return _shape_of(studio, layer_id, map_name, lambda values: likeness(values, wanted, tolerance, soft), below_only)


def value_at(studio: Studio, layer_id: int, key: SheetKey, map_name: str, u: float, v: float) -> F32:
    """(n,) the value of a map without a layer at a place of a sheet (0…1 each way, v up)."""
    still = _without(studio, layer_id)
    size = still.sheet(key).size
    values, _ = still.read(map_name, key, np.array([u * size.width]), np.array([(1 - v) * size.height]))
    return np.asarray(values[0], np.float32)


def snapshot(studio: Studio, layer_id: int, shape: HeardShape) -> PaintedShape:
    """A mask's shape that follows a map below, as it is now: painted, and free of what comes."""
    if shape.like is None:
        return shape_of_map(studio, layer_id, shape.source, below_only=True)
    wanted = parse_value(shape.source, shape.like)
    return shape_of_colour(studio, layer_id, shape.source, wanted, shape.tolerance, shape.soft, below_only=True)


def _without(studio: Studio, layer_id: int) -> Still:
    return Still(studio.sources, SetLayer(layer_id, visible=False).apply(studio.project))


def _shape_of(
    studio: Studio, layer_id: int, map_name: str, work: Callable[[F32], F32], below_only: bool
) -> PaintedShape:
    """What ``work`` makes of a map without a layer (or of what is below it), on all islands."""
    still = Still(studio.sources, studio.project, layer_id) if below_only else _without(studio, layer_id)
    sheets: dict[str, PaintedSheet] = {}
    for key in studio.surface.keys:
        sheet = still.sheet(key)

        def made(chunk: Chunk, key: SheetKey = key, sheet: Sheet = sheet) -> str:
            inside = studio.sources.owners(sheet, chunk) >= 0
            share = np.where(inside, work(still.chunk(map_name, key, chunk)), 0)
            return studio.blobs.add(mask_chunk(share)) if share.any() else ""

        places = list(sheet.chunks_of(np.ones(len(sheet.triangle), np.bool_)))
        chunks = {
            place_name(chunk): digest for chunk, digest in zip(places, for_each(made, places), strict=True) if digest
        }
        if chunks:
            sheets[str(key)] = PaintedSheet(sheet.size, {MASK: chunks})
    return PaintedShape(sheets)


def tip_picture(studio: Studio, layer_id: int | None, key: SheetKey, rect: Rect, map_name: str) -> bytes:
    """A PNG to be a tip, of a rectangle of a sheet: what a brushwork layer has there, else how dark a map is.

    Raises
    ------
    CommandError
        If nothing is there.
    """
    if rect.shape[0] < 2 or rect.shape[1] < 2:
        raise CommandError(tr("draw a rectangle of some texels round what is to be the tip"))
    size, pixels = studio.project.size_of(key), np.zeros((*rect.shape, 4), np.uint8)
    content = None if layer_id is None else studio.project.layer(layer_id).content
    painted = (content.painted or {}).get(str(key)) if content is not None else None
    if painted is not None:
        for name in painted.maps:
            rgba = gathered(rect, size, np.zeros(4, np.uint16), partial(_painted, studio, painted, name, size))
            if rgba is not None:
                pixels[..., 3] = np.maximum(pixels[..., 3], rgba[..., 3] // 257)
    if not pixels.any():
        values = whole_map(studio, key, map_name)[rect.top : rect.bottom, rect.left : rect.right]
        if values.min() == values.max():
            raise CommandError(tr("all is alike there: paint the tip's shape first, dark on light"))
        grey = values @ LUMINANCE if values.shape[2] == 3 else values[..., 0]
        low, high = float(grey.min()), float(grey.max())
        pixels[..., :3] = np.rint((grey - low) / max(high - low, 1e-9) * 255)[..., None]
        pixels[..., 3] = 255
    done, data = cv2.imencode(".png", pixels)
    assert done
    return bytes(data)


def _painted(studio: Studio, painted: PaintedSheet, name: str, size: Extent, chunk: Chunk) -> U16 | None:
    return draw_painted(painted, name, size, chunk, studio.blobs, studio.sources.kept)
