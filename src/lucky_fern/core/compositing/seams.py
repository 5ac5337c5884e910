"""What a change reaches over seams: chunks whose texels look at others through borders of islands."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Bool
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, span, to_texels
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of

_HOPS = 3  # islands that one blur may reach over
_PIECE = 64.0  # texels, of a seam: longer ones are cut, so that their boxes are small
_SPARE = 2.0  # texels, for what lies between two texels
_SLACK = 2.0  # times as far, as texels may be longer along a seam than across it
_FINEST = 64  # times as fine as this side the other may be


class SeamLinks(NamedTuple):
    """Pieces of seams as one side has them and as the other does: what lies near one looks at what is near the other.

    ``here``, ``there`` (N,) numbers of sheets; ``mine``, ``theirs`` (N, 4) boxes in texels: left, upper, right,
    lower; ``finer`` (N,) how many texels there are as long as one here.
    """

    here: I64
    mine: F64
    there: I64
    theirs: F64
    finer: F64


def over_seams(
    surface: Surface, size_of: Callable[[SheetKey], Extent], chunks: dict[SheetKey, set[Chunk]],
    reaches: int | dict[SheetKey, int],
) -> dict[SheetKey, set[Chunk]]:  # fmt: skip
    """Chunks, all within so many texels of them, and what lies as near over seams; of all sheets, or of each."""
    sizes = [size_of(key) for key in surface.keys]
    reach = np.array([reaches if isinstance(reaches, int) else reaches[key] for key in surface.keys], np.float64)
    number = {key: at for at, key in enumerate(surface.keys)}
    out = {key: set(spread(some, int(reach[number[key]]), size_of(key))) for key, some in chunks.items()}
    links = seam_links(surface, tuple(sizes))
    left = reach[links.here] > 0  # of those that were not come to yet
    changed = {number[key]: _boxes(some, size_of(key)) for key, some in chunks.items()}
    for _ in range(_HOPS):
        met = np.flatnonzero(left & _meeting(links, reach, changed))
        if not len(met):
            break
        left[met] = False
        changed = {}
        here, grown = links.here[met], reach[links.here[met]] + _SPARE
        boxes = np.concatenate([links.mine[met, :2] - grown[:, None], links.mine[met, 2:] + grown[:, None]], axis=1)
        for at in np.unique(here).tolist():
            changed[at] = _marked(out.setdefault(surface.keys[at], set()), boxes[here == at], sizes[at])
    return out


def _meeting(links: SeamLinks, reach: F64, changed: dict[int, F64]) -> Bool:
    """(N,) bool, the links of which the other side lies near something that changed."""
    found = np.zeros(len(links.here), np.bool_)
    for at, boxes in changed.items():
        rows = np.flatnonzero(links.there == at)
        if not len(rows) or not len(boxes):
            continue
        grown = (_SLACK * reach[links.here[rows]] * links.finer[rows] + _SPARE)[:, None]
        low, high = links.theirs[rows, :2] - grown, links.theirs[rows, 2:] + grown
        near = (low[:, None, 0] < boxes[None, :, 2]) & (high[:, None, 0] > boxes[None, :, 0])
        near &= (low[:, None, 1] < boxes[None, :, 3]) & (high[:, None, 1] > boxes[None, :, 1])
        found[rows] = near.any(axis=1)
    return found


def _boxes(chunks: set[Chunk], size: Extent) -> F64:
    """(N, 4) texels of chunks."""
    places = [(right.start, down.start, right.stop, down.stop) for down, right in (span(c, size) for c in chunks)]
    return np.array(places, np.float64).reshape(-1, 4)


def _marked(into: set[Chunk], boxes: F64, size: Extent) -> F64:
    """Put the chunks that boxes (N, 4) lie on into a set; boxes on the same chunks as one, (M, 4)."""
    last = np.array([size.across - 1, size.down - 1])
    first = np.clip(np.floor(boxes[:, :2] / CHUNK), 0, last).astype(np.int64)
    final = np.clip(np.floor(boxes[:, 2:] / CHUNK), 0, last).astype(np.int64)
    cells, which = np.unique(np.concatenate([first, final], axis=1), axis=0, return_inverse=True)
    low, high = np.full((len(cells), 2), np.inf), np.full((len(cells), 2), -np.inf)
    np.minimum.at(low, which.ravel(), boxes[:, :2])
    np.maximum.at(high, which.ravel(), boxes[:, 2:])
    for left, upper, right, lower in cells.tolist():
        into.update(Chunk(row, column) for row in range(upper, lower + 1) for column in range(left, right + 1))
    return np.concatenate([low, high], axis=1)


def seam_links(surface: Surface, sizes: tuple[Extent, ...]) -> SeamLinks:
    """The seams of a surface on sheets of these sizes; kept for the sizes asked for last."""
    if surface.seam_links is None or surface.seam_links[0] != sizes:
        surface.seam_links = (sizes, _linked(surface, sizes))
    return surface.seam_links[1]


def _linked(surface: Surface, sizes: tuple[Extent, ...]) -> SeamLinks:
    beyond, model = surface.beyond, surface.model
    triangle, corner = np.nonzero(beyond.border & (beyond.neighbour >= 0))
    other, entry = beyond.neighbour[triangle, corner], beyond.entry[triangle, corner]
    kept = (surface.sheet_of_triangle[triangle] >= 0) & (surface.sheet_of_triangle[other] >= 0)
    triangle, corner, other, entry = triangle[kept], corner[kept], other[kept], entry[kept]
    here, there = (surface.sheet_of_triangle[rows].astype(np.int64) for rows in (triangle, other))
    mine = _ends(surface, sizes, triangle, corner, here)
    theirs = _ends(surface, sizes, other, entry, there)
    # Both begin where the first does: neighbours run along their edge the other way round.
    turned = model.triangles[triangle, corner] != model.triangles[other, entry]
    theirs[turned] = theirs[turned, ::-1]
    long = [np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) for ends in (mine, theirs)]
    finer = np.ceil(long[1] / np.maximum(long[0], 1e-9)).clip(1, _FINEST)
    count = np.maximum(np.ceil(np.maximum(*long) / _PIECE), 1).astype(np.int64)
    edge = np.repeat(np.arange(len(count)), count)
    step = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count)
    share = np.stack([step / count[edge], (step + 1) / count[edge]], axis=1)
    pieces = [_box(ends[edge], share) for ends in (mine, theirs)]
    return SeamLinks(here[edge], pieces[0], there[edge], pieces[1], finer[edge])


def _ends(surface: Surface, sizes: tuple[Extent, ...], rows: I32 | I64, corner: I32 | I64, number: I64) -> F64:
    """(N, 2, 2) where edges of triangles begin and end, in texels of the sheets of their numbers."""
    uv = np.stack([surface.model.uv[rows, (corner + k) % 3] for k in (0, 1)], axis=1)
    out = np.empty_like(uv)
    for at in np.unique(number).tolist():
        mine = number == at
        out[mine] = to_texels(uv[mine] - np.array(corner_of(surface.keys[at].tile)), sizes[at])
    return out


def _box(ends: F64, share: F64) -> F64:
    """(N, 4) boxes of the parts from one share (N, 2) to the other of edges (N, 2, 2)."""
    way = ends[:, 1] - ends[:, 0]
    first, last = (ends[:, 0] + way * share[:, k : k + 1] for k in (0, 1))
    return np.concatenate([np.minimum(first, last), np.maximum(first, last)], axis=1)


def spread(chunks: set[Chunk], texels: int, size: Extent) -> set[Chunk]:
    """Chunks and all that lie within so many texels of one."""
    if not texels:
        return chunks
    return {near for chunk in chunks for near in _around(chunk, -(-texels // CHUNK), size)}


def _around(chunk: Chunk, rings: int, size: Extent) -> Iterator[Chunk]:
    for row in range(max(chunk.row - rings, 0), min(chunk.row + rings, size.down - 1) + 1):
        for column in range(max(chunk.column - rings, 0), min(chunk.column + rings, size.across - 1) + 1):
            yield Chunk(row, column)
