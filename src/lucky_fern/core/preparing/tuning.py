"""Colours of pictures changed: what adjustments of the stack do, point by point or with what is round; specks."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8, U16, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.effects import effect_row
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.pyramid import Flavour
from lucky_fern.core.preparing.bands import as_shares, by_bands, from_light, inner, light, repeats
from lucky_fern.core.preparing.rims import spread
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.effects import Blur, Sharpen
from lucky_fern.core.project.preparations import Adjust, Despeckle, FlipGreen

_MUCH = 4.0  # pixels of standard deviation


class Adjusting(OpRow):
    """Alpha stays, but for a blur, which softens it too."""

    def apply(self, state: State, op: Adjust) -> State:
        quick = _QUICK.get(type(op.effect))
        if quick is not None:
            return quick(state, op.effect)
        row, spec, reach = effect_row(op.effect), MAPS["colour"], op.effect.reach
        if row.by_value and state.rgba.dtype == np.uint8:  # each value once, looked up by all pixels
            every = np.arange(256, dtype=np.uint8)[None, :, None].repeat(3, axis=2)
            table = np.full((1, 256, 4), every[0, :, :1], np.uint8)
            table[..., :3] = _as_stored(row.apply(as_shares(every), op.effect, spec, None), every.dtype)
            return replace(state, rgba=by_bands(state.rgba, lambda pixels: np.asarray(cv2.LUT(pixels, table))))
        ground = spread(state.rgba) if reach else state.rgba  # what is clear has colours for its neighbours

        def work(pixels: Array) -> Array:
            around = Islands(np.zeros(pixels.shape[:2], np.int32)) if reach else None
            values = row.apply_at(as_shares(pixels), op.effect, spec, around, (0, 0))  # bands begin where patterns do
            out = inner(pixels, reach).copy()
            out[..., :3] = _as_stored(inner(values, reach), pixels.dtype)
            return out

        return replace(state, rgba=by_bands(ground, work, reach, bool(reach) and repeats(ground)))


class Despeckling(OpRow):
    def apply(self, state: State, op: Despeckle) -> State:
        reach = max(1, round(op.radius))

        def work(pixels: Array) -> Array:
            here = inner(pixels, reach).copy()
            top = np.iinfo(pixels.dtype).max
            least, most = (op.threshold * top if op.which != other else np.inf for other in ("bright", "dark"))
            _replace(here, np.ascontiguousarray(_median(pixels, reach)), least, most)
            return here

        return replace(state, rgba=by_bands(state.rgba, work, reach, repeats(state.rgba)))


class FlippingGreen(OpRow):
    def apply(self, state: State, op: FlipGreen) -> State:
        def work(pixels: Array) -> Array:
            out = pixels.copy()
            out[..., 1] = np.iinfo(pixels.dtype).max - pixels[..., 1]
            return out

        return replace(state, rgba=by_bands(state.rgba, work))


@kernel
def _replace(pixels: Array, middle: Array, dark: float, bright: float) -> None:
    """Put the median where luminance is darker or brighter than that by more than so much."""
    for r in range(pixels.shape[0]):
        for c in range(pixels.shape[1]):
            off = (0.2126 * (np.float32(pixels[r, c, 0]) - np.float32(middle[r, c, 0]))
                   + 0.7152 * (np.float32(pixels[r, c, 1]) - np.float32(middle[r, c, 1]))
                   + 0.0722 * (np.float32(pixels[r, c, 2]) - np.float32(middle[r, c, 2])))  # fmt: skip
            if off > bright or -off > dark:
                for k in range(3):
                    pixels[r, c, k] = middle[r, c, k]


def softened(rgba: U8 | U16, radius: float, flavour: Flavour, wraps: bool) -> U8 | U16:
    """A Gaussian blur of light, premultiplied, of standard deviation ``radius`` pixels."""
    reach = math.ceil(3 * radius)

    def work(pixels: Array) -> Array:
        return from_light(inner(gaussian(light(pixels, flavour), radius), reach), pixels.dtype, flavour)

    return by_bands(rgba, work, reach, wraps)


def gaussian(values: F32, radius: float) -> F32:
    """Blurred within an array that is as much larger as the blur reaches.

    By much: in a copy of half the size, whose binomial filters blur by a standard deviation of one pixel each way
    (P. J. Burt and E. H. Adelson, "The Laplacian Pyramid as a Compact Image Code", 1983); within 1/1000 of that.
    """
    if radius >= _MUCH and min(values.shape[:2]) > 2:
        half = gaussian(np.asarray(cv2.pyrDown(values), np.float32), math.sqrt(radius * radius - 2) / 2)
        return np.asarray(cv2.pyrUp(half, dstsize=values.shape[1::-1]), np.float32)
    side = 2 * math.ceil(3 * radius) + 1
    return np.asarray(cv2.GaussianBlur(values, (side, side), radius), np.float32)


def _blurred(state: State, effect: Blur) -> State:
    if effect.radius <= 0:
        return state
    return replace(state, rgba=softened(state.rgba, effect.radius, state.flavour, repeats(state.rgba)))


def _sharpened(state: State, effect: Sharpen) -> State:
    if effect.radius <= 0:
        return state
    reach = math.ceil(3 * effect.radius)

    def work(pixels: Array) -> Array:
        soft = from_light(inner(gaussian(light(pixels, state.flavour), effect.radius), reach), pixels.dtype,
                          state.flavour)  # fmt: skip
        here = inner(pixels, reach).copy()
        shown = as_shares(here)
        there = soft[..., 3:] > 0
        more = np.where(there, shown - as_shares(soft), 0) * np.float32(effect.amount)
        here[..., :3] = _as_stored(np.clip(shown + more, 0, 1), here.dtype)
        return here

    return replace(state, rgba=by_bands(state.rgba, work, reach, repeats(state.rgba)))


# Those that work quicker on a picture than through what is made for islands.
_QUICK: dict[object, Callable[[State, Any], State]] = {Blur: _blurred, Sharpen: _sharpened}


def _as_stored(values: F32, kind: np.dtype[np.uint8]) -> Array:
    return np.asarray(values * np.float32(np.iinfo(kind).max) + np.float32(0.5)).astype(kind)


def _median(pixels: Array, reach: int) -> Array:
    """The median of each channel within so many pixels, without the border of as many."""
    if pixels.dtype == np.uint8 or reach <= 2:
        return inner(np.asarray(cv2.medianBlur(np.ascontiguousarray(pixels), 2 * reach + 1)), reach)
    from scipy import ndimage  # slow to load, and only deep pictures with large specks need it

    return inner(ndimage.median_filter(pixels, size=(2 * reach + 1, 2 * reach + 1, 1)), reach)
