"""Pictures projected along the three axes and mixed by the surface's direction: no UVs are asked.

Reference: R. Geiss, "Generating Complex Procedural Terrains Using the GPU", GPU Gems 3, 2007, section 1.5.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U16
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import NEAREST, REPEAT, SMOOTH, footprint, sample
from lucky_fern.core.project.document import Wash
from lucky_fern.core.sheets.grid import CHUNK, Chunk, shape
from lucky_fern.core.sheets.sheet import Sheet

SHARPNESS = 4.0  # the power to which directions are raised: higher gives narrower transitions


def draw_triplanar(wash: Wash, sheet: Sheet, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool) -> U16:
    """(rows, columns, 4) uint16 straight RGBA of a chunk.

    The picture repeats ``repeat`` times over the model's longest side, seen upright from each of the six
    directions; ``rotate`` turns it and ``offset`` moves it, in pictures.
    """
    model = sheet.model
    low, high = model.bounds
    longest = float((high - low).max()) or 1.0
    angle = np.radians(wash.rotate)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    # Rows: picture s (to the right) and t (downwards) from the plane's right and up.
    to_picture = np.diag([wash.repeat[0], -wash.repeat[1]]) / longest @ turn
    shift = np.array([-wash.offset[0], wash.offset[1]])
    out = np.zeros((*shape(chunk, sheet.size), 4), np.uint16)
    _draw(
        out, sheet.owners(chunk), sheet.xy, sheet.triangle, model.corners, model.normals,
        (low + high) / 2, to_picture, shift, chunk.row * CHUNK, chunk.column * CHUNK,
        pyramid.texels, pyramid.offset, pyramid.width, pyramid.height,
        NEAREST if nearest else SMOOTH, encode, ENCODE_16,
    )  # fmt: skip
    return out


@kernel
def _draw(
    out: U16, owner: I32, xy: F64, rows_of_model: I32, corners: F64, normals: F32,
    middle: F64, to_picture: F64, shift: F64, row0: int, column0: int,
    texels: F32, offset: I64, level_w: I64, level_h: I64, sampling: int, encode: bool, table: U16,
) -> None:  # fmt: skip
    for r in range(out.shape[0]):
        for k in range(out.shape[1]):
            item = owner[r, k]
            if item < 0:
                continue
            c, t = xy[item], rows_of_model[item]
            ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
            bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
            area = ax * by - ay * bx
            if abs(area) < 1e-12:
                continue
            px, py = k + column0 + 0.5 - c[0, 0], r + row0 + 0.5 - c[0, 1]
            wb, wc = (px * by - py * bx) / area, (ax * py - ay * px) / area
            total = red = green = blue = alpha = 0.0
            for axis in range(3):
                facing = 0.0
                for j in range(3):
                    w = 1 - wb - wc
                    if j == 1:
                        w = wb
                    elif j == 2:
                        w = wc
                    facing += w * normals[t, j, axis]
                weight = abs(facing) ** SHARPNESS
                if weight < 1e-6:
                    continue
                # Right and up of the plane as seen from the side that the surface faces.
                side = 1.0 if facing >= 0 else -1.0
                right_axis, up_axis, right_sign, up_sign = 0, 1, side, 1.0
                if axis == 0:
                    right_axis, right_sign = 2, -side
                elif axis == 1:
                    up_axis, right_sign, up_sign = 2, 1.0, -side
                x0 = corners[t, 0, right_axis] - middle[right_axis]
                y0 = corners[t, 0, up_axis] - middle[up_axis]
                e1x = (corners[t, 1, right_axis] - corners[t, 0, right_axis]) * right_sign
                e1y = (corners[t, 1, up_axis] - corners[t, 0, up_axis]) * up_sign
                e2x = (corners[t, 2, right_axis] - corners[t, 0, right_axis]) * right_sign
                e2y = (corners[t, 2, up_axis] - corners[t, 0, up_axis]) * up_sign
                x = x0 * right_sign + wb * e1x + wc * e2x
                y = y0 * up_sign + wb * e1y + wc * e2y
                x_x, x_y = (e1x * by - e2x * ay) / area, (e2x * ax - e1x * bx) / area
                y_x, y_y = (e1y * by - e2y * ay) / area, (e2y * ax - e1y * bx) / area
                s_x = to_picture[0, 0] * x_x + to_picture[0, 1] * y_x
                s_y = to_picture[0, 0] * x_y + to_picture[0, 1] * y_y
                t_x = to_picture[1, 0] * x_x + to_picture[1, 1] * y_x
                t_y = to_picture[1, 0] * x_y + to_picture[1, 1] * y_y
                s = to_picture[0, 0] * x + to_picture[0, 1] * y + shift[0] + 0.5
                u = to_picture[1, 0] * x + to_picture[1, 1] * y + shift[1] + 0.5
                how = footprint(offset, level_w, level_h, s_x, s_y, t_x, t_y, sampling)
                p, q, v, a = sample(
                    texels,
                    offset,
                    level_w,
                    level_h,
                    how,
                    s - np.floor(s),
                    u - np.floor(u),
                    s_x,
                    s_y,
                    t_x,
                    t_y,
                    REPEAT,
                )
                total += weight
                red, green, blue, alpha = red + weight * p, green + weight * q, blue + weight * v, alpha + weight * a
            if total <= 0.0 or alpha <= 0.0:
                continue
            f = 65535.0 / alpha
            red, green, blue = (
                min(red * f + 0.5, 65535.0),
                min(green * f + 0.5, 65535.0),
                min(blue * f + 0.5, 65535.0),
            )
            if encode:
                out[r, k, 0], out[r, k, 1], out[r, k, 2] = table[int(red)], table[int(green)], table[int(blue)]
            else:
                out[r, k, 0], out[r, k, 1], out[r, k, 2] = int(red), int(green), int(blue)
            out[r, k, 3] = int(alpha / total * 65535.0 + 0.5)
