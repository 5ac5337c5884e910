"""Pictures cropped, turned, straightened and resized: resampled as premultiplied light.

Perspective by a homography (R. Hartley and A. Zisserman, "Multiple View Geometry", 2nd edition, section 2.3).
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, U8, U16, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import MOST_PIXELS
from lucky_fern.core.parallel import for_each
from lucky_fern.core.preparing.bands import bands, decoding, from_light, light
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import Crop, Point, Size, Straighten, Turn
from lucky_fern.words import tr

_CUBIC = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
_LONGEST = 32000  # pixels a side that the package takes
_ROOM = 2  # times the picture's bytes that its light may take


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
    wide, high = state.size
    out = np.empty((size[1], size[0], 4), state.rgba.dtype)
    per = wide / size[0]
    # Each old column lies in one new one, or in that and the next.
    edges = np.arange(wide + 1) / per
    home = np.minimum(np.floor(edges[:-1] + 1e-9).astype(np.int32), size[0] - 1)
    share = np.clip((home + 1 - edges[:-1]) * per, 0, 1).astype(np.float32)
    decode = decoding(state.rgba, state.flavour)

    def one(band: tuple[int, int]) -> None:
        first, last = band
        values = np.zeros((last - first, size[0] + 1, 4), np.float32)  # the last column catches what rounding leaves
        _gather(state.rgba, decode, home, share, first, high / size[1], values)
        values = values[:, :-1] * np.float32(size[0] / wide)
        out[first:last] = from_light(np.ascontiguousarray(values), state.rgba.dtype, state.flavour)

    for_each(one, bands(size[1], 64))
    return out


@kernel
def _gather(rgba: Array, decode: F32, home: I32, share: F32, first: int, per: float, out: F32) -> None:
    """Add up premultiplied light over what each new pixel of some rows covers; columns are not yet made means."""
    part = np.float32(1) / np.float32(len(decode) - 1)
    for r in range(out.shape[0]):
        low, high = (first + r) * per, (first + r + 1) * per
        for y in range(int(low + 1e-9), min(int(np.ceil(high - 1e-9)), rgba.shape[0])):
            weight = np.float32((min(y + 1.0, high) - max(float(y), low)) / per)
            for x in range(rgba.shape[1]):
                here = weight * share[x]
                beyond = weight - here
                alpha = rgba[y, x, 3] * part
                j = home[x]
                for k in range(3):
                    value = decode[rgba[y, x, k]] * alpha
                    out[r, j, k] += value * here
                    out[r, j + 1, k] += value * beyond
                out[r, j, 3] += alpha * here
                out[r, j + 1, 3] += alpha * beyond


def _through(state: State, forward: F64, size: tuple[int, int], clear: bool) -> U8 | U16:
    """A picture of ``size`` whose points come from ``forward`` · point of this one; clear or as its border beyond.

    Where it shrinks, from a copy that was area-filtered to fit; between pixels by cubics.
    """
    source, by = _fitting(state, forward, size)
    # Middles of pixels lie at whole numbers for the package.
    middle = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    matrix = np.linalg.inv(middle) @ np.diag([1 / by[0], 1 / by[1], 1.0]) @ forward @ middle
    beyond = cv2.BORDER_CONSTANT if clear else cv2.BORDER_REPLICATE
    out = np.empty((size[1], size[0], 4), state.rgba.dtype)
    if max(*source.size, *size) > _LONGEST:
        raise PictureError(tr("it is too long for that; make it smaller first, with a size op above"))
    whole = light(source.rgba, state.flavour) if source.rgba.size * 4 <= _ROOM * state.rgba.nbytes else None

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        here = matrix @ np.array([[1, 0, 0], [0, 1, top], [0, 0, 1.0]])
        part = whole
        if part is None:  # only the rows that are needed, for the sake of memory
            x, y = np.array([0, size[0], size[0], 0]), np.array([0, 0, bottom - top, bottom - top])
            w = here[2, 0] * x + here[2, 1] * y + here[2, 2]
            v = (here[1, 0] * x + here[1, 1] * y + here[1, 2]) / w
            rows = source.rgba.shape[0]
            first = int(np.clip(math.floor(float(v.min())) - 3, 0, rows - 1))
            last = int(np.clip(math.ceil(float(v.max())) + 4, first + 1, rows))
            part = light(source.rgba[first:last], state.flavour)
            here = np.array([[1, 0, 0], [0, 1, -first], [0, 0, 1.0]]) @ here
        values = cv2.warpPerspective(part, here, (size[0], bottom - top), flags=_CUBIC, borderMode=beyond)
        out[top:bottom] = from_light(np.asarray(values, np.float32), state.rgba.dtype, state.flavour)

    for_each(one, bands(size[1], 256))
    return out


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
