"""What brush strokes take from below: their colours and directions, and which of the finer ones are laid at all.

Worked out for all strokes whose middles lie on one chunk at once, and kept as long as what is below stays.
"""

from __future__ import annotations

from typing import NamedTuple, cast

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Bool, unit_rows
from lucky_fern.core.colour import luminance_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import About, Around, Fetch, spots_of
from lucky_fern.core.compositing.between import chunk_numbers
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.gradients import axes_of
from lucky_fern.core.placing.leaning import frames_at
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey
from lucky_fern.core.sheets.region import gathered, rect_of
from lucky_fern.core.survey.bending import form_directions, form_tensors
from lucky_fern.core.survey.scattered import Scattered, scatter

_OVER = 6.0  # strokes of the coarsest size over each place, in the mean, so that hardly any ground shows
_FINER_OVER = 3.5
_TAPS = 9  # three by three
_MOST_CHANGE = 0.35  # of colour round a finer stroke, for none of them to be left out at no detail
_LEAST_CHANGE = 0.004
_CALM = 0.02  # of colour over a stroke: edges weaker than that say nothing about where they run


class Strewn(NamedTuple):
    """Strokes of one size: points of the surface, and the homes of their middles, which are chunks of sheets.

    ``x``, ``y`` (N,) float32 in texels of the sheet; ``home`` (N,) int64, -1 for none; ``order`` (N,) int64 has them
    home after home, beginning where ``starts`` says for each of ``homes`` (H,) int64, which rise.
    """

    scattered: Scattered
    x: F32
    y: F32
    home: I64
    order: I64
    homes: I64
    starts: I64

    @property
    def nbytes(self) -> int:
        return self.scattered.nbytes + sum(one.nbytes for one in self[1:] if isinstance(one, np.ndarray))


class Way(NamedTuple):
    """Of one home, the strokes that are laid: ``rows`` (M,) of all, and ``place`` (M, 16) as in :class:`.Strokes`."""

    rows: I64
    place: F32


class Taken(NamedTuple):
    """Of the strokes of one home that are laid: values (M, n) float32, and how normals below lean (M, 2) float32."""

    values: F32
    lean: F32


def strewn(around: Around, effect: PaintStrokes, level: int, half: float, wide: float) -> Strewn:
    """All strokes of one size, half so long and wide in units."""
    surface = around.sources.surface
    sizes = tuple(around.size_of(key) for key in surface.keys)

    def make() -> Strewn:
        per_area = (_OVER if level == 0 else _FINER_OVER) / (4 * half * wide * 0.85)
        wanted = np.asarray((surface.sheet_of_triangle >= 0) & surface.model.has_uv, np.bool_)
        reach = float(np.hypot(half, wide))
        points = scatter(surface.model, per_area, reach, effect.seed * 8 + level, wanted)
        number, x, y = spots_of(surface, around.size_of, points.triangle, points.barycentric)
        home = np.full(len(number), -1, np.int64)
        for n, size in enumerate(sizes):
            mine = number == n
            row = np.clip(y[mine].astype(np.int64), 0, size.height - 1) // CHUNK
            column = np.clip(x[mine].astype(np.int64), 0, size.width - 1) // CHUNK
            home[mine] = (n << 32) + row * size.across + column
        order = np.argsort(home, kind="stable")
        homes, starts = np.unique(home[order], return_index=True)
        return Strewn(points, x, y, home, order, homes, np.append(starts, len(order)).astype(np.int64))

    key = ("strewn", effect.seed, level, half, wide, sizes)
    return around.sources.kept.get(key, make, lambda made: made.nbytes)


