"""Copies of a placed layer as new layers: its twin, a row, a ring, with masks that move along."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F32, F64
from lucky_fern.core.compositing.between import read_between
from lucky_fern.core.compositing.masks import Asking, shape_row
from lucky_fern.core.painting.pixels import mask_chunk
from lucky_fern.core.parallel import for_each
from lucky_fern.core.placing.copies import Copy, Move
from lucky_fern.core.project.commands import AddLayer, GroupLayers, PasteMask, SetGroup, Several, Single
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.kinds import Carrying, Place, Shape
from lucky_fern.core.project.painted import MASK, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.shapes import Mask, PaintedShape
from lucky_fern.core.sheets.grid import Chunk, to_texels
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.core.udim import corner_of

_OFF = 0.05  # of a picture's size: how far from where it would be the surface may lie to have what was painted there


def copied(studio: Studio, layer: Layer, copies: Sequence[Copy], title: str, together: str = "") -> Several:
    """The edit that adds copies of a placed layer above it, as one step; its mask is mirrored or moved with each.

    What a mask has painted, or laid in UV space, is carried over the surface; rules are measured anew where the copy
    is; scopes and selections stay as they are. ``together`` names a folded group for them.
    """
    shown = (layer.channels, layer.opacity, layer.blend, layer.scope)
    mask = None if layer.mask is None else studio.project.masks.get(layer.mask)
    commands: list[Single] = []
    number, made = studio.project.next_id, []
    for at, copy in reversed(list(enumerate(copies, 2))):
        commands.append(AddLayer(f"{layer.name} {at}", layer.content.put_at(copy.place), *shown, above=layer.id))
        made.append(number)
        if mask is not None:
            commands.append(PasteMask((number,), moved_mask(studio, layer, mask, copy)))
            number += 1
        number += 1
    if together and len(made) > 1:
        commands += [GroupLayers(tuple(made), together), SetGroup(number, folded=True)]
    return Several(tuple(commands), named=title)


def resampled(mask: Mask | None) -> bool:
    """Whether something of a mask has to be carried over texel by texel, which takes a moment."""
    return mask is not None and any(_by_texels(entry.shape) for entry in mask.entries)


def moved_mask(studio: Studio, layer: Layer, mask: Mask, copy: Copy) -> Mask:
    """A layer's mask as it is on a copy of the layer."""
    carrying = _Moved(copy.move)

    def moved(shape: Shape) -> Shape:
        return _carried_over(studio, layer, shape, copy) if _by_texels(shape) else shape.carried(carrying)

    return replace(mask, entries=tuple(replace(entry, shape=moved(entry.shape)) for entry in mask.entries))


def _by_texels(shape: Shape) -> bool:
    place = getattr(shape, "place", None)
    return bool(shape.painted) or (place is not None and not place.on_surface)


@dataclass(frozen=True)
class _Moved(Carrying):
    """Places moved through space."""

    move: Move

    def place(self, place: Place) -> Place:
        moved: Place | None = self.move.of(place)
        return place if moved is None else moved


def _carried_over(studio: Studio, layer: Layer, shape: Shape, copy: Copy) -> PaintedShape:
    """What a shape shows at the layer, painted where the copy is."""
    project, sources = studio.project, studio.sources
    row, asking = shape_row(shape), Asking(sources, project, layer.id)
    placed = layer.content.placed
    assert placed is not None
    height = copy.place.tall(project.picture_size(placed[0]))
    reach = _OFF * max(copy.place.width, height)

    def fetch(sheet: Sheet, chunk: Chunk) -> F32:
        piece = row.piece(asking, shape, sheet, chunk)
        if piece is None:
            return np.zeros((*sources.owners(sheet, chunk).shape, 1), np.float32)
        return (piece[..., None] / np.float32(65535)).astype(np.float32)

    def share(sheet: Sheet, chunk: Chunk) -> F32:
        owner = sources.owners(sheet, chunk)
        points = sheet.surface_points(chunk)
        out = np.zeros(owner.shape, np.float32)
        inside = owner >= 0
        out[inside] = _read(studio, fetch, *copy.move.back(points.position[inside], points.normal[inside]), reach)
        return out

    todo = [
        (sheet, chunk) for sheet in studio.surface.sheets(project.size_of)
        for chunk in sorted(sources.place_chunks(copy.place, height, None, sheet))
    ]  # fmt: skip
    shares = for_each(lambda one: share(*one), todo)
    sheets: dict[str, PaintedSheet] = {}
    for (sheet, chunk), values in zip(todo, shares, strict=True):
        if values.any():
            known = sheets.setdefault(str(sheet.key), PaintedSheet(sheet.size, {MASK: {}}))
            known.maps[MASK][place_name(chunk)] = studio.blobs.add(mask_chunk(values))
    return PaintedShape(sheets)


def _read(studio: Studio, fetch: Callable[[Sheet, Chunk], F32], points: F64, normals: F64, reach: float) -> F32:
    """(N,) a shape's values 0…1 at the points of the surface nearest to some points; 0 where none is in reach."""
    surface, project = studio.surface, studio.project
    found, weights = surface.nearest.find(points, normals, reach)
    out = np.zeros(len(points), np.float32)
    owner_sheet = np.where(found >= 0, surface.sheet_of_triangle[np.maximum(found, 0)], -1)
    for number, key in enumerate(surface.keys):
        mine = np.flatnonzero(owner_sheet == number)
        if not len(mine):
            continue
        sheet = surface.sheet(key, project.size_of(key))
        uv = np.einsum("nk,nkd->nd", weights[mine], surface.model.uv[found[mine]]) - corner_of(key.tile)
        at = to_texels(uv, sheet.size)
        islands = surface.model.islands[found[mine]].astype(np.int32)
        values, _ = read_between(
            studio.sources, sheet, partial(fetch, sheet), at[:, 0], at[:, 1], islands, 1
        )  # fmt: skip
        out[mine] = values[:, 0]
    return out
