"""What adjustments do to values: point by point, or with a neighbourhood.

Values are 0…1, colours sRGB-encoded; blurs work on linear light. References: HSL as in CSS Color Module
Level 3, section 4.2.4; curves by monotone cubics (F. N. Fritsch and R. E. Carlson, "Monotone Piecewise Cubic
Interpolation", 1980).
"""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I32, Bool
from lucky_fern.core.colour import ENCODE_16, LUMINANCE, decode_srgb, from_hex
from lucky_fern.core.compiled import kernel
from lucky_fern.core.maps import MapSpec
from lucky_fern.core.project.effects import (
    Blur,
    Contrast,
    Curve,
    Effect,
    Gradient,
    Invert,
    Levels,
    Shade,
    Sharpen,
)

_SAMPLES = 4097  # of a curve; between them it is drawn straight
_DECODE = decode_srgb(np.arange(4097) / 4096).astype(np.float32)


def halo(effect: Effect) -> int:
    """How many texels beyond its own an effect needs to see."""
    return int(np.ceil(3 * effect.radius)) + 1 if isinstance(effect, Blur | Sharpen) and effect.radius > 0 else 0


def adjusted(values: F32, effect: Effect, spec: MapSpec, islands: I32) -> F32:
    """What an effect makes of (r, c, n) float32 values; ``islands`` (r, c) int32 bound the blurs, -1 outside."""
    if isinstance(effect, Levels):
        return levelled(values, effect.black, effect.white, effect.gamma, effect.low, effect.high)
    if isinstance(effect, Curve):
        return _by_curve(values, effect)
    if isinstance(effect, Invert):
        return np.asarray(np.float32(1) - values, np.float32)
    if isinstance(effect, Contrast):
        c = min(effect.contrast, 0.999)
        slope = 1 + c if c <= 0 else 1 / (1 - c)
        spread = (values - np.float32(0.5)) * np.float32(slope) + np.float32(0.5 + effect.brightness)
        return np.asarray(np.clip(spread, 0, 1), np.float32)
    if isinstance(effect, Shade):
        out = np.empty_like(values)
        _shade(values, effect.hue, effect.saturation, effect.lightness, out)
        return out
    if isinstance(effect, Gradient):
        places = np.array([place for place, _ in effect.stops])
        colours = np.array([from_hex(colour) for _, colour in effect.stops])
        light = (values @ LUMINANCE.astype(np.float32)) if values.shape[2] == 3 else values[..., 0]
        return np.stack([np.interp(light, places, colours[:, i]) for i in range(3)], axis=2).astype(np.float32)
    assert isinstance(effect, Blur | Sharpen)
    soft = blurred(values, effect.radius, spec, islands)
    if isinstance(effect, Blur):
        return soft
    sharp = np.clip(values + np.float32(effect.amount) * (values - soft), 0, 1)
    return _unit_normals(sharp) if spec.kind == "normal" else sharp


def levelled(values: F32, black: float, white: float, gamma: float, low: float = 0.0, high: float = 1.0) -> F32:
    """``black`` … ``white`` to 0 … 1, to the power 1 / ``gamma``, between ``low`` and ``high``."""
    out = np.clip((values - np.float32(black)) / np.float32(white - black), 0, 1)
    if gamma != 1.0:
        out = out ** np.float32(1 / gamma)
    return np.asarray(out * np.float32(high - low) + np.float32(low), np.float32)


def _by_curve(values: F32, curve: Curve) -> F32:
    from scipy.interpolate import PchipInterpolator

    points = np.array(curve.points)
    x = np.linspace(0, 1, _SAMPLES)
    smooth = PchipInterpolator(points[:, 0], points[:, 1], extrapolate=False)
    y = smooth(np.clip(x, points[0, 0], points[-1, 0]))
    return np.asarray(np.interp(values, x, y), np.float32)


