"""The innermost loop of placing: one affine piece of a picture onto the texels of a chunk.

Everything per texel is written out in one function on purpose: handing arrays to a function of its own
for each texel costs several times what the texel does. Rows that need no questions are :mod:`.rows`' matter.
"""

from typing import Any

import numpy as np

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.pictures.sampling import BILINEAR, NEAREST, ONE_PIXEL, REPEAT, Levels, footprint, sample, wrap
from lucky_fern.core.placing.bundles import Affine, Box, Corner, Shadow, Style
from lucky_fern.core.placing.hidden import Occluders, is_hidden
from lucky_fern.core.placing.rows import FLOATS, WHOLES, draw_row
from lucky_fern.core.sheets.raster import EDGE, row_span

TRIANGLE, NEEDLE, WHOLE = 0, 1, 2
_WIDE = 8  # texels of a row that are worth asking once for all of them
_U1: Any = np.uint64(1)
_U2: Any = np.uint64(2)
_U3: Any = np.uint64(3)
_ONE: Any = np.float32(1)
_HALF: Any = np.float32(0.5)
_TOP: Any = np.float32(65535)


@kernel
def _within(at: float, step: float, low: float, high: float, first: int, last: int) -> tuple[int, int]:
    """The columns from ``first`` to ``last`` in which ``at + k · step`` lies between ``low`` and ``high``."""
    if abs(step) < 1e-12:
        if low <= at <= high:
            return first, last
        return last + 1, last
    a, b = (low - at) / step, (high - at) / step
    return max(int(np.ceil(min(a, b))), first), min(int(np.floor(max(a, b))), last)


