"""A stroke over the surface: how much of every texel it covers, sample by sample.

A texel is covered by a sample when its straight-line distance to it is under the radius and it faces within 90° of
the surface there, so a stroke crosses seams, tiles and materials as if they were not there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, Bool, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, shape
from lucky_fern.core.sheets.raster import EDGE, row_span
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface

_MOST_SAMPLES = 200_000  # of one stroke; more would be a slip of the pen


@dataclass(frozen=True)
class Brush:
    """``radius`` in model units; ``hardness`` is the share of it that is covered in full.

    ``flow`` is how much one sample covers, ``opacity`` how much a whole stroke does at most; ``spacing`` of samples
    is a share of the radius.
    """

    radius: float
    hardness: float = 0.7
    flow: float = 1.0
    opacity: float = 1.0
    spacing: float = 0.15


class Place(NamedTuple):
    """A chunk of a sheet."""

    sheet: SheetKey
    chunk: Chunk


class Stroke:
    """Coverage that grows while a stroke is drawn: for each touched chunk (rows, columns) float32, 0…1."""

    def __init__(
        self, surface: Surface, size_of: Callable[[SheetKey], int], owners: Callable[[Sheet, Chunk], I32],
        brush: Brush, allowed: Bool | None = None,
    ) -> None:  # fmt: skip
        """``owners`` says which triangle owns each texel; ``allowed`` (T,) bool leaves out faces."""
        self.surface, self.size_of, self.owners = surface, size_of, owners
        self.brush, self.allowed = brush, allowed
        self.coverage: dict[Place, F32] = {}
        self._last: tuple[F64, F64, float] | None = None
        self._left = 0.0  # of the way to the next sample
        self.samples = 0

    def go_to(self, point: F64, normal: F64, pressure: float = 1.0) -> set[Place]:
        """Draw on to a point of the surface; the chunks that changed.

        Samples lie evenly along the way, the first of a stroke at its beginning.
        """
        here = np.asarray(point, np.float64)
        if self._last is None:
            self._last = here, unit_rows(np.asarray(normal, np.float64)), pressure
            return self.cover(here[None], self._last[1][None], np.array([pressure]))
        before, facing, pressed = self._last
        way = float(np.linalg.norm(here - before))
        step = max(self.brush.spacing, 0.01) * self.brush.radius
        at = np.arange(step - self._left, way, step)
        if way >= step - self._left:
            self._left = way - float(at[-1]) if len(at) else self._left + way
        else:
            self._left += way
        self._last = here, unit_rows(np.asarray(normal, np.float64)), pressure
        if not len(at):
            return set()
        share = (at / max(way, 1e-300))[:, None]
        points = before * (1 - share) + here * share
        normals = unit_rows(facing * (1 - share) + self._last[1] * share)
        points, normals = onto_surface(self.surface.model, points, normals, self.brush.radius)
        return self.cover(points, normals, pressed + (pressure - pressed) * share[:, 0])

    def lift(self) -> None:
        """Take the brush off: what comes next is not joined to what came before."""
        self._last, self._left = None, 0.0

    def end(self) -> set[Place]:
        """Draw the last sample, so that a stroke ends where the hand did."""
        if self._last is None or self._left <= 0:
            return set()
        point, normal, pressure = self._last
        self._left = 0.0
        return self.cover(point[None], normal[None], np.array([pressure]))

    def cover(self, points: F64, normals: F64, pressure: F64) -> set[Place]:
        """Put samples (N, 3) with normals (N, 3) onto the surface; ``pressure`` (N,) weakens the flow."""
        self.samples += len(points)
        if self.samples > _MOST_SAMPLES:
            return set()
        model, radius = self.surface.model, self.brush.radius
        rows = near_triangles(model, points, radius)
        if self.allowed is not None:
            rows = rows[self.allowed[rows]]
        samples = np.column_stack([points, normals, np.clip(pressure, 0, 1) * self.brush.flow])
        touched: set[Place] = set()
        for key in self.surface.keys:
            sheet = self.surface.sheet(key, self.size_of(key))
            at = np.searchsorted(sheet.triangle, rows)
            at = at[(at < len(sheet.triangle)) & (sheet.triangle[np.minimum(at, len(sheet.triangle) - 1)] == rows)]
            if not len(at):
                continue
            chosen = np.zeros(len(sheet.triangle), np.bool_)
            chosen[at] = True
            for chunk in sheet.chunks_of(chosen):
                items = sheet.chunk_triangles(chunk)
                place = Place(key, chunk)
                known = self.coverage.get(place)
                out = np.zeros(shape(chunk, sheet.size), np.float32) if known is None else known
                if _cover(
                    out, self.owners(sheet, chunk), items[chosen[items]], sheet.xy, sheet.needle, sheet.triangle,
                    model.corners, model.normals, samples, radius, self.brush.hardness,
                    chunk.row * CHUNK, chunk.column * CHUNK,
                ):  # fmt: skip
                    self.coverage[place] = out
                    touched.add(place)
        return touched


def near_triangles(model: Model, points: F64, radius: float) -> I64:
    """Rows of the triangles whose ball comes within a radius of any point (N, 3)."""
    middle, ball = model.balls
    low, high = points.min(axis=0) - radius, points.max(axis=0) + radius
    rows = np.flatnonzero(((middle + ball[:, None] >= low) & (middle - ball[:, None] <= high)).all(axis=1))
    if len(points) > 1 and len(rows) > 64:
        rows = rows[_any_near(middle[rows], ball[rows], points, radius)]
    return rows


def onto_surface(model: Model, points: F64, normals: F64, radius: float) -> tuple[F64, F64]:
    """The nearest points of the surface that face the same way, and its normals there; as given if none is near."""
    rows = near_triangles(model, points, radius)
    out, facing = points.copy(), normals.copy()
    _to_nearest(model.corners[rows], model.normals[rows], points, normals, radius, out, facing)
    return out, unit_rows(facing)


def normal_near(model: Model, point: F64) -> F64:
    """(3,) the shading normal at the point of the surface nearest to a point."""
    every = np.ascontiguousarray(point[None], np.float64)
    out, found = every.copy(), np.zeros((1, 3))
    _to_nearest(model.corners, model.normals, every, np.zeros((1, 3)), np.inf, out, found)
    return unit_rows(found[0])


@kernel
def _any_near(middle: F64, ball: F64, points: F64, radius: float) -> Bool:
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
def _to_nearest(corners: F64, normals: F32, points: F64, facing: F64, radius: float, out: F64, found: F64) -> None:
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
def _cover(
    out: F32, owner: I32, items: I32, xy: F64, needle: U8, rows_of_model: I32, corners: F64, normals: F32,
    samples: F64, radius: float, hardness: float, row0: int, column0: int,
) -> bool:  # fmt: skip
    """Add samples (N, 7: point, normal, flow) to the coverage of a chunk; whether any texel changed."""
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
        hard = min(hardness, max(1.0 - texel / radius, 0.0))
        count = 0
        mx, my, mz = (w[:, 0].sum()) / 3.0, (w[:, 1].sum()) / 3.0, (w[:, 2].sum()) / 3.0
        ball = 0.0
        for k in range(3):
            ball = max(ball, (w[k, 0] - mx) ** 2 + (w[k, 1] - my) ** 2 + (w[k, 2] - mz) ** 2)
        reach = np.sqrt(ball) + radius
        for n in range(len(samples)):
            x, y, z = samples[n, 0] - mx, samples[n, 1] - my, samples[n, 2] - mz
            if x * x + y * y + z * z > reach * reach:
                continue
            if real > 0 and abs((x * nx + y * ny + z * nz) / real) >= radius:
                continue
            near[count] = n
            count += 1
        if count == 0:
            continue
        top = max(int(np.ceil(c[:, 1].min() - 0.5 - EDGE)) - row0, 0)
        bottom = min(int(np.floor(c[:, 1].max() - 0.5 + EDGE)) - row0, out.shape[0] - 1)
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
            for k in range(max(first, 0), min(last, out.shape[1] - 1) + 1):
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
                free = 1.0
                for n in range(count):
                    q = near[n]
                    dx, dy, dz = px - samples[q, 0], py - samples[q, 1], pz - samples[q, 2]
                    square = dx * dx + dy * dy + dz * dz
                    if square >= radius * radius:
                        continue
                    if u * samples[q, 3] + v * samples[q, 4] + s * samples[q, 5] <= 0.0:
                        continue
                    far = np.sqrt(square) / radius
                    strength = 1.0
                    if far > hard:
                        f = (far - hard) / (1.0 - hard)
                        strength = 1.0 - f * f * (3.0 - 2.0 * f)
                    free *= 1.0 - strength * samples[q, 6]
                if free < 1.0:
                    out[r, k] = 1.0 - (1.0 - out[r, k]) * free
                    changed = True
    return changed
