"""Blocks of 4 × 4 texels for cards to read: BC1, BC3, BC4 and BC5, made here so that they are the same anywhere.

A block of colours has two ends of 5, 6 and 5 bits and, for each texel, one of four steps between them; a block of one
channel has two ends of 8 bits and eight steps. Ends are first laid along the colours' main axis, fitted to the steps
that were chosen by least squares, and then moved by single steps as long as that makes the error smaller.

References: Microsoft, "Texture Block Compression in Direct3D 11"; S. Brown, "DXT Compression Techniques" (2006), for
the fit.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import I64, U8, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.parallel import for_each

_ROUNDS = 12  # in which ends are moved, at the most
_ROWS = 16  # of blocks that are done in one go


def _flat_ends(top: int, shift: int) -> I64:
    """(256, 2) the two ends, 0 … ``top``, whose third step is each value, as near as any."""
    steps = np.arange(top + 1)
    whole = (steps << (8 - shift)) | (steps >> (2 * shift - 8))
    made = (2 * whole[:, None] + whole[None]) // 3
    off = np.abs(made.reshape(-1)[None] - np.arange(256)[:, None]) * 1024 + np.abs(steps[:, None] - steps).reshape(-1)
    return np.stack(np.divmod(off.argmin(axis=1), top + 1), axis=1).astype(np.int64)


_FLAT_5, _FLAT_6 = _flat_ends(31, 5), _flat_ends(63, 6)


def colour_blocks(pixels: U8, cancelled: Callable[[], bool] | None = None) -> U8:
    """(N, 8) uint8 of BC1, without transparent texels, row by row of blocks; pixels (rows, columns, 3 or more)."""
    return _in_bands(_tiled(pixels[..., :3]), 8, _encode_colours, cancelled)


def grey_blocks(plane: U8, cancelled: Callable[[], bool] | None = None) -> U8:
    """(N, 8) uint8 of BC4; plane (rows, columns)."""
    return _in_bands(_tiled(plane[..., None])[..., 0], 8, _encode_greys, cancelled)


def _tiled(pixels: U8) -> U8:
    """(N, 16, n) the texels of each block; what is missing at the borders goes on as they are."""
    whole = np.pad(pixels, ((0, -pixels.shape[0] % 4), (0, -pixels.shape[1] % 4), (0, 0)), mode="edge")
    rows, columns, count = whole.shape
    split = whole.reshape(rows // 4, 4, columns // 4, 4, count).swapaxes(1, 2)
    return np.ascontiguousarray(split).reshape(-1, 16, count)


def _in_bands(blocks: U8, size: int, work: Callable[[U8, U8], None], cancelled: Callable[[], bool] | None) -> U8:
    out = np.zeros((len(blocks), size), np.uint8)
    step = _ROWS * 256

    def one(first: int) -> None:
        work(blocks[first : first + step], out[first : first + step])

    for_each(one, range(0, len(blocks), step), cancelled)
    return out


@kernel
def _palette(ends: Array, colours: Array) -> None:
    """The four colours (4, 3) between two ends (6,) of 5, 6 and 5 bits, as cards and readers make them."""
    for c in range(3):
        if c == 1:
            first, second = (ends[1] << 2) | (ends[1] >> 4), (ends[4] << 2) | (ends[4] >> 4)
        else:
            first, second = (ends[c] << 3) | (ends[c] >> 2), (ends[3 + c] << 3) | (ends[3 + c] >> 2)
        colours[0, c], colours[1, c] = first, second
        colours[2, c], colours[3, c] = (2 * first + second) // 3, (first + 2 * second) // 3


@kernel
def _colour_error(block: Array, colours: Array, most: int) -> int:
    """The sum of squares that the best steps leave, or more than ``most``."""
    total = 0
    for k in range(16):
        red, green, blue = block[k, 0], block[k, 1], block[k, 2]
        least = 1 << 30
        for step in range(4):
            r, g, b = red - colours[step, 0], green - colours[step, 1], blue - colours[step, 2]
            least = min(least, r * r + g * g + b * b)
        total += least
        if total > most:
            return total
    return total


@kernel
def _choose(block: Array, colours: Array, steps: Array) -> None:
    for k in range(16):
        least, best = 1 << 30, 0
        for step in range(4):
            off = 0
            for c in range(3):
                d = block[k, c] - colours[step, c]
                off += d * d
            if off < least:
                least, best = off, step
        steps[k] = best


@kernel
def _nearest_ends(first: Array, second: Array, ends: Array) -> None:
    """Two colours (3,) 0…255 rounded to ends (6,)."""
    for c in range(3):
        top = 63 if c == 1 else 31
        ends[c] = int(min(max(first[c], 0.0), 255.0) * top / 255.0 + 0.5)
        ends[3 + c] = int(min(max(second[c], 0.0), 255.0) * top / 255.0 + 0.5)


@kernel
def _main_axis(block: Array, mean: Array, axis: Array) -> None:
    """The direction (3,) along which a block's colours differ most, by a few steps of power iteration."""
    spread = np.zeros((3, 3))
    for k in range(16):
        for i in range(3):
            for j in range(3):
                spread[i, j] += (block[k, i] - mean[i]) * (block[k, j] - mean[j])
    axis[0], axis[1], axis[2] = spread[0, 0] + 1e-3, spread[1, 1] + 2e-3, spread[2, 2] + 1e-3
    if spread[0, 1] < 0:
        axis[0] = -axis[0]
    if spread[1, 2] < 0:
        axis[2] = -axis[2]
    for _ in range(6):
        x = spread[0, 0] * axis[0] + spread[0, 1] * axis[1] + spread[0, 2] * axis[2]
        y = spread[1, 0] * axis[0] + spread[1, 1] * axis[1] + spread[1, 2] * axis[2]
        z = spread[2, 0] * axis[0] + spread[2, 1] * axis[1] + spread[2, 2] * axis[2]
        long = max(abs(x), abs(y), abs(z))
        if long < 1e-9:
            return
        axis[0], axis[1], axis[2] = x / long, y / long, z / long


