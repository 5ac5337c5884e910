"""Laying pictures flat in UV space: one placed picture, or one repeated everywhere."""

import numpy as np

from lucky_fern.core.arrays import F32, F64, I64, U16
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import CUT, NEAREST, REPEAT, SMOOTH, border_cover, footprint, sample
from lucky_fern.core.placing.frame import lay_matrix
from lucky_fern.core.placing.throw import store
from lucky_fern.core.project.document import Lay, Wash
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, all_chunks, shape, span
from lucky_fern.core.udim import corner_of

_TINY = 1e-9


def lay_on_sheet(place: Lay, height: float, key: SheetKey, size: int) -> F64 | None:
    """(2, 3) float64: texel (x, y) of a sheet to picture (s, t); None for sheets of other materials.

    A picture that reaches over its tile's border goes on on the neighbouring tile.
    """
    if key.material != place.material:
        return None
    matrix, offset = lay_matrix(place, height)
    shift = np.subtract(corner_of(key.tile), corner_of(place.tile)).astype(np.float64)
    return _texel_affine(matrix, offset + matrix @ shift, size)


def repeat_on_sheet(wash: Wash, key: SheetKey, size: int) -> F64:
    """(2, 3) float64: texel (x, y) to picture (s, t) of a picture repeated ``repeat`` times a tile.

    ``rotate`` turns the picture counter-clockwise round the origin of UV space, ``offset`` then moves it,
    in tiles; with neither its lower left corner lies on the origin. It runs on from tile to tile.
    """
    angle = np.radians(wash.rotate)
    cos, sin = np.cos(angle), np.sin(angle)
    turn = np.array([[cos, sin], [-sin, cos]])
    scale = np.diag([wash.repeat[0], -wash.repeat[1]])
    matrix = scale @ turn
    shift = np.subtract(corner_of(key.tile), wash.offset)
    return _texel_affine(matrix, np.array([0.0, 1.0]) + matrix @ shift, size)


def laid_chunks(affine: F64, size: int) -> set[Chunk]:
    """The chunks that a laid picture touches."""
    inverse = np.linalg.inv(affine[:, :2])
    corner = (np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]) - affine[:, 2]) @ inverse.T
    low, high = corner.min(axis=0) - 1, corner.max(axis=0) + 1
    touched = set()
    for chunk in all_chunks(size):
        rows, columns = span(chunk, size)
        if low[0] < columns.stop and high[0] > columns.start and low[1] < rows.stop and high[1] > rows.start:
            touched.add(chunk)
    return touched


def draw_laid(
    affine: F64, size: int, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool, repeat: bool
) -> U16:
    """(rows, columns, 4) uint16 straight RGBA that a laid or repeated picture gives to a chunk."""
    out = np.zeros((*shape(chunk, size), 4), np.uint16)
    _draw(
        affine, pyramid.texels, pyramid.offset, pyramid.width, pyramid.height,
        NEAREST if nearest else SMOOTH, REPEAT if repeat else CUT, encode, ENCODE_16,
        chunk.row * CHUNK, chunk.column * CHUNK, out,
    )  # fmt: skip
    return out


def _texel_affine(matrix: F64, offset: F64, size: int) -> F64:
    """From UV → (s, t) to texel space: u = x / size, v = 1 − y / size."""
    to_uv = np.array([[1 / size, 0.0, 0.0], [0.0, -1 / size, 1.0]])
    affine = matrix @ to_uv
    affine[:, 2] += offset
    # A right angle is meant to be exact: its cosine must not leave a slant of 1e-17 behind.
    affine[:, :2][np.abs(affine[:, :2]) < _TINY * np.abs(affine[:, :2]).max()] = 0.0
    return np.asarray(affine, np.float64)


@kernel
def _draw(
    affine: F64, texels: F32, offset: I64, level_w: I64, level_h: I64,
    sampling: int, edge: int, encode: bool, table: U16, row0: int, column0: int, out: U16,
) -> None:  # fmt: skip
    s_x, s_y, t_x, t_y = affine[0, 0], affine[0, 1], affine[1, 0], affine[1, 1]
    how = footprint(offset, level_w, level_h, s_x, s_y, t_x, t_y, sampling)
    s_extent, t_extent = np.hypot(s_x, s_y), np.hypot(t_x, t_y)
    hard = sampling == NEAREST
    for r in range(out.shape[0]):
        for k in range(out.shape[1]):
            x, y = k + column0 + 0.5, r + row0 + 0.5
            s = affine[0, 0] * x + affine[0, 1] * y + affine[0, 2]
            t = affine[1, 0] * x + affine[1, 1] * y + affine[1, 2]
            cover = 1.0
            if edge == REPEAT:
                s, t = s - np.floor(s), t - np.floor(t)
            else:
                if not (-s_extent < s < 1 + s_extent and -t_extent < t < 1 + t_extent):
                    continue
                cover = border_cover(s, s_extent, hard) * border_cover(t, t_extent, hard)
                if cover <= 0.0:
                    continue
            red, green, blue, alpha = sample(texels, offset, level_w, level_h, how, s, t, s_x, s_y, t_x, t_y, edge)
            if alpha > 0.0:
                store(out, r, k, red, green, blue, alpha, cover, encode, table)
