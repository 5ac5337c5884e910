"""A picture made ready for filtering: a chain of halved copies, premultiplied.

Two flavours: ``colour`` holds linear light, so that shrinking keeps brightness and no dark or white
fringe is born at transparent edges; ``data`` holds the stored values as they are.
"""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I64, Array
from lucky_fern.core.colour import DECODE_8, DECODE_16
from lucky_fern.core.pictures.picture import LARGEST_SIDE, Picture

Flavour = Literal["colour", "data"]
_PLAIN_8 = (np.arange(256) / np.float32(255)).astype(np.float32)


@dataclass(frozen=True)
class Pyramid:
    """All levels in one flat array, for kernels.

    ``texels`` float32, premultiplied RGBA of every level; level k starts at ``offset[k]`` and has
    ``width[k]`` × ``height[k]`` pixels.
    """

    texels: F32
    offset: I64
    width: I64
    height: I64

    def level(self, index: int) -> F32:
        """(rows, columns, 4) float32 view of one level."""
        w, h = int(self.width[index]), int(self.height[index])
        start = int(self.offset[index])
        return self.texels[start : start + w * h * 4].reshape(h, w, 4)


def build_pyramid(picture: Picture, flavour: Flavour) -> Pyramid:
    """Premultiply a picture and halve it (area mean) down to one pixel."""
    return pyramid_of(premultiplied(picture.rgba, flavour))


def pyramid_of(base: F32) -> Pyramid:
    """The pyramid of a premultiplied picture (rows, columns, 4) float32."""
    while max(base.shape[:2]) > LARGEST_SIDE:
        base = _halve(base)
    levels = [base]
    while max(levels[-1].shape[:2]) > 1:
        levels.append(_halve(levels[-1]))
    sizes = np.array([level.shape[:2] for level in levels], np.int64)
    counts = sizes[:, 0] * sizes[:, 1] * 4
    offset = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64)
    texels = np.concatenate([level.ravel() for level in levels])
    return Pyramid(texels, offset, sizes[:, 1].copy(), sizes[:, 0].copy())


def premultiplied(rgba: Array, flavour: Flavour) -> F32:
    """Straight RGBA as float32 0…1, premultiplied; linear light in the colour flavour."""
    top = np.float32(np.iinfo(rgba.dtype).max)
    if rgba.dtype == np.uint8:  # a look-up does all of it at once
        light = DECODE_8 if flavour == "colour" else _PLAIN_8
        quick = np.asarray(cv2.LUT(rgba, light), np.float32)
        quick[..., 3] = _PLAIN_8[rgba[..., 3]]
        if rgba[..., 3].min() < 255:
            quick[..., :3] *= quick[..., 3:]
        return quick
    alpha = rgba[..., 3:].astype(np.float32) / top
    out = np.empty(rgba.shape, np.float32)
    if flavour == "colour":
        out[..., :3] = DECODE_16[rgba[..., :3]]
    else:
        out[..., :3] = rgba[..., :3] / top
    out[..., :3] *= alpha
    out[..., 3:] = alpha
    return out


def _halve(level: F32) -> F32:
    rows, columns = level.shape[:2]
    size = (max(1, -(-columns // 2)), max(1, -(-rows // 2)))
    return np.asarray(cv2.resize(level, size, interpolation=cv2.INTER_AREA), np.float32)
