"""Moving islands about: turned, fitted, aligned, spread, evened out, snapped, sent to other tiles."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F64, I32, Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.layouts import (
    Align,
    Distribute,
    EvenDensity,
    FitRectangle,
    Reframe,
    Snap,
    SnapTo,
    Transform,
)
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.udim import corner_of, is_tile
from lucky_fern.words import tr

_ON_BORDER = 1e-6  # tiles
SNAP = 0.05  # tiles; further away nothing is pulled to a border or to another island


def transform(layout: Layout, asked: Transform, size: Extent) -> None:
    """Scale, then turn, then move the chosen islands as one (or each by itself); ``size`` is for snapping."""
    if 0 in asked.scale:
        raise CommandError(tr("scale takes two numbers other than 0; -1 flips"))
    everything = layout.chosen & layout.model.has_uv if asked.alone else layout.whole(layout.numbers)
    several = (
        [everything & layout.whole(np.array([island])) for island in layout.numbers] if asked.each else [everything]
    )
    # Turned as texels lie: squares stay squares on sheets that are none.
    matrix = linear_part(asked) * (size.proportions[None, :] / size.proportions[:, None])
    for rows in several:
        about = np.array(asked.about) if asked.about is not None else layout.box(rows).mean(axis=0)
        layout.uv[rows] = (layout.uv[rows] - about) @ matrix.T + about + asked.move
    if asked.snap is not None:
        step = _snap_step(layout, asked.snap, size, layout.box(everything))
        layout.uv[everything] += step


def linear_part(asked: Transform) -> F64:
    """(2, 2) what a transformation does to UV differences; whole quarter turns are exact."""
    turn = np.radians(asked.rotate)
    rotation = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    if asked.rotate % 90 == 0:
        rotation = np.round(rotation)
    return np.asarray(rotation @ np.diag(asked.scale), np.float64)


def fit_rectangle(layout: Layout, asked: FitRectangle) -> None:
    """Bring the chosen islands as one into a rectangle."""
    low, high = np.array(asked.low), np.array(asked.high)
    if not (high > low).all():
        raise CommandError(tr("a rectangle runs from its lower left 'low' to its upper right 'high'"))
    rows = layout.whole(layout.numbers)
    box = layout.box(rows)
    size = np.maximum(box[1] - box[0], 1e-12)
    scale = (high - low) / size
    if asked.keep:
        scale[:] = scale.min()
    layout.uv[rows] = (layout.uv[rows] - box.mean(axis=0)) * scale + (low + high) / 2


def _moves(layout: Layout, move: Callable[[F64], F64]) -> None:
    """Move every group of islands by what ``move`` answers for its box."""
    for group in layout.groups():
        rows = layout.whole(np.array(group))
        layout.uv[rows] += move(layout.box(rows))


def align(layout: Layout, asked: Align) -> None:
    """Move islands so that edges or middles meet the outermost one (or the common middle)."""
    box = layout.box(layout.whole(layout.numbers))
    axis = 0 if asked.to in ("left", "right", "middle-u") else 1

    def line(one: F64) -> float:
        if asked.to in ("left", "bottom"):
            return float(one[0, axis])
        if asked.to in ("right", "top"):
            return float(one[1, axis])
        return float(one[:, axis].mean())

    def move(one: F64) -> F64:
        step = np.zeros(2)
        step[axis] = line(box) - line(one)
        return step

    _moves(layout, move)


def distribute(layout: Layout, asked: Distribute) -> None:
    """Equal gaps between islands, the outermost two staying where they are."""
    axis = 0 if asked.along == "u" else 1
    groups = [(layout.box(rows), rows) for group in layout.groups() if (rows := layout.whole(np.array(group))).any()]
    if len(groups) < 3:
        raise CommandError(tr("distributing takes three islands or more; select more of them"))
    groups.sort(key=lambda item: float(item[0][:, axis].mean()))
    sizes = [float(box[1, axis] - box[0, axis]) for box, _ in groups]
    start, end = groups[0][0][0, axis], groups[-1][0][1, axis]
    gap = float(end - start - sum(sizes)) / (len(groups) - 1)
    at = float(start)
    for (box, rows), size in zip(groups, sizes, strict=True):
        step = np.zeros(2)
        step[axis] = at - box[0, axis]
        layout.uv[rows] += step
        at += size + gap


def even_density(layout: Layout, asked: EvenDensity, size: Extent) -> None:
    """Scale every chosen island about its middle to one density; ``size`` in texels is their sheet's."""
    if asked.texels_per_unit is not None and not asked.texels_per_unit > 0:
        raise CommandError(tr("texels_per_unit must be above 0"))
    measures = layout.measures
    wanted = measures.typical_density() if asked.texels_per_unit is None else asked.texels_per_unit / size.mean
    for group in layout.groups():
        rows = layout.whole(np.array(group))
        surface = float(measures.area[rows].sum())
        mine = float(np.sqrt(np.abs(measures.uv_area[rows]).sum() / surface)) if surface > 0 else 0.0
        if mine > 0:
            _scale_on_tile(layout, rows, np.full(2, wanted / mine))


