"""Drawing placed pictures that do not run evenly over a triangle: seen through a lens, rolled, or fading out.

As in :mod:`.placed`, but every texel works out for itself where it lies. Through a lens at a distance D from the
picture's middle, a point (x, y, z) of its frame goes to (x, y, z) · D / (D − z): lines stay lines, and the rays from
the lens become parallel, so that what hides what is asked as for any thrown picture. Round an axis, the arc at a
texel is that of its own angle; what hides what is asked of faces unrolled by their corners, as all of them are.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.pictures.sampling import NEAREST, REPEAT, Levels, footprint, sample
from lucky_fern.core.placing.bundles import Box, Corner, Faces, Style
from lucky_fern.core.placing.hidden import Occluders, is_hidden
from lucky_fern.core.placing.texel import put
from lucky_fern.core.sheets.raster import EDGE, row_span


def through_lens(points: F64, distance: float) -> tuple[F64, F64]:
    """Points (..., 3) of a frame seen through a lens, and their weights (...), which run evenly over triangles."""
    weight = np.maximum((distance - points[..., 2]) / distance, 1e-9)
    return points / weight[..., None], weight


class Rolled(NamedTuple):
    """How corners lie round an axis, and how they are unrolled.

    ``corners`` (T, 3, 3) are right of it, along it from the picture's middle, and towards the picture; (0, 3, 3) for
    what is not rolled. ``distance`` is that of the picture, ``cos`` and ``sin`` those of its turn.
    """

    corners: F64
    distance: float
    cos: float
    sin: float


FLAT = Rolled(np.zeros((0, 3, 3)), 1.0, 1.0, 0.0)


@kernel
def draw_bent(
    faces: Faces, corners: F64, weights: F64, strengths: F64, rolled: Rolled, box: Box, levels: Levels, style: Style,
    highest: float, occluders: Occluders, first_at: Corner, out: U16,
) -> None:  # fmt: skip
    """Paint one triangle after the other; ``weights`` and ``strengths`` (T, 3) are those of its corners."""
    xy, needle, items, rows_of_model, at = faces
    width, height, depth, limit = box
    texels, offset, level_w, level_h = levels
    sampling, edge, encode, table = style
    repeat = edge == REPEAT
    o_corners, o_owner, o_starts, o_items, o_top, o_cells, o_low, o_step, tolerance = occluders
    row0, column0 = first_at
    round_, distance, cos, sin = rolled
    v = np.zeros((8, 3))  # what runs evenly over the triangle: value at (0, 0), change to the right, change down
    for n in range(len(items)):
        item = items[n]
        row = rows_of_model[item]
        c, f = xy[item], corners[at[n]]
        ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
        bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
        area = ax * by - ay * bx
        if abs(area) < 1e-12:
            continue
        for i in range(8 if len(round_) else 5):
            if i >= 5:
                g0, g1, g2 = round_[at[n], 0, i - 5], round_[at[n], 1, i - 5], round_[at[n], 2, i - 5]
            elif i < 3:
                g0, g1, g2 = f[0, i] * weights[at[n], 0], f[1, i] * weights[at[n], 1], f[2, i] * weights[at[n], 2]
            elif i == 3:
                g0, g1, g2 = weights[at[n], 0], weights[at[n], 1], weights[at[n], 2]
            else:
                g0, g1, g2 = strengths[at[n], 0], strengths[at[n], 1], strengths[at[n], 2]
            v[i, 1] = ((g1 - g0) * by - (g2 - g0) * ay) / area
            v[i, 2] = ((g2 - g0) * ax - (g1 - g0) * bx) / area
            v[i, 0] = g0 - c[0, 0] * v[i, 1] - c[0, 1] * v[i, 2]
        covered = highest > min(f[0, 2], f[1, 2], f[2, 2]) + tolerance
        top = int(np.ceil(c[:, 1].min() - 0.5 - EDGE)) - row0
        bottom = int(np.floor(c[:, 1].max() - 0.5 + EDGE)) - row0
        x_mid, y_mid = (c[0, 0] + c[1, 0] + c[2, 0]) / 3.0, (c[0, 1] + c[1, 1] + c[2, 1]) / 3.0
        if needle[item]:
            top = bottom = int(np.floor(y_mid)) - row0
        for r in range(max(top, 0), min(bottom, out.shape[0] - 1) + 1):
            y = y_mid if needle[item] else r + row0 + 0.5
            if needle[item]:
                first = last = int(np.floor(x_mid)) - column0
            else:
                low, high = row_span(c, r + row0 + 0.5)
                if low > high:
                    continue
                first, last = int(np.ceil(low - 0.5)) - column0, int(np.floor(high - 0.5)) - column0
            for k in range(max(first, 0), min(last, out.shape[1] - 1) + 1):
                x = x_mid if needle[item] else k + column0 + 0.5
                w = v[3, 0] + x * v[3, 1] + y * v[3, 2]
                deep = v[2, 0] + x * v[2, 1] + y * v[2, 2]
                if w <= 0.0 or abs(deep) > depth + tolerance:
                    continue
                fx = (v[0, 0] + x * v[0, 1] + y * v[0, 2]) / w
                fy = (v[1, 0] + x * v[1, 1] + y * v[1, 2]) / w
                s, t = fx / width + 0.5, 0.5 - fy / height
                s_x, s_y = (v[0, 1] - fx * v[3, 1]) / w / width, (v[0, 2] - fx * v[3, 2]) / w / width
                t_x, t_y = -(v[1, 1] - fy * v[3, 1]) / w / height, -(v[1, 2] - fy * v[3, 2]) / w / height
                if len(round_):
                    beside, along = v[5, 0] + x * v[5, 1] + y * v[5, 2], v[6, 0] + x * v[6, 1] + y * v[6, 2]
                    out_ = v[7, 0] + x * v[7, 1] + y * v[7, 2]
                    arc = np.arctan2(beside, out_) * distance
                    # The turn that is nearest to where it would be if it ran evenly.
                    full = 2.0 * np.pi * distance
                    arc += np.round((fx * cos - fy * sin - arc) / full) * full
                    per = distance / max(beside * beside + out_ * out_, 1e-300)
                    arc_x = (out_ * v[5, 1] - beside * v[7, 1]) * per
                    arc_y = (out_ * v[5, 2] - beside * v[7, 2]) * per
                    s, t = (arc * cos + along * sin) / width + 0.5, 0.5 - (along * cos - arc * sin) / height
                    s_x, s_y = (arc_x * cos + v[6, 1] * sin) / width, (arc_y * cos + v[6, 2] * sin) / width
                    t_x, t_y = -(v[6, 1] * cos - arc_x * sin) / height, -(v[6, 2] * cos - arc_y * sin) / height
                s_half, t_half = 0.5 * np.hypot(s_x, s_y), 0.5 * np.hypot(t_x, t_y)
                cover = min(max(v[4, 0] + x * v[4, 1] + y * v[4, 2], 0.0), 1.0)
                if repeat:
                    s, t = s - np.floor(s), t - np.floor(t)
                elif sampling == NEAREST:
                    if not (0.0 <= s < 1.0 and 0.0 <= t < 1.0):
                        continue
                else:
                    inner_s = min(s + s_half, 1.0) - max(s - s_half, 0.0)
                    inner_t = min(t + t_half, 1.0) - max(t - t_half, 0.0)
                    if inner_s <= 0.0 or inner_t <= 0.0:
                        continue
                    cover *= min(inner_s / max(2.0 * s_half, 1e-12), 1.0)
                    cover *= min(inner_t / max(2.0 * t_half, 1e-12), 1.0)
                how = footprint(offset, level_w, level_h, s_x, s_y, t_x, t_y, sampling)
                red, green, blue, alpha = sample(
                    texels, offset, level_w, level_h, how, s, t, s_x, s_y, t_x, t_y, edge
                )
                level = int(alpha * cover * 65535.0 + 0.5)
                if level <= out[r, k, 3]:
                    continue
                if covered:
                    i = min(max(int((fx - o_low[0]) / o_step[0]), 0), o_cells[0] - 1)
                    j = min(max(int((fy - o_low[1]) / o_step[1]), 0), o_cells[1] - 1)
                    cell = j * o_cells[0] + i
                    z = deep / w
                    if o_top[cell] > z + tolerance and is_hidden(
                        fx, fy, z, row, cell, o_corners, o_owner, o_starts, o_items, tolerance, limit
                    ):
                        continue
                put(out, r, k, red, green, blue, alpha, level, encode, table)
