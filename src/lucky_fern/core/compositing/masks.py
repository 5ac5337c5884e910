"""Masks on a rectangle of a sheet: entries met one after the other."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, I32, U16
from lucky_fern.core.colour import LUMINANCE
from lucky_fern.core.compositing.brushwork import draw_painted
from lucky_fern.core.compositing.effects import levelled, smoothed
from lucky_fern.core.compositing.growth import evened, grown
from lucky_fern.core.compositing.sources import Sources, triangles_in
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.painted import MASK
from lucky_fern.core.project.places import place_height
from lucky_fern.core.project.shapes import Fill, Mask, MaskEntry, PictureShape, ScopeShape
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.region import Rect, gathered
from lucky_fern.core.sheets.sheet import Sheet

_FULL = np.float32(65535)
_STEP = np.float32(0.15)  # how softly a level comes in where a mask is confined


def mask_values(sources: Sources, project: Project, number: int | None, sheet: Sheet, rect: Rect) -> U16 | None:
    """(r, c) uint16 strength of a mask, 65535 showing all; None where it hides nothing anywhere.

    Entries are met in order: *replace* forgets what was before; *add* shows where either shows
    (a + b − ab); *subtract* hides where the entry shows (a − ab); *intersect* shows where both do (ab); *confine*
    takes the entry as levels that a reaches one after the other ((a + b − 1) / 0.15, cut to 0…1, for b above 0).
    A mask that begins with *add* begins from nothing, with *replace* from itself, otherwise from all.
    """
    mask = None if number is None else project.masks[number]
    if mask is None or not mask.on:
        return None
    entries = [entry for entry in mask.entries if entry.on]
    if not entries:
        return None
    key = ("mask", number, sheet.key, sheet.size, rect)
    found = sources.kept.find(key)
    if found is not None and _still_true(found, mask, project):
        return found[2]  # type: ignore[no-any-return, index]
    values = (_met(sources, project, entries, mask.invert, sheet, rect) * _FULL + np.float32(0.5)).astype(np.uint16)
    sources.kept.put(key, (mask, project.pictures, values), values.nbytes)
    return values


def _still_true(found: object, mask: Mask, project: Project) -> bool:
    assert isinstance(found, tuple)
    return (found[0] is mask or found[0] == mask) and (found[1] is project.pictures or found[1] == project.pictures)


def _met(sources: Sources, project: Project, entries: list[MaskEntry], invert: bool, sheet: Sheet, rect: Rect) -> F32:
    start = 0.0 if entries[0].mode == "add" else 1.0
    total = np.full(rect.shape, start, np.float32)
    for entry in entries:
        if entry.mode in ("subtract", "intersect", "confine") and not total.any():
            continue  # nothing is left to take from
        mine, before = _entry(sources, project, entry, sheet, rect), total
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


def _entry(sources: Sources, project: Project, entry: MaskEntry, sheet: Sheet, rect: Rect) -> F32:
    """(r, c) float32 0…1 of one entry; its own growth, smoothing, feather, inversion and levels done."""
    reach = entry.reach
    wide = rect.grown(reach, sheet.size)
    values = _shape(sources, project, entry, sheet, wide)
    if reach:
        islands = island_numbers(sources, sheet, wide)
        if entry.grow:
            values = grown(values, entry.grow, islands)
        if entry.smooth > 0:
            values = evened(values, entry.smooth, islands)
        if entry.feather > 0:
            values = smoothed(values[..., None], entry.feather, islands)[..., 0]
        values = values[rect.within(wide)]
    if entry.invert:
        values = np.float32(1) - values
    if (entry.black, entry.white, entry.gamma) != (0.0, 1.0, 1.0):
        values = levelled(values, entry.black, entry.white, entry.gamma)
    return values


def _shape(sources: Sources, project: Project, entry: MaskEntry, sheet: Sheet, rect: Rect) -> F32:
    shape = entry.shape
    if isinstance(shape, Fill):
        return np.full(rect.shape, shape.value, np.float32)
    nothing = np.zeros((), np.uint16)

    def piece(chunk: Chunk) -> U16 | None:
        if isinstance(shape, ScopeShape):
            if not shape.scope.holds_sheet(sheet.key):
                return None
            part = sources.scope_mask(triangles_in(project, shape.scope), sheet, chunk)
            return np.full(sources.owners(sheet, chunk).shape, 65535, np.uint16) if part is None else part
        if isinstance(shape, PictureShape):
            return _picture(sources, project, shape, sheet, chunk)
        painted = shape.sheets.get(str(sheet.key))
        rgba = (
            None if painted is None else draw_painted(painted, MASK, sheet.size, chunk, sources.blobs, sources.kept)
        )
        return None if rgba is None else rgba[..., 3]

    found = gathered(rect, sheet.size, nothing, piece)
    if found is None:
        return np.zeros(rect.shape, np.float32)
    return found.astype(np.float32) / _FULL


def _picture(sources: Sources, project: Project, shape: PictureShape, sheet: Sheet, chunk: Chunk) -> U16 | None:
    """A placed picture's alpha, or its luminance as stored times its alpha."""
    name = shape.picture
    if name in project.sequences:
        if sheet.key.tile not in project.sequences[name]:
            return None
        name = project.sequences[name][sheet.key.tile]
    kit = project.pictures[name]
    height = place_height(shape.place, (kit.width, kit.height))
    if chunk not in sources.place_chunks(shape.place, height, None, sheet):
        return None
    rgba = sources.placed(kit, shape.place, height, shape.sampling, "data", None, sheet, chunk)
    if shape.use == "alpha":
        return rgba[..., 3]
    light = rgba[..., :3] @ LUMINANCE * (rgba[..., 3] / 65535.0)
    return np.asarray((light + 0.5).astype(np.uint16))


def island_numbers(sources: Sources, sheet: Sheet, rect: Rect) -> I32:
    """(r, c) int32, the model's number of the island that each texel lies on; -1 outside."""
    owner = gathered(rect, sheet.size, np.array(-1, np.int32), lambda chunk: sources.owners(sheet, chunk))
    assert owner is not None
    return np.where(owner >= 0, sheet.model.islands[sheet.triangle[owner]], -1).astype(np.int32)