@kernel
def _far_apart(block: Array, other: Array, found: Array) -> None:
    """The colour (3,) of a block that is furthest from another one."""
    most = -1.0
    for k in range(16):
        far = 0.0
        for c in range(3):
            far += (block[k, c] - other[c]) ** 2
        if far > most:
            most = far
            found[0], found[1], found[2] = block[k, 0], block[k, 1], block[k, 2]


@kernel
def _fitted(block: Array, steps: Array, first: Array, second: Array) -> bool:
    """The two colours that fit a block best with its steps as they are (least squares); False where any would do."""
    aa, ab, bb = 0.0, 0.0, 0.0
    first[:], second[:] = 0.0, 0.0
    for k in range(16):
        weight = 1.0 if steps[k] == 0 else 0.0 if steps[k] == 1 else 2.0 / 3.0 if steps[k] == 2 else 1.0 / 3.0
        other = 1.0 - weight
        aa += weight * weight
        ab += weight * other
        bb += other * other
        for c in range(3):
            first[c] += weight * block[k, c]
            second[c] += other * block[k, c]
    det = aa * bb - ab * ab
    if abs(det) < 1e-9:
        return False
    for c in range(3):
        x, y = first[c], second[c]
        first[c], second[c] = (bb * x - ab * y) / det, (aa * y - ab * x) / det
    return True


@kernel
def _encode_colours(blocks: U8, out: U8) -> None:
    block = np.zeros((16, 3), np.int64)
    colours = np.zeros((4, 3), np.int64)
    ends, trial, best = np.zeros(6, np.int64), np.zeros(6, np.int64), np.zeros(6, np.int64)
    steps = np.zeros(16, np.int64)
    mean, axis, first, second = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
    for n in range(len(blocks)):
        mean[:] = 0.0
        for k in range(16):
            for c in range(3):
                block[k, c] = blocks[n, k, c]
                mean[c] += block[k, c] / 16.0
        _main_axis(block, mean, axis)
        low, high = 1e30, -1e30
        for k in range(16):
            at = 0.0
            for c in range(3):
                at += (block[k, c] - mean[c]) * axis[c]
            low, high = min(low, at), max(high, at)
        size = max(axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2], 1e-12)
        least = 1 << 30
        # From the ends of the axis, from a little within (what stands alone at an end need not be met), and from two
        # texels far apart (lines and letters are of two colours).
        for start in range(3):
            share = start / 16.0
            for c in range(3):
                first[c] = mean[c] + axis[c] * (high - (high - low) * share) / size
                second[c] = mean[c] + axis[c] * (low + (high - low) * share) / size
            if start == 2:
                _far_apart(block, mean, first)
                _far_apart(block, first, second)
            _nearest_ends(first, second, ends)
            _palette(ends, colours)
            error = _colour_error(block, colours, least)
            if error < least:
                least = error
                best[:] = ends
            for _ in range(3):
                _palette(ends, colours)
                _choose(block, colours, steps)
                if not _fitted(block, steps, first, second):
                    break
                _nearest_ends(first, second, ends)
                _palette(ends, colours)
                error = _colour_error(block, colours, least)
                if error >= least:
                    break
                least = error
                best[:] = ends
        for c in range(3):  # as if it were all of one colour
            table = _FLAT_6 if c == 1 else _FLAT_5
            at = int(mean[c] + 0.5)
            ends[c], ends[3 + c] = table[at, 0], table[at, 1]
        _palette(ends, colours)
        error = _colour_error(block, colours, least)
        if error < least:
            least = error
            best[:] = ends
        for _ in range(_ROUNDS):
            before = least
            for c in range(6):
                top = 63 if c % 3 == 1 else 31
                for move in (-1, 1, 2):
                    trial[:] = best
                    if move < 2:
                        trial[c] += move
                    elif c < 3:  # both ends together: one way, and apart
                        trial[c] += 1
                        trial[c + 3] -= 1
                    else:
                        trial[c - 3] -= 1
                        trial[c] += 1
                    if trial[c] < 0 or trial[c] > top or trial[(c + 3) % 6] < 0 or trial[(c + 3) % 6] > top:
                        continue
                    _palette(trial, colours)
                    error = _colour_error(block, colours, least)
                    if error < least:
                        least = error
                        best[:] = trial
            if least == before or least == 0:
                break
        _write_colours(block, best, colours, steps, out[n])


