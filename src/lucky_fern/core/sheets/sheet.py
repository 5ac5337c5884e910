"""A sheet: one material on one tile, and how its texels lie on the surface."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, U8, Bool, box_of
from lucky_fern.core.limits import MOST_TILES
from lucky_fern.core.model.model import Model
from lucky_fern.core.once import once
from lucky_fern.core.parallel import for_each
from lucky_fern.core.sheets.grid import (
    CHUNK,
    Chunk,
    Extent,
    SheetKey,
    all_chunks,
    shape,
    span,
    to_texels,
)
from lucky_fern.core.sheets.padding import Padding, plan_padding
from lucky_fern.core.sheets.raster import beaten_triangles, bin_triangles, mark_triangles, needles, texel_places
from lucky_fern.core.udim import LAST_TILE, corner_of, is_tile, tile_of
from lucky_fern.words import counted, tr

_CODES = 100_000  # more than there are columns or rows of tiles


@dataclass(frozen=True)
class SurfacePoints:
    """Where the texels of a chunk lie on the surface; rows and columns as the chunk's.

    ``triangle`` (r, c) int32, -1 outside every island; ``barycentric`` (r, c, 3), ``position`` and
    ``normal`` (r, c, 3) float64, zero where there is no triangle.
    """

    triangle: I32
    barycentric: F64
    position: F64
    normal: F64


class Sheet:
    """The texel-to-surface mapping of one sheet; derived from the model once per size.

    Attributes
    ----------
    triangle : (N,) int32 rows of the model that have a place here.
    xy : (N, 3, 2) float64 their corners in texel space (x right, y down).
    """

    def __init__(self, key: SheetKey, size: Extent, model: Model, triangle: I32) -> None:
        self.key = key
        self.size = size
        self.model = model
        self.triangle = triangle
        column, row = corner_of(key.tile)
        uv = model.uv[triangle] - (column, row)
        self.xy: F64 = to_texels(uv, size)
        self.starts: I64
        self.items: I32
        self.starts, self.items = bin_triangles(self.xy, CHUNK, size.across, size.down)
        self.needle: U8 = needles(self.xy)
        self._beaten: dict[Chunk, I32] = {}  # of each chunk that was asked about, who shares texels and owns them not

    def rows_of(self, triangles: I32) -> I32:
        """(M,) int32, where rows (M,) of the model are in ``triangle``; -1 for those that lie elsewhere."""
        order, rising = self._rising
        if not len(rising):
            return np.full(len(triangles), -1, np.int32)
        at = np.minimum(np.searchsorted(rising, triangles), len(rising) - 1)
        return np.where(rising[at] == triangles, order[at], -1).astype(np.int32)

    @once
    def _rising(self) -> tuple[I32, I32]:
        """The order in which rows of the model rise, and they in it."""
        order = np.argsort(self.triangle, kind="stable").astype(np.int32)
        return order, self.triangle[order]

    def chunk_triangles(self, chunk: Chunk) -> I32:
        """Rows of ``xy`` that may touch a chunk."""
        cell = chunk.row * self.size.across + chunk.column
        return self.items[self.starts[cell] : self.starts[cell + 1]]

    def texels_of(self, faces: Bool) -> Bool:
        """(rows, columns) the texels that some faces (T,) of the model own."""
        found = np.zeros(self.size.shape, np.bool_)
        mine = faces[self.triangle]
        for chunk in self.chunks_of(mine) if mine.any() else ():
            owner = self.owners(chunk)
            found[span(chunk, self.size)] = (owner >= 0) & mine[np.maximum(owner, 0)]
        return found

    def chunks_of(self, chosen: Bool) -> set[Chunk]:
        """The chunks that any chosen triangle ((N,) bool over ``xy``) may touch."""
        across = self.size.across
        count = np.add.reduceat(np.append(chosen[self.items], False), np.minimum(self.starts[:-1], len(self.items)))
        filled = (np.diff(self.starts) > 0) & (count > 0)
        return {Chunk(int(cell) // across, int(cell) % across) for cell in np.flatnonzero(filled)}

    def owners(self, chunk: Chunk, chosen: Bool | None = None) -> I32:
        """(r, c) int32, the row of ``xy`` that owns each texel of a chunk; -1 outside.

        With ``chosen`` (N,) bool, only those triangles are asked.
        """
        rows, columns = span(chunk, self.size)
        out = np.full(shape(chunk, self.size), -1, np.int32)
        items = self.chunk_triangles(chunk)
        if chosen is not None:
            items = items[chosen[items]]
        values = np.arange(len(self.xy), dtype=np.int32)
        mark_triangles(self.xy, self.needle, items, rows.start, columns.start, out, values)
        return out

    def other_owners(self, chunk: Chunk, items: I32) -> Iterator[I32]:
        """Of texels that several triangles share, who of some triangles (rows of ``xy``, rising) has them beside
        their owner: (r, c) int32 each time, -1 elsewhere, until all of the triangles came in.
        """
        rows, columns = span(chunk, self.size)
        if chunk not in self._beaten:
            mine = self.chunk_triangles(chunk)
            self._beaten[chunk] = mine[self._losing(chunk, mine, self.owners(chunk))]
        left = np.intersect1d(items, self._beaten[chunk]).astype(np.int32)
        first = self.owners(chunk) if len(left) else np.zeros((0, 0), np.int32)
        while len(left):
            out = np.full(first.shape, -1, np.int32)
            mark_triangles(
                self.xy, self.needle, left, rows.start, columns.start, out, np.arange(len(self.xy), dtype=np.int32)
            )
            left = left[self._losing(chunk, left, out)]  # the first of them never loses: there are fewer each time
            out[out == first] = -1
            yield out

    def _losing(self, chunk: Chunk, items: I32, owner: I32) -> Bool:
        rows, columns = span(chunk, self.size)
        values = np.arange(len(self.xy), dtype=np.int32)
        lost: Bool = beaten_triangles(self.xy, self.needle, items, rows.start, columns.start, owner, values)
        return lost

    def surface_points(self, chunk: Chunk) -> SurfacePoints:
        """Triangle, barycentrics, position and interpolated normal of each texel of a chunk."""
        rows, columns = span(chunk, self.size)
        owner = self.owners(chunk)
        inside = owner >= 0
        row, column = np.mgrid[rows, columns]
        barycentric = np.zeros((*owner.shape, 3))
        barycentric[inside] = self.barycentrics(row[inside], column[inside], owner[inside])
        triangle = np.where(inside, self.triangle[owner], -1).astype(np.int32)
        position, normal = np.zeros((*owner.shape, 3)), np.zeros((*owner.shape, 3))
        at, weight = triangle[inside], barycentric[inside]
        position[inside] = np.einsum("nk,nkd->nd", weight, self.model.corners[at])
        normal[inside] = np.einsum("nk,nkd->nd", weight, self.model.normals[at].astype(np.float64))
        return SurfacePoints(triangle, barycentric, position, normal)

    def positions(self, chunk: Chunk, owner: I32) -> F64:
        """(r, c, 3) where the texels of a chunk lie in space, by the rows of ``xy`` that own them; zero outside."""
        rows, columns = span(chunk, self.size)
        out = np.zeros((*owner.shape, 3))
        texel_places(self.xy, owner, self._corners, rows.start, columns.start, out)
        return out

    @once
    def _corners(self) -> F64:
        return np.ascontiguousarray(self.model.corners[self.triangle])

    def barycentrics(self, rows: I64, columns: I64, owner: I32) -> F64:
        """(N, 3) where texels' middles lie in the triangles that own them ((N,) rows of ``xy``)."""
        corner = self.xy[owner]
        a, b, c = corner[:, 0], corner[:, 1], corner[:, 2]
        area = _cross(b - a, c - a)
        point = np.stack([columns + 0.5, rows + 0.5], axis=-1)
        safe = np.where(area == 0, 1.0, area)
        weight_b, weight_c = _cross(point - a, c - a) / safe, _cross(b - a, point - a) / safe
        return np.stack([1 - weight_b - weight_c, weight_b, weight_c], axis=-1)

    @once
    def covered(self) -> Bool:
        """(rows, columns) bool, the texels that belong to an island."""
        result = np.zeros(self.size.shape, np.bool_)

        def mark(chunk: Chunk) -> None:
            result[span(chunk, self.size)] = self.owners(chunk) >= 0

        for_each(mark, all_chunks(self.size))
        return result

    @property
    def padding_known(self) -> bool:
        """Whether :attr:`padding` was worked out already, which takes a moment for large sheets."""
        return "padding" in self.__dict__

    @once
    def padding(self) -> Padding:
        """Where the texels outside the islands copy from."""
        return plan_padding(self.covered)


