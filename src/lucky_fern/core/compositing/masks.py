"""Masks on a rectangle of a sheet: entries met one after the other."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, cast

import numpy as np

from lucky_fern.core.arrays import F32, U16
from lucky_fern.core.colour import LUMINANCE
from lucky_fern.core.compositing.around import Around
from lucky_fern.core.compositing.brushwork import changed_paint, draw_painted
from lucky_fern.core.compositing.effects import levelled, smoothed
from lucky_fern.core.compositing.growth import evened, grown
from lucky_fern.core.compositing.sources import Put, Sources, triangles_in
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import SHAPES, Shape
from lucky_fern.core.project.painted import MASK
from lucky_fern.core.project.shapes import Fill, Mask, MaskEntry, PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.region import Rect, gathered, rect_of
from lucky_fern.core.sheets.sheet import Sheet

_FULL = np.float32(65535)
_STEP = np.float32(0.15)  # how softly a level comes in where a mask is confined


@dataclass(frozen=True)
class Asking:
    """Whose mask is asked about: a layer of a project, or none where only the project counts."""

    sources: Sources
    project: Project
    layer: int = -1


def mask_values(sources: Sources, project: Project, layer: Layer, sheet: Sheet, rect: Rect) -> U16 | None:
    """(r, c) uint16 strength of a layer's mask, 65535 showing all; None where it hides nothing anywhere.

    Entries are met in order: *replace* forgets what was before; *add* shows where either shows
    (a + b − ab); *subtract* hides where the entry shows (a − ab); *intersect* shows where both do (ab); *confine*
    takes the entry as levels that a reaches one after the other ((a + b − 1) / 0.15, cut to 0…1, for b above 0).
    A mask that begins with *add* begins from nothing, with *replace* from itself, otherwise from all.
    """
    mask = None if layer.mask is None else project.masks[layer.mask]
    if mask is None or not mask.on:
        return None
    entries = [entry for entry in mask.entries if entry.on]
    if not entries:
        return None

    def make() -> U16:
        shown = _met(asking, entries, mask.invert, sheet, rect)
        return (shown * _FULL + np.float32(0.5)).astype(np.uint16)

    asking = Asking(sources, project, layer.id)
    hears = sources.grounds.hears(project, cast(int, layer.mask))
    key = ("mask", layer.mask, layer.id if hears or refers_to_layers(mask) else None, sheet.key, sheet.size, rect)
    return sources.kept.like(key, sources.grounds.of_mask(project, layer), make, lambda made: made.nbytes)


def refers_to_layers(mask: Mask) -> bool:
    """Whether some entry goes by where another layer ends."""
    return any(entry.on and entry.shape.refers().layers for entry in mask.entries)


def _met(asking: Asking, entries: list[MaskEntry], invert: bool, sheet: Sheet, rect: Rect) -> F32:
    start = 0.0 if entries[0].mode == "add" else 1.0
    total = np.full(rect.shape, start, np.float32)
    for entry in entries:
        if entry.mode in ("subtract", "intersect", "confine") and not total.any():
            continue  # nothing is left to take from
        mine, before = _entry(asking, entry, sheet, rect), total
        if entry.mode == "replace":
            total = mine
        elif entry.mode == "add":
            total = total + mine - total * mine
        elif entry.mode == "subtract":
            total = total - total * mine
        elif entry.mode == "confine":
            total = np.clip((total + mine - np.float32(1)) / _STEP, 0, 1) * (mine > 0)
        else:
            total = total * mine
        if entry.opacity < 1:
            total = before + (total - before) * np.float32(entry.opacity)
    return np.float32(1) - total if invert else total


def _entry(asking: Asking, entry: MaskEntry, sheet: Sheet, rect: Rect) -> F32:
    """(r, c) float32 0…1 of one entry; its own growth, smoothing, feather, inversion and levels done."""
    sources, project = asking.sources, asking.project
    reach, row = entry.reach, shape_row(entry.shape)
    wide = rect.grown(reach, sheet.size)
    values = row.values(asking, entry.shape, sheet, wide)
    if reach:

        def fetch(key: SheetKey, chunk: Chunk) -> F32:
            other = sources.surface.sheet(key, project.size_of(key))
            return row.values(asking, entry.shape, other, rect_of(chunk, other.size))[..., None]

        around = Around(sources, project.size_of, sheet, wide, fetch)
        if entry.grow:
            values = grown(values, entry.grow, around)
            around = _after(around, lambda one: grown(one.own(), entry.grow, one), abs(entry.grow))
        if entry.smooth > 0:
            values = evened(values, entry.smooth, around)
            radius = entry.smooth
            around = _after(around, lambda one: evened(one.own(), radius, one), math.ceil(3 * radius) + 1)
        if entry.feather > 0:
            values = smoothed(values[..., None], entry.feather, around)[..., 0]
        values = values[rect.within(wide)]
    if entry.invert:
        values = np.float32(1) - values
    if (entry.black, entry.white, entry.gamma) != (0.0, 1.0, 1.0):
        values = levelled(values, entry.black, entry.white, entry.gamma)
    return values


def _after(around: Around, work: Callable[[Around], F32], reach: int) -> Around:
    """The same surroundings after something was done to all of the surface; it sees ``reach`` texels far."""
    made: dict[tuple[SheetKey, Chunk], F32] = {}

    def fetch(key: SheetKey, chunk: Chunk) -> F32:
        if (key, chunk) not in made:
            sheet = around.sources.surface.sheet(key, around.size_of(key))
            rect = rect_of(chunk, sheet.size)
            wide = rect.grown(reach, sheet.size)
            there = Around(around.sources, around.size_of, sheet, wide, around.fetch)
            made[key, chunk] = work(there)[rect.within(wide)][..., None]
        return made[key, chunk]

    return Around(around.sources, around.size_of, around.sheet, around.rect, fetch)


# --- shapes -------------------------------------------------------------------------------------------------------


class ShapeRow:
    """What a mask's shape gives: the row of :data:`~lucky_fern.core.project.kinds.SHAPES`."""

    def values(self, asking: Asking, shape: Any, sheet: Sheet, rect: Rect) -> F32:
        """(r, c) float32 0…1 on a rectangle of a sheet."""
        found = gathered(rect, sheet.size, np.zeros((), np.uint16), lambda one: self.piece(asking, shape, sheet, one))
        return np.zeros(rect.shape, np.float32) if found is None else found.astype(np.float32) / _FULL

    def piece(self, asking: Asking, shape: Any, sheet: Sheet, chunk: Chunk) -> U16 | None:
        """(r, c) uint16 of a chunk; None where it is all nothing."""
        raise NotImplementedError

    def changed(self, was: Any, now: Any, sheet: Sheet) -> set[Chunk] | None:
        """The chunks on which two shapes of this kind differ; None where that may be anywhere."""
        return set() if was == now else None


