"""Pictures made simpler: where instead of what colour, and a few colours instead of all."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PIL import Image

from lucky_fern.core.arrays import F32, U8, Array
from lucky_fern.core.colour import from_hex
from lucky_fern.core.compiled import kernel
from lucky_fern.core.preparing.bands import brightness, by_bands
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import Coverage, Palette

_LOOKED_AT = 256  # pixels a side of the copy in which colours are looked for


class Covering(OpRow):
    def apply(self, state: State, op: Coverage) -> State:
        top = state.top

        def work(pixels: Array) -> Array:
            out = np.full_like(pixels, top)
            if op.source == "alpha":
                out[..., 3] = pixels[..., 3]
                return out
            how = brightness(pixels)
            how = how if op.source == "luminance" else 1 - how
            opaque = pixels[..., 3].astype(np.float32) / np.float32(top)
            out[..., 3] = np.clip(how * opaque * top + np.float32(0.5), 0, top).astype(pixels.dtype)
            return out

        return replace(state, rgba=by_bands(state.rgba, work), covers=True)


class Reducing(OpRow):
    def apply(self, state: State, op: Palette) -> State:
        colours = found_colours(state, op.colours) if isinstance(op.colours, int) else given(op.colours)
        out = state.rgba.copy()
        _nearest(
            out, (colours * state.top).astype(np.float32), op.dither / max(len(colours) ** (1 / 3), 1) * state.top
        )
        return replace(state, rgba=out)


def given(colours: tuple[str, ...]) -> F32:
    """(n, 3) encoded."""
    return np.array([from_hex(colour) for colour in colours], np.float32)


def found_colours(state: State, count: int) -> F32:
    """(up to ``count``, 3) encoded: the colours that stand for all of a picture best (median cut, as Pillow has it).

    A picture that has no more than so many is left as it is.
    """
    wide, high = state.size
    step = max(1, max(wide, high) // _LOOKED_AT)
    some = state.rgba[step // 2 :: step, step // 2 :: step]
    rgb = (some[..., :3] >> (8 * (some.itemsize - 1))).astype(np.uint8)[some[..., 3] > 0]
    if not len(rgb):
        return np.zeros((1, 3), np.float32)
    codes = np.unique(rgb.astype(np.int32) @ np.array([65536, 256, 1]))
    if len(codes) <= count:
        every = np.stack([codes >> 16, (codes >> 8) & 255, codes & 255], axis=1)
        return np.asarray(every / np.float32(255), np.float32)
    image = Image.fromarray(np.ascontiguousarray(rgb)[None])
    reduced = image.quantize(count, method=Image.Quantize.MEDIANCUT, kmeans=4, dither=Image.Dither.NONE)
    flat: Any = reduced.getpalette()
    found: U8 = np.array(flat, np.uint8).reshape(-1, 3)[:count]
    return np.asarray(np.unique(found, axis=0) / np.float32(255), np.float32)


_BAYER = np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]], np.float32)
_THRESHOLDS: F32 = ((_BAYER + 0.5) / 16 - 0.5).astype(np.float32)


@kernel
def _nearest(rgba: Array, colours: F32, dither: float) -> None:
    for r in range(rgba.shape[0]):
        for c in range(rgba.shape[1]):
            off = np.float32(dither) * _THRESHOLDS[r % 4, c % 4]
            best, least = 0, np.float32(1e30)
            for n in range(colours.shape[0]):
                away = np.float32(0)
                for k in range(3):
                    d = np.float32(rgba[r, c, k]) + off - colours[n, k]
                    away += d * d
                if away < least:
                    best, least = n, away
            for k in range(3):
                rgba[r, c, k] = colours[best, k] + np.float32(0.5)
