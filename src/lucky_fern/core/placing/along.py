"""Running a picture along a path over the surface: a stripe of one real width, whatever the triangles under it.

A texel belongs to the point of the path nearest to it: how far along that is says where in the picture it lies one
way, its distance the other way. Both are asked texel by texel, so a stripe may cross faces far larger than itself.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I64, U8, U16, Bool, unit_rows
from lucky_fern.core.colour import ENCODE_16
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.pyramid import Pyramid
from lucky_fern.core.pictures.sampling import NEAREST, REPEAT, SMOOTH, Levels, footprint, sample
from lucky_fern.core.placing.bundles import Corner, Faces, Style
from lucky_fern.core.placing.path import Path, path_of
from lucky_fern.core.placing.texel import put
from lucky_fern.core.project.places import Along
from lucky_fern.core.sheets.grid import CHUNK, Chunk, shape
from lucky_fern.core.sheets.raster import EDGE, row_span
from lucky_fern.core.sheets.sheet import Sheet

_FACING = -0.25  # cosine between a face and the path; a path may turn round an edge, but not to the back


@dataclass(frozen=True)
class Stripe:
    """A stripe worked out against a model.

    ``reached`` (T,) bool, the triangles that it may touch; ``half`` (N,) half its width at each point of the path;
    ``repeats`` how many pictures lie along it.
    """

    path: Path
    half: F64
    repeats: float
    reached: Bool

    @property
    def nbytes(self) -> int:
        """Memory that it takes."""
        path = self.path
        return self.half.nbytes + self.reached.nbytes + path.points.nbytes + path.normals.nbytes + path.along.nbytes

    @property
    def lost(self) -> float:
        return self.path.lost


class Way(NamedTuple):
    """A stripe's path as its kernel takes it: points (N, 3), their normals, how far along each lies, the directions
    to the left of its pieces (N - 1, 3), half its width at each point, how often the picture lies along it.
    """

    points: F64
    normals: F64
    along: F64
    side: F64
    half: F64
    repeats: float
    closed: bool
    flip: bool


def run_along(model: Model, place: Along, height: float, allowed: Bool | None = None) -> Stripe:
    """Work out a stripe; ``height`` is the length of one picture. ``allowed`` (T,) bool leaves out triangles."""
    path = path_of(model, place)
    share = path.along / max(path.length, 1e-300)
    half = place.width / 2 * (place.taper[0] * (1 - share) + place.taper[1] * share)
    repeats = 1.0 if place.whole else max(1.0, float(round(path.length / height)))
    reached = np.zeros(model.triangle_count, np.bool_)
    middle, radius = model.balls
    widest = float(half.max())
    low, high = path.points.min(axis=0) - widest, path.points.max(axis=0) + widest
    near = ((middle + radius[:, None] >= low) & (middle - radius[:, None] <= high)).all(axis=1)
    if allowed is not None:
        near &= allowed
    rows = np.flatnonzero(near)
    reached[rows] = _touched(model.corners[rows], model.face_normals[rows], path.points, path.normals, half)
    return Stripe(path, half, repeats, reached)


def stripe_chunks(stripe: Stripe, sheet: Sheet) -> set[Chunk]:
    """The chunks of a sheet that a stripe may touch."""
    if not stripe.reached.any():
        return set()
    return sheet.chunks_of(stripe.reached[sheet.triangle])


def draw_stripe(
    stripe: Stripe, sheet: Sheet, chunk: Chunk, pyramid: Pyramid, nearest: bool, encode: bool, flip: bool
) -> U16:
    """(rows, columns, 4) uint16 straight RGBA that a stripe gives to a chunk; see :func:`.placed.draw_placed`."""
    out = np.zeros((*shape(chunk, sheet.size), 4), np.uint16)
    items = sheet.chunk_triangles(chunk)
    items = items[stripe.reached[sheet.triangle[items]]]
    if len(items):
        path = stripe.path
        tangent = unit_rows(np.diff(path.points, axis=0))
        side = unit_rows(np.cross((path.normals[1:] + path.normals[:-1]) / 2, tangent))
        faces = Faces(sheet.xy, sheet.needle, items, sheet.triangle, items)
        way = Way(path.points, path.normals, path.along, side, stripe.half, float(stripe.repeats), path.closed, flip)
        style = Style(NEAREST if nearest else SMOOTH, REPEAT, encode, ENCODE_16)
        first_at = Corner(chunk.row * CHUNK, chunk.column * CHUNK)
        _draw(faces, sheet.model.corners, sheet.model.face_normals, way, pyramid.levels, style, first_at, out)
    return out


@kernel
def _touched(corners: F64, normals: F64, points: F64, path_normals: F64, half: F64) -> U8:
    """(T,) 1 for each triangle (T, 3, 3) that comes nearer to the path than half the stripe's width."""
    found = np.zeros(len(corners), np.uint8)
    for t in range(len(corners)):
        c = corners[t]
        middle = (c[0] + c[1] + c[2]) / 3.0
        radius = 0.0
        for k in range(3):
            d = c[k] - middle
            radius = max(radius, np.sqrt((d * d).sum()))
        for n in range(len(points) - 1):
            if (normals[t] * path_normals[n]).sum() <= _FACING and (
                normals[t] * path_normals[n + 1]
            ).sum() <= _FACING:
                continue
            a, b = points[n], points[n + 1]
            ab, am = b - a, middle - a
            f = min(max((ab * am).sum() / max((ab * ab).sum(), 1e-300), 0.0), 1.0)
            gap = am - f * ab
            reach = radius + max(half[n], half[n + 1])
            if (gap * gap).sum() > reach * reach:
                continue
            # Near enough as a ball; for large triangles the plane counts as well.
            q = a + f * ab - c[0]
            off = abs((q * normals[t]).sum())
            if off <= max(half[n], half[n + 1]) * 1.01 + np.sqrt((ab * ab).sum()):
                found[t] = 1
                break
    return found


