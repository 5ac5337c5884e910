"""Sampling kernels: what a picture gives to one texel.

The footprint of a texel in the picture is a parallelogram, given by the derivatives of the picture's
coordinates along the texel's two axes. Where it is axis-aligned the mean over it is taken exactly
(pixels are little squares); elsewhere a grid of bilinear taps stands for it (after Greene and Heckbert,
"Creating Raster Omnimax Images", 1986). Levels of the pyramid are used only so far down that the
footprint still spans at least two of their pixels each way (four for exact means), so little detail is lost to them.
"""

from typing import Any, NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, I64
from lucky_fern.core.compiled import kernel

CUT, REPEAT = 0, 1


class Levels(NamedTuple):
    """A pyramid's levels in one flat array of premultiplied RGBA; see :class:`.pyramid.Pyramid`."""

    texels: F32
    offset: I64
    width: I64
    height: I64


SMOOTH, NEAREST = 0, 1
ONE_PIXEL, BILINEAR, MEAN, TAPS = 0, 1, 2, 3
_MOST_TAPS = 16
_U1: Any = np.uint64(1)
_U2: Any = np.uint64(2)
_U3: Any = np.uint64(3)
_U4: Any = np.uint64(4)
_AS_IT_IS = 1.1  # a slanted footprint hardly larger than a pixel needs no more than one bilinear tap


@kernel
def wrap(index: int, count: int, edge: int) -> int:
    """An index brought into 0 … ``count`` − 1, round and round or to the border.

    Footprints begin inside the picture, so it is never far out: stepping is quicker than dividing by far.
    """
    if edge == REPEAT:
        while index < 0:
            index += count
        while index >= count:
            index -= count
        return index
    return min(max(index, 0), count - 1)


@kernel
def _box(
    texels: F32, start: int, w: int, h: int, x0: float, x1: float, y0: float, y1: float, edge: int
) -> tuple[float, float, float, float]:
    """Mean over the rectangle x0…x1 × y0…y1, in pixels of one level."""
    r = g = b = a = 0.0
    first, end = int(np.floor(x0)), int(np.ceil(x1))
    left = min(x1, first + 1.0) - x0  # how much of the outermost columns counts; those between do in full
    right = x1 - (end - 1.0) if end - 1 > first else 0.0
    within = first >= 0 and end <= w
    for j in range(int(np.floor(y0)), int(np.ceil(y1))):
        row = start + wrap(j, h, edge) * w * 4
        at = np.uint64(row + wrap(first, w, edge) * 4)
        p, q, u, v = (
            left * texels[at],
            left * texels[at + _U1],
            left * texels[at + _U2],
            left * texels[at + _U3],
        )
        for i in range(first + 1, end - 1):
            at = at + _U4 if within else np.uint64(row + wrap(i, w, edge) * 4)
            p, q, u, v = p + texels[at], q + texels[at + _U1], u + texels[at + _U2], v + texels[at + _U3]
        if right > 0.0:
            at = at + _U4 if within else np.uint64(row + wrap(end - 1, w, edge) * 4)
            p, q = p + right * texels[at], q + right * texels[at + _U1]
            u, v = u + right * texels[at + _U2], v + right * texels[at + _U3]
        wy = min(y1, j + 1.0) - max(y0, float(j))
        r, g, b, a = r + wy * p, g + wy * q, b + wy * u, a + wy * v
    f = 1.0 / ((x1 - x0) * (y1 - y0))
    return r * f, g * f, b * f, a * f


