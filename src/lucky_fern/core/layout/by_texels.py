"""Faces laid by whole texels: boxes unfolded to crosses, parts onto one spot and apart, places by chance, one sheet.

What is about parts takes the chosen faces of each part as one, or, where all are of one part, each piece that hangs
together.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lucky_fern.core.arrays import F64, I64, triangle_areas
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.flatten import AXES, frame_of, sides
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.layout.texel_room import Box, TexelRoom
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.layouts import Apart, BoxNet, GatherSheets, OneSpot, Vary
from lucky_fern.core.project.plain import check_size
from lucky_fern.core.sheets.grid import LARGEST, Extent, SheetKey
from lucky_fern.core.udim import tile_of
from lucky_fern.words import tr

_MOST_TEXELS = 1e6  # a unit
_FIRST = 1001
_SQUARE = 0.02  # cosine between two sides of a box, at the most
# Where a cross has its sides: columns are left, front, right, back; rows are top, middle, bottom.
_SIDES = ((2, 1), (0, 1), (1, 0), (1, 2), (1, 1), (3, 1))  # of +X, -X, +Y, -Y, +Z, -Z


@dataclass(frozen=True)
class Gathered:
    """A model whose sheets ``were`` are blocks of one sheet of a size now."""

    model: Model
    key: SheetKey
    size: Extent
    were: tuple[SheetKey, ...]


def pieces_of(layout: Layout) -> list[I64]:
    """The chosen faces of each part, or of each piece where all are of one part; rows of the model."""
    model = layout.model
    rows = np.flatnonzero(layout.chosen & model.has_uv)
    by = model.part[rows]
    if len(np.unique(by)) < 2:
        by = model.pieces[rows]
    return [rows[by == one] for one in np.unique(by)]


def box_net(layout: Layout, asked: BoxNet, size: Extent) -> None:
    """Every piece among the chosen faces as an unfolded cross, in free room of their tile."""
    if not 0 < asked.texels_per_unit <= _MOST_TEXELS:
        raise CommandError(tr("texels_per_unit must be above 0"))
    model, corner = layout.model, layout.tile(layout.chosen & layout.model.has_uv)
    rows = np.flatnonzero(layout.chosen)
    pieces = [rows[model.pieces[rows] == one] for one in np.unique(model.pieces[rows])]
    nets = [_net(model, mine, asked.texels_per_unit) for mine in pieces]
    room = room_beside(layout, rows, corner, size)
    # Large ones first: small ones find room beside them.
    for number in sorted(range(len(nets)), key=lambda n: _height(nets[n][1]), reverse=True):
        texels, boxes = nets[number]
        at = room.fill(boxes)
        if at is None:
            wide, high = (max(box[k] for box in boxes) for k in (2, 3))
            raise CommandError(
                tr("there is no room for a cross of {wide} × {high} texels on a sheet of {size}; make its canvas "
                   "larger, or take fewer texels a unit", wide=wide, high=high, size=size)
            )  # fmt: skip
        layout.uv[pieces[number]] = to_uv(texels + at, size) + corner


def _net(model: Model, rows: I64, density: float) -> tuple[F64, list[Box]]:
    """(N, 3, 2) columns and rows of texels of a piece's faces in its cross, and the boxes that it takes."""
    turn = own_axes(model, rows)
    corners = model.corners[rows] @ turn.T
    side = sides(model, rows, turn)
    extent = np.ptp(corners.reshape(-1, 3), axis=0)
    texels = np.maximum(np.rint(extent * density), 1).astype(np.int64)
    texels[extent <= 1e-9 * extent.max(initial=1e-300)] = 0
    w, h, d = texels.tolist()
    columns, lines = np.cumsum([0, d, w, d, w]), np.cumsum([0, d, h, d])
    placed, boxes = np.zeros((len(rows), 3, 2)), []
    for number, (column, line) in enumerate(_SIDES):
        mine = side == number
        if not mine.any():
            continue
        right, top, _ = frame_of(AXES[number])
        flat = np.stack([corners @ right, -(corners @ top)], axis=-1)
        low, high = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
        wide = np.array([columns[column + 1] - columns[column], lines[line + 1] - lines[line]])
        share = (flat[mine] - low) / np.where(high > low, high - low, 1)
        placed[mine] = share * wide + [columns[column], lines[line]]
        if wide.all():
            boxes.append((int(columns[column]), int(lines[line]), int(columns[column + 1]), int(lines[line + 1])))
    if not boxes:
        raise CommandError(tr("a piece of the selected faces has no area to lay out"))
    low = np.array([min(box[k] for box in boxes) for k in (0, 1)])
    x, y = low.tolist()
    return placed - low, [(left - x, upper - y, right - x, lower - y) for left, upper, right, lower in boxes]


