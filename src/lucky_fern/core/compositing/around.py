"""Islands with what lies round them on the surface: the ground for everything that looks at a texel's neighbours.

On a sheet an island ends at its border; on the surface it goes on. Here a rectangle's islands are handed out one by
one, each with the texels beside it filled from where the surface goes on (see :mod:`lucky_fern.core.sheets.beyond`),
so that blurs, growth and slopes know no seams.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields
from functools import partial
from typing import Any

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Array, Bool
from lucky_fern.core.compositing.between import chunk_numbers, read_between
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.model.model import Model
from lucky_fern.core.placing.leaning import frames_at
from lucky_fern.core.project.document import Relief
from lucky_fern.core.sheets.beyond import Places, nearest_edges
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, to_texels
from lucky_fern.core.sheets.region import Rect, gathered
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of, tile_of

Fetch = Callable[[SheetKey, Chunk], F32]
_LARGEST_TILE = 899  # rows of tiles that files can carry


@dataclass(frozen=True)
class Island:
    """An island of a rectangle with its surroundings.

    ``values`` (r, c, n) float32 (to be read only) and ``known`` (r, c) bool cover it and what lies round it;
    ``inner`` is where the island's part of the rectangle lies in those, ``box`` where in it, ``mine`` which
    texels there are its. ``alone``: the rectangle is all its own, and nothing lies round it.
    """

    values: F32
    known: Bool
    inner: tuple[slice, slice]
    box: tuple[slice, slice]
    mine: Bool
    alone: bool = False


@dataclass(frozen=True)
class _Halo:
    """Texels beside an island (rows and columns of its surroundings) and where what belongs there lies."""

    rows: I32
    columns: I32
    sheet: I32  # number in the surface's keys
    island: I32
    x: F32
    y: F32
    turn: Array  # complex64: how directions there are turned, once ``mirrored``, to be directions here
    mirrored: Bool

    @property
    def nbytes(self) -> int:
        return 33 * len(self.rows) + 256


@dataclass(frozen=True)
class About:
    """What is asked of a layer: the map, what it goes by (values of chunks), and how high heights are.

    ``relief`` is None where the layer is not to stand out. ``isolated``: it is put onto a canvas that began with
    nothing, so that values come premultiplied and coverage comes last. ``keep`` gives the arrays that a key and
    settings stand for, of this map or of all; they are made anew only where what lies below is another.
    """

    map: str
    guide: Fetch
    relief: Relief | None
    isolated: bool
    keep: Callable[[tuple[Any, ...], Any, Callable[[], Any], bool], Any]


class Islands:
    """The islands of a rectangle by themselves: nothing is known beyond their borders.

    ``islands`` (r, c) int32 are their numbers, -1 outside.
    """

    def __init__(self, islands: I32) -> None:
        self.islands = islands

    def limit(self, reach: int) -> Rect:
        """How far surroundings may reach, in the rectangle's own texels."""
        return Rect(0, self.islands.shape[0], 0, self.islands.shape[1])

    def fill(self, number: int, wide: Rect, reach: int, filled: F32, known: Bool) -> None:
        """Write what lies beside an island into its surroundings (``wide``, in the rectangle's own texels)."""

    def each(self, values: F32, reach: int) -> Iterator[Island]:
        """Every island of the rectangle with its surroundings ``reach`` texels wide; values (r, c, n)."""
        from scipy import ndimage  # slow to load, and not needed before the window shows

        limit = self.limit(reach)
        first = int(self.islands[0, 0]) if self.islands.size else -1
        same: Bool = self.islands == first
        whole = first >= 0 and bool(same.all())
        if whole:  # most often all of it is one
            numbers, found = np.array([first]), [(slice(0, self.islands.shape[0]), slice(0, self.islands.shape[1]))]
        else:
            numbers = np.unique(self.islands)
            numbers = numbers[numbers >= 0]
            # Counted from 1, so that one walk over the rectangle finds the boxes of all.
            found = ndimage.find_objects(np.where(self.islands >= 0, np.searchsorted(numbers, self.islands) + 1, 0))
        for number, box in zip(numbers.tolist(), found, strict=True):
            mine: Bool = same if whole else self.islands[box] == number
            own = Rect(box[0].start, box[0].stop, box[1].start, box[1].stop)
            wide = Rect(max(own.top - reach, limit.top), min(own.bottom + reach, limit.bottom),
                        max(own.left - reach, limit.left), min(own.right + reach, limit.right))  # fmt: skip
            inner = own.within(wide)
            if wide == own and (whole or mine.all()):
                yield Island(values[box], mine, inner, box, mine, whole)
                continue
            filled = np.zeros((*wide.shape, values.shape[2]), np.float32)
            known = np.zeros(wide.shape, np.bool_)
            known[inner] = mine
            np.copyto(filled[inner], values[box], where=mine[..., None])
            self.fill(number, wide, reach, filled, known)
            yield Island(filled, known, inner, box, mine)


