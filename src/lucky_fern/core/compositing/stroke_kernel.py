"""One stroke's body, and laying strokes onto texels: topmost first, until nothing shows through."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.cells import cell_of, sort_boxes

_HITS = 24  # strokes of one size that may lie over one another at a texel; more are under all of these
_LIFT = 0.5  # of half a stroke's width: how far the thickest paint stands out
_RIM = 0.35  # of half the width: over which paint rises
_STEP = 0.01  # of half the width: for slopes
_FRAY = 0.18  # of the bristles' range: over which paint tears
_BRISTLES, _TEXELS = 4.0, 1.6  # to half a stroke's width at the most; each so many texels wide at the least
_FACING = 0.3  # cosine: surface that faces further away is another side


class Look(NamedTuple):
    """Half the length and width of strokes in units, the length of a texel, and the numbers of the effect."""

    half: float
    wide: float
    texel: float
    bristle: float
    vary: float
    thick: float


class Laid(NamedTuple):
    """What is added up for texels: ``left`` (N,) what shows through, ``values`` (N, n), ``lift`` (N,)

    units; ``slope`` and ``lean`` (N, 3) vectors in space along the surface: the rise of the paint, and how far the
    normals below lean.
    """

    left: F32
    values: F32
    lift: F32
    slope: F32
    lean: F32


class Strokes(NamedTuple):
    """Strokes of one size near some texels, sorted into cells.

    ``place`` (M, 16) float32: middle, normal, direction along, direction across, three chances, and the number of the
    piece that hangs together; ``values`` (M, n), ``lean`` (M, 2) of the normals below, along and across. ``starts``
    (cells + 1,) int64, ``low`` (3,) the lowest corner, ``cell`` the length of a cell, ``cells`` (3,) how many.
    """

    place: F32
    values: F32
    lean: F32
    starts: I64
    low: F64
    cell: float
    cells: I64


def sorted_strokes(place: F32, values: F32, lean: F32, cell: float) -> Strokes:
    """Strokes in the order of their cells, which are ``cell`` long."""
    middle = place[:, :3].astype(np.float64)
    low = middle.min(axis=0)
    cells = np.floor((middle.max(axis=0) - low) / cell).astype(np.int64) + 1
    at = cell_of((middle - low) / cell, cells)
    starts, items = sort_boxes(at, at, cells)
    return Strokes(place[items], values[items], lean[items], starts, low, cell, cells)


@kernel
def _chance(x: int, y: int, seed: int) -> float:
    """0…1 of a lattice point, the same everywhere."""
    h = np.uint32((x * 374761393 + y * 668265263 + seed * 1274126177) & 0xFFFFFFFF)
    h ^= h >> np.uint32(13)
    h = np.uint32((np.uint64(h) * np.uint64(1274126177)) & np.uint64(0xFFFFFFFF))
    h ^= h >> np.uint32(16)
    return float(h & np.uint32(0xFFFF)) / 65535.0


@kernel
def streak(across: float, along: float, fine: float, seed: int) -> float:
    """0…1 how much paint a bristle carries: smooth noise, ``fine`` to half a stroke's width and long along it."""
    x, y = across * fine + 64.0, along * 1.2 + 64.0
    i, j = int(x), int(y)
    fx, fy = x - i, y - j
    fx, fy = fx * fx * (3 - 2 * fx), fy * fy * (3 - 2 * fy)
    low = _chance(i, j, seed) * (1 - fx) + _chance(i + 1, j, seed) * fx
    high = _chance(i, j + 1, seed) * (1 - fx) + _chance(i + 1, j + 1, seed) * fx
    return low * (1 - fy) + high * fy


@kernel
def _width(q: float) -> float:
    """Half the width at a place along the stroke, -1…1: round where the brush is put down and lifted."""
    return float(np.sqrt(max(1.0 - q * q * q * q, 0.0)))