def _scale_on_tile(layout: Layout, rows: I32 | Bool, scale: F64) -> None:
    """Scale about the middle; what lay on one tile stays on it, if there is room."""
    tile, before = layout.tile(rows), layout.box(rows)
    middle = before.mean(axis=0)
    layout.uv[rows] = (layout.uv[rows] - middle) * scale + middle
    box = layout.box(rows)
    if (before[0] >= tile).all() and (before[1] <= tile + 1).all() and (box[1] - box[0] <= 1).all():
        layout.uv[rows] += np.maximum(tile - box[0], 0) + np.minimum(tile + 1 - box[1], 0)


def proportions(layout: Layout, size: Extent) -> None:
    """Undo what squeezes an island as a whole, keeping its area and its own directions of u and v.

    The scale along u and v that brings the mean metric of the island nearest to squares: its inverse metric's
    diagonal, weighted by area.
    """
    model = layout.model
    for island in layout.numbers.tolist():
        rows = layout.rows(island)
        corner, uv = model.corners[rows], layout.uv[rows]
        edges = np.stack([corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]], axis=1)
        steps = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], axis=1) * size.proportions
        usable = np.abs(np.linalg.det(steps)) > 1e-16
        if not usable.any():
            continue
        along = np.linalg.solve(steps[usable], edges[usable])  # rows: how far u and v carry on the surface
        area = np.linalg.norm(np.cross(edges[usable][:, 0], edges[usable][:, 1]), axis=1)
        length = np.sqrt(((along**2).sum(axis=2) * area[:, None]).sum(axis=0) / area.sum())
        scale = length / np.sqrt(length.prod())
        _scale_on_tile(layout, rows, scale)


def send_to(layout: Layout, tile: int) -> None:
    """The same place on another tile, each island from the tile where it lies."""
    if not is_tile(tile):
        raise CommandError(tr("{tile} is no tile; tiles run from 1001 to 9999", tile=tile))
    for group in layout.groups():
        rows = layout.whole(np.array(group))
        layout.uv[rows] += np.array(corner_of(tile)) - layout.tile(rows)


def inside(layout: Layout) -> None:
    """Whole islands onto one tile each: by whole tiles first, so that what repeats keeps its place on the tile."""
    for group in layout.groups():
        rows = layout.whole(np.array(group))
        tile = layout.tile(rows)
        there = np.maximum(tile, 0.0) if tile[0] <= 9 else np.zeros(2)
        layout.uv[rows] += there - tile
        box = layout.box(rows)
        scale = 1.0 / max(1.0, float((box[1] - box[0]).max()))
        layout.uv[rows] = (layout.uv[rows] - box.mean(axis=0)) * scale + box.mean(axis=0)
        box = layout.box(rows)
        layout.uv[rows] += np.maximum(there - box[0], 0) + np.minimum(there + 1 - box[1], 0)


