"""Blending kernels: one source onto a float32 accumulator, in place.

Reference: W3C, "Compositing and Blending Level 1", sections 5 (compositing) and 9 (blending), on
sRGB-encoded values. Over an opaque backdrop that is ``result = cb + α · (B(cb, cs) − cb)``; isolated
groups begin with nothing, and there the general formula with the backdrop's own alpha holds. ``add`` and
``subtract`` clamp; ``min`` and ``max`` are darken and lighten under the names that numbers go by.
Normals combine by reorienting the detail onto the base (C. Barré-Brisebois and S. Hill, "Blending in
Detail", 2012).
"""

from typing import Any

import numpy as np

from lucky_fern.core.arrays import F32, F64, U16, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.project.plain import BLEND_MODES

MODE_NUMBERS = {name: number for number, name in enumerate(BLEND_MODES)}
MODE_NUMBERS["min"], MODE_NUMBERS["max"] = MODE_NUMBERS["darken"], MODE_NUMBERS["lighten"]
_NORMAL = MODE_NUMBERS["normal"]
_MULTIPLY = MODE_NUMBERS["multiply"]
_SCREEN = MODE_NUMBERS["screen"]
_OVERLAY = MODE_NUMBERS["overlay"]
_DARKEN = MODE_NUMBERS["darken"]
_LIGHTEN = MODE_NUMBERS["lighten"]
_DODGE = MODE_NUMBERS["color-dodge"]
_BURN = MODE_NUMBERS["color-burn"]
_HARD = MODE_NUMBERS["hard-light"]
_SOFT = MODE_NUMBERS["soft-light"]
_DIFFERENCE = MODE_NUMBERS["difference"]
_EXCLUSION = MODE_NUMBERS["exclusion"]
_ADD = MODE_NUMBERS["add"]
# Single precision all through: a bare 2.0 would make the compiler widen every texel to double.
_ZERO: Any = np.float32(0)
_ONE: Any = np.float32(1)
_HALF: Any = np.float32(0.5)
_TWO: Any = np.float32(2)
_QUARTER: Any = np.float32(0.25)
_FOUR: Any = np.float32(4)
_TWELVE: Any = np.float32(12)
_SIXTEEN: Any = np.float32(16)
_LAST: Any = np.float32(255)
_BYTE: Any = np.float32(1 / 255)
_WORD: Any = np.float32(1 / 65535)


@kernel
def blended(mode: int, cb: Any, cs: Any) -> Any:
    """B(cb, cs) of one component, all values 0…1."""
    if mode == _NORMAL:
        return cs
    if mode == _MULTIPLY:
        return cb * cs
    if mode == _SCREEN:
        return cb + cs - cb * cs
    if mode in (_OVERLAY, _HARD):
        top, base = (cs, cb) if mode == _HARD else (cb, cs)
        if top <= _HALF:
            return base * _TWO * top
        twice = _TWO * top - _ONE
        return base + twice - base * twice
    if mode == _DARKEN:
        return min(cb, cs)
    if mode == _LIGHTEN:
        return max(cb, cs)
    if mode == _DODGE:
        if cb <= _ZERO:
            return _ZERO
        if cs >= _ONE:
            return _ONE
        return min(_ONE, cb / (_ONE - cs))
    if mode == _BURN:
        if cb >= _ONE:
            return _ONE
        if cs <= _ZERO:
            return _ZERO
        return _ONE - min(_ONE, (_ONE - cb) / cs)
    if mode == _SOFT:
        if cs <= _HALF:
            return cb - (_ONE - _TWO * cs) * cb * (_ONE - cb)
        d = ((_SIXTEEN * cb - _TWELVE) * cb + _FOUR) * cb if cb <= _QUARTER else np.sqrt(cb)
        return cb + (_TWO * cs - _ONE) * (d - cb)
    if mode == _DIFFERENCE:
        return abs(cb - cs)
    if mode == _EXCLUSION:
        return cb + cs - _TWO * cb * cs
    if mode == _ADD:
        return min(_ONE, cb + cs)
    return max(_ZERO, cb - cs)


