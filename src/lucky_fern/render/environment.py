"""Surroundings of light: by formula a studio of soft windows over a grey floor, a harbour by day, and at dusk; and
panoramas of one's own.

The view's image-based light reads it twice: as irradiance (nine spherical-harmonic coefficients,
Ramamoorthi and Hanrahan, "An Efficient Representation for Irradiance Environment Maps", 2001) and as a
chain of images blurred for rising roughness (GGX lobe: Walter et al., "Microfacet Models for Refraction
through Rough Surfaces", 2007).
"""

import threading
from functools import cache
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64
from lucky_fern.core.compiled import kernel

ROWS, COLUMNS, LEVELS = 128, 256, 6
STUDIO = "studio"


class _Sky(NamedTuple):
    """Colours of linear light at the horizon and the top, what water keeps of them, and the sun."""

    horizon: tuple[float, float, float]
    top: tuple[float, float, float]
    water: tuple[float, float, float]
    sun: tuple[float, float, float]
    size: float
    power: float
    tint: tuple[float, float, float]


_SKIES = {
    "harbour": _Sky((0.95, 1.0, 1.05), (0.30, 0.52, 0.95), (0.25, 0.34, 0.36), (-0.5, 0.75, 0.6), 0.14, 16.0,
                    (1.0, 0.95, 0.86)),
    "dusk": _Sky((0.95, 0.48, 0.24), (0.10, 0.13, 0.30), (0.30, 0.30, 0.36), (0.85, 0.12, 0.5), 0.16, 9.0,
                 (1.0, 0.55, 0.25)),
}  # fmt: skip
KINDS = (STUDIO, *_SKIES)
_FINE = 256  # rows of the image that blurring looks things up in

_OWN = "own:"
_MOST_OWN = 4  # panoramas that are held at once
_own: dict[str, F32] = {}
_working = threading.Lock()
_prepared: set[str] = set()


def radiance(direction: F64, kind: str = STUDIO) -> F64:
    """(..., 3) linear light from unit directions (..., 3), Y up, of one of :data:`KINDS`."""
    if kind in _own:
        return _of_panorama(direction, _own[kind])
    if kind != STUDIO:
        return _outdoors(direction, _SKIES[kind])
    y = direction[..., 1]
    sky = 0.55 + 0.30 * np.clip(y, 0, 1)
    floor = 0.36 + 0.06 * np.clip(-y, 0, 1)
    grey = np.where(y > 0, sky, floor) * (1 - 0.35 * np.exp(-((y / 0.08) ** 2)))
    light = grey[..., None] * np.array([1.0, 1.0, 1.0])
    for centre, size, power, tint in (
        ((-0.62, 0.55, 0.56), 0.30, 5.2, (1.0, 0.985, 0.96)),
        ((0.78, 0.35, 0.52), 0.22, 2.1, (0.96, 0.98, 1.0)),
        ((0.25, 0.50, -0.83), 0.26, 2.6, (0.97, 0.99, 1.0)),
    ):
        unit = np.array(centre) / np.linalg.norm(centre)
        angle = np.arccos(np.clip(direction @ unit, -1, 1))
        light = light + (power / (1 + np.exp((angle - size) / 0.045)))[..., None] * np.array(tint)
    return np.asarray(light, np.float64)


def own_kind(name: str) -> str:
    """The kind that a panorama of this name is asked for by."""
    return _OWN + name


def take_panorama(name: str, light: F32) -> str:
    """Take a panorama (rows, 2 · rows, 3) of linear light; the kind that it is asked for by from now on."""
    kind = own_kind(name)
    if kind not in _own:
        while len(_own) >= _MOST_OWN:
            gone = next(iter(_own))
            del _own[gone]
            _prepared.discard(gone)
        _own[kind] = light
    return kind


def is_own(kind: str) -> bool:
    """Whether surroundings are a panorama of one's own."""
    return kind.startswith(_OWN)


def known(kind: str) -> bool:
    """Whether surroundings can be worked out now."""
    return kind in KINDS or kind in _own


