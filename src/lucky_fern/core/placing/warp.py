"""Pulling a picture out of shape: by its four corners as in perspective, or smoothly by a grid of points.

The result is a picture about the same middle, as much larger as the pulled points reach, so that whatever places it
only has to enlarge its box.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64
from lucky_fern.core.project.places import Warp

_LARGEST = 4096  # pixels of the longer side
_STEPS = 16  # small quads between two points of a grid


@lru_cache(maxsize=256)
def reach_of(warp: Warp) -> float:
    """How many times larger, about its middle, the box of the pulled picture is (at least a tiny bit of it)."""
    points = np.array(warp.points) if is_fit(warp) else _dense(warp)[0]
    return max(float(np.abs(points - 0.5).max() * 2), 1e-3)


def is_fit(warp: Warp) -> bool:
    """Whether it has four points, which perspective serves."""
    return warp.columns == 2 and warp.rows == 2


def warped(premultiplied: F32, warp: Warp) -> F32:
    """A premultiplied picture (rows, columns, 4) float32 pulled out of shape, in the box of :func:`reach_of`."""
    rows, columns = premultiplied.shape[:2]
    reach = reach_of(warp)
    zoom = min(1.0, _LARGEST / (reach * max(rows, columns)))
    size = (max(1, round(columns * reach * zoom)), max(1, round(rows * reach * zoom)))
    # Nothing lies round the picture: its border must not be smeared outwards.
    source = cv2.copyMakeBorder(premultiplied, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=(0, 0, 0, 0))
    across, down = _lookup(warp, reach, size)
    inside = np.isfinite(across)
    x = np.where(inside, across * columns + 0.5, -9).astype(np.float32)
    y = np.where(inside, down * rows + 0.5, -9).astype(np.float32)
    options: Any = {"interpolation": cv2.INTER_LINEAR, "borderMode": cv2.BORDER_CONSTANT, "borderValue": (0, 0, 0, 0)}
    return np.ascontiguousarray(cv2.remap(source, x, y, **options), np.float32)


def turned_normals(
    premultiplied: F32, warp: Warp, pixel: float, original: tuple[int, int], flipped: bool
) -> None:  # fmt: skip
    """Turn the normals that a pulled picture holds as the picture was turned, in place.

    ``pixel`` is how wide one of the (rows, columns) ``original`` pixels is placed for its height; ``flipped`` says
    that the picture had been turned left for right before it was pulled.
    """
    rows, columns = premultiplied.shape[:2]
    s, t = _lookup(warp, reach_of(warp), (columns, rows))
    s_y, s_x = np.gradient(s)
    t_y, t_x = np.gradient(t)
    # How the box moves, in real lengths, along the picture's own right: the inverse of that, column by column.
    wide, tall = pixel * original[1] / columns, original[0] / rows
    turn = np.sign(s_x * t_y - s_y * t_x)
    right_x, right_y = t_y * turn * wide, t_x * turn * tall  # up is −y
    up_x, up_y = s_y * turn * wide, s_x * turn * tall
    length = np.hypot(right_x, right_y)
    sound = np.isfinite(length) & (length > 0)
    right_x, right_y = (np.where(sound, v / np.where(sound, length, 1), d) for v, d in ((right_x, 1), (right_y, 0)))
    side = np.where(np.nan_to_num(up_y * right_x - up_x * right_y) < 0, -1.0, 1.0)
    if flipped:
        right_x, right_y, side = -right_x, -right_y, -side
    alpha = premultiplied[..., 3]
    x, y = 2 * premultiplied[..., 0] - alpha, 2 * premultiplied[..., 1] - alpha
    lean_x = right_x * x - right_y * side * y
    lean_y = right_y * x + right_x * side * y
    premultiplied[..., 0], premultiplied[..., 1] = (lean_x + alpha) / 2, (lean_y + alpha) / 2


def _lookup(warp: Warp, reach: float, size: tuple[int, int]) -> tuple[F64, F64]:
    """For each pixel of the result, where in the picture (0…1) it comes from; NaN where it comes from nowhere."""
    width, height = size
    # Pixel centres of the result in shares of the picture.
    x = ((np.arange(width) + 0.5) / width - 0.5) * reach + 0.5
    y = ((np.arange(height) + 0.5) / height - 0.5) * reach + 0.5
    if is_fit(warp):
        even = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)
        pulled = np.array(warp.points, np.float32)
        matrix: F64 = cv2.getPerspectiveTransform(pulled, even).astype(np.float64)
        grid_x, grid_y = np.meshgrid(x, y)
        w = matrix[2, 0] * grid_x + matrix[2, 1] * grid_y + matrix[2, 2]
        middle = matrix[2] @ np.append(pulled.mean(axis=0), 1.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            s = (matrix[0, 0] * grid_x + matrix[0, 1] * grid_y + matrix[0, 2]) / w
            t = (matrix[1, 0] * grid_x + matrix[1, 1] * grid_y + matrix[1, 2]) / w
        gone = w * np.sign(middle) <= 1e-9  # behind the horizon
        s[gone], t[gone] = np.nan, np.nan
        return s, t
    dense, origin = _dense(warp)
    s, t = np.full((height, width), np.nan), np.full((height, width), np.nan)
    scale = np.array([width, height])
    places = ((dense - 0.5) / reach + 0.5) * scale - 0.5
    columns = (warp.columns - 1) * _STEPS + 1
    index = np.arange(len(dense)).reshape(-1, columns)
    corner = np.stack([index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]], axis=-1).reshape(-1, 4)
    for quad in corner:
        _fill_quad(s, t, places[quad], origin[quad])
    return s, t


def _fill_quad(s: F64, t: F64, places: F64, even: F64) -> None:
    """Write where the pixels of a small quad come from."""
    low = np.maximum(np.floor(places.min(axis=0)).astype(int), 0)
    high = np.minimum(np.ceil(places.max(axis=0)).astype(int) + 1, [s.shape[1], s.shape[0]])
    if (high <= low).any():
        return
    y, x = np.mgrid[low[1] : high[1], low[0] : high[0]]
    for three in ((0, 1, 2), (0, 2, 3)):
        a, b, c = places[list(three)]
        area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if abs(area) < 1e-12:
            continue
        wb = ((x - a[0]) * (c[1] - a[1]) - (y - a[1]) * (c[0] - a[0])) / area
        wc = ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])) / area
        inside = (wb >= -1e-9) & (wc >= -1e-9) & (wb + wc <= 1 + 1e-9)
        p, q, r = even[list(three)]
        box = (slice(low[1], high[1]), slice(low[0], high[0]))
        s[box][inside] = (p[0] + wb * (q[0] - p[0]) + wc * (r[0] - p[0]))[inside]
        t[box][inside] = (p[1] + wb * (q[1] - p[1]) + wc * (r[1] - p[1]))[inside]


def regrid(warp: Warp | None, columns: int, rows: int) -> Warp:
    """A warp by another grid that pulls the picture alike at its points; one that pulls nothing from None."""
    x, y = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    even = np.stack([x, y], axis=-1).reshape(-1, 2)
    if warp is not None:
        if is_fit(warp):
            unit = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)
            matrix = cv2.getPerspectiveTransform(unit, np.array(warp.points, np.float32))
            even = cv2.perspectiveTransform(even[None].astype(np.float64), matrix)[0]
        else:
            points = _dense(warp)[0]
            across = (warp.columns - 1) * _STEPS + 1
            at = np.rint(even * [across - 1, (warp.rows - 1) * _STEPS]).astype(int)
            even = points.reshape(-1, across, 2)[at[:, 1], at[:, 0]]
    return Warp(columns, rows, tuple((round(float(a), 5), round(float(b), 5)) for a, b in even))


@lru_cache(maxsize=64)
def _dense(warp: Warp) -> tuple[F64, F64]:
    """(N, 2) points of a finer grid, pulled, and where they lie in the picture.

    Between the given points it runs along Catmull–Rom splines (Catmull and Rom, "A class of local interpolating
    splines", 1974), in both directions, so that a grid that was not pulled stays as it is.
    """
    grid = np.array(warp.points, np.float64).reshape(warp.rows, warp.columns, 2)
    across = _spline(warp.columns)
    down = _spline(warp.rows)
    pulled = np.einsum("ar,rcd,bc->abd", down, grid, across)
    x, y = np.meshgrid(np.linspace(0, 1, len(across)), np.linspace(0, 1, len(down)))
    return pulled.reshape(-1, 2), np.stack([x, y], axis=-1).reshape(-1, 2)


def _spline(count: int) -> F64:
    """(N, count) weights of given points at the points between them; ends go on straight."""
    steps = np.arange((count - 1) * _STEPS + 1) / _STEPS
    first = np.minimum(steps.astype(int), count - 2)
    u = steps - first
    basis = (
        np.stack([-(u**3) + 2 * u**2 - u, 3 * u**3 - 5 * u**2 + 2, -3 * u**3 + 4 * u**2 + u, u**3 - u**2], axis=1) / 2
    )
    out = np.zeros((len(steps), count))
    for k in range(4):
        at = first + k - 1
        weight = basis[:, k]
        for row in range(len(steps)):
            if at[row] < 0:  # 2 p0 − p1 stands for the point before the first
                out[row, 0] += 2 * weight[row]
                out[row, 1] -= weight[row]
            elif at[row] >= count:
                out[row, count - 1] += 2 * weight[row]
                out[row, count - 2] -= weight[row]
            else:
                out[row, at[row]] += weight[row]
    return out