def flip_v(layout: Layout) -> None:
    """Every chosen face upside down within its tile."""
    rows = np.flatnonzero(layout.chosen & layout.model.has_uv)
    row = np.floor(layout.uv[rows].mean(axis=1)[:, 1])
    layout.uv[rows, :, 1] = 2 * row[:, None] + 1 - layout.uv[rows, :, 1]


def snap(layout: Layout, asked: Snap, size: Extent) -> None:
    """Move islands a little, each by itself, onto whole texels, a tile's border, or against other islands."""
    _moves(layout, lambda box: _snap_step(layout, asked.to, size, box))


def _snap_step(layout: Layout, to: SnapTo, size: Extent, box: F64) -> F64:
    """(2,) the small step that brings a box onto what it snaps to."""
    if to == "texels":
        texels = np.array([size.width, size.height])
        whole: F64 = np.round(box[0] * texels) / texels - box[0]
        return whole
    if to == "tile":
        low = np.floor(box.mean(axis=0))
        lines = [np.array([low[axis], low[axis] + 1]) for axis in range(2)]
    else:
        others = _other_boxes(layout)
        near = [(others[:, 0, 1 - axis] <= box[1, 1 - axis] + SNAP)
                & (others[:, 1, 1 - axis] >= box[0, 1 - axis] - SNAP) for axis in range(2)]  # fmt: skip
        lines = [others[near[axis]][:, :, axis].ravel() for axis in range(2)]
    step = np.zeros(2)
    for axis in range(2):
        if len(lines[axis]):
            ways = (lines[axis][:, None] - box[:, axis]).ravel()
            best = ways[np.abs(ways).argmin()]
            step[axis] = best if abs(best) <= SNAP else 0.0
    return step


def _other_boxes(layout: Layout) -> F64:
    """(N, 2, 2) boxes of the islands that are not chosen."""
    count = int(layout.model.islands.max(initial=-1)) + 1
    mine = set(layout.numbers.tolist())
    boxes = [layout.box(layout.rows(island)) for island in range(count) if island not in mine]
    return np.array(boxes) if boxes else np.zeros((0, 2, 2))


def reframed(model: Model, asked: Reframe) -> F64:
    """(T, 3, 2) UVs as they lie on another canvas of a sheet.

    Raises
    ------
    CommandError
        If a face lies on several tiles, or would lie beyond the canvas.
    """
    material, _, tile = asked.sheet.rpartition(":")
    corner = np.array(corner_of(int(tile)), np.float64)
    if material not in model.materials:
        raise CommandError(tr("there is no sheet {sheet!r}", sheet=asked.sheet))
    rows = np.flatnonzero(model.has_uv & (model.material == model.materials.index(material)))
    local = model.uv[rows] - corner
    low, high = local.min(axis=1), local.max(axis=1)
    touches = ((high > _ON_BORDER) & (low < 1 - _ON_BORDER)).all(axis=1)
    if not (inside_ := (low >= -_ON_BORDER) & (high <= 1 + _ON_BORDER)).all(axis=1)[touches].all():
        count = int((~inside_.all(axis=1))[touches].sum())
        raise CommandError(tr("{count} faces of {sheet} reach over its border; bring them onto the tile first",
                              count=count, sheet=asked.sheet))  # fmt: skip
    before, after = asked.before, asked.after
    lower = after.height - before.height - asked.upper
    moved = local[touches] * [before.width, before.height] + [asked.left, lower]
    moved /= [after.width, after.height]
    if (moved < -_ON_BORDER).any() or (moved > 1 + _ON_BORDER).any():
        raise CommandError(
            tr("faces of {sheet} would lie beyond the new canvas; make it larger, or hold it elsewhere",
               sheet=asked.sheet)
        )  # fmt: skip
    uv = model.uv.copy()
    uv[rows[touches]] = moved + corner
    return uv


def check_any(numbers: I32) -> None:
    """Refuse an edit of islands where none is chosen."""
    if not len(numbers):
        raise CommandError(tr("none of the selected faces lies on an island; select some, or unwrap them first"))
