"""The kernels of strokes: which texels samples reach, and how much they cover each."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, Bool
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.raster import EDGE, row_span


class Mesh(NamedTuple):
    """Triangles near a stroke: rows of the sheet's ``xy``, the boxes of their texels, and their rows in the model."""

    items: I32
    boxes: I64
    xy: F64
    needle: U8
    rows: I32


class Underfoot(NamedTuple):
    """The ground that a brush is round on: corners and normals (T, 3, 3), and the weights (T, 3) of corners that are
    seen through a lens; (0, 3) without one.
    """

    corners: F64
    normals: F32
    weights: F64


class Laying(NamedTuple):
    """How a sample covers: its hardness, the least cosine between its normal and the surface's, its tip (with its
    halved copies) and its grain.
    """

    hardness: float
    facing: float
    tip: F32
    starts: I64
    has_tip: bool
    grain: F32
    rough: float
    grain_size: float


@kernel
def any_near(middle: F64, ball: F64, points: F64, radius: float) -> Bool:
    found = np.zeros(len(middle), np.bool_)
    for t in range(len(middle)):
        reach = ball[t] + radius
        for n in range(len(points)):
            x, y, z = middle[t, 0] - points[n, 0], middle[t, 1] - points[n, 1], middle[t, 2] - points[n, 2]
            if x * x + y * y + z * z <= reach * reach:
                found[t] = True
                break
    return found


@kernel
def texel_boxes(
    xy: F64, needle: U8, items: I32, corners: F64, rows_of_model: I32, points: F64, reach: F64, even: bool
) -> I64:  # fmt: skip
    """(N, 4) first and last column, first and last row of each triangle's texels that any sample may cover.

    Where the ground does not run evenly over triangles (``even`` False), those of all of a triangle's texels.
    """
    boxes = np.empty((len(items), 4), np.int64)
    for i in range(len(items)):
        item = items[i]
        c, w = xy[item], corners[rows_of_model[item]]
        boxes[i, 0], boxes[i, 1], boxes[i, 2], boxes[i, 3] = 0, -1, 0, -1
        if needle[item]:
            boxes[i, 0] = boxes[i, 1] = int(np.floor((c[0, 0] + c[1, 0] + c[2, 0]) / 3.0))
            boxes[i, 2] = boxes[i, 3] = int(np.floor((c[0, 1] + c[1, 1] + c[2, 1]) / 3.0))
            continue
        if not even:
            boxes[i, 0], boxes[i, 1] = int(np.floor(c[:, 0].min() - EDGE)), int(np.ceil(c[:, 0].max() + EDGE))
            boxes[i, 2], boxes[i, 3] = int(np.floor(c[:, 1].min() - EDGE)), int(np.ceil(c[:, 1].max() + EDGE))
            continue
        # How far texels' x and y run for a step in the triangle's plane: their gradients in the world.
        e1, e2 = w[1] - w[0], w[2] - w[0]
        a, b, d = (e1 * e1).sum(), (e1 * e2).sum(), (e2 * e2).sum()
        det = a * d - b * b
        if det <= 1e-14 * a * d:
            continue
        low_x, high_x, low_y, high_y = np.inf, -np.inf, np.inf, -np.inf
        x1, x2 = c[1, 0] - c[0, 0], c[2, 0] - c[0, 0]
        y1, y2 = c[1, 1] - c[0, 1], c[2, 1] - c[0, 1]
        wide = np.sqrt(max((d * x1 * x1 - 2 * b * x1 * x2 + a * x2 * x2) / det, 0.0))
        tall = np.sqrt(max((d * y1 * y1 - 2 * b * y1 * y2 + a * y2 * y2) / det, 0.0))
        for n in range(len(points)):
            p = points[n] - w[0]
            u, v = (e1 * p).sum(), (e2 * p).sum()
            wb, wc = (d * u - b * v) / det, (a * v - b * u) / det
            x, y = c[0, 0] + wb * x1 + wc * x2, c[0, 1] + wb * y1 + wc * y2
            r = reach[n]
            low_x, high_x = min(low_x, x - r * wide), max(high_x, x + r * wide)
            low_y, high_y = min(low_y, y - r * tall), max(high_y, y + r * tall)
        low_x, high_x = max(low_x, c[:, 0].min()), min(high_x, c[:, 0].max())
        low_y, high_y = max(low_y, c[:, 1].min()), min(high_y, c[:, 1].max())
        if low_x > high_x or low_y > high_y:
            continue
        boxes[i, 0], boxes[i, 1] = int(np.ceil(low_x - 0.5 - EDGE)), int(np.floor(high_x - 0.5 + EDGE))
        boxes[i, 2], boxes[i, 3] = int(np.ceil(low_y - 0.5 - EDGE)), int(np.floor(high_y - 0.5 + EDGE))
    return boxes