class Around(Islands):
    """What lies round the islands of a rectangle of a sheet; ``fetch`` gives the values of any chunk of any sheet."""

    def __init__(
        self, sources: Sources, size_of: Callable[[SheetKey], Extent], sheet: Sheet, rect: Rect, fetch: Fetch,
        normals: bool = False, about: About | None = None,
    ) -> None:  # fmt: skip
        """With ``normals``, what is fetched are directions in the frames that they lie in: they are turned."""
        super().__init__(island_numbers(sources, sheet, rect))
        self.sources, self.size_of, self.sheet, self.rect, self.fetch = sources, size_of, sheet, rect, fetch
        self.normals, self.about = normals, about

    def limit(self, reach: int) -> Rect:
        """Beyond the rectangle nothing is asked but where it ends with the sheet."""
        size, rect = self.sheet.size, self.rect
        rows, columns = rect.shape
        down, right = (reach if end else 0 for end in (rect.bottom == size.height, rect.right == size.width))
        return Rect(-reach if rect.top == 0 else 0, rows + down, -reach if rect.left == 0 else 0, columns + right)

    def own(self) -> F32:
        """(r, c) the first component of what lies on the rectangle itself."""
        nothing = np.zeros(1, np.float32)
        found = gathered(self.rect, self.sheet.size, nothing, lambda chunk: self.fetch(self.sheet.key, chunk))
        assert found is not None
        return np.ascontiguousarray(found[..., 0])

    def fill(self, number: int, wide: Rect, reach: int, filled: F32, known: Bool) -> None:
        top, left = self.rect.top, self.rect.left
        wide = Rect(wide.top + top, wide.bottom + top, wide.left + left, wide.right + left)
        sizes = tuple(self.size_of(key) for key in self.sources.surface.keys)
        halo = self.sources.kept.get(
            ("halo", self.normals, self.sheet.key, sizes, self.rect, number, wide, reach),
            lambda: self._halo(number, wide, reach, known),
            lambda made: made.nbytes,
        )
        if len(halo.rows):
            values, found = self._read(halo, filled.shape[2])
            filled[halo.rows[found], halo.columns[found]] = values[found]
            known[halo.rows[found], halo.columns[found]] = True

    # --- where it lies --------------------------------------------------------------------------------------------

    def _halo(self, number: int, wide: Rect, reach: int, known: Bool) -> _Halo:
        surface, size = self.sources.surface, self.sheet.size
        owned, pieces = known.copy(), []
        if wide.top < 0 or wide.left < 0 or wide.bottom > size.height or wide.right > size.width:
            pieces += self._on_next_tiles(number, wide, owned)
        borders = surface.beyond.island_borders.get(number)
        if borders is not None:
            corner = np.array(corner_of(self.sheet.key.tile))
            uv = surface.model.uv[borders[:, 0]] - corner
            flat = to_texels(uv, size)
            every = np.arange(len(borders))
            ends = np.ascontiguousarray(np.stack([flat[every, borders[:, 1]],
                                                  flat[every, (borders[:, 1] + 1) % 3]], axis=1))  # fmt: skip
            low, high = ends.min(axis=1), ends.max(axis=1)
            across = (high[:, 0] >= wide.left - reach) & (low[:, 0] <= wide.right + reach)
            near = np.flatnonzero(across & (high[:, 1] >= wide.top - reach) & (low[:, 1] <= wide.bottom + reach))
            if len(near):
                pieces += self._over_borders(borders[near], flat[near], ends[near], wide, reach, owned)
        if not pieces:
            nothing = np.zeros(0, np.int32)
            return _Halo(nothing, nothing, nothing, nothing, np.zeros(0, np.float32), np.zeros(0, np.float32),
                         np.zeros(0, np.complex64), np.zeros(0, np.bool_))  # fmt: skip
        return _Halo(*(np.concatenate([getattr(piece, one.name) for piece in pieces]) for one in fields(_Halo)))

    def _over_borders(self, borders: I32, flat: F64, ends: F64, wide: Rect, reach: int, owned: Bool) -> list[_Halo]:
        surface = self.sources.surface
        square = np.full(wide.shape, np.inf)
        which = np.full(wide.shape, -1, np.int32)
        nearest_edges(ends, float(reach + 1), wide.top, wide.left, owned, square, which)
        rows, columns = np.nonzero(which >= 0)
        edge = which[rows, columns]
        points = np.stack([columns + wide.left + 0.5, rows + wide.top + 0.5], axis=1)
        a, b = ends[edge, 0], ends[edge, 1]
        step = b - a
        length = (step * step).sum(axis=1)
        foot = ((points - a) * step).sum(axis=1) / np.maximum(length, 1e-300)
        places = surface.beyond.follow(borders[edge], points, flat[edge], np.clip(foot, 0, 1))
        there = places.triangle >= 0
        triangle, barycentric = places.triangle[there], places.barycentric[there]
        turn, mirrored = np.ones(len(triangle), np.complex64), np.zeros(len(triangle), np.bool_)
        if self.normals:
            ways = Places(triangle, barycentric, places.start[there], places.heading[there])
            turn, mirrored = self._turns(borders[edge[there]], np.clip(foot[there], 0, 1), ways)
        return [self._at(rows[there], columns[there], triangle, barycentric, turn, mirrored)]

    def _turns(self, home: I32, foot: F64, ways: Places) -> tuple[Array, Bool]:
        """How directions at the ends of ways are turned, and whether mirrored, to be directions where they begin."""
        model = self.sources.surface.model
        beginning = np.zeros((len(home), 3))
        every = np.arange(len(home))
        beginning[every, home[:, 1]] = 1 - foot
        beginning[every, (home[:, 1] + 1) % 3] = foot
        here = _bearing(model, home[:, 0], beginning, ways.start)
        over = _bearing(model, ways.triangle, ways.barycentric, ways.heading)
        mirrored: Bool = model.tangents[home[:, 0], 0, 3] * model.tangents[ways.triangle, 0, 3] < 0
        return (here * np.where(mirrored, over, np.conj(over))).astype(np.complex64), mirrored

    def _at(self, rows: I64, columns: I64, triangle: I32, barycentric: F64, turn: Array, mirrored: Bool) -> _Halo:
        """Texels whose values lie at points of the surface; those without a sheet are left out."""
        model = self.sources.surface.model
        number, x, y = spots_of(self.sources.surface, self.size_of, triangle, barycentric)
        usable = number >= 0
        at, sheet, island = (rows[usable], columns[usable]), number[usable], model.islands[triangle[usable]]
        return _Halo(at[0].astype(np.int32), at[1].astype(np.int32), sheet, island, x[usable], y[usable],
                     turn[usable], mirrored[usable])  # fmt: skip

    def _on_next_tiles(self, number: int, wide: Rect, owned: Bool) -> list[_Halo]:
        """Texels beyond the sheet's edge where the same island goes on, on the next tile."""
        surface, key, size = self.sources.surface, self.sheet.key, self.sheet.size
        across, up = corner_of(key.tile)
        rows, columns = np.mgrid[wide.top : wide.bottom, wide.left : wide.right]
        u, v = across + (columns + 0.5) / size.width, up + 1 - (rows + 0.5) / size.height
        out = []
        for du in (-1, 0, 1):
            for dv in (-1, 0, 1):
                column, row = across + du, up + dv
                if (du, dv) == (0, 0) or not (0 <= column <= 9 and 0 <= row <= _LARGEST_TILE):
                    continue
                other = SheetKey(key.material, tile_of(column, row))
                if other not in surface.keys:
                    continue
                inside = (np.floor(u) == column) & (np.floor(v) == row)
                if not inside.any():
                    continue
                there = self.size_of(other)
                x, y = (u[inside] - column) * there.width, (1 - (v[inside] - row)) * there.height
                sheet = surface.sheet(other, there)
                same = _numbers_at(self.sources, sheet, x.astype(np.int64), y.astype(np.int64)) == number
                r, k = np.nonzero(inside)
                r, k = r[same], k[same]
                owned[r, k] = True
                count = len(r)
                out.append(_Halo(r.astype(np.int32), k.astype(np.int32),
                                 np.full(count, surface.keys.index(other), np.int32),
                                 np.full(count, number, np.int32),
                                 x[same].astype(np.float32), y[same].astype(np.float32),
                                 np.ones(count, np.complex64), np.zeros(count, np.bool_)))  # fmt: skip
        return out

    # --- what lies there ------------------------------------------------------------------------------------------

    def _read(self, halo: _Halo, components: int) -> tuple[F32, Bool]:
        """Values (N, n) between the four texels round each place that belong to its island, and which were found."""
        out = np.zeros((len(halo.rows), components), np.float32)
        found = np.zeros(len(halo.rows), np.bool_)
        for number in np.unique(halo.sheet).tolist():
            key = self.sources.surface.keys[number]
            sheet = self.sources.surface.sheet(key, self.size_of(key))
            mine = np.flatnonzero(halo.sheet == number)
            values, there = read_between(
                self.sources,
                sheet,
                partial(self.fetch, key),
                halo.x[mine],
                halo.y[mine],
                halo.island[mine],
                components,
            )
            out[mine], found[mine] = values, there
        if self.normals:
            lean = (out[:, 0] * 2 - 1) + 1j * (out[:, 1] * 2 - 1)
            lean = np.where(halo.mirrored, np.conj(lean), lean) * halo.turn
            out[:, 0], out[:, 1] = lean.real * 0.5 + 0.5, lean.imag * 0.5 + 0.5
        return out, found


