"""Pictures projected along the three axes and mixed by the surface's direction: no UVs are asked.

Reference: R. Geiss, "Generating Complex Procedural Terrains Using the GPU", GPU Gems 3, 2007, section 1.5.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, U16
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import NEAREST, REPEAT, SMOOTH, Levels, footprint, sample
from lucky_fern.core.placing.bundles import Corner, Style
from lucky_fern.core.placing.texel import put
from lucky_fern.core.project.document import Wash
from lucky_fern.core.sheets.grid import CHUNK, Chunk, shape
from lucky_fern.core.sheets.sheet import Sheet


class Ground(NamedTuple):
    """Which row of ``xy`` owns each texel of a chunk (r, c), and where those triangles lie: on the sheet, in the
    model.
    """

    owner: I32
    xy: F64
    rows: I32
    corners: F64
    normals: F32


class Projection(NamedTuple):
    """How pictures lie on the planes of the axes: about a middle, by a matrix (2, 2) and a shift; ``only`` one
    axis.
    """

    middle: F64
    to_picture: F64
    shift: F64
    only: int


def draw_triplanar(
    wash: Wash, sheet: Sheet, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool, only: int = -1
) -> U16:
    """(rows, columns, 4) uint16 straight RGBA of a chunk.

    The picture repeats ``repeat`` times over the model's longest side, seen upright from each of the six
    directions; ``rotate`` turns it and ``offset`` moves it, in pictures. ``only`` draws one axis' projection. With
    ``nearest`` a texel takes the pixel of the plane that it faces most, unmixed.
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
    ground = Ground(sheet.owners(chunk), sheet.xy, sheet.triangle, model.corners, model.normals)
    projection = Projection((low + high) / 2, to_picture, shift, only)
    style = Style(NEAREST if nearest else SMOOTH, REPEAT, encode, ENCODE_16)
    _draw(out, ground, projection, Corner(chunk.row * CHUNK, chunk.column * CHUNK), pyramid.levels, style)
    return out


def shares(sheet: Sheet, chunk: Chunk, nearest: bool) -> F64:
    """(r, c, 3) how much each axis' projection counts on a chunk, 1 in all; zero outside islands.

    With ``nearest``, which keeps pixels whole, one of them is all.
    """
    normal = sheet.surface_points(chunk).normal ** 2
    weight = normal * normal
    weight[weight < 1e-6] = 0
    if nearest:
        weight *= np.arange(3) == weight.argmax(axis=2, keepdims=True)
    total = weight.sum(axis=2, keepdims=True)
    made: F64 = np.divide(weight, total, out=np.zeros_like(weight), where=total > 0)
    return made


def plane_axes(wash: Wash, model: Model, triangle: I32, axis: int) -> tuple[F64, F64]:
    """How the surface runs to the right and up in one axis' projection, on triangles (N,): two (N, 3)."""
    face = model.face_normals[triangle]
    side = np.where(model.normals[triangle, :, axis].sum(axis=1) >= 0, 1.0, -1.0)
    right, up = np.zeros((len(triangle), 3)), np.zeros((len(triangle), 3))
    right[:, 2 if axis == 0 else 0] = -side if axis == 0 else (1.0 if axis == 1 else side)
    up[:, 2 if axis == 1 else 1] = -side if axis == 1 else 1.0
    angle = np.radians(wash.rotate)
    cos, sin = float(np.cos(angle)), float(np.sin(angle))
    turned = (cos * right + sin * up) * np.sign(wash.repeat[0]), (cos * up - sin * right) * np.sign(wash.repeat[1])
    # Slid along the axis onto the face, as a throw would be.
    facing = face[:, axis]
    facing = np.where(np.abs(facing) < 1e-9, np.inf, facing)
    out = []
    for one in turned:
        slid = one.copy()
        slid[:, axis] -= (one * face).sum(axis=1) / facing
        out.append(slid)
    return out[0], out[1]


