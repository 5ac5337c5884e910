"""The kernels of strokes: which texels samples reach, and how much they cover each."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, Bool
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.raster import EDGE, row_span


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
def _closest(p: F64, c: F64) -> tuple[float, float]:
    """Barycentrics (of b and c) of the point of a triangle (3, 3) nearest to p.

    Reference: C. Ericson, "Real-Time Collision Detection", 2005, section 5.1.5.
    """
    ab, ac, ap = c[1] - c[0], c[2] - c[0], p - c[0]
    d1, d2 = (ab * ap).sum(), (ac * ap).sum()
    if d1 <= 0.0 and d2 <= 0.0:
        return 0.0, 0.0
    bp = p - c[1]
    d3, d4 = (ab * bp).sum(), (ac * bp).sum()
    if d3 >= 0.0 and d4 <= d3:
        return 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return d1 / (d1 - d3), 0.0
    cp = p - c[2]
    d5, d6 = (ab * cp).sum(), (ac * cp).sum()
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        return 0.0, d2 / (d2 - d6)
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return 1.0 - w, w
    total = va + vb + vc
    return vb / total, vc / total


@kernel
def to_nearest(corners: F64, normals: F32, points: F64, facing: F64, radius: float, out: F64, found: F64) -> None:
    for n in range(len(points)):
        best = radius * radius
        for t in range(len(corners)):
            wb, wc = _closest(points[n], corners[t])
            wa = 1.0 - wb - wc
            x = wa * corners[t, 0, 0] + wb * corners[t, 1, 0] + wc * corners[t, 2, 0]
            y = wa * corners[t, 0, 1] + wb * corners[t, 1, 1] + wc * corners[t, 2, 1]
            z = wa * corners[t, 0, 2] + wb * corners[t, 1, 2] + wc * corners[t, 2, 2]
            far = (x - points[n, 0]) ** 2 + (y - points[n, 1]) ** 2 + (z - points[n, 2]) ** 2
            if far >= best:
                continue
            u = wa * normals[t, 0, 0] + wb * normals[t, 1, 0] + wc * normals[t, 2, 0]
            v = wa * normals[t, 0, 1] + wb * normals[t, 1, 1] + wc * normals[t, 2, 1]
            w = wa * normals[t, 0, 2] + wb * normals[t, 1, 2] + wc * normals[t, 2, 2]
            if u * facing[n, 0] + v * facing[n, 1] + w * facing[n, 2] <= 0.0 and facing[n].any():
                continue
            best = far
            out[n, 0], out[n, 1], out[n, 2] = x, y, z
            found[n, 0], found[n, 1], found[n, 2] = u, v, w


@kernel
def texel_boxes(xy: F64, needle: U8, items: I32, corners: F64, rows_of_model: I32, points: F64, reach: F64) -> I64:
    """(N, 4) first and last column, first and last row of each triangle's texels that any sample may cover."""
    boxes = np.empty((len(items), 4), np.int64)
    for i in range(len(items)):
        item = items[i]
        c, w = xy[item], corners[rows_of_model[item]]
        boxes[i, 0], boxes[i, 1], boxes[i, 2], boxes[i, 3] = 0, -1, 0, -1
        if needle[item]:
            boxes[i, 0] = boxes[i, 1] = int(np.floor((c[0, 0] + c[1, 0] + c[2, 0]) / 3.0))
            boxes[i, 2] = boxes[i, 3] = int(np.floor((c[0, 1] + c[1, 1] + c[2, 1]) / 3.0))
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
def touched_cells(boxes: I64, across: int, chunk: int) -> Bool:
    """(across²,) which chunks any box touches."""
    found = np.zeros(across * across, np.bool_)
    for i in range(len(boxes)):
        if boxes[i, 0] > boxes[i, 1] or boxes[i, 2] > boxes[i, 3]:
            continue
        for row in range(max(boxes[i, 2] // chunk, 0), min(boxes[i, 3] // chunk, across - 1) + 1):
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
def add_samples(
    out: F32, owner: I32, items: I32, boxes: I64, xy: F64, needle: U8, rows_of_model: I32, corners: F64, normals: F32,
    samples: F64, hardness: float, tip: F32, starts: I64, has_tip: bool, grain: F32, rough: float, grain_size: float,
    row0: int, column0: int,
) -> bool:  # fmt: skip
    """Add samples (N, 11; see :func:`.brush.sample_rows`) to the coverage of a chunk; whether any texel changed."""
    near = np.zeros(len(samples), np.int64)
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
            wide = samples[n, 9] * (1.4143 if has_tip else 1.0)
            reach = np.sqrt(ball) + wide
            x, y, z = samples[n, 0] - mx, samples[n, 1] - my, samples[n, 2] - mz
            if x * x + y * y + z * z > reach * reach:
                continue
            if real > 0 and abs((x * nx + y * ny + z * nz) / real) >= wide:
                continue
            near[count] = n
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
            for k in range(first, last + 1):
                if owner[r, k] != item:
                    continue
                x2 = k + column0 + 0.5
                wb = ((x2 - c[0, 0]) * by - (y2 - c[0, 1]) * bx) / area
                wc = (ax * (y2 - c[0, 1]) - ay * (x2 - c[0, 0])) / area
                wa = 1.0 - wb - wc
                px, py = w[0, 0] + wb * e1x + wc * e2x, w[0, 1] + wb * e1y + wc * e2y
                pz = w[0, 2] + wb * e1z + wc * e2z
                u = wa * m[0, 0] + wb * m[1, 0] + wc * m[2, 0]
                v = wa * m[0, 1] + wb * m[1, 1] + wc * m[2, 1]
                s = wa * m[0, 2] + wb * m[1, 2] + wc * m[2, 2]
                ground = 1.0
                if rough > 0.0:
                    g_x, g_y = py, pz
                    if abs(v) >= abs(u) and abs(v) >= abs(s):
                        g_x, g_y = px, pz
                    elif abs(s) >= abs(u):
                        g_x, g_y = px, py
                    ground = 1.0 - rough * (1.0 - _repeated(grain, g_x / grain_size, g_y / grain_size))
                free = 1.0
                for n in range(count):
                    q = near[n]
                    radius = samples[q, 9]
                    dx, dy, dz = px - samples[q, 0], py - samples[q, 1], pz - samples[q, 2]
                    square = dx * dx + dy * dy + dz * dz
                    if square >= radius * radius and not (has_tip and square < 2.0003 * radius * radius):
                        continue
                    if u * samples[q, 3] + v * samples[q, 4] + s * samples[q, 5] <= 0.0:
                        continue
                    if has_tip:
                        rx, ry, rz = samples[q, 6], samples[q, 7], samples[q, 8]
                        across = (dx * rx + dy * ry + dz * rz) / radius
                        ux = samples[q, 4] * rz - samples[q, 5] * ry
                        uy = samples[q, 5] * rx - samples[q, 3] * rz
                        uz = samples[q, 3] * ry - samples[q, 4] * rx
                        upwards = (dx * ux + dy * uy + dz * uz) / radius
                        strength = _tip_at(tip, starts, across, upwards, texel / radius)
                    else:
                        far = np.sqrt(square) / radius
                        strength = 1.0
                        hard = min(hardness, max(1.0 - texel / radius, 0.0))
                        if far > hard:
                            f = (far - hard) / (1.0 - hard)
                            strength = 1.0 - f * f * (3.0 - 2.0 * f)
                    free *= 1.0 - strength * samples[q, 10] * ground
                if free < 1.0:
                    out[r, k] = 1.0 - (1.0 - out[r, k]) * free
                    changed = True
    return changed