def _cross(a: F64, b: F64) -> F64:
    return a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]


@dataclass(frozen=True)
class Placement:
    """Which triangles lie on which sheet, and what did not fit."""

    triangles: dict[SheetKey, I32]
    warnings: tuple[str, ...]


def place_triangles(model: Model) -> Placement:
    """Deal the model's triangles to sheets by material and UDIM tile.

    A triangle that reaches over a tile's border lies on both tiles. Triangles outside the range of
    tiles (u below 0 or above 10, v below 0) lie on no sheet, with a warning.
    """
    usable = np.flatnonzero(model.has_uv)
    uv = model.uv[usable]
    tiny = 1e-6
    lowest, highest = box_of(uv)
    low = np.floor(lowest + tiny).astype(np.int64)
    high = np.maximum(np.ceil(highest - tiny).astype(np.int64) - 1, low)
    sheets: dict[SheetKey, list[I32]] = {}
    sane = ((high - low) <= MOST_TILES).all(axis=1)  # a face over more tiles than that is a mistake
    outside = int((~sane).sum())
    usable, uv, low, high = usable[sane], uv[sane], low[sane], high[sane]
    single = (low == high).all(axis=1)
    column, row = low[single, 0], low[single, 1]
    _off_borders(model, usable[single], lowest[sane][single], highest[sane][single], column, row)
    fits = (column >= 0) & (column <= 9) & (row >= 0) & (1001 + column + 10 * row <= LAST_TILE)
    outside += int((~fits).sum())
    triangle, tile = usable[single][fits], (1001 + column + 10 * row)[fits]
    code = model.material[triangle].astype(np.int64) * 10000 + tile
    for value in np.unique(code):
        key = SheetKey(model.materials[int(value) // 10000], int(value) % 10000)
        sheets.setdefault(key, []).append(triangle[code == value].astype(np.int32))
    for index in np.flatnonzero(~single):
        found = False
        for c in range(max(low[index, 0], 0), min(high[index, 0], 9) + 1):
            for r in range(max(low[index, 1], 0), min(high[index, 1], 899) + 1):
                if is_tile(tile_of(c, r)) and _touches(uv[index] - (c, r)):
                    found = True
                    key = SheetKey(model.materials[model.material[usable[index]]], tile_of(c, r))
                    sheets.setdefault(key, []).append(np.array([usable[index]], np.int32))
        outside += not found
    warnings = []
    if outside:
        warnings.append(
            tr(
                "{triangles} of {name} lie outside the tiles that files can carry (u from 0 to 10, v from 0 "
                "up): nothing can be painted there. Move those islands onto a tile.",
                triangles=counted(outside, "triangle"),
                name=model.name,
            )
        )
    order = {name: index for index, name in enumerate(model.materials)}
    keys = sorted(sheets, key=lambda key: (order[key.material], key.tile))
    return Placement({key: np.sort(np.concatenate(sheets[key])) for key in keys}, tuple(warnings))


def _off_borders(model: Model, triangle: I64, lowest: F64, highest: F64, column: I64, row: I64) -> None:
    """Move triangles without area that lie on a border between tiles to one on which others of their material lie.

    Where neither has any, the lower one has them: UVs that run up to 1 do not ask for another tile. ``column`` and
    ``row`` (N,) are changed in place.
    """
    tiny = 1e-6
    flat = (highest - lowest) <= tiny
    on_border = flat & (np.abs(lowest - np.rint(lowest)) <= tiny) & (np.rint(lowest) > 0)
    edge = np.flatnonzero(on_border.any(axis=1))
    if not len(edge):
        return
    code = (model.material[triangle].astype(np.int64) * _CODES + column) * _CODES + row
    inner = np.ones(len(triangle), np.bool_)
    inner[edge] = False
    used = set(np.unique(code[inner]).tolist())
    for at in edge.tolist():
        ways = [
            (column[at] - c, row[at] - r) for c in range(1 + on_border[at, 0]) for r in range(1 + on_border[at, 1])
        ]
        material = int(model.material[triangle[at]])
        known = [way for way in ways if (material * _CODES + way[0]) * _CODES + way[1] in used]
        column[at], row[at] = known[0] if known else ways[-1]


def _touches(corner: F64) -> bool:
    """Whether a triangle (3, 2) and the unit square share an area: no separating axis between them."""
    tiny = 1e-6
    if (corner.max(axis=0) <= tiny).any() or (corner.min(axis=0) >= 1 - tiny).any():
        return False
    square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    for k in range(3):
        edge = corner[(k + 1) % 3] - corner[k]
        axis = np.array([-edge[1], edge[0]])
        mine, other = corner @ axis, square @ axis
        if mine.max() <= other.min() + tiny or other.max() <= mine.min() + tiny:
            return False
    return True
