"""Painted anew in brush strokes: laying those that reach a rectangle.

Strokes are strewn over the surface itself, so that every sheet, chunk and map meets the same ones.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import About, Around, Islands
from lucky_fern.core.compositing.effects import EffectRow
from lucky_fern.core.compositing.stroke_kernel import Laid, Look, Strokes, lay_strokes, sorted_strokes
from lucky_fern.core.compositing.stroke_taking import Strewn, strewn, taken_by_home, way_of_home
from lucky_fern.core.compositing.texel_lengths import mean_length
from lucky_fern.core.maps import MAPS, MapSpec, raises
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.core.sheets.grid import span
from lucky_fern.core.sheets.region import chunks_in
from lucky_fern.core.survey.scattered import near_box

_PATCH = 8  # texels


class _Texels(NamedTuple):
    """Texels of a rectangle that lie on islands, and where: rows and columns of it, triangles, places in space.

    They come patch by patch of some texels each way; ``patches`` (P + 1,) says where each begins. ``box`` (2, 3)
    holds all of them.
    """

    rows: I64
    columns: I64
    triangle: I32
    barycentric: F64
    points: F32
    normals: F32
    patches: I64
    box: F64


class Painting(EffectRow):
    def apply(self, values: F32, effect: PaintStrokes, spec: MapSpec, around: Islands | None) -> F32:
        if not isinstance(around, Around) or around.about is None:
            return values
        texels = _texels(around)
        out = values.copy()
        if len(texels.rows):
            _paint(out, values, effect, around, around.about, texels)
        return out


def _texels(around: Around) -> _Texels:
    sheet, rect = around.sheet, around.rect
    rows, columns, owners = [], [], []
    for chunk in chunks_in(rect):
        down, right = span(chunk, sheet.size)
        top, bottom = max(down.start, rect.top), min(down.stop, rect.bottom)
        left, end = max(right.start, rect.left), min(right.stop, rect.right)
        owner = around.sources.owners(sheet, chunk)[
            top - down.start : bottom - down.start, left - right.start : end - right.start
        ]
        r, k = np.nonzero(owner >= 0)
        rows.append(r + top)
        columns.append(k + left)
        owners.append(owner[r, k])
    row, column, owner = np.concatenate(rows), np.concatenate(columns), np.concatenate(owners)
    patch = (row // _PATCH).astype(np.int64) * 8192 + column // _PATCH
    order = np.argsort(patch, kind="stable")
    row, column, owner, patch = row[order], column[order], owner[order], patch[order]
    begins = np.flatnonzero(np.diff(patch, prepend=-1, append=-1)) if len(patch) else np.zeros(1, np.int64)
    triangle, count = sheet.triangle[owner], len(row)
    weights = np.empty((count, 3))
    points, normals = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    box = np.array([np.full(3, np.inf), np.full(3, -np.inf)])
    _places(
        row,
        column,
        owner,
        sheet.xy,
        triangle,
        sheet.model.corners,
        sheet.model.normals,
        weights,
        points,
        normals,
        box,
    )
    return _Texels(row - rect.top, column - rect.left, triangle, weights, points, normals, begins, box)


@kernel
def _places(
    rows: I64, columns: I64, owner: I32, xy: F64, triangle: I32, corners: F64, normals: F32, weights: F64,
    points: F32, facing: F32, box: F64,
) -> None:  # fmt: skip
    """Barycentrics, places and unit normals (N, 3) of texels' middles; their box (2, 3)."""
    for n in range(len(rows)):
        t, m = owner[n], triangle[n]
        ax, ay = xy[t, 0, 0], xy[t, 0, 1]
        bx, by, cx, cy = xy[t, 1, 0] - ax, xy[t, 1, 1] - ay, xy[t, 2, 0] - ax, xy[t, 2, 1] - ay
        px, py = columns[n] + 0.5 - ax, rows[n] + 0.5 - ay
        area = bx * cy - by * cx
        if area == 0.0:
            weights[n, 0] = weights[n, 1] = weights[n, 2] = 1 / 3
        else:
            weights[n, 1], weights[n, 2] = (px * cy - py * cx) / area, (bx * py - by * px) / area
            weights[n, 0] = 1.0 - weights[n, 1] - weights[n, 2]
        length = 0.0
        for i in range(3):
            place = way = 0.0
            for k in range(3):
                place += weights[n, k] * corners[m, k, i]
                way += weights[n, k] * normals[m, k, i]
            points[n, i], facing[n, i] = place, way
            box[0, i], box[1, i] = min(box[0, i], points[n, i]), max(box[1, i], points[n, i])
            length += way * way
        length = max(np.sqrt(length), 1e-12)
        for i in range(3):
            facing[n, i] /= length


