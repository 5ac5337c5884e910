"""A picture made ready for filtering: a chain of halved copies, premultiplied.

Three flavours: ``colour`` holds linear light, so that shrinking keeps brightness and no dark or white
fringe is born at transparent edges; ``data`` holds the stored values as they are; ``plain`` does too, and takes no
notice of alpha, as where each plane is another map.
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I64, Array
from lucky_fern.core.colour import DECODE_8, DECODE_16
from lucky_fern.core.pictures.picture import LARGEST_SIDE, Picture
from lucky_fern.core.pictures.sampling import Levels

Flavour = Literal["colour", "data", "plain"]
_BAND = 256  # rows
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

    @property
    def levels(self) -> Levels:
        """All of it, as kernels take it."""
        return Levels(self.texels, self.offset, self.width, self.height)

    def level(self, index: int) -> F32:
        """(rows, columns, 4) float32 view of one level."""
        w, h = int(self.width[index]), int(self.height[index])
        start = int(self.offset[index])
        return self.texels[start : start + w * h * 4].reshape(h, w, 4)


def build_pyramid(picture: Picture, flavour: Flavour) -> Pyramid:
    """Premultiply a picture and halve it (area mean) down to one pixel; no more memory than the pyramid is needed."""
    rows, columns = picture.rgba.shape[:2]
    sizes, texels = _room(rows, columns)
    base = texels[: sizes[0][0] * sizes[0][1] * 4].reshape(*sizes[0], 4)
    step = 2 ** (_halvings(rows, columns))
    band = max(_BAND // step, 1)
    for top in range(0, sizes[0][0], band):  # in bands: floats of all of it are there once, at their place
        part = premultiplied(picture.rgba[top * step : (top + band) * step], flavour)
        for _ in range(_halvings(rows, columns)):
            part = _halve(part)
        base[top : top + band] = part
    return _filled(texels, sizes)


def pyramid_of(base: F32) -> Pyramid:
    """The pyramid of a premultiplied picture (rows, columns, 4) float32."""
    for _ in range(_halvings(*base.shape[:2])):
        base = _halve(base)
    sizes, texels = _room(*base.shape[:2])
    texels[: base.size] = base.ravel()
    return _filled(texels, sizes)


def _halvings(rows: int, columns: int) -> int:
    """How often a picture is halved before it is the pyramid's base: no sheet shows more."""
    count = 0
    while max(-(-rows // 2**count), -(-columns // 2**count)) > LARGEST_SIDE:
        count += 1
    return count


def _room(rows: int, columns: int) -> tuple[list[tuple[int, int]], F32]:
    """Sizes of all levels of a picture's pyramid, and one flat array for them."""
    by = 2 ** _halvings(rows, columns)
    sizes = [(-(-rows // by), -(-columns // by))]
    while max(sizes[-1]) > 1:
        sizes.append((-(-sizes[-1][0] // 2), -(-sizes[-1][1] // 2)))
    return sizes, np.empty(sum(r * c for r, c in sizes) * 4, np.float32)


def _filled(texels: F32, sizes: list[tuple[int, int]]) -> Pyramid:
    """A pyramid whose base is there already."""
    starts = np.concatenate([[0], np.cumsum([r * c * 4 for r, c in sizes])]).astype(np.int64)
    levels = [texels[a:b].reshape(*size, 4) for a, b, size in zip(starts, starts[1:], sizes, strict=False)]
    for larger, smaller in pairwise(levels):
        smaller[:] = _halve(larger)
    rows, columns = np.array(sizes, np.int64).T
    return Pyramid(texels, starts[:-1].copy(), columns.copy(), rows.copy())


def premultiplied(rgba: Array, flavour: Flavour) -> F32:
    """Straight RGBA as float32 0…1, premultiplied but in the plain flavour; linear light in that of colour."""
    top = np.float32(np.iinfo(rgba.dtype).max)
    if flavour == "plain":
        plain = np.asarray(rgba / top, np.float32)
        plain[..., 3] = 1
        return plain
    if rgba.dtype == np.uint8:  # a look-up does all of it at once
        light = DECODE_8 if flavour == "colour" else _PLAIN_8
        quick = np.asarray(cv2.LUT(np.ascontiguousarray(rgba), light), np.float32)
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