def spots_of(
    surface: Surface, size_of: Callable[[SheetKey], Extent], triangle: I32, barycentric: F64
) -> tuple[I32, F32, F32]:
    """Where points of the surface lie on sheets: (N,) numbers in the surface's keys, -1 for none, and x, y in texels.

    A triangle that reaches over a tile's border lies on several sheets.
    """
    model = surface.model
    uv = np.einsum("nk,nkd->nd", barycentric, model.uv[triangle])
    number = surface.sheet_of_triangle[triangle].copy()
    usable = (number >= 0) & np.isfinite(uv).all(axis=1)
    number[~usable] = -1
    cell = np.floor(np.where(usable[:, None], uv, 0.0)).astype(np.int64)
    x, y = np.zeros(len(uv), np.float32), np.zeros(len(uv), np.float32)
    for n, key in enumerate(surface.keys):
        across, up = corner_of(key.tile)
        inside = usable & (cell[:, 0] == across) & (cell[:, 1] == up)
        inside &= model.material[triangle] == model.materials.index(key.material)
        number[inside] = n
    for n in np.unique(number[usable]).tolist():
        key = surface.keys[n]
        mine = number == n
        x[mine], y[mine] = to_texels(uv[mine] - corner_of(key.tile), size_of(key)).T
    return number, x, y


