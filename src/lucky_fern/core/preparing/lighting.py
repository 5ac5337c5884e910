"""Light that was photographed taken out: slow changes of brightness evened, detail kept.

What is slow is found in the logarithm of linear luminance: a surface of second degree through all of it, and a
Gaussian of the rest, both weighted by alpha (the illumination of E. H. Land and J. J. McCann, "Lightness and Retinex
Theory", 1971, in its simplest form), found by reweighting (P. W. Holland and R. E. Welsch, "Robust Regression Using
Iteratively Reweighted Least-Squares", 1977).
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64, U8, U16
from lucky_fern.core.colour import LUMINANCE, encode_srgb
from lucky_fern.core.parallel import for_each
from lucky_fern.core.preparing.bands import bands, from_light, light
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import EvenLight

_SMALL = 256  # pixels: slow changes are seen as well in a small picture
_ROUNDS = 4
_ALIKE = 0.15  # of the logarithm: detail of one surface
_DARKEST = 2e-3  # of linear light: what is darker says nothing of how it was lit


class EveningLight(OpRow):
    def apply(self, state: State, op: EvenLight) -> State:
        wide, high = state.size
        by = min(1.0, _SMALL / max(wide, high))
        size = max(1, round(wide * by)), max(1, round(high * by))
        small = _small(state, size)
        gain = slow_gain(small, op.reach * size[0] / 2)
        out = np.empty_like(state.rgba)

        def one(band: tuple[int, int]) -> None:
            top, bottom = band
            values = light(state.rgba[top:bottom], state.flavour)
            across = np.array([[size[0] / wide, 0, 0.5 * size[0] / wide - 0.5],
                               [0, size[1] / high, (top + 0.5) * size[1] / high - 0.5]])  # fmt: skip
            fine = cv2.warpAffine(gain, across, (wide, bottom - top), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                                  borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
            values[..., :3] *= fine[..., None]
            made = from_light(values, state.rgba.dtype, state.flavour)
            made[..., 3] = state.rgba[top:bottom, :, 3]
            out[top:bottom] = made

        for_each(one, bands(high))
        return replace(state, rgba=_clear_as_before(out, state.rgba))


def _clear_as_before(out: U8 | U16, before: U8 | U16) -> U8 | U16:
    clear = before[..., 3] == 0
    if clear.any():
        out[clear] = before[clear]
    return out


def _small(state: State, size: tuple[int, int]) -> F32:
    """(rows, columns, 4) premultiplied light of a smaller copy."""
    wide, high = state.size
    if size == (wide, high):
        return light(state.rgba, state.flavour)
    step = max(1, wide // size[0] // 2, high // size[1] // 2)  # rows in between say nothing new of slow changes
    part = light(np.ascontiguousarray(state.rgba[::step, ::step]), state.flavour)
    return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.float32)


def slow_gain(small: F32, radius: float) -> F32:
    """(rows, columns) what light is to be multiplied by so that slow changes go and the mean of encoded luminance
    stays. ``small`` is premultiplied light, ``radius`` the Gaussian's standard deviation in its pixels.
    """
    weight = small[..., 3]
    bright = (small[..., :3] @ LUMINANCE.astype(np.float32)) / np.maximum(weight, 1e-6)
    counts = np.asarray(np.where(bright > _DARKEST, weight, weight * 0.02), np.float32)
    if counts.sum() < 1e-3:
        return np.ones(weight.shape, np.float32)
    logs = np.log(np.maximum(bright, _DARKEST)).astype(np.float32)
    slow, trust = np.zeros_like(logs), counts
    for _ in range(_ROUNDS):  # what differs much from what lies round it is artwork, not light: it counts less
        trend = _surface(logs, trust)
        slow = trend + _smooth(logs - trend, trust, radius)
        apart = np.abs(logs - slow)
        scale = max(2.5 * float(np.median(apart[weight > 0.5])) if (weight > 0.5).any() else 0.0, _ALIKE)
        trust = np.asarray(counts * np.maximum(np.exp(-((apart / scale) ** 2)), 1e-3), np.float32)
    gain = np.exp(-slow)
    level = _mean(bright, weight)
    by = 1.0 / max(float((bright * gain * weight).sum() / max((bright * weight).sum(), 1e-9)), 1e-9)
    for _ in range(20):  # the encoding is not linear: the factor that keeps the mean is found by repetition
        now = _mean(np.asarray(bright * gain * np.float32(by), np.float32), weight)
        if abs(now - level) < 1e-4 or now <= 0:
            break
        by *= (level / now) ** 1.8
    return np.asarray(gain * by, np.float32)


def _mean(bright: F32 | F64, weight: F32) -> float:
    return float((encode_srgb(bright) * weight).sum() / weight.sum())


def _surface(values: F32, weight: F32) -> F32:
    """The surface of second degree that fits best."""
    rows, columns = values.shape
    y, x = np.meshgrid(np.linspace(-1, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    terms = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1).reshape(-1, 6)
    weighted = terms * weight.reshape(-1, 1)
    factors = np.linalg.solve(weighted.T @ terms + 1e-9 * np.eye(6), weighted.T @ values.ravel())
    return np.asarray((terms @ factors).reshape(rows, columns), np.float32)


def _smooth(values: F32, weight: F32, radius: float) -> F32:
    radius = max(radius, 0.5)
    side = 2 * int(min(3 * radius, 3 * max(values.shape))) + 1
    total = cv2.GaussianBlur(weight, (side, side), radius, borderType=cv2.BORDER_REFLECT)
    soft = cv2.GaussianBlur(values * weight, (side, side), radius, borderType=cv2.BORDER_REFLECT)
    return np.asarray(soft / np.maximum(total, 1e-6), np.float32)
