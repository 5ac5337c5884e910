"""A row of texels at once: bilinear light of a picture gathered, and written as straight RGBA.

What :mod:`.paint` asks of every texel is asked once for the row here, and each loop does one thing to all of its
texels: so the compiler works on several texels, or on all components of one, at the same time.
"""

from typing import Any

import numpy as np

from lucky_fern.core.arrays import F32, I32, U16
from lucky_fern.core.compiled import kernel

FLOATS, WHOLES = 8, 5  # rows of scratch that a row of texels needs
_U0: Any = np.uint64(0)
_U1: Any = np.uint64(1)
_U2: Any = np.uint64(2)
_U3: Any = np.uint64(3)
_U4: Any = np.uint64(4)
_U5: Any = np.uint64(5)
_U6: Any = np.uint64(6)
_U7: Any = np.uint64(7)
_ONE: Any = np.float32(1)
_HALF: Any = np.float32(0.5)
_TOP: Any = np.float32(65535)
_TINY: Any = np.float32(1e-12)


@kernel
def draw_row(
    row: U16, first: int, end: int, px_0: float, px_step: float, py_0: float, py_step: float,
    texels: F32, w: int, encode: bool, table: U16, floats: F32, wholes: I32,
) -> None:  # fmt: skip
    """Write texels ``first`` to ``end`` of a row (columns, 4) that lie inside the picture and that nothing hides.

    ``px_0`` and ``py_0`` are the picture's pixel (centres at whole numbers) of texel 0, the steps those to the next
    one; ``w`` pixels are in a row of ``texels`` (premultiplied RGBA). ``table`` encodes light as sRGB if asked to. A
    texel that has more of the picture already keeps it. ``floats`` (FLOATS, columns) and ``wholes`` (WHOLES, columns)
    are scratch.
    """
    light, values = floats[4:].reshape(-1), wholes[1:].reshape(-1)
    _weigh(first, end, px_0, px_step, py_0, py_step, w, wholes[0], floats[0], floats[1], floats[2], floats[3])
    _gather(end - first, w, texels, wholes[0], floats[0], floats[1], floats[2], floats[3], light)
    _part(end - first, light, values)
    _put(row, first, end - first, values, encode, table)


@kernel
def _weigh(
    first: int, end: int, px_0: float, px_step: float, py_0: float, py_step: float, w: int,
    place: I32, upper_left: F32, upper_right: F32, lower_left: F32, lower_right: F32,
) -> None:  # fmt: skip
    """Where each texel's four pixels begin, and how much each of them counts."""
    for k in range(end - first):
        at = np.float64(np.int32(first + k))
        px, py = px_0 + at * px_step, py_0 + at * py_step
        i, j = np.int32(px), np.int32(py)
        gx, gy = np.float32(px - i), np.float32(py - j)
        d = gx * gy
        c, b = gy - d, gx - d
        upper_left[k], upper_right[k], lower_left[k], lower_right[k] = _ONE - gx - c, b, c, d
        place[k] = (j * np.int32(w) + i) * np.int32(4)


@kernel
def _gather(
    count: int, w: int, texels: F32, place: I32,
    upper_left: F32, upper_right: F32, lower_left: F32, lower_right: F32, light: F32,
) -> None:  # fmt: skip
    """Premultiplied RGBA of each texel, one after the other in ``light``."""
    for k in range(count):
        # Unsigned places are not asked whether they count from the end.
        p, at = np.uint64(place[k]), np.uint64(k * 4)
        u = p + np.uint64(w * 4)
        a, b, c, d = upper_left[k], upper_right[k], lower_left[k], lower_right[k]
        red = a * texels[p] + b * texels[p + _U4] + c * texels[u] + d * texels[u + _U4]
        green = a * texels[p + _U1] + b * texels[p + _U5] + c * texels[u + _U1] + d * texels[u + _U5]
        blue = a * texels[p + _U2] + b * texels[p + _U6] + c * texels[u + _U2] + d * texels[u + _U6]
        alpha = a * texels[p + _U3] + b * texels[p + _U7] + c * texels[u + _U3] + d * texels[u + _U7]
        light[at], light[at + _U1], light[at + _U2], light[at + _U3] = red, green, blue, alpha


@kernel
def _part(count: int, light: F32, values: I32) -> None:
    """Premultiplied light as straight values 0…65535."""
    for k in range(count):
        at = np.uint64(k * 4)
        alpha = light[at + _U3]
        f = _TOP / max(alpha, _TINY)
        red = np.int32(min(light[at] * f + _HALF, _TOP))
        green = np.int32(min(light[at + _U1] * f + _HALF, _TOP))
        blue = np.int32(min(light[at + _U2] * f + _HALF, _TOP))
        level = np.int32(min(alpha * _TOP + _HALF, _TOP))
        values[at], values[at + _U1], values[at + _U2], values[at + _U3] = red, green, blue, level


@kernel
def _put(row: U16, first: int, count: int, values: I32, encode: bool, table: U16) -> None:
    """Write values where they are more of the picture than is there already."""
    for k in range(count):
        at, to = np.uint64(k * 4), np.uint64(first + k)
        level = values[at + _U3]
        if level <= row[to, _U3]:
            continue
        red, green, blue = np.uint64(values[at]), np.uint64(values[at + _U1]), np.uint64(values[at + _U2])
        if encode:
            row[to, _U0], row[to, _U1], row[to, _U2] = table[red], table[green], table[blue]
        else:
            row[to, _U0], row[to, _U1], row[to, _U2] = red, green, blue
        row[to, _U3] = level
