"""What mends and simplifies values: medians, edge-keeping filters, contrast near by, tones, unit normals."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, Bool
from lucky_fern.core.colour import LUMINANCE, luminance_of
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.effects import EffectRow, unit_normals
from lucky_fern.core.compositing.whole_steps import in_whole_steps
from lucky_fern.core.maps import MapSpec
from lucky_fern.core.project.more_effects import (
    MOST_GAIN,
    Dither,
    Match,
    Mixer,
    NearContrast,
    Normalise,
    Posterise,
    Smooth,
    Specks,
    Threshold,
)
from lucky_fern.core.sheets.padding import nearest_covered

Box = tuple[slice, slice]


def _bayer(side: int) -> F32:
    """(side, side) float32 thresholds between 0 and 1 in Bayer's order; ``side`` is a power of two."""
    order = np.zeros((1, 1))
    while len(order) < side:
        order = np.block([[4 * order, 4 * order + 2], [4 * order + 3, 4 * order + 1]])
    return np.asarray((order + 0.5) / side**2, np.float32)


_BAYER = _bayer(8)
_NOTHING = 1e-6  # coverage
_FLOATS = 2  # texels; OpenCV's median takes floats up to there, 8 bits beyond


class Despeckling(EffectRow):
    def apply(self, values: F32, effect: Specks, spec: MapSpec, around: Islands | None) -> F32:
        if around is None:
            return values
        reach = max(1, round(effect.radius))
        least, most = (effect.threshold if effect.which != other else np.inf for other in ("bright", "dark"))

        def mend(colours: F32, inner: Box) -> F32:
            directions = spec.directional
            middle = _median(colours, reach, 254 if directions else 255)  # of an even number level is one
            if directions:
                middle = unit_normals(middle)
                apart = ((colours - middle) ** 2).sum(axis=2) > np.float32(effect.threshold) ** 2
                return np.where(apart[..., None], middle, colours)[inner]
            rows, texels = (values.reshape(len(values), -1) for values in (middle, colours))
            keep = _keep_colours if colours.shape[2] == 3 else _keep
            keep(texels, LUMINANCE.astype(np.float32), np.float32(least), np.float32(most), rows)
            return middle[inner]

        return _by_islands(values, around, reach, mend)


class Smoothing(EffectRow):
    def apply(self, values: F32, effect: Smooth, spec: MapSpec, around: Islands | None) -> F32:
        if around is None:
            return values
        reach = int(np.ceil(effect.radius))

        def smooth(colours: F32, inner: Box) -> F32:
            soft = in_whole_steps(
                colours, cv2.BORDER_REPLICATE,
                lambda one: cv2.bilateralFilter(one, 2 * reach + 1, effect.tolerance, effect.radius / 2),
            ).reshape(colours.shape)[inner]  # fmt: skip
            return unit_normals(soft) if spec.directional else soft

        return _by_islands(values, around, reach, smooth)


class Cutting(EffectRow):
    by_value = True

    def apply(self, values: F32, effect: Threshold, spec: MapSpec, around: Islands | None) -> F32:
        if effect.soft <= 0:
            return np.asarray(values >= np.float32(effect.at), np.float32)
        run = (values - np.float32(effect.at)) / np.float32(2 * effect.soft) + np.float32(0.5)
        return np.asarray(np.clip(run, 0, 1), np.float32)


class Posterising(EffectRow):
    by_value = True

    def apply(self, values: F32, effect: Posterise, spec: MapSpec, around: Islands | None) -> F32:
        steps = np.float32(round(effect.tones) - 1)
        return np.asarray(np.floor(values * steps + np.float32(0.5)) / steps, np.float32)


class Dithering(EffectRow):
    def apply_at(
        self, values: F32, effect: Dither, spec: MapSpec, around: Islands | None, corner: tuple[int, int]
    ) -> F32:
        steps, side = np.float32(round(effect.tones) - 1), len(_BAYER)
        rows, columns = (
            (np.arange(many) + start) % side for many, start in zip(values.shape[:2], corner, strict=True)
        )
        # About ½, so that an amount of 0 rounds to the nearest.
        least = np.float32(0.5) + np.float32(effect.amount) * (_BAYER[rows[:, None], columns[None]] - np.float32(0.5))
        return np.asarray(np.clip(np.floor(values * steps + least[..., None]) / steps, 0, 1), np.float32)


class Matching(EffectRow):
    def apply(self, values: F32, effect: Match, spec: MapSpec, around: Islands | None) -> F32:
        many = spec.components
        mean, spread, to_mean, to_spread = (
            np.array(one[:many], np.float32) for one in (effect.mean, effect.spread, effect.to_mean, effect.to_spread)
        )
        gain = np.where(spread > _NOTHING, to_spread / np.maximum(spread, _NOTHING), np.float32(1))
        wanted = (values - mean) * gain.astype(np.float32) + to_mean
        return np.asarray(np.clip(values + np.float32(effect.amount) * (wanted - values), 0, 1), np.float32)