def behind(kind: str) -> F32:
    """(rows, 2 · rows, 3) a panorama as it is seen behind the model: a power of two wide."""
    import cv2

    light = _own[kind]
    wide = min(1 << int(np.log2(max(light.shape[1], 4))), 2048)
    return np.asarray(cv2.resize(light, (wide, wide // 2), interpolation=cv2.INTER_AREA), np.float32)


def _of_panorama(direction: F64, light: F32) -> F64:
    """Between the four pixels round each direction of a panorama reduced to what is looked up."""
    import cv2

    table = light
    if light.shape[1] > 2 * _FINE:
        table = np.asarray(cv2.resize(light, (2 * _FINE, _FINE), interpolation=cv2.INTER_AREA), np.float32)
    rows, columns = table.shape[:2]
    row = np.arccos(np.clip(direction[..., 1], -1, 1)) / np.pi * rows - 0.5
    column = (np.arctan2(direction[..., 0], direction[..., 2]) / (2 * np.pi) + 0.5) * columns - 0.5
    r, c = np.floor(row).astype(np.int64), np.floor(column).astype(np.int64)
    fr, fc = (row - r)[..., None], (column - c)[..., None]
    top, bottom = np.clip(r, 0, rows - 1), np.clip(r + 1, 0, rows - 1)
    left, right = c % columns, (c + 1) % columns
    upper = table[top, left] * (1 - fc) + table[top, right] * fc
    lower = table[bottom, left] * (1 - fc) + table[bottom, right] * fc
    return np.asarray(upper * (1 - fr) + lower * fr, np.float64)


def _outdoors(direction: F64, sky: _Sky) -> F64:
    """A sky that changes from its horizon to its top, its sun, and water below that mirrors it darkly."""
    y = direction[..., 1]
    up = np.abs(y)[..., None]
    light = np.array(sky.horizon) + (np.array(sky.top) - np.array(sky.horizon)) * up**0.5
    light = np.where(y[..., None] < 0, light * np.array(sky.water), light)
    sun = np.array(sky.sun) / np.linalg.norm(sky.sun)
    angle = np.arccos(np.clip(direction @ sun, -1, 1))
    disc = (
        sky.power / (1 + np.exp((angle - sky.size) / 0.03)) + 0.25 * sky.power * np.exp(-((angle / 0.5) ** 2)) * 0.2
    )
    return np.asarray(light + disc[..., None] * np.array(sky.tint), np.float64)


def directions(rows: int, columns: int) -> F64:
    """(rows, columns, 3) unit directions of an equirectangular image, row 0 at the top."""
    polar = (np.arange(rows) + 0.5) / rows * np.pi
    turn = (np.arange(columns) + 0.5) / columns * 2 * np.pi - np.pi
    polar_grid, turn_grid = np.meshgrid(polar, turn, indexing="ij")
    sine = np.sin(polar_grid)
    return np.stack([sine * np.sin(turn_grid), np.cos(polar_grid), sine * np.cos(turn_grid)], axis=-1)


def _harmonics(direction: F64) -> F64:
    """(..., 9) real spherical harmonics up to degree 2."""
    x, y, z = direction[..., 0], direction[..., 1], direction[..., 2]
    return np.stack([
        np.full_like(x, 0.282095), 0.488603 * y, 0.488603 * z, 0.488603 * x, 1.092548 * x * y,
        1.092548 * y * z, 0.315392 * (3 * z * z - 1), 1.092548 * x * z, 0.546274 * (x * x - y * y),
    ], axis=-1)  # fmt: skip


@cache
def irradiance(kind: str = STUDIO) -> F32:
    """(9, 3) coefficients that give irradiance / π as their sum with the harmonics of the normal."""
    direction = directions(ROWS, COLUMNS)
    polar = (np.arange(ROWS) + 0.5) / ROWS * np.pi
    weight = np.sin(polar)[:, None] * (np.pi / ROWS) * (2 * np.pi / COLUMNS)
    basis = _harmonics(direction)
    coefficients = np.einsum(
        "rck,rcd,rc->kd", basis, radiance(direction, kind), np.broadcast_to(weight, (ROWS, COLUMNS))
    )
    lobe = np.array([1.0, 2 / 3, 2 / 3, 2 / 3, 0.25, 0.25, 0.25, 0.25, 0.25])
    return np.asarray(coefficients * lobe[:, None], np.float32)


def prepared(kind: str = STUDIO) -> bool:
    """Whether the reflections of some surroundings are worked out already: it takes more than a second."""
    return kind in _prepared


def reflections(kind: str = STUDIO) -> list[F32]:
    """Equirectangular images (rows, columns, 3) for roughness 0, 0.2, … 1, each half the size of the last.

    Worked out once, whichever thread asks first; others wait for it.
    """
    with _working:
        found = _reflections(kind)
        _prepared.add(kind)
    return found


@cache
def _reflections(kind: str) -> list[F32]:
    levels, sky = [], radiance(directions(_FINE, 2 * _FINE), kind)
    for level in range(LEVELS):
        rows, columns = ROWS >> level, COLUMNS >> level
        direction = directions(rows, columns)
        roughness = level / (LEVELS - 1)
        if level == 0:
            image = radiance(direction, kind)
        else:
            own = kind in _own  # a sun of a few pixels would leave single bright ones
            image = _blurred(direction, roughness, _reduced(sky, level) if own else sky, 256 if own else 96)
        levels.append(image.astype(np.float32))
    return levels


def _reduced(sky: F64, level: int) -> F64:
    """Means of so many pixels as a lobe of a level's roughness takes in at the least."""
    by = 1 << min(level, 4)
    rows, columns = sky.shape[0] // by, sky.shape[1] // by
    return np.ascontiguousarray(sky.reshape(rows, by, columns, by, 3).mean(axis=(1, 3)))


def _blurred(normal: F64, roughness: float, sky: F64, count: int = 96) -> F64:
    """Light around each direction weighted by the GGX lobe, at evenly spread (Hammersley) samples."""
    index = np.arange(count)
    first = (index + 0.5) / count
    bits = np.array([int(f"{i:08b}"[::-1], 2) for i in index]) / 256.0
    alpha = roughness * roughness
    cosine = np.sqrt((1 - bits) / (1 + (alpha * alpha - 1) * bits))
    sine = np.sqrt(1 - cosine**2)
    half = np.stack([sine * np.cos(2 * np.pi * first), sine * np.sin(2 * np.pi * first), cosine], axis=1)
    out = np.empty_like(normal)
    _gather(normal.reshape(-1, 3), half, sky, out.reshape(-1, 3))
    return out


@kernel
def _gather(normals: F64, halves: F64, sky: F64, out: F64) -> None:
    """Means of ``sky`` (rows, columns, 3) around unit normals (n, 3), looked up at reflections in half vectors."""
    rows, columns = sky.shape[0], sky.shape[1]
    for n in range(len(normals)):
        x, y, z = normals[n]
        # Any tangent does: the lobe is round.
        tx, ty, tz = (z, 0.0, -x) if abs(y) < 0.99 else (0.0, -z, y)
        length = np.sqrt(tx * tx + ty * ty + tz * tz)
        tx, ty, tz = tx / length, ty / length, tz / length
        bx, by, bz = y * tz - z * ty, z * tx - x * tz, x * ty - y * tx
        red, green, blue, weights = 0.0, 0.0, 0.0, 1e-9
        for k in range(len(halves)):
            hx, hy, hz = halves[k]
            mx, my, mz = tx * hx + bx * hy + x * hz, ty * hx + by * hy + y * hz, tz * hx + bz * hy + z * hz
            lx, ly, lz = 2 * hz * mx - x, 2 * hz * my - y, 2 * hz * mz - z
            weight = x * lx + y * ly + z * lz
            if weight <= 0:
                continue
            row = min(int(np.arccos(min(max(ly, -1.0), 1.0)) / np.pi * rows), rows - 1)
            column = min(int((np.arctan2(lx, lz) / (2 * np.pi) + 0.5) * columns), columns - 1)
            red += sky[row, column, 0] * weight
            green += sky[row, column, 1] * weight
            blue += sky[row, column, 2] * weight
            weights += weight
        out[n, 0], out[n, 1], out[n, 2] = red / weights, green / weights, blue / weights
