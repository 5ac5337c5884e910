"""Where a layer ends: how far every texel lies from the border of what a layer shows, in space and so over seams."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64
from lucky_fern.core.compositing.around import Around
from lucky_fern.core.compositing.layer_row import layer_chunks
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_alone
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.showing import showing
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.survey.lines import Lines, distances, sorted_lines

_SHOWN = np.float32(0.5)  # a layer shows where it covers at least so much


def rim_values(
    sources: Sources, project: Project, of: int, asking: int, reach: float, sheet: Sheet, chunk: Chunk
) -> F32:
    """(r, c) float32: 1 on the border of where a layer shows, 0 at ``reach`` (model units) on both sides.

    A layer that shows by the one ``asking`` has no rim for that one.
    """
    inside, points, normals, _ = sources.survey.places(sheet, chunk)
    out = np.zeros(inside.shape, np.float32)
    layer = next((one for one in project.walk() if one.id == of), None)
    if layer is None or asking in sources.grounds.round(project, of) or not len(points):
        return out
    with sources.rims_lock:
        lines = _border(sources, project, layer, reach)
    out[inside] = 1 - distances(lines, points, reach, normals) / reach
    return out


def _border(sources: Sources, project: Project, layer: Layer, reach: float) -> Lines:
    def make() -> Lines:
        points, normals = [np.zeros((0, 3))], [np.zeros((0, 3))]
        for key in sources.surface.keys:
            sheet = sources.surface.sheet(key, project.size_of(key))
            for chunk in sorted(_touched(sources, project, layer, sheet)):
                for found in _crossings(sources, project, layer, sheet, chunk):
                    points.append(found[0])
                    normals.append(found[1])
        spots = np.concatenate(points)
        return sorted_lines(np.repeat(spots[:, None], 2, axis=1), reach, np.concatenate(normals))

    ground = sources.grounds.of_layer(project, layer.id)
    key = ("rim", layer.id, reach, sources.grounds.sizes(project))
    return sources.kept.like(key, ground, make, lambda made: made.ends.nbytes + 64)


def _maps(layer: Layer) -> list[str]:
    """The maps that tell where it shows: all that differ."""
    active = [name for name in MAPS if name in layer.active_channels()]
    return active if layer.content.painted is not None else active[:1]


def _touched(sources: Sources, project: Project, layer: Layer, sheet: Sheet) -> set[Chunk]:
    """The chunks on which a layer may end, their neighbours among them: borders may run between two."""
    return {
        chunk for one, _ in showing((layer,), sheet.key) for name in _maps(one)
        for chunk in layer_chunks(sources, project, one, name, sheet)
    }  # fmt: skip


def _coverage(sources: Sources, project: Project, layer: Layer, sheet: Sheet, chunk: Chunk) -> F32:
    """(r, c) float32 how far a layer covers a chunk, its mask put in."""
    rect = rect_of(chunk, sheet.size)
    out = np.zeros(rect.shape, np.float32)
    if not layer.visible or not layer.scope.holds_sheet(sheet.key):
        return out
    names = _maps(layer) if not layer.content.holds_layers else _group_maps(layer)
    for name in names:
        out = np.maximum(out, composite_alone(sources, project, name, sheet, rect, layer, covering=True)[1])
    return out


def _group_maps(layer: Layer) -> list[str]:
    """A few maps that together show all that a group holds."""
    found: list[str] = []
    for child in layer.children:
        inner = _group_maps(child) if child.content.holds_layers else _maps(child)
        found += [name for name in inner if name not in found]
    return found


def _crossings(
    sources: Sources, project: Project, layer: Layer, sheet: Sheet, chunk: Chunk
) -> list[tuple[F64, F64]]:  # fmt: skip
    """Points in space, and normals there, where coverage passes a half between two texels of a chunk.

    Texels beside the islands are looked at as well: over a seam the layer goes on or ends.
    """

    def fetch(key: SheetKey, other: Chunk) -> F32:
        there = sources.surface.sheet(key, project.size_of(key))
        return _coverage(sources, project, layer, there, other)[..., None]

    rect = rect_of(chunk, sheet.size).grown(1, sheet.size)
    around = Around(sources, project.size_of, sheet, rect, fetch)
    covered = around.own()[..., None]
    position, normal = np.zeros((*rect.shape, 3)), np.zeros((*rect.shape, 3))
    for row in range(rect.top // CHUNK, (rect.bottom - 1) // CHUNK + 1):
        for column in range(rect.left // CHUNK, (rect.right - 1) // CHUNK + 1):
            own = rect_of(Chunk(row, column), sheet.size)
            inside, points, normals, _ = sources.survey.places(sheet, Chunk(row, column))
            whole_p, whole_n = np.zeros((*inside.shape, 3)), np.zeros((*inside.shape, 3))
            whole_p[inside], whole_n[inside] = points, normals
            top, bottom = max(own.top, rect.top), min(own.bottom, rect.bottom)
            left, right = max(own.left, rect.left), min(own.right, rect.right)
            here = np.s_[top - rect.top : bottom - rect.top, left - rect.left : right - rect.left]
            there = np.s_[top - own.top : bottom - own.top, left - own.left : right - own.left]
            position[here], normal[here] = whole_p[there], whole_n[there]
    found = []
    for island in around.each(covered, 2):
        values, known = island.values[..., 0], island.known
        mine = np.zeros(known.shape, np.bool_)
        mine[island.inner] = island.mine
        at = np.zeros((*known.shape, 3))
        facing = np.zeros((*known.shape, 3))
        at[island.inner], facing[island.inner] = position[island.box], normal[island.box]
        for axis in (0, 1):
            a = [slice(None), slice(None)]
            b = [slice(None), slice(None)]
            a[axis], b[axis] = slice(None, -1), slice(1, None)
            one, two = tuple(a), tuple(b)
            crossed = (values[one] >= _SHOWN) != (values[two] >= _SHOWN)
            crossed &= known[one] & known[two] & (mine[one] | mine[two])
            first, second = values[one][crossed], values[two][crossed]
            share = ((_SHOWN - first) / (second - first))[:, None]
            both = (mine[one] & mine[two])[crossed][:, None]
            p, q = at[one][crossed], at[two][crossed]
            here_first = mine[one][crossed][:, None]
            alone = np.where(here_first, p, q)
            points = np.where(both, p + (q - p) * share, alone)
            found.append((points, np.where(here_first, facing[one][crossed], facing[two][crossed])))
    return found