def own_axes(model: Model, rows: I64) -> F64:
    """(3, 3) rows: the axes of a piece shaped like a box, each named by the axis of the model that is nearest.

    The direction that most of its area faces, the next that stands upright on it, and what stands on both. Nothing is
    turned where those are the model's own, or where two of them are nearest to one.
    """
    normals, area = model.face_normals[rows], triangle_areas(model.corners[rows])
    # Opposite and equal faces count together.
    signs = np.sign(normals @ np.array([1.0, 1e-3, 1e-6]))
    _, which = np.unique(np.round(normals * signs[:, None], 4), axis=0, return_inverse=True)
    weight = np.bincount(which.ravel(), weights=area)
    way = np.zeros((len(weight), 3))  # as they are, not as they were rounded to be counted together
    np.add.at(way, which.ravel(), normals * (signs * area)[:, None])
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-300)
    first = way[weight.argmax()]
    upright = np.abs(way @ first) < _SQUARE
    if not upright.any():
        return np.eye(3)
    second = way[upright][weight[upright].argmax()]
    second = second - first * (second @ first)
    axes = np.stack([first, second / np.linalg.norm(second), np.cross(first, second / np.linalg.norm(second))])
    nearest = np.abs(axes).argmax(axis=1)
    if len(set(nearest.tolist())) < 3:
        return np.eye(3)
    turn = axes[np.argsort(nearest)]
    turn *= np.sign(np.diag(turn))[:, None]
    return np.asarray(turn if np.linalg.det(turn) > 0 and np.abs(turn - np.eye(3)).max() > 1e-6 else np.eye(3))


def _height(boxes: list[Box]) -> tuple[int, int]:
    return max(box[3] for box in boxes), max(box[2] for box in boxes)


def to_uv(texels: F64, size: Extent) -> F64:
    """(..., 2) UVs on a tile from columns and rows, counted from the upper left."""
    return np.stack([texels[..., 0] / size.width, 1 - texels[..., 1] / size.height], axis=-1)


def in_texels(uv: F64, size: Extent) -> F64:
    """(..., 2) columns and rows from UVs on a tile."""
    return np.stack([uv[..., 0] * size.width, (1 - uv[..., 1]) * size.height], axis=-1)


def room_beside(layout: Layout, rows: I64, corner: F64, size: Extent) -> TexelRoom:
    """The room on a tile that faces other than ``rows`` leave, those of the same material."""
    model, room = layout.model, TexelRoom(size)
    others = model.has_uv & np.isin(model.material, np.unique(model.material[rows]))
    others[rows] = False
    local = layout.uv[others] - corner
    room.take_triangles(local[((local.max(axis=1) > 0) & (local.min(axis=1) < 1)).all(axis=1)])
    return room


def _boxes(layout: Layout, pieces: list[I64], corner: F64, size: Extent) -> I64:
    """(N, 4) whole texels that pieces take: left, upper, right, lower."""
    found = []
    for rows in pieces:
        texels = in_texels(layout.uv[rows] - corner, size).reshape(-1, 2)
        found.append([*np.floor(texels.min(axis=0) + 1e-6), *np.ceil(texels.max(axis=0) - 1e-6)])
    return np.array(found).astype(np.int64).reshape(-1, 4)


def _moved(layout: Layout, rows: I64, step: F64, size: Extent) -> None:
    """Move faces by whole texels: columns to the right, rows down."""
    layout.uv[rows] += np.array([step[0] / size.width, -step[1] / size.height])


def one_spot(layout: Layout, asked: OneSpot, size: Extent) -> None:
    """The upper left of every part to that of the one that lies uppermost, then leftmost."""
    pieces, corner = pieces_of(layout), layout.tile(layout.chosen & layout.model.has_uv)
    if len(pieces) < 2:
        raise CommandError(tr("onto one spot go two parts or more; select more of them"))
    boxes = _boxes(layout, pieces, corner, size)
    first = boxes[np.lexsort((boxes[:, 0], boxes[:, 1]))[0], :2]
    for rows, box in zip(pieces, boxes, strict=True):
        _moved(layout, rows, first - box[:2], size)


def apart(layout: Layout, asked: Apart, size: Extent) -> None:
    """Parts off each other and off others: the first stays, the rest go to free room, by whole texels."""
    pieces, corner = pieces_of(layout), layout.tile(layout.chosen & layout.model.has_uv)
    boxes = _boxes(layout, pieces, corner, size)
    room = room_beside(layout, np.concatenate(pieces), corner, size)
    for rows, (left, upper, right, lower) in zip(pieces, boxes.tolist(), strict=True):
        inside = left >= 0 and upper >= 0 and right <= size.width and lower <= size.height
        if inside and not room.taken[upper:lower, left:right].any():
            room.taken[upper:lower, left:right] = True
            continue
        at = room.fill([(0, 0, right - left, lower - upper)])
        if at is None:
            raise CommandError(
                tr("there is no room for {wide} × {high} texels beside the rest on a sheet of {size}; make its "
                   "canvas larger", wide=right - left, high=lower - upper, size=size)
            )  # fmt: skip
        _moved(layout, rows, np.array(at) - [left, upper], size)