def shape_row(shape: Shape) -> ShapeRow:
    """What works out a shape."""
    return cast(ShapeRow, SHAPES.of(shape))


class FilledMask(ShapeRow):
    def values(self, asking: Asking, shape: Fill, sheet: Sheet, rect: Rect) -> F32:
        return np.full(rect.shape, shape.value, np.float32)


class ScopedMask(ShapeRow):
    def piece(self, asking: Asking, shape: ScopeShape, sheet: Sheet, chunk: Chunk) -> U16 | None:
        sources, project = asking.sources, asking.project
        if not shape.scope.holds_sheet(sheet.key):
            return None
        part = sources.scope_mask(triangles_in(project, shape.scope), sheet, chunk)
        return np.full(sources.owners(sheet, chunk).shape, 65535, np.uint16) if part is None else part


class PaintedMask(ShapeRow):
    def piece(self, asking: Asking, shape: PaintedShape, sheet: Sheet, chunk: Chunk) -> U16 | None:
        sources, project = asking.sources, asking.project
        painted = shape.sheets.get(str(sheet.key))
        if painted is None:
            return None
        rgba = draw_painted(painted, MASK, sheet.size, chunk, sources.blobs, sources.kept,
                            project.is_pixel_art(sheet.key))  # fmt: skip
        return None if rgba is None else rgba[..., 3]

    def changed(self, was: PaintedShape, now: PaintedShape, sheet: Sheet) -> set[Chunk]:
        return changed_paint(was.sheets, now.sheets, sheet, MASK)


class PicturedMask(ShapeRow):
    def piece(self, asking: Asking, shape: PictureShape, sheet: Sheet, chunk: Chunk) -> U16 | None:
        """A placed picture's alpha, or its luminance as stored times its alpha."""
        sources, project = asking.sources, asking.project
        name = shape.picture
        if name in project.sequences:
            if sheet.key.tile not in project.sequences[name]:
                return None
            name = project.sequences[name][sheet.key.tile]
        kit = project.pictures[name]
        height = shape.place.tall((kit.width, kit.height))
        if chunk not in sources.place_chunks(shape.place, height, None, sheet):
            return None
        rgba = sources.placed(
            Put(kit.drawn, shape.place, height, project.sampling_on(sheet.key, shape.sampling), "data"), sheet, chunk
        )
        if shape.use == "alpha":
            return rgba[..., 3]
        light = rgba[..., :3] @ LUMINANCE * (rgba[..., 3] / 65535.0)
        return np.asarray((light + 0.5).astype(np.uint16))
