"""Height and normal pictures from how bright a picture is, from its alpha, or from normals."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U16
from lucky_fern.core.parallel import for_each
from lucky_fern.core.preparing.bands import bands, brightness, repeats, with_border
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import Relief

_STEEPEST = np.float32(0.05)  # z of the steepest normal that is believed
_SAMPLES = 1000  # rows and columns that are looked at for what is level


class Relieving(OpRow):
    def apply(self, state: State, op: Relief) -> State:
        height = lifted(state, op) if op.source == "normals" else height_of(state, op)
        height *= np.float32(65535)
        height += np.float32(0.5)
        stored = height.astype(np.uint16)
        del height  # normals go by what is stored: a photograph's floats take as much room as it does
        normal = normals_of(stored, op.strength, repeats(state.rgba))
        return replace(state, beside={**state.beside, "height": stored, "normal": normal}, rise=op.strength)


def beside_after(before: State, after: State, work: Callable[[State], State], longer: float) -> dict[str, U16]:
    """What lies beside a picture once an op has moved its pixels: the height moved alike, normals as it has them.

    ``work`` does the op to any picture of the same size; ``longer`` is how many times as many pixels things are long.
    """
    height = before.beside.get("height")
    if height is None:
        return {}
    full = np.full(height.shape, 65535, np.uint16)
    moved = work(State(np.dstack([height, height, height, full]), "data")).rgba
    share = moved[..., 3] / 65535.0
    level = np.where(moved[..., 3] > 0, moved[..., 0], 32768)
    made = np.asarray(32768 + (level - 32768.0) * share + 0.5).astype(np.uint16)
    return {"height": made, "normal": normals_of(made, before.rise * longer, repeats(after.rgba))}


def height_of(state: State, op: Relief) -> F32:
    """(rows, columns) float32 0 … 1, what is level (the median) at 0.5."""
    rgba, wraps = state.rgba, repeats(state.rgba)
    out = np.empty(rgba.shape[:2], np.float32)
    reach = math.ceil(3 * op.blur) + (math.ceil(3 * op.split) if _parted(op) else 0)

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        pixels = with_border(rgba, top, bottom, reach, wraps)
        if op.source == "alpha":
            values = pixels[..., 3].astype(np.float32) / np.float32(state.top)
        else:
            values = brightness(pixels)
        values = _formed(values, op)
        rows, columns = values.shape
        out[top:bottom] = values[reach : rows - reach, reach : columns - reach]

    for_each(one, bands(rgba.shape[0], max(128, 2 * reach)))
    if op.source == "alpha":  # what is clear is level
        out *= np.float32(0.5)
    else:
        step = max(1, max(out.shape) // _SAMPLES)
        some, shown = out[::step, ::step], rgba[::step, ::step, 3] > 0
        out -= np.float32(np.median(some[shown] if shown.any() else some))
        out[rgba[..., 3] == 0] = 0  # nothing stands up where nothing is
    out += np.float32(0.5)
    return np.asarray(np.clip(out, 0, 1, out=out), np.float32)


def lifted(state: State, op: Relief) -> F32:
    """(rows, columns) float32 0 … 1, the surface whose normals a picture holds (+Y up), its median at 0.5.

    The least-squares surface (Frankot and Chellappa, 1988) by cosines, or by Fourier's series where the picture
    repeats; a height of 1 stands ``strength`` pixels above 0.
    """
    from scipy import fft  # slow to load, and not needed before the window shows

    rgba, wraps = state.rgba, repeats(state.rgba)
    vector = rgba[..., :3] * np.float32(2 / state.top) - np.float32(1)
    z = np.maximum(vector[..., 2], _STEEPEST)
    across, down = -vector[..., 0] / z, vector[..., 1] / z
    rows, columns = across.shape
    if wraps:  # slopes between each pixel and the next, and what flows in less what flows out
        across, down = (across + np.roll(across, -1, 1)) / 2, (down + np.roll(down, -1, 0)) / 2
        flow = np.roll(across, 1, 1) - across + np.roll(down, 1, 0) - down
        turns = [2 - 2 * np.cos(2 * np.pi * np.arange(many) / many) for many in (rows, columns)]
        turned = fft.fft2(flow, workers=2)
    else:
        flow = np.zeros_like(across)
        step = (across[:, 1:] + across[:, :-1]) / 2
        flow[:, :-1] -= step
        flow[:, 1:] += step
        step = (down[1:] + down[:-1]) / 2
        flow[:-1] -= step
        flow[1:] += step
        turns = [2 - 2 * np.cos(np.pi * np.arange(many) / many) for many in (rows, columns)]
        turned = fft.dctn(flow, workers=2)
    level = (turns[0][:, None] + turns[1][None]).astype(np.float32)
    level[0, 0] = 1
    turned /= level
    turned[0, 0] = 0
    height = np.asarray(fft.ifft2(turned, workers=2).real if wraps else fft.idctn(turned, workers=2), np.float32)
    height = _formed(height, op)
    height -= np.median(height)
    strength = op.strength if op.strength else 1.0
    return np.asarray(np.clip(height / np.float32(strength) + np.float32(0.5), 0, 1), np.float32)


def normals_of(height: U16, strength: float, wraps: bool) -> U16:
    """(rows, columns, 3) uint16, +Y up: of a surface on which a height of 1 stands ``strength`` pixels above 0."""
    out = np.empty((*height.shape, 3), np.uint16)

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        part = with_border(height, top, bottom, 1, wraps).astype(np.float32) * np.float32(1 / 65535)
        if not wraps:  # beyond the picture it goes on as it is, not back up again
            part[:, 0], part[:, -1] = 2 * part[:, 1] - part[:, min(2, part.shape[1] - 1)], (
                2 * part[:, -2] - part[:, max(-3, -part.shape[1])])  # fmt: skip
            if top == 0:
                part[0] = 2 * part[1] - part[min(2, len(part) - 1)]
            if bottom == height.shape[0]:
                part[-1] = 2 * part[-2] - part[max(-3, -len(part))]
        across = (part[1:-1, 2:] - part[1:-1, :-2]) * np.float32(strength / 2)
        down = (part[2:, 1:-1] - part[:-2, 1:-1]) * np.float32(strength / 2)
        length = 1 / np.sqrt(across * across + down * down + 1)
        for at, value in enumerate((-across * length, down * length, length)):
            out[top:bottom, :, at] = (value * np.float32(32767.5) + np.float32(32768)).astype(np.uint16)

    for_each(one, bands(height.shape[0]))
    return out


def _parted(op: Relief) -> bool:
    """Whether large and small forms stand up differently."""
    return (op.large, op.small) != (1.0, 1.0)


def _formed(values: F32, op: Relief) -> F32:
    """Softened, its large and its small forms each as high as is asked."""
    values = _soft(values, op.blur)
    if _parted(op):
        coarse = _soft(values, op.split)
        values = coarse * np.float32(op.large) + (values - coarse) * np.float32(op.small)
    return values


def _soft(values: F32, radius: float) -> F32:
    if radius <= 0:
        return values
    side = 2 * math.ceil(3 * radius) + 1
    return np.asarray(cv2.GaussianBlur(values, (side, side), radius), np.float32)