@kernel
def paint(
    out: U16, first_at: Corner, shape: int, corners: F64, affine: Affine, levels: Levels, style: Style, box: Box,
    shadow: Shadow, occluders: Occluders,
) -> None:  # fmt: skip
    """Write what a picture gives to the texels of a triangle, or of the whole chunk.

    Parameters
    ----------
    out : (rows, columns, 4) uint16 straight RGBA, from texel ``first_at`` of the sheet; a texel that has more
        of the picture already keeps it.
    shape : TRIANGLE or NEEDLE of ``corners`` (3, 2) in texels, or WHOLE.
    box, occluders : only asked where ``shadow`` asks or the box is not endlessly deep.
    """
    row0, column0 = first_at
    s_0, s_x, s_y, t_0, t_x, t_y, z_0, z_x, z_y = affine
    texels, offset, level_w, level_h = levels
    sampling, edge, encode, table = style
    width, height, depth, limit = box
    test_hidden, model_row = shadow
    o_corners, o_owner, o_starts, o_items, o_top, o_cells, o_low, o_step, tolerance = occluders
    rows, columns = out.shape[0], out.shape[1]
    how = footprint(offset, level_w, level_h, s_x, s_y, t_x, t_y, sampling)
    way = how[0]
    w, h = level_w[0], level_h[0]
    hard = sampling == NEAREST
    s_half, t_half = 0.5 * np.hypot(s_x, s_y), 0.5 * np.hypot(t_x, t_y)
    quick = way == BILINEAR and edge != REPEAT and not test_hidden and shape != NEEDLE
    if shape == TRIANGLE:  # hardly anything would be saved on a small one
        quick = quick and corners[:, 0].max() - corners[:, 0].min() > _WIDE
    floats = np.empty((FLOATS if quick else 0, columns), np.float32)
    wholes = np.empty((WHOLES if quick else 0, columns), np.int32)
    x_mid, y_mid = 0.0, 0.0
    top, bottom = 0, rows - 1
    if shape != WHOLE:
        x_mid, y_mid = (corners[0, 0] + corners[1, 0] + corners[2, 0]) / 3, 0.0
        y_mid = (corners[0, 1] + corners[1, 1] + corners[2, 1]) / 3
        if shape == NEEDLE:
            top = bottom = int(np.floor(y_mid)) - row0
        else:
            top = int(np.ceil(corners[:, 1].min() - 0.5 - EDGE)) - row0
            bottom = int(np.floor(corners[:, 1].max() - 0.5 + EDGE)) - row0
    for r in range(max(top, 0), min(bottom, rows - 1) + 1):
        first, last = 0, columns - 1
        if shape == NEEDLE:
            first = last = int(np.floor(x_mid)) - column0
        elif shape == TRIANGLE:
            low, high = row_span(corners, r + row0 + 0.5)
            if low > high:
                continue
            first = int(np.ceil(low - 0.5)) - column0
            last = int(np.floor(high - 0.5)) - column0
        y = y_mid if shape == NEEDLE else r + row0 + 0.5
        first, last = max(first, 0), min(last, columns - 1)
        inner, beyond = last + 1, last + 1  # columns that need no questions
        if quick and last - first > _WIDE:
            s_at, t_at = s_0 + (column0 + 0.5) * s_x + y * s_y, t_0 + (column0 + 0.5) * t_x + y * t_y
            low_s, high_s = max(s_half, 0.5 / w), min(1.0 - s_half, 1.0 - 1.5 / w)
            low_t, high_t = max(t_half, 0.5 / h), min(1.0 - t_half, 1.0 - 1.5 / h)
            a0, a1 = _within(s_at, s_x, low_s, high_s, first, last)
            inner, beyond = _within(t_at, t_x, low_t, high_t, a0, a1)
            beyond += 1
            z_a = z_0 + (column0 + inner + 0.5) * z_x + y * z_y
            z_b = z_0 + (column0 + beyond - 0.5) * z_x + y * z_y
            if inner >= beyond or abs(z_a) > depth or abs(z_b) > depth:
                inner, beyond = last + 1, last + 1
            else:
                draw_row(
                    out[r], inner, beyond, s_at * w - 0.5, s_x * w, t_at * h - 0.5, t_x * h, texels, w, encode, table,
                    floats, wholes,
                )  # fmt: skip
        k = first - 1
        while k < last:
            k += 1
            if k == inner:
                k = beyond
                if k > last:
                    break
            x = x_mid if shape == NEEDLE else k + column0 + 0.5
            s = s_0 + x * s_x + y * s_y
            t = t_0 + x * t_x + y * t_y
            cover = 1.0
            if edge == REPEAT:
                s, t = s - np.floor(s), t - np.floor(t)
            elif s < s_half or s > 1.0 - s_half or t < t_half or t > 1.0 - t_half:
                # The texel reaches over the picture's border: only its part inside counts.
                if hard:
                    if not (0.0 <= s < 1.0 and 0.0 <= t < 1.0):
                        continue
                else:
                    inner_s = min(s + s_half, 1.0) - max(s - s_half, 0.0)
                    inner_t = min(t + t_half, 1.0) - max(t - t_half, 0.0)
                    if inner_s <= 0.0 or inner_t <= 0.0:
                        continue
                    cover = inner_s / (2.0 * s_half) * (inner_t / (2.0 * t_half))
            z = z_0 + x * z_x + y * z_y
            if abs(z) > depth + tolerance:
                continue
            if way in (BILINEAR, ONE_PIXEL):
                px, py = s * w, t * h
                if way == BILINEAR:
                    px, py = px - 0.5, py - 0.5
                i, j = int(np.floor(px)), int(np.floor(py))
                i1, j1 = i + 1, j + 1
                fx, fy = px - i, py - j
                i, i1, j, j1 = wrap(i, w, edge), wrap(i1, w, edge), wrap(j, h, edge), wrap(j1, h, edge)
                # Unsigned places are not asked whether they count from the end.
                p = np.uint64((j * w + i) * 4)
                if way == ONE_PIXEL:
                    red, green, blue, alpha = texels[p], texels[p + _U1], texels[p + _U2], texels[p + _U3]
                else:
                    q, u = np.uint64((j * w + i1) * 4), np.uint64((j1 * w + i) * 4)
                    v = np.uint64((j1 * w + i1) * 4)
                    gx, gy = np.float32(fx), np.float32(fy)
                    d = gx * gy
                    c, b = gy - d, gx - d
                    a = _ONE - gx - c
                    red = a * texels[p] + b * texels[q] + c * texels[u] + d * texels[v]
                    green = a * texels[p + _U1] + b * texels[q + _U1] + c * texels[u + _U1] + d * texels[v + _U1]
                    blue = a * texels[p + _U2] + b * texels[q + _U2] + c * texels[u + _U2] + d * texels[v + _U2]
                    alpha = a * texels[p + _U3] + b * texels[q + _U3] + c * texels[u + _U3] + d * texels[v + _U3]
            else:
                p0, p1, p2, p3 = sample(
                    texels, offset, level_w, level_h, how, s, t, s_x, s_y, t_x, t_y, edge
                )  # fmt: skip
                red, green, blue, alpha = np.float32(p0), np.float32(p1), np.float32(p2), np.float32(p3)
            level = int(alpha * np.float32(cover) * _TOP + _HALF)
            if level <= out[r, k, 3]:
                continue
            if test_hidden:
                fx, fy = (s - 0.5) * width, (0.5 - t) * height
                i = min(max(int((fx - o_low[0]) / o_step[0]), 0), o_cells[0] - 1)
                j = min(max(int((fy - o_low[1]) / o_step[1]), 0), o_cells[1] - 1)
                cell = j * o_cells[0] + i
                if o_top[cell] > z + tolerance and is_hidden(
                    fx, fy, z, model_row, cell, o_corners, o_owner, o_starts, o_items, tolerance, limit
                ):
                    continue
            f = _TOP / alpha
            at_r = np.uint64(np.uint32(min(red * f + _HALF, _TOP)))
            at_g = np.uint64(np.uint32(min(green * f + _HALF, _TOP)))
            at_b = np.uint64(np.uint32(min(blue * f + _HALF, _TOP)))
            if encode:
                out[r, k, 0], out[r, k, 1], out[r, k, 2] = table[at_r], table[at_g], table[at_b]
            else:
                out[r, k, 0], out[r, k, 1], out[r, k, 2] = at_r, at_g, at_b
            out[r, k, 3] = level