class NearContrasting(EffectRow):
    def apply(self, values: F32, effect: NearContrast, spec: MapSpec, around: Islands | None) -> F32:
        if around is None:
            return values

        def spread(colours: F32, inner: Box) -> F32:
            grey = luminance_of(colours) if colours.shape[2] == 3 else colours[..., 0]
            mean = _gaussian(grey, effect.radius)[inner]
            variance = _gaussian(grey * grey, effect.radius)[inner] - mean * mean
            wanted = np.float32(effect.spread) / np.sqrt(np.maximum(variance, 1e-8))
            gain = np.float32(effect.amount) * (np.minimum(wanted, np.float32(MOST_GAIN)) - 1)
            more = gain * (grey[inner] - mean)
            return np.asarray(np.clip(colours[inner] + more[..., None], 0, 1), np.float32)

        return _by_islands(values, around, effect.reach, spread)


class Mixing(EffectRow):
    def apply(self, values: F32, effect: Mixer, spec: MapSpec, around: Islands | None) -> F32:
        shares = np.array([effect.red, effect.green, effect.blue], np.float32)
        return np.asarray(np.clip(values @ shares.T, 0, 1), np.float32)


class Normalising(EffectRow):
    def apply(self, values: F32, effect: Normalise, spec: MapSpec, around: Islands | None) -> F32:
        return unit_normals(values)


def _by_islands(values: F32, around: Islands, reach: int, make: Callable[[F32, Box], F32]) -> F32:
    """What ``make`` makes of each island: of its texels and ``reach`` round them, and what of it lies inside.

    In a layer that began with nothing, values come premultiplied and coverage last: what is covered is looked at as
    it is, where nothing is counts as unknown, and how far is covered stays.
    """
    out: F32 | None = None
    for island in around.each(values, reach):
        colours, known, mine = island.values, island.known, island.mine
        cover = island.values[..., -1:] if values.shape[2] in (2, 4) else None
        if cover is not None:
            known = known & (cover[..., 0] > _NOTHING)
            mine = mine & known[island.inner]
            colours = np.divide(
                colours[..., :-1], cover, out=np.zeros_like(colours[..., :-1]), where=known[..., None]
            )
        full = island.alone and cover is None
        made = make(np.ascontiguousarray(colours if full else _filled(colours, known)), island.inner)
        if cover is not None:
            made = np.concatenate([made * cover[island.inner], cover[island.inner]], axis=2)
        if full:
            return made
        out = values.copy() if out is None else out
        np.copyto(out[island.box], made, where=mine[..., None])
    return values.copy() if out is None else out


def _gaussian(grey: F32, radius: float) -> F32:
    """(r, c) blurred with a standard deviation of ``radius`` texels, three of them each way."""
    side = 2 * int(np.ceil(3 * radius)) + 1
    border = cv2.BORDER_REPLICATE
    return in_whole_steps(grey, border, lambda one: cv2.GaussianBlur(one, (side, side), radius, borderType=border))


def _filled(values: F32, known: Bool) -> F32:
    """Values with what is not known taken from the nearest that is."""
    if known.all() or not known.any():
        return values
    _, label, position = nearest_covered(known)
    flat = values.reshape(-1, values.shape[2])
    return np.ascontiguousarray(flat[position[label.ravel()]].reshape(values.shape))


def _median(values: F32, reach: int, many: int) -> F32:
    """(r, c, n) component by component, of squares of 2 · reach + 1 texels; beyond 5 × 5 in so ``many`` steps."""
    side = 2 * reach + 1
    if reach <= _FLOATS:
        return np.asarray(cv2.medianBlur(values, side), np.float32).reshape(values.shape)
    steps = np.rint(np.clip(values, 0, 1) * many).astype(np.uint8)
    return np.asarray(cv2.medianBlur(steps, side), np.float32).reshape(values.shape) / np.float32(many)


@kernel
def _keep(values: F32, weights: F32, dark: np.float32, bright: np.float32, middle: F32) -> None:
    """Write over medians (r, c) what is off them by no more than so much."""
    for r in range(values.shape[0]):
        own, other = values[r], middle[r]
        for k in range(len(own)):
            off = own[k] - other[k]
            # No branches, so that several texels are done at once.
            other[k] = other[k] if (off > bright) | (-off > dark) else own[k]


@kernel
def _keep_colours(values: F32, weights: F32, dark: np.float32, bright: np.float32, middle: F32) -> None:
    """The same for rows (r, 3 c) of colours, of which the luminance decides."""
    share_red, share_green, share_blue = weights[0], weights[1], weights[2]
    for r in range(values.shape[0]):
        own, other = values[r], middle[r]
        for texel in range(len(own) // 3):
            k = 3 * texel
            red, green, blue = own[k], own[k + 1], own[k + 2]
            mid_red, mid_green, mid_blue = other[k], other[k + 1], other[k + 2]
            off = share_red * (red - mid_red) + share_green * (green - mid_green) + share_blue * (blue - mid_blue)
            taken = (off > bright) | (-off > dark)
            other[k] = mid_red if taken else red
            other[k + 1] = mid_green if taken else green
            other[k + 2] = mid_blue if taken else blue
