"""UVs that repeat: which materials seem to be made so, and faces that lay on one tile back where they came from."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I64, triangle_areas
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.cutting import Cut
from lucky_fern.core.layout.joining import in_order, pieces_in
from lucky_fern.core.model.as_written import as_written
from lucky_fern.core.model.model import Model
from lucky_fern.words import tr

_MOST = 64  # tiles that are counted, across or down, of one face
_OVER = 1e-3  # tiles that a face reaches over a border before it is one that crosses it


class Repeating(NamedTuple):
    """A material whose UVs lie on so many tiles: ``on`` whether they repeat here, or just seem to be made so."""

    material: str
    tiles: int
    on: bool


def repeats_of(model: Model) -> tuple[Repeating, ...]:
    """The materials whose UVs repeat, or seem to."""
    there, maybe = repeating(model), seems_to_repeat(model)
    return tuple(Repeating(name, tiles, on) for found, on in ((there, True), (maybe, False))
                 for name, tiles in found.items())  # fmt: skip


def repeating(model: Model) -> dict[str, int]:
    """The materials whose UVs repeat → over how many tiles their own file lays them."""
    found = {}
    for name, was in model.repeats.items():
        if model.file is not None and was in model.file.materials:
            file = model.file
            rows = file.has_uv & (file.material == file.materials.index(was))
            found[name] = len(np.unique(_tiles(file.uv[rows]), axis=0))
    return found


def seems_to_repeat(model: Model) -> dict[str, int]:
    """Materials whose UVs leave the tile and are no layout over several tiles → how many tiles they lie on.

    They are not if faces cross borders, lie on negative tiles or beyond the tenth column, or where whole columns or
    rows of tiles are left out.
    """
    found = {}
    for number, name in enumerate(model.materials):
        rows = model.has_uv & (model.material == number)
        if name in model.repeats or not rows.any():
            continue
        uv = model.uv[rows]
        tiles = np.unique(_tiles(uv), axis=0)
        low, high = np.floor(uv.min(axis=1) + _OVER), np.ceil(uv.max(axis=1) - _OVER)
        crossing = ((high - low) > 1).any()
        if crossing or (tiles < 0).any() or (tiles[:, 0] > 9).any() or _gaps(tiles):
            found[name] = len(tiles)
    return found


def _tiles(uv: F64) -> I64:
    """(N, 2) the tiles that faces (T, 3, 2) touch, each once; of a face that is wider than one all of its box."""
    low = np.floor(uv.min(axis=1) + _OVER).astype(np.int64)
    high = np.maximum(np.ceil(uv.max(axis=1) - _OVER).astype(np.int64), low + 1)
    found = []
    for u0, v0, u1, v1 in np.unique(np.concatenate([low, high], axis=1), axis=0).tolist():
        u, v = np.arange(u0, min(u1, u0 + _MOST)), np.arange(v0, min(v1, v0 + _MOST))
        found.append(np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2))
    return np.unique(np.concatenate(found), axis=0)


def _gaps(tiles: I64) -> bool:
    """Whether columns or rows of tiles are left out below those that are used."""
    rows = np.unique(tiles[:, 1])
    if rows[0] != 0 or (np.diff(rows) > 1).any():
        return True
    columns = np.unique(tiles[:, 0])
    return bool(columns[0] != 0 or (np.diff(columns) > 1).any())


def spread(model: Model, material: str) -> Cut:
    """The model with the faces of a material that repeats where its file has them, over all their tiles.

    Raises
    ------
    CommandError
        If its UVs do not repeat.
    """
    if material not in model.repeats or model.file is None:
        raise CommandError(tr("UVs of {name} do not repeat here", name=material))
    file, others = model.file, {name: was for name, was in model.repeats.items() if name != material}
    before = np.flatnonzero(model.material == model.materials.index(material))
    rows = np.flatnonzero(file.material == file.materials.index(model.repeats[material]))
    written = as_written(replace(model, repeats={material: model.repeats[material]}))
    made = replace(written.model, repeats=others, file=file if others else None)
    stay = len(written.source) - len(rows)
    origin = written.source.copy()
    for face, pieces in pieces_in(model, before, file, rows).items():
        origin[stay + int(np.searchsorted(rows, face))] = pieces[triangle_areas(model.corners[pieces]).argmax()]
    return Cut(*in_order(made, file, origin))