@kernel
def _nearest(p: F64, segments: I64, count: int, points: F64, along: F64, side: F64) -> tuple[int, float, float]:
    """The segment nearest to a point, how far along the path it lies (beyond the ends, too), and how far aside."""
    best, chosen, best_along, best_aside = np.inf, -1, 0.0, 0.0
    last = len(points) - 2
    for m in range(count):
        n = segments[m]
        ax, ay, az = points[n, 0], points[n, 1], points[n, 2]
        ux, uy, uz = points[n + 1, 0] - ax, points[n + 1, 1] - ay, points[n + 1, 2] - az
        px, py, pz = p[0] - ax, p[1] - ay, p[2] - az
        square = ux * ux + uy * uy + uz * uz
        f = (px * ux + py * uy + pz * uz) / square
        g = min(max(f, 0.0), 1.0)
        gx, gy, gz = px - g * ux, py - g * uy, pz - g * uz
        far = gx * gx + gy * gy + gz * gz
        if far < best:
            best, chosen = far, n
            if (n == 0 and f < 0.0) or (n == last and f > 1.0):
                gx, gy, gz = px - f * ux, py - f * uy, pz - f * uz
                g = f
            best_along = along[n] + g * (along[n + 1] - along[n])
            aside = np.sqrt(gx * gx + gy * gy + gz * gz)
            sign = gx * side[n, 0] + gy * side[n, 1] + gz * side[n, 2]
            best_aside = aside if sign >= 0.0 else -aside
    return chosen, best_along, best_aside


