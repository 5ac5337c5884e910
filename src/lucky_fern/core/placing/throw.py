"""Throwing a picture: straight through the air onto what faces it, reaches in, and is not hidden.

Within one triangle the picture's coordinates are an affine function of the texel, so each triangle is
walked once with constant derivatives.
"""

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, U16, Bool
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import inlined, kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import CUT, NEAREST, SMOOTH, border_cover, footprint, sample
from lucky_fern.core.placing.frame import throw_frame
from lucky_fern.core.placing.hidden import Occluders, gather_occluders, is_hidden
from lucky_fern.core.project.document import Throw
from lucky_fern.core.sheets.grid import CHUNK, Chunk, chunks_across, shape
from lucky_fern.core.sheets.raster import _EDGE, row_span
from lucky_fern.core.sheets.sheet import Sheet


@dataclass(frozen=True)
class ThrownPicture:
    """A pose worked out against a model: which triangles it can reach, and what could hide them."""

    corners: F64  # (T, 3, 3) all triangles in frame coordinates
    reached: Bool  # (T,) in the box and facing the projector
    occluders: Occluders | None
    width: float
    height: float
    depth: float
    limit: float


def throw(model: Model, place: Throw, height: float, allowed: Bool | None = None) -> ThrownPicture:
    """Work out a pose. ``allowed`` (T,) bool leaves out triangles (a scope by parts)."""
    frame = throw_frame(place)
    corners = np.ascontiguousarray((model.corners - frame.origin) @ frame.matrix.T)
    half = np.array([place.width / 2, height / 2])
    low, high = corners.min(axis=1), corners.max(axis=1)
    reached = (low[:, :2] <= half).all(axis=1) & (high[:, :2] >= -half).all(axis=1)
    reached &= (low[:, 2] <= place.depth) & (high[:, 2] >= -place.depth)
    cosine = model.face_normals @ frame.towards
    reached &= np.degrees(np.arccos(np.clip(cosine, -1, 1))) <= place.angle_limit + 1e-6
    reached &= cosine > 1e-9 if place.angle_limit <= 90 else True
    if allowed is not None:
        reached &= allowed
    occluders = None
    if not place.through and reached.any():
        occluders = gather_occluders(corners, half, place.depth, model.diagonal)
    limit = np.inf if place.stand_off is None else place.stand_off
    return ThrownPicture(corners, reached, occluders, place.width, height, place.depth, limit)


def touched_chunks(thrown: ThrownPicture, sheet: Sheet) -> set[Chunk]:
    """The chunks of a sheet that a thrown picture may touch."""
    across = chunks_across(sheet.size)
    chosen = np.flatnonzero(thrown.reached[sheet.triangle])
    marked = np.zeros((across, across), np.bool_)
    if len(chosen):
        _mark_chunks(
            sheet.xy[chosen],
            thrown.corners[sheet.triangle[chosen]],
            thrown.width / 2,
            thrown.height / 2,
            CHUNK,
            marked,
        )
    return {Chunk(int(row), int(column)) for row, column in np.argwhere(marked)}


def draw_thrown(
    thrown: ThrownPicture, sheet: Sheet, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool
) -> U16:
    """(rows, columns, 4) uint16 straight RGBA that the picture gives to a chunk.

    ``encode`` turns linear light into sRGB (the pyramid's colour flavour); without it values pass as they
    are. Where triangles share a texel the one that gets more of the picture wins.
    """
    items = sheet.chunk_triangles(chunk)
    items = items[thrown.reached[sheet.triangle[items]]]
    out = np.zeros((*shape(chunk, sheet.size), 4), np.uint16)
    if not len(items):
        return out
    occluders = thrown.occluders
    hidden = occluders is not None
    if occluders is None:
        occluders = _NOTHING
    _draw(
        sheet.xy, sheet.needle, items, sheet.triangle, thrown.corners,
        thrown.width, thrown.height, thrown.depth, thrown.limit,
        pyramid.texels, pyramid.offset, pyramid.width, pyramid.height,
        NEAREST if nearest else SMOOTH, encode, ENCODE_16, hidden,
        occluders.corners, occluders.owner, occluders.starts, occluders.items, occluders.top,
        occluders.cells, occluders.low, occluders.step, occluders.tolerance,
        chunk.row * CHUNK, chunk.column * CHUNK, out,
    )  # fmt: skip
    return out


_NOTHING = Occluders(
    np.zeros((0, 3, 3)), np.zeros(0, np.int32), np.zeros(2, np.int64), np.zeros(0, np.int32),
    np.full(1, -np.inf), np.ones(2, np.int64), np.zeros(2), np.ones(2), 0.0,
)  # fmt: skip