def _bearing(model: Model, triangle: I32, barycentric: F64, direction: F64) -> Array:
    """(N,) complex of length 1: a direction (N, 3) along the surface, in its tangent frame."""
    tangent, bitangent, _ = frames_at(model, triangle, barycentric)
    along = (direction * tangent).sum(axis=1) + 1j * (direction * bitangent).sum(axis=1)
    length = np.abs(along)
    return np.where(length > 1e-300, along / np.maximum(length, 1e-300), 1.0)


def island_numbers(sources: Sources, sheet: Sheet, rect: Rect) -> I32:
    """(r, c) int32, the model's number of the island that each texel lies on; -1 outside."""
    found = gathered(rect, sheet.size, np.array(-1, np.int32), lambda chunk: chunk_numbers(sources, sheet, chunk))
    assert found is not None
    return found


def _numbers_at(sources: Sources, sheet: Sheet, x: I64, y: I64) -> I32:
    """(N,) island numbers at texels of a sheet."""
    x, y = np.clip(x, 0, sheet.size.width - 1), np.clip(y, 0, sheet.size.height - 1)
    out = np.full(len(x), -1, np.int32)
    code = y // CHUNK * sheet.size.across + x // CHUNK
    for cell in np.unique(code).tolist():
        chunk = Chunk(cell // sheet.size.across, cell % sheet.size.across)
        mine = code == cell
        out[mine] = chunk_numbers(sources, sheet, chunk)[y[mine] - chunk.row * CHUNK, x[mine] - chunk.column * CHUNK]
    return out