@kernel
def _draw(
    faces: Faces, corners: F64, face_normals: F64, way: Way, levels: Levels, style: Style, first_at: Corner, out: U16
) -> None:  # fmt: skip
    xy, needle, items, rows_of_model, _ = faces
    points, normals, along, side, half, repeats, closed, flip = way
    texels, offset, level_w, level_h = levels
    sampling, _, encode, table = style
    row0, column0 = first_at
    total = along[len(along) - 1]
    near = np.zeros(len(points), np.int64)
    p = np.zeros(3)
    for n in range(len(items)):
        item = items[n]
        t = rows_of_model[item]
        c, w = xy[item], corners[t]
        ax, ay = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1]
        bx, by = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1]
        area = ax * by - ay * bx
        if abs(area) < 1e-12:
            continue
        # How the point moves from texel to texel.
        e1, e2 = w[1] - w[0], w[2] - w[0]
        d_x, d_y = (e1 * by - e2 * ay) / area, (e2 * ax - e1 * bx) / area
        origin = w[0] - c[0, 0] * d_x - c[0, 1] * d_y
        middle = (w[0] + w[1] + w[2]) / 3.0
        radius = 0.0
        for k in range(3):
            step = w[k] - middle
            radius = max(radius, np.sqrt((step * step).sum()))
        slack = np.sqrt((d_x * d_x).sum()) + np.sqrt((d_y * d_y).sum())
        count = 0
        for m in range(len(points) - 1):
            if (face_normals[t] * normals[m]).sum() <= _FACING and (
                face_normals[t] * normals[m + 1]
            ).sum() <= _FACING:
                continue
            ab, am = points[m + 1] - points[m], middle - points[m]
            f = min(max((ab * am).sum() / (ab * ab).sum(), 0.0), 1.0)
            gap = am - f * ab
            reach = radius + max(half[m], half[m + 1]) + slack
            if (gap * gap).sum() <= reach * reach:
                near[count] = m
                count += 1
        if count == 0:
            continue
        top = int(np.ceil(c[:, 1].min() - 0.5 - EDGE)) - row0
        bottom = int(np.floor(c[:, 1].max() - 0.5 + EDGE)) - row0
        if needle[item]:
            top = bottom = int(np.floor((c[0, 1] + c[1, 1] + c[2, 1]) / 3.0)) - row0
        for r in range(max(top, 0), min(bottom, out.shape[0] - 1) + 1):
            y = r + row0 + 0.5
            if needle[item]:
                first = last = int(np.floor((c[0, 0] + c[1, 0] + c[2, 0]) / 3.0)) - column0
            else:
                low, high = row_span(c, y)
                if low > high:
                    continue
                first, last = int(np.ceil(low - 0.5)) - column0, int(np.floor(high - 0.5)) - column0
            for k in range(max(first, 0), min(last, out.shape[1] - 1) + 1):
                x = k + column0 + 0.5
                for i in range(3):
                    p[i] = origin[i] + x * d_x[i] + y * d_y[i]
                m, far, aside = _nearest(p, near, count, points, along, side)
                span = along[m + 1] - along[m]
                f = min(max((far - along[m]) / span, 0.0), 1.0)
                wide = half[m] * (1.0 - f) + half[m + 1] * f
                # Of the texel's own extent along and across the stripe.
                a_x = a_y = b_x = b_y = 0.0
                for i in range(3):
                    tangent = (points[m + 1, i] - points[m, i]) / span
                    a_x, a_y = a_x + d_x[i] * tangent, a_y + d_y[i] * tangent
                    b_x, b_y = b_x + d_x[i] * side[m, i], b_y + d_y[i] * side[m, i]
                a_half = max(0.5 * np.hypot(a_x, a_y), 1e-12 * total)
                b_half = max(0.5 * np.hypot(b_x, b_y), 1e-12 * total)
                inner_a = 2.0 * a_half
                if not closed:
                    inner_a = min(far + a_half, total) - max(far - a_half, 0.0)
                inner_b = min(aside + b_half, wide) - max(aside - b_half, -wide)
                if inner_a <= 0.0 or inner_b <= 0.0:
                    continue
                cover = min(inner_a / (2.0 * a_half), 1.0) * min(inner_b / (2.0 * b_half), 1.0)
                scale = repeats / total
                s, s_x, s_y = far * scale, a_x * scale, a_y * scale
                if flip:
                    s, s_x, s_y = repeats - s, -s_x, -s_y
                q = 0.5 - aside / (2.0 * wide)
                t_x, t_y = -b_x / (2.0 * wide), -b_y / (2.0 * wide)
                # Its picture repeats along the path only: no texel may reach over the other edge.
                edge = min(0.5 / level_h[0] + 0.5 * np.hypot(t_x, t_y), 0.5)
                q = min(max(q, edge), 1.0 - edge)
                how = footprint(offset, level_w, level_h, s_x, s_y, t_x, t_y, sampling)
                red, green, blue, alpha = sample(
                    texels, offset, level_w, level_h, how, s - np.floor(s), q, s_x, s_y, t_x, t_y, REPEAT
                )
                level = int(alpha * cover * 65535.0 + 0.5)
                if level <= out[r, k, 3]:
                    continue
                put(out, r, k, red, green, blue, alpha, level, encode, table)
