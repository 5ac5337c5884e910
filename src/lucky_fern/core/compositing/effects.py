"""What adjustments do to values: point by point, or with a neighbourhood.

Values are 0…1, colours sRGB-encoded; blurs work on linear light. References: HSL as in CSS Color Module
Level 3, section 4.2.4; curves by monotone cubics (F. N. Fritsch and R. E. Carlson, "Monotone Piecewise Cubic
Interpolation", 1980).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, ClassVar, cast

import cv2
import numpy as np

from lucky_fern.core.arrays import F32
from lucky_fern.core.colour import ENCODE_16, decode_srgb, from_hex, luminance_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.whole_steps import in_whole_steps
from lucky_fern.core.maps import MapSpec
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Gradient, Invert, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import EFFECTS, Effect

_SAMPLES = 4097  # of a curve; between them it is drawn straight
_DECODE = decode_srgb(np.arange(4097) / 4096).astype(np.float32)


class EffectRow:
    """What works out an effect: the row of :data:`~lucky_fern.core.project.kinds.EFFECTS`."""

    by_value: ClassVar[bool] = False  # every component of a colour becomes another by itself, wherever it is

    def apply(self, values: F32, effect: Any, spec: MapSpec, around: Islands | None) -> F32:
        """What an effect makes of (r, c, n) float32 values; ``around`` is there for those that look further."""
        raise NotImplementedError

    def apply_at(
        self, values: F32, effect: Any, spec: MapSpec, around: Islands | None, corner: tuple[int, int]
    ) -> F32:
        """The same where the first texel lies in a row and column: for those that go by a pattern of texels."""
        return self.apply(values, effect, spec, around)


def effect_row(effect: Effect) -> EffectRow:
    """What works out an effect."""
    return cast(EffectRow, EFFECTS.of(effect))


class Levelling(EffectRow):
    by_value = True

    def apply(self, values: F32, effect: Levels, spec: MapSpec, around: Islands | None) -> F32:
        return levelled(values, effect.black, effect.white, effect.gamma, effect.low, effect.high)


class Curving(EffectRow):
    by_value = True

    def apply(self, values: F32, effect: Curve, spec: MapSpec, around: Islands | None) -> F32:
        return _by_curve(values, effect)


class Inverting(EffectRow):
    by_value = True

    def apply(self, values: F32, effect: Invert, spec: MapSpec, around: Islands | None) -> F32:
        return np.asarray(np.float32(1) - values, np.float32)


class Contrasting(EffectRow):
    by_value = True

    def apply(self, values: F32, effect: Contrast, spec: MapSpec, around: Islands | None) -> F32:
        c = min(effect.contrast, 0.999)
        slope = 1 + c if c <= 0 else 1 / (1 - c)
        spread = (values - np.float32(0.5)) * np.float32(slope) + np.float32(0.5 + effect.brightness)
        return np.asarray(np.clip(spread, 0, 1), np.float32)


class Shading(EffectRow):
    def apply(self, values: F32, effect: Shade, spec: MapSpec, around: Islands | None) -> F32:
        out = np.empty_like(values)
        _shade(values, effect.hue, effect.saturation, effect.lightness, out)
        return out


class Ramping(EffectRow):
    def apply(self, values: F32, effect: Gradient, spec: MapSpec, around: Islands | None) -> F32:
        places = np.array([place for place, _ in effect.stops])
        colours = np.array([from_hex(colour) for _, colour in effect.stops])
        light = luminance_of(values) if values.shape[2] == 3 else values[..., 0]
        return np.stack([np.interp(light, places, colours[:, i]) for i in range(3)], axis=2).astype(np.float32)


class Blurring(EffectRow):
    def apply(self, values: F32, effect: Blur, spec: MapSpec, around: Islands | None) -> F32:
        return values if around is None else blurred(values, effect.radius, spec, around)


class Sharpening(EffectRow):
    def apply(self, values: F32, effect: Sharpen, spec: MapSpec, around: Islands | None) -> F32:
        soft = values if around is None else blurred(values, effect.radius, spec, around)
        sharp = np.clip(values + np.float32(effect.amount) * (values - soft), 0, 1)
        return unit_normals(sharp) if spec.directional else sharp


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


def blurred(values: F32, radius: float, spec: MapSpec, around: Islands) -> F32:
    """Gaussian blur of (r, c, n) values over the surface; texels outside islands stay as they are."""
    if radius <= 0:
        return values
    encoded, inside = spec.encoded, around.islands >= 0
    if spec.directional:
        soft = smoothed(values, radius, around)
    else:
        soft = smoothed(values, radius, around, _decoded if encoded else None)
    if encoded:
        soft = (ENCODE_16[(np.clip(soft, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)]).astype(
            np.float32
        ) / np.float32(65535)
    out = np.where(inside[..., None], soft, values).astype(np.float32)
    return unit_normals(out) if spec.directional else out


def smoothed(values: F32, radius: float, around: Islands, first: Callable[[F32], F32] | None = None) -> F32:
    """(r, c, n) numbers, ``first`` made something else, blurred over the surface; zero outside all islands."""
    out = np.zeros_like(values)
    for island in around.each(values, math.ceil(3 * radius) + 1):
        weight = island.known.astype(np.float32)
        total = _gaussian(weight, radius)[island.inner]
        work = island.values if first is None else first(island.values)
        spread = _gaussian(np.ascontiguousarray(work * weight[..., None]), radius)
        spread = spread.reshape(*weight.shape, -1)[island.inner]
        mine = island.mine
        out[island.box][mine] = spread[mine] / np.maximum(total[mine], 1e-12)[:, None]
    return out


def _gaussian(values: F32, radius: float) -> F32:
    """Three standard deviations each way; zero beyond the array's ends."""
    side = 2 * int(np.ceil(3 * radius)) + 1
    border = cv2.BORDER_CONSTANT
    return in_whole_steps(values, border, lambda one: cv2.GaussianBlur(one, (side, side), radius, borderType=border))


def _decoded(values: F32) -> F32:
    """Encoded to linear by a table, straight between its entries."""
    at = np.clip(values, 0, 1) * np.float32(4096)
    low = np.minimum(at.astype(np.int32), 4095)
    return np.asarray(_DECODE[low] + (at - low) * (_DECODE[low + 1] - _DECODE[low]), np.float32)


def unit_normals(encoded: F32) -> F32:
    """(r, c, 3) stored directions of length 1."""
    vector = encoded * 2 - 1
    length = np.linalg.norm(vector, axis=2, keepdims=True)
    return np.asarray(vector / np.maximum(length, 1e-6) * 0.5 + 0.5, np.float32)
