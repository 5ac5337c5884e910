"""The compositor: from the stack to finished maps, chunk by chunk."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F32, U8, U16
from lucky_fern.core.colour import LUMINANCE
from lucky_fern.core.compositing.blend import (
    MODE_NUMBERS,
    blend_luminance,
    blend_normals,
    blend_rgba,
    blend_value,
    blend_value_through,
    quantise_8,
    quantise_16,
)
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.sheets.grid import Chunk, SheetKey, all_chunks, for_each, shape, span
from lucky_fern.core.sheets.sheet import Sheet


@dataclass(frozen=True)
class MapKey:
    """One map of one sheet."""

    sheet: SheetKey
    map: str


Dirty = dict[MapKey, set[Chunk]]


def composite_chunk(sources: Sources, project: Project, map_name: str, sheet: Sheet, chunk: Chunk) -> F32:
    """(rows, columns, n) float32 values 0…1 of a chunk, colours sRGB-encoded; texels outside islands too."""
    spec = MAPS[map_name]
    acc = np.empty((*shape(chunk, sheet.size), spec.components), np.float32)
    acc[:] = spec.start
    for layer in project.layers:
        channel = layer.active_channels().get(map_name)
        if channel is None or chunk not in sources.chunks(project, layer, sheet):
            continue
        stamp = sources.stamp(project, layer, map_name, sheet, chunk)
        mode = MODE_NUMBERS[layer.blend_on(channel)]
        opacity = layer.opacity * channel.opacity
        if channel.source != "picture":
            value = np.array(parse_value(map_name, channel.source), np.float32)
            if stamp.alpha is None:
                blend_value(acc, value, opacity, mode)
            else:
                blend_value_through(acc, value, stamp.alpha, opacity, mode)
        elif stamp.rgba is not None:
            if spec.kind == "normal":
                blend_normals(acc, stamp.rgba, opacity)
            elif spec.kind == "scalar":
                blend_luminance(acc, stamp.rgba, LUMINANCE, opacity, mode)
            else:
                blend_rgba(acc, stamp.rgba, opacity, mode)
    return acc


def writes(sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet) -> bool:
    """Whether a layer gives anything to a map of a sheet."""
    return map_name in layer.active_channels() and bool(sources.chunks(project, layer, sheet))


def written_maps(sources: Sources, project: Project, sheet: Sheet) -> set[str]:
    """The maps of a sheet that at least one layer writes to."""
    found: set[str] = set()
    for layer in project.layers:
        active = set(layer.active_channels()) - found
        if active and sources.chunks(project, layer, sheet):
            found |= active
    return found


def composite_sheet(
    sources: Sources,
    project: Project,
    map_name: str,
    sheet: Sheet,
    bits: int,
    padding: int | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> U8 | U16:
    """A whole map of a sheet, (size, size, n) uint8 or uint16, padded.

    ``padding`` None fills everything outside the islands from the nearest one; a number of texels fills
    only so far and leaves the map's starting value beyond.
    """
    spec = MAPS[map_name]
    dtype = np.uint8 if bits == 8 else np.uint16
    top = np.iinfo(dtype).max
    start = np.floor(np.array(spec.start) * top + 0.5).astype(dtype)
    out = np.empty((sheet.size, sheet.size, spec.components), dtype)
    out[:] = start

    def work(chunk: Chunk) -> None:
        _store(out, composite_chunk(sources, project, map_name, sheet, chunk), sheet, chunk)

    for_each(work, all_chunks(sheet.size), cancelled)
    sheet.padding.fill(out)
    if padding is not None:
        beyond = sheet.padding.target[~sheet.padding.limited(padding)]
        out.reshape(-1, spec.components)[beyond] = start
    return out


def _store(out: U8 | U16, acc: F32, sheet: Sheet, chunk: Chunk) -> None:
    """Round a chunk into the texels of its islands; padding fills the rest afterwards."""
    rows, columns = span(chunk, sheet.size)
    quantise = quantise_8 if out.dtype == np.uint8 else quantise_16
    quantise(acc, sheet.covered[rows, columns], out[rows, columns])


class MapStore:
    """The finished maps that the views show; 16 bits for height and normal, 8 for the rest."""

    def __init__(self, sources: Sources) -> None:
        self.sources = sources
        self.maps: dict[MapKey, U8 | U16] = {}
        self.composited = 0  # chunks done since the start: tests and the benchmark read it

    def get(self, key: MapKey, size: int) -> U8 | U16:
        """(size, size, n) array of a map; filled with the map's starting value when first asked for."""
        kept = self.maps.get(key)
        if kept is not None and kept.shape[0] == size:
            return kept
        spec = MAPS[key.map]
        dtype = np.uint16 if spec.wide else np.uint8
        fresh: U8 | U16 = np.empty((size, size, spec.components), dtype)  # type: ignore[assignment]
        fresh[:] = np.floor(np.array(spec.start) * np.iinfo(dtype).max + 0.5)
        self.maps[key] = fresh
        return fresh

    def update(
        self,
        project: Project,
        key: MapKey,
        chunks: Iterable[Chunk],
        cancelled: Callable[[], bool] | None = None,
    ) -> set[Chunk]:
        """Composite chunks of one map; the chunks that look different now, padding included.

        Raises
        ------
        Cancelled
            Between two chunks; those already done stay done.
        """
        todo = sorted(set(chunks))
        sheet = self.sources.surface.sheet(key.sheet, project.size_of(key.sheet))
        out = self.get(key, sheet.size)

        def work(chunk: Chunk) -> None:
            _store(out, composite_chunk(self.sources, project, key.map, sheet, chunk), sheet, chunk)

        for_each(work, todo, cancelled)
        self.composited += len(todo)
        done = set(todo)
        sheet.padding.fill(out, done)
        return done | sheet.padding.chunks_fed_by(done)