def _paint(out: F32, values: F32, effect: PaintStrokes, around: Around, about: About, texels: _Texels) -> None:
    """Lay strokes onto the texels of ``out``; those that no stroke reaches stay as they are."""
    spec, surface = MAPS[about.map], around.sources.surface
    sizes = tuple(around.size_of(key) for key in surface.keys)
    unit = around.sources.kept.get(
        ("texel length", sizes), lambda: mean_length(surface, around.size_of), lambda _: 64
    )
    count, components = len(texels.rows), values.shape[2]
    laid = Laid(np.ones(count, np.float32), np.zeros((count, components), np.float32), np.zeros(count, np.float32),
                np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32))  # fmt: skip
    relief = spec.directional or (raises(about.map) and about.relief is not None)
    pieces = np.ascontiguousarray(around.sources.surface.model.pieces[texels.triangle], np.int32)
    widths = effect.sizes
    for level in range(len(widths) - 1, -1, -1):
        wide = widths[level] / 2 * unit
        look = Look(wide * effect.length, wide, unit, effect.bristle, effect.vary, effect.thick)
        every = strewn(around, effect, level, look.half, look.wide)
        strokes = _near(effect, around, about, every, look, level, texels)
        if strokes is not None:
            lay_strokes(texels.points, texels.normals, pieces, texels.patches, strokes, look, spec.encoded,
                        relief, laid)  # fmt: skip
    own = values[texels.rows, texels.columns]
    mixed = laid.values + laid.left[:, None] * own
    if spec.directional:
        mixed[:, :3] = _normals(laid, own, texels, around)
    elif relief and about.relief is not None:
        high = about.relief.strength * (unit if about.relief.unit == "texels" else 1.0)
        lift = laid.lift / np.float32(max(high, 1e-9))
        covered = mixed[:, 1] if components == 2 else np.float32(1)  # coverage, in groups that begin with nothing
        mixed[:, 0] = np.clip(mixed[:, 0] + lift * covered, 0, 1)
    out[texels.rows, texels.columns] = mixed


def _near(
    effect: PaintStrokes, around: Around, about: About, every: Strewn, look: Look, level: int, texels: _Texels
) -> Strokes | None:
    """The strokes of one size that may reach some texels, with what each takes from below; None for none."""
    reach = np.hypot(look.half, look.wide)
    low, high = texels.box
    near = near_box(every.scattered, low - reach, high + reach)
    place, values, lean = [], [], []
    for at in np.searchsorted(every.homes, np.unique(every.home[near])).tolist():
        if every.homes[at] < 0:
            continue
        way = way_of_home(around, about, effect, level, every, at)
        if len(way.rows):
            taken = taken_by_home(around, about, effect, level, every, at)
            place.append(way.place)
            values.append(taken.values)
            lean.append(taken.lean)
    if not place:
        return None
    every_place = np.concatenate(place)
    inside = np.ones(len(every_place), np.bool_)
    for k in range(3):
        inside &= (every_place[:, k] >= low[k] - reach) & (every_place[:, k] <= high[k] + reach)
    if not inside.any():
        return None
    return sorted_strokes(
        every_place[inside], np.concatenate(values)[inside], np.concatenate(lean)[inside], float(reach)
    )


def _normals(laid: Laid, own: F32, texels: _Texels, around: Around) -> F32:
    """(N, 3) stored normals, the paint's slopes put onto what lies below; premultiplied if coverage comes last."""
    isolated = own.shape[1] == 4
    before = own[:, :3] / np.maximum(own[:, 3:], 1e-6) if isolated else own
    out = np.empty((len(own), 3), np.float32)
    tangents = around.sources.surface.model.tangents
    _lean(laid, np.ascontiguousarray(before), texels.triangle, texels.barycentric, texels.normals, tangents, out)
    if not isolated:
        return out
    stroked = laid.values[:, 3:] + laid.left[:, None] * own[:, 3:]
    return np.asarray(out * stroked, np.float32)


@kernel
def _lean(laid: Laid, before: F32, triangle: I32, weights: F64, normals: F32, tangents: F32, out: F32) -> None:
    """Normals below as far as strokes carry them along, and the strokes' slopes as detail on them (reoriented, after
    C. Barré-Brisebois and S. Hill, "Blending in Detail", 2012), in the texels' tangent frames.
    """
    t, b = np.empty(3), np.empty(3)
    for n in range(len(out)):
        m = triangle[n]
        nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
        for i in range(3):
            t[i] = 0.0
            for k in range(3):
                t[i] += weights[n, k] * tangents[m, k, i]
        off = t[0] * nx + t[1] * ny + t[2] * nz
        t[0], t[1], t[2] = t[0] - nx * off, t[1] - ny * off, t[2] - nz * off
        length = max(np.sqrt(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]), 1e-12)
        for i in range(3):
            t[i] /= length
        side = tangents[m, 0, 3]
        b[0], b[1], b[2] = (
            (ny * t[2] - nz * t[1]) * side, (nz * t[0] - nx * t[2]) * side, (nx * t[1] - ny * t[0]) * side
        )  # fmt: skip
        left = laid.left[n]
        x, y = left * (before[n, 0] * 2 - 1), left * (before[n, 1] * 2 - 1)
        ux = uy = 0.0
        for i in range(3):
            x += laid.lean[n, i] * t[i]
            y += laid.lean[n, i] * b[i]
            ux += laid.slope[n, i] * t[i]
            uy += laid.slope[n, i] * b[i]
        z = np.sqrt(max(1 - x * x - y * y, 1e-4))
        length = np.sqrt(x * x + y * y + z * z)
        x, y, z = x / length, y / length, z / length + 1
        uz = 1 / np.sqrt(ux * ux + uy * uy + 1)
        ux, uy = ux * uz, uy * uz  # the way up the slope: what leans away is the other way
        dot = (x * ux + y * uy + z * uz) / z
        rx, ry, rz = x * dot - ux, y * dot - uy, z * dot - uz
        length = max(np.sqrt(rx * rx + ry * ry + rz * rz), 1e-9)
        out[n, 0], out[n, 1], out[n, 2] = rx / length / 2 + 0.5, ry / length / 2 + 0.5, rz / length / 2 + 0.5