@kernel
def _shade(values: F32, hue: float, saturation: float, lightness: float, out: F32) -> None:
    for r in range(values.shape[0]):
        for k in range(values.shape[1]):
            red, green, blue = values[r, k, 0], values[r, k, 1], values[r, k, 2]
            most, least = max(red, green, blue), min(red, green, blue)
            light, chroma = (most + least) / 2, most - least
            h, s = 0.0, 0.0
            if chroma > 1e-7:
                s = chroma / max(1 - abs(2 * light - 1), 1e-7)
                if most == red:
                    h = (green - blue) / chroma
                elif most == green:
                    h = 2 + (blue - red) / chroma
                else:
                    h = 4 + (red - green) / chroma
            h = (h + hue / 60.0) % 6.0
            s = min(max(s * (1 + saturation), 0.0), 1.0)
            light = light * (1 + lightness) if lightness <= 0 else light + (1 - light) * lightness
            chroma = (1 - abs(2 * light - 1)) * s
            for i in range(3):
                # Distance of the hue from each primary, 0 at the primary itself.
                away = abs((h - 2 * i + 3.0) % 6.0 - 3.0)
                out[r, k, i] = light + chroma * (min(max(2.0 - away, 0.0), 1.0) - 0.5)


def blurred(values: F32, radius: float, spec: MapSpec, islands: I32) -> F32:
    """Gaussian blur of (r, c, n) values, each island by itself; texels outside islands stay as they are."""
    if radius <= 0:
        return values
    encoded = spec.kind == "colour"
    work = _decoded(values) if encoded else (values * 2 - 1 if spec.kind == "normal" else values)
    soft = smoothed(work, radius, islands)
    if encoded:
        soft = (ENCODE_16[(np.clip(soft, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)]).astype(
            np.float32
        ) / np.float32(65535)
    elif spec.kind == "normal":
        soft = soft * np.float32(0.5) + np.float32(0.5)
    out = np.where(islands[..., None] >= 0, soft, values).astype(np.float32)
    return _unit_normals(out) if spec.kind == "normal" else out


def smoothed(values: F32, radius: float, islands: I32) -> F32:
    """(r, c, n) plain numbers blurred inside each island of ``islands`` (r, c); zero outside all."""
    out = np.zeros_like(values)
    for box, mine in each_island(islands, int(np.ceil(3 * radius)) + 1):
        weight = mine.astype(np.float32)
        total = _gaussian(weight, radius)
        spread = _gaussian(np.ascontiguousarray(values[box] * weight[..., None]), radius)
        spread = spread.reshape(*total.shape, -1)
        part = out[box]
        part[mine] = spread[mine] / np.maximum(total[mine], 1e-12)[:, None]
    return out


def each_island(islands: I32, reach: int) -> Iterator[tuple[tuple[slice, slice], Bool]]:
    """For every island of (r, c) numbers (-1 outside): its box, grown by a reach, and where in there it is."""
    rows, columns = islands.shape
    for number in np.unique(islands[islands >= 0]):
        inside = islands == number
        at_row, at_column = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
        box = (
            slice(max(int(at_row[0]) - reach, 0), min(int(at_row[-1]) + reach + 1, rows)),
            slice(max(int(at_column[0]) - reach, 0), min(int(at_column[-1]) + reach + 1, columns)),
        )
        yield box, inside[box]


def _gaussian(values: F32, radius: float) -> F32:
    """Three standard deviations each way; zero beyond the array's ends."""
    side = 2 * int(np.ceil(3 * radius)) + 1
    soft = cv2.GaussianBlur(values, (side, side), radius, borderType=cv2.BORDER_CONSTANT)
    return np.asarray(soft, np.float32)


def _decoded(values: F32) -> F32:
    """Encoded to linear by a table, straight between its entries."""
    at = np.clip(values, 0, 1) * np.float32(4096)
    low = np.minimum(at.astype(np.int32), 4095)
    return np.asarray(_DECODE[low] + (at - low) * (_DECODE[low + 1] - _DECODE[low]), np.float32)


def _unit_normals(encoded: F32) -> F32:
    vector = encoded * 2 - 1
    length = np.linalg.norm(vector, axis=2, keepdims=True)
    return np.asarray(vector / np.maximum(length, 1e-6) * 0.5 + 0.5, np.float32)