@kernel
def _write_colours(block: Array, ends: Array, colours: Array, steps: Array, out: U8) -> None:
    """The first end must be the greater number, or cards would read one step as clear."""
    one = (ends[0] << 11) | (ends[1] << 5) | ends[2]
    other = (ends[3] << 11) | (ends[4] << 5) | ends[5]
    if one < other:
        one, other = other, one
        for c in range(3):
            kept = ends[c]
            ends[c] = ends[3 + c]
            ends[3 + c] = kept
    _palette(ends, colours)
    _choose(block, colours, steps)
    out[0], out[1], out[2], out[3] = one & 255, one >> 8, other & 255, other >> 8
    for row in range(4):
        bits = 0
        if one != other:  # of two equal ends all steps are the first
            for k in range(4):
                bits |= steps[4 * row + k] << (2 * k)
        out[4 + row] = bits


@kernel
def _levels(first: int, second: int, levels: Array) -> None:
    """The eight values between two ends: all between them, or with 0 and 255 where the first is not the greater."""
    levels[0], levels[1] = first, second
    if first > second:
        for k in range(1, 7):
            levels[k + 1] = ((7 - k) * first + k * second + 3) // 7
    else:
        for k in range(1, 5):
            levels[k + 1] = ((5 - k) * first + k * second + 2) // 5
        levels[6], levels[7] = 0, 255


@kernel
def _grey_error(block: Array, levels: Array, most: int) -> int:
    total = 0
    for k in range(16):
        least = 1 << 30
        for step in range(8):
            d = block[k] - levels[step]
            least = min(least, d * d)
        total += least
        if total > most:
            return total
    return total


@kernel
def _encode_greys(blocks: U8, out: U8) -> None:
    block, levels = np.zeros(16, np.int64), np.zeros(8, np.int64)
    for n in range(len(blocks)):
        low, high, inner_low, inner_high = 255, 0, 255, 0
        for k in range(16):
            value = int(blocks[n, k])
            block[k] = value
            low, high = min(low, value), max(high, value)
            if value > 0 and value < 255:
                inner_low, inner_high = min(inner_low, value), max(inner_high, value)
        least, best_first, best_second = 1 << 30, high, low
        if inner_low > inner_high:
            inner_low = inner_high = low
        for way in range(2):
            first, second = (high, low) if way == 0 else (inner_low, inner_high)
            if way == 0 and first == second:
                first, second = (first, first - 1) if first > 0 else (1, 0)
            if way == 1 and low > 0 and high < 255:
                continue  # nothing that 0 and 255 would serve
            _levels(first, second, levels)
            error = _grey_error(block, levels, 1 << 30)
            for _ in range(_ROUNDS):
                before = error
                for move in range(8):
                    by = 1 if move % 2 else -1
                    by *= 1 if move < 4 else 3
                    a = first + by if move // 2 % 2 == 0 else first
                    b = second if move // 2 % 2 == 0 else second + by
                    if a < 0 or a > 255 or b < 0 or b > 255 or (a > b) != (way == 0):
                        continue
                    _levels(a, b, levels)
                    other = _grey_error(block, levels, error)
                    if other < error:
                        error, first, second = other, a, b
                if error == before or error == 0:
                    break
            if error < least:
                least, best_first, best_second = error, first, second
        _levels(best_first, best_second, levels)
        out[n, 0], out[n, 1] = best_first, best_second
        for half in range(2):
            bits = 0
            for k in range(8):
                nearest, step = 1 << 30, 0
                for at in range(8):
                    d = abs(block[8 * half + k] - levels[at])
                    if d < nearest:
                        nearest, step = d, at
                bits |= step << (3 * k)
            for byte in range(3):
                out[n, 2 + 3 * half + byte] = (bits >> (8 * byte)) & 255
