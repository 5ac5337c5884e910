"""What mends and simplifies values: medians and edge-keeping filters over the surface, tones, unit normals."""

from __future__ import annotations

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, Bool
from lucky_fern.core.colour import LUMINANCE
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.effects import EffectRow, unit_normals
from lucky_fern.core.maps import MapSpec
from lucky_fern.core.project.more_effects import Normalise, Posterise, Smooth, Specks, Threshold
from lucky_fern.core.sheets.padding import nearest_covered

_FLOATS = 2  # texels; OpenCV's median takes floats up to there, 8 bits beyond


class Despeckling(EffectRow):
    def apply(self, values: F32, effect: Specks, spec: MapSpec, around: Islands | None) -> F32:
        if around is None:
            return values
        reach, out = max(1, round(effect.radius)), values.copy()
        least, most = (effect.threshold if effect.which != other else np.inf for other in ("bright", "dark"))
        for island in around.each(values, reach):
            middle = _median(_filled(island.values, island.known), reach)[island.inner]
            _replace(out[island.box], middle, island.mine, LUMINANCE.astype(np.float32), least, most)
        return out


class Smoothing(EffectRow):
    def apply(self, values: F32, effect: Smooth, spec: MapSpec, around: Islands | None) -> F32:
        if around is None:
            return values
        reach, out = int(np.ceil(effect.radius)), values.copy()
        for island in around.each(values, reach):
            filled = _filled(island.values, island.known)
            # OpenCV's takes one component, or three.
            flat = filled if filled.shape[2] == 3 else np.ascontiguousarray(filled[..., 0])
            soft = cv2.bilateralFilter(flat, 2 * reach + 1, effect.tolerance, effect.radius / 2)
            soft = soft.reshape(*island.known.shape, -1)[island.inner]
            np.copyto(out[island.box], np.asarray(soft, np.float32), where=island.mine[..., None])
        return out


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


class Normalising(EffectRow):
    def apply(self, values: F32, effect: Normalise, spec: MapSpec, around: Islands | None) -> F32:
        return unit_normals(values)


def _filled(values: F32, known: Bool) -> F32:
    """Values with what is not known taken from the nearest that is."""
    if known.all() or not known.any():
        return values
    _, label, position = nearest_covered(known)
    flat = values.reshape(-1, values.shape[2])
    return np.ascontiguousarray(flat[position[label.ravel()]].reshape(values.shape))


def _median(values: F32, reach: int) -> F32:
    """(r, c, n) component by component, of squares of 2 · reach + 1 texels; beyond 5 × 5 in steps of 1/255."""
    side = 2 * reach + 1
    planes = []
    for number in range(values.shape[2]):
        plane = np.ascontiguousarray(values[..., number])
        if reach <= _FLOATS:
            planes.append(np.asarray(cv2.medianBlur(plane, side), np.float32))
        else:
            steps = np.rint(np.clip(plane, 0, 1) * 255).astype(np.uint8)
            planes.append(np.asarray(cv2.medianBlur(steps, side), np.float32) / np.float32(255))
    return planes[0][..., None] if len(planes) == 1 else np.stack(planes, axis=2)


@kernel
def _replace(values: F32, middle: F32, mine: Bool, weights: F32, dark: float, bright: float) -> None:
    """Put the median where a value, or the luminance, is darker or brighter than that by more than so much."""
    least, most = np.float32(dark), np.float32(bright)
    if values.shape[2] == 1:
        for r in range(values.shape[0]):
            for k in range(values.shape[1]):
                off = values[r, k, 0] - middle[r, k, 0]
                if mine[r, k] and (off > most or -off > least):
                    values[r, k, 0] = middle[r, k, 0]
        return
    for r in range(values.shape[0]):
        for k in range(values.shape[1]):
            off = np.float32(0)
            for c in range(3):
                off += weights[c] * (values[r, k, c] - middle[r, k, c])
            if mine[r, k] and (off > most or -off > least):
                for c in range(3):
                    values[r, k, c] = middle[r, k, c]