@kernel
def blend_value(acc: F32, value: F32, opacity: float, mode: int) -> None:
    """One value (n,) onto every texel of ``acc`` (r, c, n)."""
    alpha = np.float32(opacity)
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            for i in range(acc.shape[2]):
                cb = acc[r, k, i]
                acc[r, k, i] = cb + alpha * (blended(mode, cb, value[i]) - cb)


@kernel
def blend_value_through(acc: F32, value: F32, alpha: U16, opacity: float, mode: int) -> None:
    """One value (n,) onto ``acc`` (r, c, n) where ``alpha`` (r, c) uint16 says."""
    strength = np.float32(opacity / 65535.0)
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            if alpha[r, k] == 0:
                continue
            a = alpha[r, k] * strength
            for i in range(acc.shape[2]):
                cb = acc[r, k, i]
                acc[r, k, i] = cb + a * (blended(mode, cb, value[i]) - cb)


@kernel
def blend_rgba(acc: F32, rgba: Array, opacity: float, mode: int) -> None:
    """Straight RGBA (r, c, 4), uint8 or uint16, onto ``acc`` (r, c, 3)."""
    scale = _BYTE if rgba.itemsize == 1 else _WORD
    strength = np.float32(opacity) * scale
    if mode == _NORMAL:
        for r in range(acc.shape[0]):
            for k in range(acc.shape[1]):
                a = rgba[r, k, 3] * strength
                acc[r, k, 0] += a * (rgba[r, k, 0] * scale - acc[r, k, 0])
                acc[r, k, 1] += a * (rgba[r, k, 1] * scale - acc[r, k, 1])
                acc[r, k, 2] += a * (rgba[r, k, 2] * scale - acc[r, k, 2])
        return
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            if rgba[r, k, 3] == 0:
                continue
            a = rgba[r, k, 3] * strength
            for i in range(3):
                cb = acc[r, k, i]
                acc[r, k, i] = cb + a * (blended(mode, cb, rgba[r, k, i] * scale) - cb)


@kernel
def blend_luminance(acc: F32, rgba: U16, weights: F64, opacity: float, mode: int) -> None:
    """The luminance of straight RGBA (r, c, 4), as stored, onto a scalar ``acc`` (r, c, 1)."""
    strength = np.float32(opacity) * _WORD
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            if rgba[r, k, 3] == 0:
                continue
            a = rgba[r, k, 3] * strength
            level = weights[0] * rgba[r, k, 0] + weights[1] * rgba[r, k, 1] + weights[2] * rgba[r, k, 2]
            cb = acc[r, k, 0]
            acc[r, k, 0] = cb + a * (blended(mode, cb, np.float32(level) * _WORD) - cb)


@kernel
def blend_arrays(acc: F32, source: F32, alpha: F32, mode: int) -> None:
    """Values (r, c, n) float32 onto an opaque ``acc`` (r, c, n), as strong as ``alpha`` (r, c) says."""
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            a = alpha[r, k]
            if a == _ZERO:
                continue
            for i in range(acc.shape[2]):
                cb = acc[r, k, i]
                acc[r, k, i] = cb + a * (blended(mode, cb, source[r, k, i]) - cb)


@kernel
def blend_isolated(acc: F32, backdrop: F32, source: F32, alpha: F32, mode: int) -> None:
    """Values (r, c, n) onto straight ``acc`` (r, c, n) whose own alpha is ``backdrop`` (r, c); both change.

    W3C Compositing, section 5: αo = αs + αb − αs·αb, and the colour, premultiplied, is
    αs·((1 − αb)·cs + αb·B(cb, cs)) + (1 − αs)·αb·cb.
    """
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            a, b = alpha[r, k], backdrop[r, k]
            if a == _ZERO:
                continue
            whole = a + b - a * b
            for i in range(acc.shape[2]):
                cb, cs = acc[r, k, i], source[r, k, i]
                mixed = a * ((_ONE - b) * cs + b * blended(mode, cb, cs)) + (_ONE - a) * b * cb
                acc[r, k, i] = mixed / whole
            backdrop[r, k] = whole