def vary(layout: Layout, asked: Vary, size: Extent) -> None:
    """Every part to a place of its own inside an area, by chance, in whole texels."""
    left, upper, right, lower = asked.area
    if not (0 <= left < right <= size.width and 0 <= upper < lower <= size.height):
        raise CommandError(
            tr(
                "an area runs from left and upper to right and lower, within the {size} texels of the sheet",
                size=size,
            )
        )
    pieces, corner = pieces_of(layout), layout.tile(layout.chosen & layout.model.has_uv)
    chance = np.random.default_rng(asked.seed)
    for rows, box in zip(pieces, _boxes(layout, pieces, corner, size), strict=True):
        free = np.array([right - left, lower - upper]) - (box[2:] - box[:2])
        if (free < 0).any():
            raise CommandError(
                tr("a part of {wide} × {high} texels does not fit into that area; choose a larger one",
                   wide=int(box[2] - box[0]), high=int(box[3] - box[1]))
            )  # fmt: skip
        _moved(layout, rows, chance.integers(0, free + 1) + np.array([left, upper]) - box[:2], size)


def gathered(model: Model, asked: GatherSheets, rows: I64, size_of: Callable[[SheetKey], Extent]) -> Gathered:
    """The model with all sheets that some faces lie on as blocks of one sheet, by whole texels.

    Raises
    ------
    CommandError
        If they do not fit, or a face lies on several tiles.
    """
    name = asked.material.strip()
    if not name or ":" in name:
        raise CommandError(tr("a material needs a name without a colon"))
    rows = rows[model.has_uv[rows]]
    if not len(rows):
        raise CommandError(tr("none of the selected faces lies on a sheet"))
    corner = np.floor(model.uv[rows].mean(axis=1))
    local = model.uv[rows] - corner[:, None]
    if (local < -1e-6).any() or (local > 1 + 1e-6).any():
        raise CommandError(tr("some faces reach over the border of their sheet; bring them onto the tile first"))
    others = np.ones(model.triangle_count, np.bool_)
    others[rows] = False
    if name in model.materials and (others & (model.material == model.materials.index(name))).any():
        raise CommandError(tr("{name} has other faces too; take another name, or select those as well", name=name))
    blocks, which = np.unique(np.column_stack([model.material[rows], corner]), axis=0, return_inverse=True)
    keys = [SheetKey(model.materials[int(n)], tile_of(int(u), int(v))) for n, u, v in blocks.tolist()]
    sizes = [size_of(key) for key in keys]
    size = asked.size or _least(sizes)
    check_size(size)
    uv = model.uv.copy()
    for number, (block, place) in enumerate(zip(sizes, _room_for(sizes, size), strict=True)):
        mine = which.ravel() == number
        uv[rows[mine]] = to_uv(in_texels(local[mine], block) + place, size)
    materials = model.materials if name in model.materials else (*model.materials, name)
    material = model.material.copy()
    material[rows] = materials.index(name)
    used = np.unique(material)
    kept = tuple(materials[number] for number in used)
    made = replace(model, uv=uv, material=np.searchsorted(used, material).astype(np.int32), materials=kept)
    return Gathered(made, SheetKey(name, _FIRST), size, tuple(keys))


def _room_for(sizes: list[Extent], size: Extent) -> list[tuple[int, int]]:
    """A column and row for each of some blocks on a sheet, high ones first."""
    places = _places(sizes, size)
    if places is None:
        raise CommandError(
            tr("the {count} sheets do not fit onto one of {size} texels; make it larger", count=len(sizes), size=size)
        )
    return places


def _places(sizes: list[Extent], size: Extent) -> list[tuple[int, int]] | None:
    room, places = TexelRoom(size), [(0, 0)] * len(sizes)
    for number in sorted(range(len(sizes)), key=lambda n: (-sizes[n].height, -sizes[n].width, n)):
        at = room.fill([(0, 0, sizes[number].width, sizes[number].height)])
        if at is None:
            return None
        places[number] = at
    return places


def _least(sizes: list[Extent]) -> Extent:
    """The smallest sheet, of powers of two, that holds blocks of some sizes; the largest there is, if none does."""
    area = sum(size.width * size.height for size in sizes)
    width, height = (
        1 << (max(edges) - 1).bit_length() for edges in zip(*((s.width, s.height) for s in sizes), strict=True)
    )
    while width < LARGEST or height < LARGEST:
        if width * height >= area and _places(sizes, Extent(width, height)) is not None:
            break
        width, height = (width * 2, height) if width <= height else (width, height * 2)
    return Extent(width, height)