@kernel
def _planes(c: F64, f: F64, middle: F64, to_picture: F64, shift: F64, side: F64, planes: F64) -> None:
    """How picture coordinates follow from texels on a triangle, for each of the three axes.

    ``planes`` (3, 6) gets s_0, s_x, s_y, t_0, t_x, t_y; ``side`` (3,) says from which side each axis looks.
    """
    ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
    bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
    area = ax * by - ay * bx
    for axis in range(3):
        # Right and up of the plane as seen from the side that the surface faces.
        right_axis, up_axis, right_sign, up_sign = 0, 1, side[axis], 1.0
        if axis == 0:
            right_axis, right_sign = 2, -side[axis]
        elif axis == 1:
            up_axis, right_sign, up_sign = 2, 1.0, -side[axis]
        e1x = (f[1, right_axis] - f[0, right_axis]) * right_sign
        e1y = (f[1, up_axis] - f[0, up_axis]) * up_sign
        e2x = (f[2, right_axis] - f[0, right_axis]) * right_sign
        e2y = (f[2, up_axis] - f[0, up_axis]) * up_sign
        x_x, x_y = (e1x * by - e2x * ay) / area, (e2x * ax - e1x * bx) / area
        y_x, y_y = (e1y * by - e2y * ay) / area, (e2y * ax - e1y * bx) / area
        x_0 = (f[0, right_axis] - middle[right_axis]) * right_sign - c[0, 0] * x_x - c[0, 1] * x_y
        y_0 = (f[0, up_axis] - middle[up_axis]) * up_sign - c[0, 0] * y_x - c[0, 1] * y_y
        for row in range(2):
            m, n = to_picture[row, 0], to_picture[row, 1]
            planes[axis, row * 3] = m * x_0 + n * y_0 + shift[row] + 0.5
            planes[axis, row * 3 + 1] = m * x_x + n * y_x
            planes[axis, row * 3 + 2] = m * x_y + n * y_y


@kernel
def _draw(
    out: U16, ground: Ground, projection: Projection, first_at: Corner, levels: Levels, style: Style
) -> None:  # fmt: skip
    owner, xy, rows_of_model, corners, normals = ground
    middle, to_picture, shift, only = projection
    row0, column0 = first_at
    texels, offset, level_w, level_h = levels
    sampling, _, encode, table = style
    planes, side, last = np.zeros((3, 6)), np.zeros(3), -1
    ax = ay = bx = by = area = 0.0
    how = footprint(offset, level_w, level_h, 0.0, 0.0, 0.0, 0.0, sampling)
    ways = [how, how, how]
    for r in range(out.shape[0]):
        for k in range(out.shape[1]):
            item = owner[r, k]
            if item < 0:
                continue
            c, t = xy[item], rows_of_model[item]
            if item != last:  # neighbours lie on the same triangle more often than not
                ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
                bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
                area = ax * by - ay * bx
                last = item
                if abs(area) >= 1e-12:
                    for axis in range(3):
                        middling = normals[t, 0, axis] + normals[t, 1, axis] + normals[t, 2, axis]
                        side[axis] = 1.0 if middling >= 0 else -1.0
                    _planes(c, corners[t], middle, to_picture, shift, side, planes)
                    for axis in range(3):
                        ways[axis] = footprint(
                            offset, level_w, level_h,
                            planes[axis, 1], planes[axis, 2], planes[axis, 4], planes[axis, 5], sampling,
                        )  # fmt: skip
            if abs(area) < 1e-12:
                continue
            px, py = k + column0 + 0.5, r + row0 + 0.5
            wb = ((px - c[0, 0]) * by - (py - c[0, 1]) * bx) / area
            wc = (ax * (py - c[0, 1]) - ay * (px - c[0, 0])) / area
            total = red = green = blue = alpha = best = 0.0
            for axis in range(3):
                facing = (1 - wb - wc) * normals[t, 0, axis] + wb * normals[t, 1, axis] + wc * normals[t, 2, axis]
                weight = facing * facing
                weight *= weight  # to the fourth power: higher ones give narrower transitions
                if weight < 1e-6 or (only >= 0 and axis != only):
                    continue
                if sampling == NEAREST:  # whole pixels are not mixed: the plane that faces most has them
                    if weight <= best:
                        continue
                    best, total, red, green, blue, alpha = weight, 0.0, 0.0, 0.0, 0.0, 0.0
                s_x, s_y, t_x, t_y = planes[axis, 1], planes[axis, 2], planes[axis, 4], planes[axis, 5]
                s = planes[axis, 0] + px * s_x + py * s_y
                u = planes[axis, 3] + px * t_x + py * t_y
                s, u = s - np.floor(s), u - np.floor(u)
                p, q, v, a = sample(texels, offset, level_w, level_h, ways[axis], s, u, s_x, s_y, t_x, t_y, REPEAT)
                total += weight
                red, green, blue, alpha = red + weight * p, green + weight * q, blue + weight * v, alpha + weight * a
            if total <= 0.0 or alpha <= 0.0:
                continue
            level = int(alpha / total * 65535.0 + 0.5)
            put(out, r, k, red, green, blue, alpha, level, encode, table)
