"""A picture placed on the surface, whatever way: where each triangle lies in it, and drawing it onto texels.

Within one triangle the picture's coordinates are an affine function of the texel, so each triangle is
walked once with constant derivatives.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, I32, U16, Array, Bool
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import CUT, NEAREST, REPEAT, SMOOTH, Levels
from lucky_fern.core.placing.bent import FLAT, Rolled, draw_bent
from lucky_fern.core.placing.bundles import Affine, Box, Corner, Faces, Shadow, Style
from lucky_fern.core.placing.hidden import NOTHING, Occluders
from lucky_fern.core.placing.paint import NEEDLE, TRIANGLE, paint
from lucky_fern.core.sheets.grid import CHUNK, Chunk, shape
from lucky_fern.core.sheets.sheet import Sheet


@dataclass(frozen=True)
class PlacedPicture:
    """A pose worked out against a model: which triangles it can reach, where they lie in it, what could hide them."""

    count: int  # of the model's triangles
    rows: I32  # (N,) rows of the triangles in its box that face the right way, rising
    corners: F64  # (N, 3, 3) right, up and towards, from the picture's middle
    occluders: Occluders | None
    width: float
    height: float
    depth: float
    limit: float
    stretch: float = 1.0  # longer one way than the other, at most, of what it covers
    lost: float = 0.0  # the share of the picture that finds no surface, as far as that is known
    beyond: PlacedPicture | None = None  # the same picture once more, where it comes round to itself
    weights: F64 | None = None  # (N, 3) of corners seen through a lens; see :mod:`.bent`
    strengths: F64 | None = None  # (N, 3) how strongly it shows at corners, cut to 0…1
    repeat: bool = False  # it goes on in both directions
    rolled: Rolled = FLAT  # how it goes round an axis

    @property
    def bent(self) -> bool:
        """Whether it runs unevenly over triangles."""
        return self.weights is not None or self.strengths is not None or self.repeat or self.rolled is not FLAT

    @property
    def reached(self) -> Bool:
        """(T,) bool, the triangles that it may touch."""
        out = np.zeros(self.count, np.bool_)
        out[self.rows] = True
        return out

    def find(self, triangles: I32) -> I32:
        """(M,) int32, where in ``rows`` triangles (M,) are; -1 for those that it does not reach."""
        if not len(self.rows):
            return np.full(len(triangles), -1, np.int32)
        at = np.minimum(np.searchsorted(self.rows, triangles), len(self.rows) - 1)
        return np.where(self.rows[at] == triangles, at, -1).astype(np.int32)

    @property
    def nbytes(self) -> int:
        """Memory that it takes, with all that hangs on it."""
        arrays: list[Array | None] = [self.rows, self.corners, self.weights, self.strengths, self.rolled.corners]
        if self.occluders is not None:
            arrays += [self.occluders.corners, self.occluders.owner, self.occluders.starts, self.occluders.items,
                       self.occluders.top]  # fmt: skip
        own = sum(one.nbytes for one in arrays if one is not None) + 512
        return own + (0 if self.beyond is None else self.beyond.nbytes)


def distortion(corner: F64, place: F64) -> tuple[F64, F64]:
    """How triangles (N, 3, 3) came to lie in a picture (N, 3, 2).

    Returns
    -------
    How much longer one way than the other each became, and its area there over its own, below 0 where it is
    turned over.
    """
    a, b = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    length = np.maximum(np.linalg.norm(a, axis=1), 1e-300)
    x, y = (a * b).sum(axis=1) / length, np.linalg.norm(np.cross(a, b), axis=1) / length
    c, d = place[:, 1] - place[:, 0], place[:, 2] - place[:, 0]
    # Columns of the map from the triangle's own plane to the picture, and its singular values.
    first = c / length[:, None]
    second = (d - first * x[:, None]) / np.maximum(y, 1e-300)[:, None]
    turned = first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0]
    total = (first**2 + second**2).sum(axis=1)
    root = np.sqrt(np.maximum(total**2 - 4 * turned**2, 0))
    return np.sqrt((total + root) / np.maximum(total - root, 1e-12 * total + 1e-300)), turned


def touched_chunks(placed: PlacedPicture, sheet: Sheet) -> set[Chunk]:
    """The chunks of a sheet that a placed picture may touch."""
    rows = sheet.rows_of(placed.rows)
    here = np.flatnonzero(rows >= 0)
    rows = rows[here]
    if placed.weights is not None or placed.repeat or placed.rolled is not FLAT:
        chosen = np.zeros(len(sheet.triangle), np.bool_)
        chosen[rows] = True
        return sheet.chunks_of(chosen)  # where on a triangle it ends is not even
    marked = np.zeros((sheet.size.down, sheet.size.across), np.bool_)
    if len(rows):
        _mark_chunks(
            sheet.xy[rows], placed.corners[here], placed.width / 2, placed.height / 2, CHUNK, marked
        )  # fmt: skip
    found = {Chunk(int(row), int(column)) for row, column in np.argwhere(marked)}
    return found if placed.beyond is None else found | touched_chunks(placed.beyond, sheet)


def draw_placed(
    placed: PlacedPicture, sheet: Sheet, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool
) -> U16:
    """(rows, columns, 4) uint16 straight RGBA that the picture gives to a chunk.

    ``encode`` turns linear light into sRGB (the pyramid's colour flavour); without it values pass as they
    are. Where triangles share a texel the one that gets more of the picture wins.
    """
    out = np.zeros((*shape(chunk, sheet.size), 4), np.uint16)
    once: PlacedPicture | None = placed
    while once is not None:
        _draw_once(once, sheet, chunk, pyramid, nearest, encode, out)
        once = once.beyond
    return out


def _draw_once(
    placed: PlacedPicture, sheet: Sheet, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool, out: U16
) -> None:
    items = sheet.chunk_triangles(chunk)
    at = placed.find(sheet.triangle[items])
    items, at = items[at >= 0], at[at >= 0]
    if not len(items):
        return
    occluders = NOTHING if placed.occluders is None else placed.occluders
    highest = float(occluders.top.max())
    faces = Faces(sheet.xy, sheet.needle, items, sheet.triangle, at)
    box = Box(float(placed.width), float(placed.height), float(placed.depth), float(placed.limit))
    style = Style(NEAREST if nearest else SMOOTH, REPEAT if placed.repeat else CUT, encode, ENCODE_16)
    first_at = Corner(chunk.row * CHUNK, chunk.column * CHUNK)
    if placed.bent:
        even = np.ones((len(placed.corners), 3))
        weights = even if placed.weights is None else placed.weights
        strengths = even if placed.strengths is None else placed.strengths
        draw_bent(
            faces,
            placed.corners,
            weights,
            strengths,
            placed.rolled,
            box,
            pyramid.levels,
            style,
            highest,
            occluders,
            first_at,
            out,
        )
        return
    _draw(faces, placed.corners, box, pyramid.levels, style, highest, occluders, first_at, out)


@kernel
def _draw(
    faces: Faces, corners: F64, box: Box, levels: Levels, style: Style, highest: float, occluders: Occluders,
    first_at: Corner, out: U16,
) -> None:  # fmt: skip
    """Paint one triangle after the other."""
    xy, needle, items, rows_of_model, at = faces
    width, height = box.width, box.height
    for n in range(len(items)):
        item = items[n]
        model_row = rows_of_model[item]
        c, f = xy[item], corners[at[n]]
        ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
        bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
        area = ax * by - ay * bx
        if abs(area) < 1e-12:
            continue
        # Frame coordinates as affine functions of texel space.
        e1x, e1y, e1z = f[1, 0] - f[0, 0], f[1, 1] - f[0, 1], f[1, 2] - f[0, 2]
        e2x, e2y, e2z = f[2, 0] - f[0, 0], f[2, 1] - f[0, 1], f[2, 2] - f[0, 2]
        s_x, s_y = (e1x * by - e2x * ay) / area / width, (e2x * ax - e1x * bx) / area / width
        t_x, t_y = -(e1y * by - e2y * ay) / area / height, -(e2y * ax - e1y * bx) / area / height
        z_x, z_y = (e1z * by - e2z * ay) / area, (e2z * ax - e1z * bx) / area
        s_0 = f[0, 0] / width + 0.5 - c[0, 0] * s_x - c[0, 1] * s_y
        t_0 = 0.5 - f[0, 1] / height - c[0, 0] * t_x - c[0, 1] * t_y
        z_0 = f[0, 2] - c[0, 0] * z_x - c[0, 1] * z_y
        # Where nothing rises above the triangle at all, nothing needs to be asked texel by texel.
        covered = highest > min(f[0, 2], f[1, 2], f[2, 2]) + occluders.tolerance
        kind = TRIANGLE
        if needle[item]:
            kind = NEEDLE
        affine = Affine(s_0, s_x, s_y, t_0, t_x, t_y, z_0, z_x, z_y)
        paint(out, first_at, kind, c, affine, levels, style, box, Shadow(covered, model_row), occluders)


@kernel
def _mark_chunks(xy: F64, corners: F64, half_w: float, half_h: float, chunk: int, marked: Bool) -> None:
    """Mark the chunks where a triangle's box and the picture's box, both in texels, meet."""
    across = marked.shape[0]
    for n in range(len(xy)):
        c, f = xy[n], corners[n]
        left, right = c[:, 0].min(), c[:, 0].max()
        top, bottom = c[:, 1].min(), c[:, 1].max()
        e1x, e1y, e2x, e2y = f[1, 0] - f[0, 0], f[1, 1] - f[0, 1], f[2, 0] - f[0, 0], f[2, 1] - f[0, 1]
        area = e1x * e2y - e1y * e2x
        span = max(abs(e1x), abs(e1y), abs(e2x), abs(e2y))
        if abs(area) > 1e-9 * span * span:
            # The picture's four corners as the triangle's plane would carry them to the sheet.
            low_x, high_x, low_y, high_y = np.inf, -np.inf, np.inf, -np.inf
            for k in range(4):
                x = (half_w if k % 2 else -half_w) - f[0, 0]
                y = (half_h if k // 2 else -half_h) - f[0, 1]
                wb, wc = (x * e2y - y * e2x) / area, (e1x * y - e1y * x) / area
                tx = c[0, 0] + wb * (c[1, 0] - c[0, 0]) + wc * (c[2, 0] - c[0, 0])
                ty = c[0, 1] + wb * (c[1, 1] - c[0, 1]) + wc * (c[2, 1] - c[0, 1])
                low_x, high_x = min(low_x, tx), max(high_x, tx)
                low_y, high_y = min(low_y, ty), max(high_y, ty)
            left, right = max(left, low_x), min(right, high_x)
            top, bottom = max(top, low_y), min(bottom, high_y)
        if left > right or top > bottom:
            continue
        for row in range(max(int((top - 1) // chunk), 0), min(int((bottom + 1) // chunk), across - 1) + 1):
            for column in range(max(int((left - 1) // chunk), 0), min(int((right + 1) // chunk), across - 1) + 1):
                marked[row, column] = True
