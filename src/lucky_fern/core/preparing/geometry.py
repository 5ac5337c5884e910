"""Pictures cropped, turned, straightened and resized: resampled as premultiplied light.

Perspective by a homography (R. Hartley and A. Zisserman, "Multiple View Geometry", 2nd edition, section 2.3).
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64, U8, U16
from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import MOST_PIXELS
from lucky_fern.core.parallel import for_each
from lucky_fern.core.preparing.bands import bands, from_light, light
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import Crop, Point, Size, Straighten, Turn
from lucky_fern.words import tr


class Cropping(OpRow):
    def apply(self, state: State, op: Crop) -> State:
        wide, high = state.size
        left, upper = max(0, math.floor(op.box[0] + 0.5)), max(0, math.floor(op.box[1] + 0.5))
        right, lower = min(wide, math.floor(op.box[2] + 0.5)), min(high, math.floor(op.box[3] + 0.5))
        if left >= right or upper >= lower:
            raise PictureError(
                tr("the box {box} holds nothing of a picture of {wide} × {high} pixels",
                   box=[round(one) for one in op.box], wide=wide, high=high)
            )  # fmt: skip
        beside = {name: one[upper:lower, left:right] for name, one in state.beside.items()}
        return replace(state, rgba=state.rgba[upper:lower, left:right], beside=beside)


class Turning(OpRow):
    def apply(self, state: State, op: Turn) -> State:
        rgba = state.rgba[:, ::-1] if op.mirror else state.rgba
        quarters = op.degrees / 90
        if quarters == round(quarters):  # exact
            made: Any = np.ascontiguousarray(np.rot90(rgba, round(quarters)))
            return replace(state, rgba=made, beside={})
        angle = math.radians(op.degrees)
        c, s = math.cos(angle), math.sin(angle)
        wide, high = state.size
        size = (max(1, math.ceil(abs(wide * c) + abs(high * s) - 1e-6)),
                max(1, math.ceil(abs(wide * s) + abs(high * c) - 1e-6)))  # fmt: skip
        # From the new picture's pixels to the old one's; y runs down.
        back = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
        move = np.array([[1, 0, -size[0] / 2], [0, 1, -size[1] / 2], [0, 0, 1.0]])
        home = np.array([[1, 0, wide / 2], [0, 1, high / 2], [0, 0, 1.0]])
        source: Any = np.ascontiguousarray(rgba)
        return replace(state, rgba=_through(replace(state, rgba=source), home @ back @ move, size, True), beside={})


class Straightening(OpRow):
    def apply(self, state: State, op: Straighten) -> State:
        size = op.out_size
        if size[0] * size[1] > MOST_PIXELS:
            raise PictureError(tr("{wide} × {high} pixels are too many; give a smaller size", wide=size[0],
                                  high=size[1]))  # fmt: skip
        return replace(state, rgba=_through(state, to_corners(op.corners, size), size, False), beside={})


class Sizing(OpRow):
    def apply(self, state: State, op: Size) -> State:
        wide, high = state.size
        if op.size == state.size:
            return state
        if op.sampling == "nearest":
            rows = (np.arange(op.size[1]) * 2 + 1) * high // (2 * op.size[1])
            columns = (np.arange(op.size[0]) * 2 + 1) * wide // (2 * op.size[0])
            return replace(state, rgba=state.rgba[rows][:, columns], beside={})
        if op.size[0] <= wide and op.size[1] <= high:
            return replace(state, rgba=_shrunk(state, op.size), beside={})
        by = np.diag([wide / op.size[0], high / op.size[1], 1.0])
        return replace(state, rgba=_through(state, by, op.size, False), beside={})


def to_corners(corners: tuple[Point, ...], size: tuple[int, int]) -> F64:
    """(3, 3) the homography from a picture of ``size`` to the quadrilateral that its corners lie at."""
    wide, high = size
    straight = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(straight, np.array(corners, np.float32)), np.float64)


def _shrunk(state: State, size: tuple[int, int]) -> U8 | U16:
    """Every new pixel is the mean of what it covers."""
    high = state.size[1]
    out = np.empty((size[1], size[0], 4), state.rgba.dtype)
    per = high / size[1]

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        first, last = math.floor(top * per + 1e-9), min(high, math.ceil(bottom * per - 1e-9))
        part = light(state.rgba[first:last], state.flavour)
        part = np.asarray(cv2.resize(part, (size[0], part.shape[0]), interpolation=cv2.INTER_AREA), np.float32)
        rows = np.zeros((bottom - top, last - first), np.float32)  # share of each old row in each new one
        edges = np.arange(top, bottom + 1) * per - first
        for at in range(bottom - top):
            low, up = edges[at], edges[at + 1]
            cells = np.arange(last - first)
            rows[at] = np.clip(np.minimum(cells + 1, up) - np.maximum(cells, low), 0, None) / per
        values = (rows @ part.reshape(last - first, -1)).reshape(bottom - top, size[0], 4)
        out[top:bottom] = from_light(np.asarray(values, np.float32), state.rgba.dtype, state.flavour)

    for_each(one, bands(size[1], max(1, int(64 / per))))
    return out


def _through(state: State, forward: F64, size: tuple[int, int], clear: bool) -> U8 | U16:
    """A picture of ``size`` whose points come from ``forward`` · point of this one; clear or as its border beyond.

    Where it shrinks, from a copy that was area-filtered to fit; between pixels by cubics.
    """
    source, by = _fitting(state, forward, size)
    scale = np.diag([1 / by[0], 1 / by[1], 1.0]) @ forward
    out = np.empty((size[1], size[0], 4), state.rgba.dtype)
    rows = source.rgba.shape[0]

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        x, y = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(top, bottom) + 0.5)
        w = scale[2, 0] * x + scale[2, 1] * y + scale[2, 2]
        u = (scale[0, 0] * x + scale[0, 1] * y + scale[0, 2]) / w - 0.5
        v = (scale[1, 0] * x + scale[1, 1] * y + scale[1, 2]) / w - 0.5
        first = int(np.clip(math.floor(float(v.min())) - 3, 0, rows - 1))
        last = int(np.clip(math.ceil(float(v.max())) + 4, first + 1, rows))
        part = light(source.rgba[first:last], state.flavour)
        out[top:bottom] = from_light(_sampled(part, u, v - first, clear), state.rgba.dtype, state.flavour)

    for_each(one, bands(size[1], 64))
    return out


def _sampled(part: F32, u: F64, v: F64, clear: bool) -> F32:
    """Cubic between pixels, of parts of any size: the package takes pictures of up to 32767 pixels a side."""
    low = int(np.clip(math.floor(float(u.min())) - 3, 0, part.shape[1] - 1))
    high = int(np.clip(math.ceil(float(u.max())) + 4, low + 1, part.shape[1]))
    beyond = cv2.BORDER_CONSTANT if clear else cv2.BORDER_REPLICATE
    piece = part[:, low:high]
    if max(piece.shape[:2]) > 32000:
        raise PictureError(tr("it is too long for that; make it smaller first, with a size op above"))
    found = cv2.remap(piece, (u - low).astype(np.float32), v.astype(np.float32), cv2.INTER_CUBIC, borderMode=beyond)
    return np.asarray(found, np.float32)


def _fitting(state: State, forward: F64, size: tuple[int, int]) -> tuple[State, tuple[float, float]]:
    """The picture no finer than needed, and by how much it was shrunk each way."""
    wide, high = state.size
    # How far one new pixel reaches in the old picture, at the middle.
    x, y = size[0] / 2, size[1] / 2
    w = forward[2] @ [x, y, 1]
    at = (forward[:2] @ [x, y, 1]) / w
    along = (forward[:2, :2] - np.outer(at, forward[2, :2])) / w
    reach = np.abs(along).max(axis=1)
    by_x, by_y = (max(1.0, float(one)) for one in reach)
    if max(by_x, by_y) < 1.2:
        return state, (1.0, 1.0)
    fit = (max(1, math.ceil(wide / by_x)), max(1, math.ceil(high / by_y)))
    return replace(state, rgba=_shrunk(state, fit)), (wide / fit[0], high / fit[1])