@kernel
def body(e: float, q: float, bristle: float, fine: float, seed: int) -> float:
    """How high paint stands, 0…1, across (``e``, -1…1) and along: pushed to the sides, furrowed by bristles."""
    m = streak(e, q, fine, seed)
    inside = min(max((_width(q) * (1.0 - 0.3 * bristle * m) - abs(e)) / _RIM, 0.0), 1.0)
    rise = inside * (2.0 - inside)
    return rise * (0.6 + 0.3 * e * e + 0.7 * bristle * (m - 0.5)) * (1.0 - 0.4 * max(q, 0.0))


@kernel
def lay_strokes(
    points: F32, normals: F32, pieces: I32, patches: I64, strokes: Strokes, look: Look, tinted: bool, relief: bool,
    out: Laid,
) -> None:  # fmt: skip
    """Add strokes of one size below what lies on texels at ``points`` (N, 3) already.

    ``patches`` (P + 1,) says where each patch of texels near one another begins: strokes are looked for once a patch.
    """
    half, wide, texel = np.float32(look.half), np.float32(look.wide), np.float32(look.texel)
    reach = np.sqrt(half * half + wide * wide)
    place, cell, cells = strokes.place, strokes.cell, strokes.cells
    components = out.values.shape[1]
    rank = np.empty(_HITS, np.float32)
    which = np.empty(_HITS, np.int64)
    es, qs = np.empty(_HITS, np.float32), np.empty(_HITS, np.float32)
    zero, one = np.float32(0), np.float32(1)
    half_texel, bristle, vary = np.float32(0.5) * texel / wide, np.float32(look.bristle), np.float32(look.vary)
    fine = min(look.wide / look.texel / _TEXELS, _BRISTLES)
    u, w = np.empty(3), np.empty(3)
    low, high = np.empty(3, np.int64), np.empty(3, np.int64)
    chosen = np.empty(len(place), np.int64)
    ball = np.empty(3)
    arc = np.float32(0.25) * half
    for patch in range(len(patches) - 1):
        first, last = patches[patch], patches[patch + 1]
        for i in range(3):
            ball[i] = 0.0
            for n in range(first, last):
                ball[i] += points[n, i] / (last - first)
        round_it = 0.0
        for n in range(first, last):
            away = (points[n, 0] - ball[0]) ** 2 + (points[n, 1] - ball[1]) ** 2 + (points[n, 2] - ball[2]) ** 2
            round_it = max(round_it, away)
        round_it = np.sqrt(round_it) * 1.0001
        far = reach + round_it
        for i in range(3):
            low[i] = max(int(np.floor((ball[i] - far - strokes.low[i]) / cell)), 0)
            high[i] = min(int(np.floor((ball[i] + far - strokes.low[i]) / cell)), cells[i] - 1)
        if high[2] < low[2]:
            continue
        found = 0
        for x in range(low[0], high[0] + 1):
            for y in range(low[1], high[1] + 1):
                row = (x * cells[1] + y) * cells[2]
                for m in range(strokes.starts[row + low[2]], strokes.starts[row + high[2] + 1]):
                    dx, dy, dz = ball[0] - place[m, 0], ball[1] - place[m, 1], ball[2] - place[m, 2]
                    if abs(dx * place[m, 6] + dy * place[m, 7] + dz * place[m, 8]) >= half + round_it:
                        continue
                    if abs(dx * place[m, 9] + dy * place[m, 10] + dz * place[m, 11]) >= wide + arc + round_it:
                        continue
                    if abs(dx * place[m, 3] + dy * place[m, 4] + dz * place[m, 5]) < half + round_it:
                        chosen[found] = m
                        found += 1
        if not found:
            continue
        for n in range(first, last):
            if out.left[n] < 0.004:
                continue
            px, py, pz = points[n, 0], points[n, 1], points[n, 2]
            nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
            hits = 0
            for c in range(found):
                m = chosen[c]
                dx, dy, dz = px - place[m, 0], py - place[m, 1], pz - place[m, 2]
                along = dx * place[m, 6] + dy * place[m, 7] + dz * place[m, 8]
                if abs(along) >= half:
                    continue
                across = dx * place[m, 9] + dy * place[m, 10] + dz * place[m, 11]
                q = along / half
                across += (
                    (place[m, 13] - np.float32(0.5)) * np.float32(0.5) * half * (q * q - np.float32(0.3))
                )  # a hand's arc
                if abs(across) >= wide or place[m, 15] != pieces[n]:
                    continue
                if abs(dx * place[m, 3] + dy * place[m, 4] + dz * place[m, 5]) >= half:
                    continue
                if nx * place[m, 3] + ny * place[m, 4] + nz * place[m, 5] < _FACING:
                    continue
                e = across / wide
                edge = max(abs(e) - half_texel, zero)
                if edge * edge + q * q * q * q >= one:
                    continue
                order = place[m, 12]
                spot = hits
                while spot > 0 and rank[spot - 1] < order:
                    spot -= 1
                if spot >= _HITS:
                    continue
                hits = min(hits + 1, _HITS)
                for k in range(hits - 1, spot, -1):
                    rank[k], which[k], es[k], qs[k] = rank[k - 1], which[k - 1], es[k - 1], qs[k - 1]
                rank[spot], which[spot], es[spot], qs[spot] = order, m, e, q
            for k in range(hits):  # from the top, and no further than anything shows through
                m = which[k]
                e, q = es[k], qs[k]
                mine = int(place[m, 12] * np.float32(16777216)) & 0xFFFF
                bristles = np.float32(streak(e, q, fine, mine))
                around = np.sqrt(max(one - q * q * q * q, zero)) * (one - np.float32(0.3) * bristle * bristles)
                inside = (around - abs(e)) * wide / texel + np.float32(0.5)
                if inside <= zero:
                    continue
                alpha = min(inside, one)
                dry = bristle * np.float32(0.9) * max((q + np.float32(0.1)) / np.float32(1.1), zero)
                if dry > bristles:
                    alpha *= max((bristles - dry) / np.float32(_FRAY) + one, zero)
                share = out.left[n] * alpha
                if share <= zero:
                    continue
                tone = (place[m, 14] - np.float32(0.5)) * np.float32(0.4) * vary
                tone += np.float32(0.22) * bristle * (bristles - np.float32(0.5))
                out.left[n] -= share
                for c in range(components):
                    value = strokes.values[m, c]
                    if tinted and c < 3:
                        value = min(max(value * (one + tone), zero), one)
                    out.values[n, c] += share * value
                if relief:
                    here = body(e, q, look.bristle, fine, mine)
                    thick = look.thick * _LIFT
                    up_across = thick * (body(e + _STEP, q, look.bristle, fine, mine) - here) / _STEP
                    up_along = thick * (body(e, q + _STEP * wide / half, look.bristle, fine, mine) - here) / _STEP
                    up_along += up_across * (place[m, 13] - np.float32(0.5)) * q  # the arc's own slant
                    out.lift[n] += share * thick * wide * here
                    dot = place[m, 6] * nx + place[m, 7] * ny + place[m, 8] * nz
                    u[0] = place[m, 6] - nx * dot
                    u[1] = place[m, 7] - ny * dot
                    u[2] = place[m, 8] - nz * dot
                    length = max(np.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2]), 1e-9)
                    for i in range(3):
                        u[i] /= length
                    w[0] = ny * u[2] - nz * u[1]
                    w[1] = nz * u[0] - nx * u[2]
                    w[2] = nx * u[1] - ny * u[0]
                    for i in range(3):
                        out.slope[n, i] += share * (up_along * u[i] + up_across * w[i])
                        out.lean[n, i] += share * (strokes.lean[m, 0] * u[i] + strokes.lean[m, 1] * w[i])
                if out.left[n] < 0.004:
                    break