def way_of_home(around: Around, about: About, effect: PaintStrokes, level: int, all_: Strewn, at: int) -> Way:
    """Which strokes of the home numbered ``at`` are laid, and how they run."""

    def make() -> Way:
        rows, key, chunk = _home(around, all_, at)
        points = all_.scattered
        triangle, weights = points.triangle[rows], points.barycentric[rows]
        normal, chance = points.normal[rows].astype(np.float64), points.chance[rows]
        laid = np.ones(len(rows), np.bool_)
        guide = None
        if level or effect.along == "edges":
            guide = _taps(around, about.guide, 3, key, chunk, all_, rows, 1.2 * effect.size / 2**level)
        if level and guide is not None:
            laid = _detailed(_spread(guide), effect, chance[:, 3])
        along = _directions(effect, around, triangle, weights, normal)
        if effect.along == "edges" and guide is not None:
            along = _along_edges(around, guide, key, triangle, along, normal)
        angle = np.radians(effect.turn) + (chance[:, 3] - 0.5) * np.pi * effect.stray
        cos, sin = np.cos(angle)[:, None], np.sin(angle)[:, None]
        along = along * cos + np.cross(normal, along) * sin
        piece = points.piece[rows, None]
        place = np.concatenate(
            [points.middle[rows], normal, along, np.cross(normal, along), chance[:, :3], piece], axis=1
        )
        return Way(rows[laid], np.ascontiguousarray(place[laid], np.float32))

    settings = (effect.size, effect.length, effect.detail, effect.along, effect.turn, effect.stray, effect.seed)
    return cast(Way, about.keep(("stroke ways", level, int(all_.homes[at])), settings, make, False))


def taken_by_home(around: Around, about: About, effect: PaintStrokes, level: int, all_: Strewn, at: int) -> Taken:
    """What the strokes of the home numbered ``at`` take from the map that is asked for."""

    def make() -> Taken:
        _, key, chunk = _home(around, all_, at)
        way = way_of_home(around, about, effect, level, all_, at)
        rows = way.rows
        components = MAPS[about.map].components + int(about.isolated)
        taps = _taps(around, around.fetch, components, key, chunk, all_, rows, 0.3 * effect.size / 2**level)
        values = _means(taps)
        lean = np.zeros((len(rows), 2), np.float32)
        if MAPS[about.map].directional:
            lean = _leans(around, values, all_.scattered, rows, way.place[:, 6:9].astype(np.float64))
        return Taken(values, lean)

    settings = (effect.size, effect.length, effect.detail, effect.along, effect.turn, effect.stray, effect.seed)
    return cast(Taken, about.keep(("stroke values", level, int(all_.homes[at])), settings, make, True))