@kernel
def touched_cells(boxes: I64, across: int, down: int, chunk: int) -> Bool:
    """(across · down,) which chunks any box touches."""
    found = np.zeros(across * down, np.bool_)
    for i in range(len(boxes)):
        if boxes[i, 0] > boxes[i, 1] or boxes[i, 2] > boxes[i, 3]:
            continue
        for row in range(max(boxes[i, 2] // chunk, 0), min(boxes[i, 3] // chunk, down - 1) + 1):
            for column in range(max(boxes[i, 0] // chunk, 0), min(boxes[i, 1] // chunk, across - 1) + 1):
                found[row * across + column] = True
    return found


@kernel
def _tip_at(tip: F32, starts: I64, x: float, y: float, texel: float) -> float:
    """A tip's value at a place from −1 to 1 each way, y up; ``texel`` is how large a texel is there."""
    if x <= -1.0 or x >= 1.0 or y <= -1.0 or y >= 1.0:
        return 0.0
    level = 0
    size = int(np.sqrt(len(tip) if len(starts) == 1 else starts[1]) + 0.5)
    while level < len(starts) - 1 and texel * size * 0.5 > 1.5:
        level, size = level + 1, size // 2
    px, py = (x + 1.0) * 0.5 * size - 0.5, (1.0 - y) * 0.5 * size - 0.5
    i, j = int(np.floor(px)), int(np.floor(py))
    fx, fy = px - i, py - j
    total = 0.0
    for k in range(4):
        a, b = i + k % 2, j + k // 2
        if 0 <= a < size and 0 <= b < size:  # nothing lies round it
            weight = (fx if k % 2 else 1.0 - fx) * (fy if k // 2 else 1.0 - fy)
            total += weight * tip[starts[level] + b * size + a]
    return total


@kernel
def _repeated(field: F32, x: float, y: float) -> float:
    """A field that repeats every unit, between its points."""
    size = field.shape[0]
    px, py = (x - np.floor(x)) * size, (y - np.floor(y)) * size
    i, j = int(px), int(py)
    fx, fy = px - i, py - j
    i, j = i % size, j % size
    k, m = (i + 1) % size, (j + 1) % size
    upper = field[j, i] * (1.0 - fx) + field[j, k] * fx
    lower = field[m, i] * (1.0 - fx) + field[m, k] * fx
    return float(upper * (1.0 - fy) + lower * fy)


@kernel
def reach_of(sample: F64, square: bool) -> float:
    """How far from its middle a sample may cover anything; the corners of a ``square`` tip lie further out."""
    tall = sample[11]
    if square:
        return float(sample[9] * np.sqrt(1.0 + tall * tall) * 1.0001)
    return float(sample[9] * max(tall, 1.0))


@kernel
def add_samples(
    out: F32, tint: F32, owner: I32, mesh: Mesh, underfoot: Underfoot, samples: F64, way: Laying, corner: tuple[int,
    int]
) -> bool:  # fmt: skip
    """Add samples (N, 13; see :func:`.brush.sample_rows`) to the coverage of a chunk; whether any texel changed.

    ``tint`` (r, c), or (0, 0) where it is not wanted, is how the turns of hue of the samples mix as they are laid
    over each other. ``corner`` is the first row and column of the chunk on its sheet.
    """
    items, boxes, xy, needle, rows_of_model = mesh
    corners, normals, weights = underfoot
    hardness, facing, tip, starts, has_tip, grain, rough, grain_size = way
    row0, column0 = corner
    lens, tinted = len(weights) > 0, len(tint) > 0
    near = np.zeros(len(samples), np.int64)
    # Of each near sample, for the triangle at hand: its reach and radius squared, where it softens, how steeply.
    wides, wholes, hards, steeps = np.zeros((4, len(samples)))
    changed = False
    for i in range(len(items)):
        item = items[i]
        t = rows_of_model[item]
        c, w, m = xy[item], corners[t], normals[t]
        ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
        bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
        area = ax * by - ay * bx
        if abs(area) < 1e-12:
            continue
        inverse = 1.0 / area
        e1x, e1y, e1z = w[1, 0] - w[0, 0], w[1, 1] - w[0, 1], w[1, 2] - w[0, 2]
        e2x, e2y, e2z = w[2, 0] - w[0, 0], w[2, 1] - w[0, 1], w[2, 2] - w[0, 2]
        nx, ny, nz = e1y * e2z - e1z * e2y, e1z * e2x - e1x * e2z, e1x * e2y - e1y * e2x
        real = np.sqrt(nx * nx + ny * ny + nz * nz)
        # The border is at least a texel soft, so that hard brushes leave no stairs.
        texel = np.sqrt(real / abs(area))
        count = 0
        mx, my, mz = (w[:, 0].sum()) / 3.0, (w[:, 1].sum()) / 3.0, (w[:, 2].sum()) / 3.0
        ball = 0.0
        for k in range(3):
            ball = max(ball, (w[k, 0] - mx) ** 2 + (w[k, 1] - my) ** 2 + (w[k, 2] - mz) ** 2)
        for n in range(len(samples)):
            wide = reach_of(samples[n], has_tip)
            reach = np.sqrt(ball) + wide
            x, y, z = samples[n, 0] - mx, samples[n, 1] - my, samples[n, 2] - mz
            if x * x + y * y + z * z > reach * reach:
                continue
            if real > 0 and abs((x * nx + y * ny + z * nz) / real) >= wide:
                continue
            near[count] = n
            radius = samples[n, 9]
            wides[count], wholes[count] = wide * wide, 1.0 / (radius * radius)
            hards[count] = min(hardness, max(1.0 - texel / (radius * min(samples[n, 11], 1.0)), 0.0))
            steeps[count] = 1.0 / max(1.0 - hards[count], 1e-9)
            count += 1
        if count == 0:
            continue
        top, bottom = max(boxes[i, 2] - row0, 0), min(boxes[i, 3] - row0, out.shape[0] - 1)
        small = needle[item] != 0
        if small:
            top = bottom = int(np.floor((c[0, 1] + c[1, 1] + c[2, 1]) / 3.0)) - row0
            if top < 0 or top >= out.shape[0]:
                continue
        for r in range(top, bottom + 1):
            y2 = r + row0 + 0.5
            if small:
                first = last = int(np.floor((c[0, 0] + c[1, 0] + c[2, 0]) / 3.0)) - column0
            else:
                low, high = row_span(c, y2)
                if low > high:
                    continue
                first, last = int(np.ceil(low - 0.5)) - column0, int(np.floor(high - 0.5)) - column0
            first, last = max(first, boxes[i, 0] - column0, 0), min(last, boxes[i, 1] - column0, out.shape[1] - 1)
            # Weights and places run evenly along the row: their values at x = 0, and what a texel to the right adds.
            left_b = -(c[0, 0] * by + (y2 - c[0, 1]) * bx) * inverse
            left_c = (ax * (y2 - c[0, 1]) + ay * c[0, 0]) * inverse
            step_b, step_c = by * inverse, -ay * inverse
            left_x, step_x = w[0, 0] + left_b * e1x + left_c * e2x, step_b * e1x + step_c * e2x
            left_y, step_y = w[0, 1] + left_b * e1y + left_c * e2y, step_b * e1y + step_c * e2y
            left_z, step_z = w[0, 2] + left_b * e1z + left_c * e2z, step_b * e1z + step_c * e2z
            for k in range(first, last + 1):
                if owner[r, k] != item:
                    continue
                x2 = k + column0 + 0.5
                px, py, pz = left_x + x2 * step_x, left_y + x2 * step_y, left_z + x2 * step_z
                wb, wc = left_b + x2 * step_b, left_c + x2 * step_c
                wa = 1.0 - wb - wc
                if lens:  # what runs evenly over the triangle is the place times its weight
                    ha, hb, hc = wa * weights[t, 0], wb * weights[t, 1], wc * weights[t, 2]
                    total = ha + hb + hc
                    if total <= 1e-12:
                        continue
                    wa, wb, wc = ha / total, hb / total, hc / total
                    px, py = w[0, 0] + wb * e1x + wc * e2x, w[0, 1] + wb * e1y + wc * e2y
                    pz = w[0, 2] + wb * e1z + wc * e2z
                u, v, s, least, ground = 0.0, 0.0, 0.0, 0.0, 1.0
                reached = False
                free = 1.0
                shade, there = 0.0, out[r, k]
                if tinted:
                    shade = tint[r, k]
                for n in range(count):
                    q = near[n]
                    radius = samples[q, 9]
                    dx, dy, dz = px - samples[q, 0], py - samples[q, 1], pz - samples[q, 2]
                    square = dx * dx + dy * dy + dz * dz
                    squeezed = samples[q, 11] != 1.0
                    if square >= wides[n]:
                        continue
                    if not reached:  # most texels of a box are reached by few samples or none
                        reached = True
                        u = wa * m[0, 0] + wb * m[1, 0] + wc * m[2, 0]
                        v = wa * m[0, 1] + wb * m[1, 1] + wc * m[2, 1]
                        s = wa * m[0, 2] + wb * m[1, 2] + wc * m[2, 2]
                        least = facing * np.sqrt(u * u + v * v + s * s) if facing != 0.0 else 0.0
                        if rough > 0.0:
                            g_x, g_y = py, pz
                            if abs(v) >= abs(u) and abs(v) >= abs(s):
                                g_x, g_y = px, pz
                            elif abs(s) >= abs(u):
                                g_x, g_y = px, py
                            ground = 1.0 - rough * (1.0 - _repeated(grain, g_x / grain_size, g_y / grain_size))
                    if u * samples[q, 3] + v * samples[q, 4] + s * samples[q, 5] <= least:
                        continue
                    across, upwards = 0.0, 0.0
                    if has_tip or squeezed:
                        rx, ry, rz = samples[q, 6], samples[q, 7], samples[q, 8]
                        across = (dx * rx + dy * ry + dz * rz) / radius
                        ux = samples[q, 4] * rz - samples[q, 5] * ry
                        uy = samples[q, 5] * rx - samples[q, 3] * rz
                        uz = samples[q, 3] * ry - samples[q, 4] * rx
                        upwards = (dx * ux + dy * uy + dz * uz) / (radius * samples[q, 11])
                    if has_tip:
                        strength = _tip_at(tip, starts, across, upwards, texel / radius)
                    else:
                        far = np.sqrt(across * across + upwards * upwards if squeezed else square * wholes[n])
                        strength = 1.0
                        if far >= 1.0:
                            strength = 0.0
                        elif far > hards[n]:
                            f = (far - hards[n]) * steeps[n]
                            strength = 1.0 - f * f * (3.0 - 2.0 * f)
                    covers = strength * samples[q, 10] * ground
                    free *= 1.0 - covers
                    if tinted and covers > 0.0:
                        left = there * (1.0 - covers)
                        shade = (samples[q, 12] * covers + shade * left) / (covers + left)
                        there = covers + left
                if free < 1.0:
                    out[r, k] = 1.0 - (1.0 - out[r, k]) * free
                    changed = True
                    if tinted:
                        tint[r, k] = shade
    return changed