@inlined
def store(
    out: U16, r: int, k: int, red: float, green: float, blue: float, alpha: float, cover: float,
    encode: bool, table: U16,
) -> None:  # fmt: skip
    """Write a premultiplied sample, straightened, if it covers more than what is there."""
    level = int(alpha * cover * 65535.0 + 0.5)
    if level <= out[r, k, 3]:
        return
    f = 65535.0 / alpha
    red = min(max(red * f + 0.5, 0.0), 65535.0)
    green = min(max(green * f + 0.5, 0.0), 65535.0)
    blue = min(max(blue * f + 0.5, 0.0), 65535.0)
    if encode:
        out[r, k, 0], out[r, k, 1], out[r, k, 2] = table[int(red)], table[int(green)], table[int(blue)]
    else:
        out[r, k, 0], out[r, k, 1], out[r, k, 2] = int(red), int(green), int(blue)
    out[r, k, 3] = level


@kernel
def _draw(
    xy: F64, needle: U8, items: I32, rows_of_model: I32, corners: F64,
    width: float, height: float, depth: float, limit: float,
    texels: F32, offset: I64, level_w: I64, level_h: I64,
    sampling: int, encode: bool, table: U16, test_hidden: bool,
    o_corners: F64, o_owner: I32, o_starts: I64, o_items: I32, o_top: F64,
    o_cells: I64, o_low: F64, o_step: F64, tolerance: float,
    row0: int, column0: int, out: U16,
) -> None:  # fmt: skip
    count_rows, count_columns = out.shape[0], out.shape[1]
    hard = sampling == NEAREST
    for n in range(len(items)):
        item = items[n]
        model_row = rows_of_model[item]
        c, f = xy[item], corners[model_row]
        ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
        bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
        area = ax * by - ay * bx
        if abs(area) < 1e-12:
            continue
        # Frame coordinates as affine functions of texel space: value = at corner 0 + d/dx + d/dy.
        px, py, pz = f[0, 0], f[0, 1], f[0, 2]
        e1x, e1y, e1z = f[1, 0] - px, f[1, 1] - py, f[1, 2] - pz
        e2x, e2y, e2z = f[2, 0] - px, f[2, 1] - py, f[2, 2] - pz
        x_x, x_y = (e1x * by - e2x * ay) / area, (e2x * ax - e1x * bx) / area
        y_x, y_y = (e1y * by - e2y * ay) / area, (e2y * ax - e1y * bx) / area
        z_x, z_y = (e1z * by - e2z * ay) / area, (e2z * ax - e1z * bx) / area
        s_x, s_y, t_x, t_y = x_x / width, x_y / width, -y_x / height, -y_y / height
        how = footprint(offset, level_w, level_h, s_x, s_y, t_x, t_y, sampling)
        s_extent, t_extent = np.hypot(s_x, s_y), np.hypot(t_x, t_y)
        if needle[item]:
            top = int(np.floor((c[0, 1] + c[1, 1] + c[2, 1]) / 3)) - row0
            bottom = top
        else:
            top = max(int(np.ceil(c[:, 1].min() - 0.5 - _EDGE)) - row0, 0)
            bottom = min(int(np.floor(c[:, 1].max() - 0.5 + _EDGE)) - row0, count_rows - 1)
        for r in range(max(top, 0), min(bottom, count_rows - 1) + 1):
            if needle[item]:
                first = int(np.floor((c[0, 0] + c[1, 0] + c[2, 0]) / 3)) - column0
                last = first
            else:
                low, high = row_span(c, r + row0 + 0.5)
                if low > high:
                    continue
                first = max(int(np.ceil(low - 0.5)) - column0, 0)
                last = min(int(np.floor(high - 0.5)) - column0, count_columns - 1)
            for k in range(max(first, 0), min(last, count_columns - 1) + 1):
                dx, dy = k + column0 + 0.5 - c[0, 0], r + row0 + 0.5 - c[0, 1]
                if needle[item]:
                    dx, dy = (ax + bx) / 3, (ay + by) / 3
                x = px + dx * x_x + dy * x_y
                y = py + dx * y_x + dy * y_y
                s, t = x / width + 0.5, 0.5 - y / height
                if not (-s_extent < s < 1 + s_extent and -t_extent < t < 1 + t_extent):
                    continue
                cover = border_cover(s, s_extent, hard) * border_cover(t, t_extent, hard)
                if cover <= 0.0:
                    continue
                z = pz + dx * z_x + dy * z_y
                if abs(z) > depth + tolerance:
                    continue
                red, green, blue, alpha = sample(texels, offset, level_w, level_h, how, s, t, s_x, s_y, t_x, t_y, CUT)
                if alpha <= 0.0:
                    continue
                if test_hidden and is_hidden(
                    x, y, z, model_row, o_corners, o_owner, o_starts, o_items, o_top,
                    o_cells, o_low, o_step, tolerance, limit,
                ):  # fmt: skip
                    continue
                store(out, r, k, red, green, blue, alpha, cover, encode, table)


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