def _home(around: Around, all_: Strewn, at: int) -> tuple[I64, SheetKey, Chunk]:
    code = int(all_.homes[at])
    key = around.sources.surface.keys[code >> 32]
    across = around.size_of(key).across
    cell = code & 0xFFFFFFFF
    return all_.order[all_.starts[at] : all_.starts[at + 1]], key, Chunk(cell // across, cell % across)


def _taps(
    around: Around, fetch: Fetch, components: int, key: SheetKey, chunk: Chunk, all_: Strewn, rows: I64, step: float
) -> F32:
    """(M, 9, n) values 3 × 3 round middles, ``step`` texels apart; the middle's where an island ends."""
    size = around.size_of(key)
    sheet = around.sources.surface.sheet(key, size)
    rect = rect_of(chunk, size).grown(int(np.ceil(step)) + 2, size)
    values = gathered(rect, size, np.zeros(components, np.float32), lambda one: fetch(key, one))
    numbers = gathered(rect, size, np.array(-1, np.int32), lambda one: chunk_numbers(around.sources, sheet, one))
    assert values is not None and numbers is not None
    islands = around.sources.surface.model.islands[all_.scattered.triangle[rows]].astype(np.int32)
    out = np.empty((len(rows), _TAPS, components), np.float32)
    x, y = all_.x[rows] - np.float32(rect.left + 0.5), all_.y[rows] - np.float32(rect.top + 0.5)
    _tap(np.ascontiguousarray(values, np.float32), np.ascontiguousarray(numbers), x, y, islands, step, out)
    return out


@kernel
def _tap(values: F32, numbers: I32, x: F32, y: F32, islands: I32, step: float, out: F32) -> None:
    """Bilinear values of texels of the same island; a tap that finds none gets the mean of those that do."""
    rows, columns = numbers.shape
    components = values.shape[2]
    found = np.zeros(9, np.bool_)
    mean = np.zeros(components, np.float32)
    for n in range(len(x)):
        some = 0
        for c in range(components):
            mean[c] = 0
        for tap in range(9):
            px, py = x[n] + (tap % 3 - 1) * step, y[n] + (tap // 3 - 1) * step
            i, j = int(np.floor(px)), int(np.floor(py))
            fx, fy = px - i, py - j
            total = np.float32(0)
            for c in range(components):
                out[n, tap, c] = 0
            for k in range(4):
                a, b = i + k % 2, j + k // 2
                if a < 0 or b < 0 or a >= columns or b >= rows or numbers[b, a] != islands[n]:
                    continue
                weight = np.float32((fx if k % 2 else 1 - fx) * (fy if k // 2 else 1 - fy))
                total += weight
                for c in range(components):
                    out[n, tap, c] += weight * values[b, a, c]
            found[tap] = total > 1e-4
            if found[tap]:
                some += 1
                for c in range(components):
                    out[n, tap, c] /= total
                    mean[c] += out[n, tap, c]
        if some == 9:
            continue
        for tap in range(9):
            if not found[tap]:
                for c in range(components):
                    out[n, tap, c] = out[n, 4, c] if found[4] else mean[c] / max(some, 1)


@kernel
def _means(taps: F32) -> F32:
    """(M, n) means of taps (M, 9, n)."""
    out = np.zeros((len(taps), taps.shape[2]), np.float32)
    for n in range(len(taps)):
        for tap in range(9):
            for c in range(taps.shape[2]):
                out[n, c] += taps[n, tap, c] / np.float32(9)
    return out


@kernel
def _spread(guide: F32) -> F32:
    """(M,) the largest standard deviation of any component over the taps (M, 9, n)."""
    out = np.zeros(len(guide), np.float32)
    for n in range(len(guide)):
        for c in range(guide.shape[2]):
            mean = square = np.float32(0)
            for tap in range(9):
                mean += guide[n, tap, c]
            mean /= np.float32(9)
            for tap in range(9):
                square += (guide[n, tap, c] - mean) ** 2
            out[n] = max(out[n], np.sqrt(square / np.float32(9)))
    return out


def _detailed(change: F32, effect: PaintStrokes, chance: F32) -> Bool:
    """Which finer strokes are laid: where the colour below changes enough."""
    least = _MOST_CHANGE * (1 - effect.detail) ** 2 + _LEAST_CHANGE
    return np.asarray(change > least * (0.6 + 0.8 * chance), np.bool_)


def _directions(effect: PaintStrokes, around: Around, triangle: I32, weights: F64, normal: F64) -> F64:
    """(M, 3) unit directions before they are turned."""
    model = around.sources.surface.model
    if effect.along == "free":
        level = np.cross([0.0, 1.0, 0.0], normal)
        level[np.linalg.norm(level, axis=1) < 0.05] = (1.0, 0.0, 0.0)
        level -= normal * (level * normal).sum(axis=1, keepdims=True)
        return unit_rows(level)
    tensors = around.sources.kept.get("form", lambda: form_tensors(model), lambda made: made.nbytes)
    return form_directions(tensors, model, triangle, weights, normal)


def _along_edges(around: Around, guide: F32, key: SheetKey, triangle: I32, along: F64, normal: F64) -> F64:
    """(M, 3) directions in which the colour below does not change; ``along`` where it hardly does anywhere."""
    model, size = around.sources.surface.model, around.size_of(key)
    light = luminance_of(guide).reshape(-1, 3, 3)
    # Sobel's differences, to the right and down.
    across, down = light[:, :, 2] - light[:, :, 0], light[:, 2] - light[:, 0]
    x, y = ((one[:, 0] + 2 * one[:, 1] + one[:, 2]) / 8 for one in (across, down))
    u, v = axes_of(model.corners[triangle], model.uv[triangle])
    # A texel to the right is u / width, one down -v / height: there is no change along (-y, x).
    same = -y[:, None] * u / size.width - x[:, None] * v / size.height
    same -= normal * (same * normal).sum(axis=1, keepdims=True)
    length = np.linalg.norm(same, axis=1)
    clear = (np.hypot(x, y) > _CALM) & (length > 0)
    return np.where(clear[:, None], same / np.maximum(length, 1e-300)[:, None], along)


def _leans(around: Around, values: F32, points: Scattered, rows: I64, along: F64) -> F32:
    """(M, 2) how far mean normals lean along and across strokes."""
    triangle, normal = points.triangle[rows], points.normal[rows].astype(np.float64)
    tangent, bitangent, _ = frames_at(around.sources.surface.model, triangle, points.barycentric[rows])
    stored = values if values.shape[1] == 3 else values[:, :3] / np.maximum(values[:, 3:4], 1e-6)
    lean = (stored[:, :1] * 2 - 1) * tangent + (stored[:, 1:2] * 2 - 1) * bitangent
    across = np.cross(normal, along)
    return np.stack([(lean * along).sum(axis=1), (lean * across).sum(axis=1)], axis=1).astype(np.float32)