@kernel
def luminance(rgba: U16, weights: F64, out: F32) -> None:
    """The luminance of straight RGBA (r, c, 4), as stored, into ``out`` (r, c, 1), 0…1."""
    for r in range(rgba.shape[0]):
        for k in range(rgba.shape[1]):
            level = weights[0] * rgba[r, k, 0] + weights[1] * rgba[r, k, 1] + weights[2] * rgba[r, k, 2]
            out[r, k, 0] = np.float32(level) * _WORD


@kernel
def blend_normals(acc: F32, rgba: U16, opacity: float) -> None:
    """Tangent-space normals stored in RGBA (r, c, 4) added as detail to those in ``acc`` (r, c, 3)."""
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            a = rgba[r, k, 3] / 65535.0 * opacity
            if a == 0.0:
                continue
            # The detail fades towards the flat normal; then it is turned so that flat becomes the base.
            ux = -a * (rgba[r, k, 0] / 65535.0 * 2 - 1)
            uy = -a * (rgba[r, k, 1] / 65535.0 * 2 - 1)
            uz = (1 - a) + a * (rgba[r, k, 2] / 65535.0 * 2 - 1)
            tx, ty = acc[r, k, 0] * 2 - 1.0, acc[r, k, 1] * 2 - 1.0
            tz = max(acc[r, k, 2] * 2, 1e-3)
            dot = (tx * ux + ty * uy + tz * uz) / tz
            nx, ny, nz = tx * dot - ux, ty * dot - uy, tz * dot - uz
            f = 0.5 / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-9)
            acc[r, k, 0], acc[r, k, 1], acc[r, k, 2] = nx * f + 0.5, ny * f + 0.5, nz * f + 0.5


@kernel
def blend_normal_arrays(acc: F32, detail: F32, alpha: F32) -> None:
    """Normals stored in ``detail`` (r, c, 3) added to those in ``acc``, as strong as ``alpha`` (r, c) says."""
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            a = alpha[r, k]
            if a == _ZERO:
                continue
            ux = -a * (detail[r, k, 0] * 2 - 1)
            uy = -a * (detail[r, k, 1] * 2 - 1)
            uz = (1 - a) + a * (detail[r, k, 2] * 2 - 1)
            tx, ty = acc[r, k, 0] * 2 - 1.0, acc[r, k, 1] * 2 - 1.0
            tz = max(acc[r, k, 2] * 2, 1e-3)
            dot = (tx * ux + ty * uy + tz * uz) / tz
            nx, ny, nz = tx * dot - ux, ty * dot - uy, tz * dot - uz
            f = 0.5 / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-9)
            acc[r, k, 0], acc[r, k, 1], acc[r, k, 2] = nx * f + 0.5, ny * f + 0.5, nz * f + 0.5


@kernel
def quantise_8(acc: F32, keep: Array, out: Array) -> None:
    """0…1 to 0…255, rounded, into ``out`` where ``keep`` (r, c) bool."""
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            if keep[r, k]:
                for i in range(acc.shape[2]):
                    out[r, k, i] = int(min(max(acc[r, k, i], _ZERO), _ONE) * _LAST + _HALF)


@kernel
def narrow_16(deep: Array, out: Array) -> None:
    """(N,) uint16 to the nearest (N,) uint8."""
    for n in range(len(deep)):
        out[n] = (int(deep[n]) + 128) // 257


@kernel
def quantise_16(acc: F32, keep: Array, out: Array) -> None:
    """0…1 to 0…65535, rounded, into ``out`` where ``keep`` (r, c) bool."""
    for r in range(acc.shape[0]):
        for k in range(acc.shape[1]):
            if keep[r, k]:
                for i in range(acc.shape[2]):
                    out[r, k, i] = int(float(min(max(acc[r, k, i], _ZERO), _ONE)) * 65535 + 0.5)
