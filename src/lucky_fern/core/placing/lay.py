"""Laying pictures flat in UV space: one placed picture, or one repeated everywhere."""

import numpy as np

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import CUT, NEAREST, REPEAT, SMOOTH
from lucky_fern.core.placing.bundles import Affine, Box, Corner, Shadow, Style
from lucky_fern.core.placing.frame import lay_matrix
from lucky_fern.core.placing.hidden import NOTHING
from lucky_fern.core.placing.paint import WHOLE, paint
from lucky_fern.core.project.document import Wash
from lucky_fern.core.project.places import Lay
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, all_chunks, shape, span
from lucky_fern.core.udim import corner_of

_TINY = 1e-9


def lay_on_sheet(place: Lay, height: float, key: SheetKey, size: Extent) -> F64 | None:
    """(2, 3) float64: texel (x, y) of a sheet to picture (s, t); None for sheets that it does not show on.

    A picture that reaches over its tile's border goes on on the neighbouring tile.
    """
    if key.material not in place.materials:
        return None
    matrix, offset = lay_matrix(place, height)
    shift = np.subtract(corner_of(key.tile), corner_of(place.tile)).astype(np.float64)
    return _texel_affine(matrix, offset + matrix @ shift, size)


def repeat_on_sheet(wash: Wash, key: SheetKey, size: Extent) -> F64:
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


def whole_tile(size: Extent) -> F64:
    """(2, 3) float64: texel (x, y) to picture (s, t) of a picture that fills the sheet."""
    return np.array([[1 / size.width, 0.0, 0.0], [0.0, 1 / size.height, 0.0]])


def laid_chunks(affine: F64, size: Extent) -> set[Chunk]:
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
    affine: F64, size: Extent, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool, repeat: bool
) -> U16:
    """(rows, columns, 4) uint16 straight RGBA that a laid or repeated picture gives to a chunk."""
    out = np.zeros((*shape(chunk, size), 4), np.uint16)
    (s_x, s_y, s_0), (t_x, t_y, t_0) = affine.tolist()
    style = Style(NEAREST if nearest else SMOOTH, REPEAT if repeat else CUT, encode, ENCODE_16)
    paint(
        out, Corner(chunk.row * CHUNK, chunk.column * CHUNK), WHOLE, np.zeros((3, 2)),
        Affine(s_0, s_x, s_y, t_0, t_x, t_y, 0.0, 0.0, 0.0), pyramid.levels, style, Box(1.0, 1.0, 1.0, np.inf),
        Shadow(False, -1), NOTHING,
    )  # fmt: skip
    return out


def _texel_affine(matrix: F64, offset: F64, size: Extent) -> F64:
    """From UV → (s, t) to texel space: u = x / width, v = 1 − y / height."""
    to_uv = np.array([[1 / size.width, 0.0, 0.0], [0.0, -1 / size.height, 1.0]])
    affine = matrix @ to_uv
    affine[:, 2] += offset
    # A right angle is meant to be exact: its cosine must not leave a slant of 1e-17 behind.
    affine[:, :2][np.abs(affine[:, :2]) < _TINY * np.abs(affine[:, :2]).max()] = 0.0
    return np.asarray(affine, np.float64)