@kernel
def _bilinear(
    texels: F32, start: int, w: int, h: int, x: float, y: float, edge: int
) -> tuple[float, float, float, float]:
    i, j = int(np.floor(x - 0.5)), int(np.floor(y - 0.5))
    fx, fy = x - 0.5 - i, y - 0.5 - j
    i0, i1 = wrap(i, w, edge) * 4, wrap(i + 1, w, edge) * 4
    j0, j1 = start + wrap(j, h, edge) * w * 4, start + wrap(j + 1, h, edge) * w * 4
    w00, w10, w01, w11 = (1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy
    p, q, s, t = j0 + i0, j0 + i1, j1 + i0, j1 + i1
    return (
        w00 * texels[p] + w10 * texels[q] + w01 * texels[s] + w11 * texels[t],
        w00 * texels[p + 1] + w10 * texels[q + 1] + w01 * texels[s + 1] + w11 * texels[t + 1],
        w00 * texels[p + 2] + w10 * texels[q + 2] + w01 * texels[s + 2] + w11 * texels[t + 2],
        w00 * texels[p + 3] + w10 * texels[q + 3] + w01 * texels[s + 3] + w11 * texels[t + 3],
    )


@kernel
def footprint(
    offset: I64, width: I64, height: I64, s_x: float, s_y: float, t_x: float, t_y: float, sampling: int
) -> tuple[int, int, int, int, float, float]:  # fmt: skip
    """How to sample with given derivatives; worked out once where they are constant.

    Parameters
    ----------
    s_x, s_y, t_x, t_y : change of s and t from one texel to the next, right (x) and down (y).
    sampling : SMOOTH, or NEAREST for pixels that stay square when magnified.

    Returns
    -------
    way (one of the four below), level of the pyramid, taps along x and along y, and the footprint's
    extent across and down in pixels of that level.
    """
    w, h = width[0], height[0]
    ax, ay, bx, by = s_x * w, t_x * h, s_y * w, t_y * h
    wide, tall = abs(ax) + abs(bx), abs(ay) + abs(by)
    length_a, length_b = np.hypot(ax, ay), np.hypot(bx, by)
    if sampling == NEAREST and length_a <= 1.0 and length_b <= 1.0:
        return ONE_PIXEL, 0, 1, 1, 1.0, 1.0
    if length_a <= _AS_IT_IS and length_b <= _AS_IT_IS and (wide > 1.0 or tall > 1.0):
        slanted = min(wide, tall) > 1.0 and abs(ay) + abs(bx) > 1e-3 and abs(ax) + abs(by) > 1e-3
        if slanted:
            return BILINEAR, 0, 1, 1, 1.0, 1.0
    if wide <= 1.0 and tall <= 1.0:
        return BILINEAR, 0, 1, 1, 1.0, 1.0
    slant = abs(ay) + abs(bx)
    if slant < 1e-3 * (abs(ax) + abs(by)) or abs(ax) + abs(by) < 1e-3 * slant:
        ex, ey = max(wide, 1.0), max(tall, 1.0)
        level = int(np.floor(np.log2(max(min(ex, ey) / 4.0, max(ex, ey) / 32.0, 1.0))))
        level = min(level, len(offset) - 1)
        return MEAN, level, 1, 1, max(ex * width[level] / w, 1.0), max(ey * height[level] / h, 1.0)
    least, most = min(length_a, length_b), max(length_a, length_b)
    level = int(np.floor(np.log2(max(least / 2.0, most / _MOST_TAPS, 1.0))))
    level = min(level, len(offset) - 1)
    shrink = width[level] / w
    na = min(max(int(np.ceil(length_a * shrink)), 1), _MOST_TAPS)
    nb = min(max(int(np.ceil(length_b * shrink)), 1), _MOST_TAPS)
    return TAPS, level, na, nb, 1.0, 1.0


@kernel
def sample(
    texels: F32, offset: I64, width: I64, height: I64, how: tuple[int, int, int, int, float, float],
    s: float, t: float, s_x: float, s_y: float, t_x: float, t_y: float, edge: int,
) -> tuple[float, float, float, float]:  # fmt: skip
    """Premultiplied RGBA that a picture gives to a texel.

    Parameters
    ----------
    how : from :func:`footprint` with the same derivatives.
    s, t : where the texel's centre lies in the picture, 0…1 from its left and its top.
    edge : CUT (colour goes on beyond the border) or REPEAT.
    """
    way, level, na, nb, ex, ey = how
    w, h = width[level], height[level]
    if way == BILINEAR:
        return _bilinear(texels, 0, w, h, s * w, t * h, edge)
    if way == ONE_PIXEL:
        at = (wrap(int(np.floor(t * h)), h, edge) * w + wrap(int(np.floor(s * w)), w, edge)) * 4
        return texels[at], texels[at + 1], texels[at + 2], texels[at + 3]
    if way == MEAN:
        x, y = s * w, t * h
        return _box(texels, offset[level], w, h, x - ex / 2, x + ex / 2, y - ey / 2, y + ey / 2, edge)
    r = g = b = a = 0.0
    for m in range(na):
        fa = (m + 0.5) / na - 0.5
        for n in range(nb):
            fb = (n + 0.5) / nb - 0.5
            x = (s + fa * s_x + fb * s_y) * w
            y = (t + fa * t_x + fb * t_y) * h
            p, q, u, v = _bilinear(texels, offset[level], w, h, x, y, edge)
            r, g, b, a = r + p, g + q, b + u, a + v
    f = 1.0 / (na * nb)
    return r * f, g * f, b * f, a * f
