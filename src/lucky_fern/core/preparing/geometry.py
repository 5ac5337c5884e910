"""Pictures cropped, turned, straightened and resized: resampled as premultiplied light.

Perspective by a homography (R. Hartley and A. Zisserman, "Multiple View Geometry", 2nd edition, section 2.3).
"""

from __future__ import annotations

import math
from collections.abc import Callable
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
from lucky_fern.core.preparing.relief import beside_after
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


class MovingOp(OpRow):
    """An op that puts pixels elsewhere: what lies beside the picture goes along."""

    def apply(self, state: State, op: Any) -> State:
        after = self.moved(state, op)
        if after is state or not state.beside:
            return after
        longer = self.longer(state, after)
        beside = beside_after(state, after, lambda one: self.moved(one, op), longer)
        return replace(after, beside=beside, rise=state.rise * longer)

    def longer(self, before: State, after: State) -> float:
        """How many times as many pixels things are long in the new picture."""
        return math.sqrt(after.rgba[..., 0].size / before.rgba[..., 0].size)

    def moved(self, state: State, op: Any) -> State:
        """The picture alone."""
        raise NotImplementedError


class Turning(MovingOp):
    def longer(self, before: State, after: State) -> float:
        return 1.0

    def moved(self, state: State, op: Turn) -> State:
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


class Straightening(MovingOp):
    def moved(self, state: State, op: Straighten) -> State:
        size = op.out_size
        if size[0] * size[1] > MOST_PIXELS:
            raise PictureError(tr("{wide} × {high} pixels are too many; give a smaller size", wide=size[0],
                                  high=size[1]))  # fmt: skip
        wide, high = state.size
        beyond = any(not (-0.5 <= x <= wide + 0.5 and -0.5 <= y <= high + 0.5) for x, y in op.corners)
        notes = state.notes
        if beyond:
            notes = (*notes, tr("corners lie beyond the picture: what is not there is clear"))
        rgba = _through(state, to_corners(op.corners, size), size, beyond)
        return replace(state, rgba=rgba, beside={}, notes=notes)


class Sizing(MovingOp):
    def moved(self, state: State, op: Size) -> State:
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
    out, means = np.empty((size[1], size[0], 4), state.rgba.dtype), _means(state, size)

    def one(band: tuple[int, int]) -> None:
        values = np.zeros((band[1] - band[0], size[0], 4), np.float32)
        means(band[0], values)
        out[slice(*band)] = from_light(values, state.rgba.dtype, state.flavour)

    for_each(one, bands(size[1], 64))
    return out


def _shrunk_light(state: State, size: tuple[int, int]) -> F32:
    """The same as premultiplied light."""
    out, means = np.zeros((size[1], size[0], 4), np.float32), _means(state, size)
    for_each(lambda band: means(band[0], out[slice(*band)]), bands(size[1], 64))
    return out


def _means(state: State, size: tuple[int, int]) -> Callable[[int, F32], None]:
    """What adds the premultiplied means of rows from a new one on to rows of nothing."""
    wide, high = state.size
    per = wide / size[0]
    # Each old column lies in one new one, or in that and the next.
    edges = np.arange(wide + 1) / per
    home = np.minimum(np.floor(edges[:-1] + 1e-9).astype(np.int32), size[0] - 1)
    begin = np.searchsorted(home, np.arange(size[0] + 1)).astype(np.int32)
    last = begin[1:] - 1
    over = 1 - np.clip((home[last] + 1 - edges[last]) * per, 0, 1).astype(np.float32)
    decode = decoding(state.rgba, state.flavour)
    return lambda first, out: _gather(state.rgba, decode, begin, over, first, (per, high / size[1]), out)


@kernel
def _gather(rgba: Array, decode: F32, begin: I32, over: F32, first: int, pers: tuple[float, float], out: F32) -> None:
    """Add up premultiplied light over what each new pixel of some rows covers.

    Old columns from its ``begin`` on lie in a new one, but for the share ``over`` of the last: that is the next.
    """
    part, per = np.float32(1) / np.float32(len(decode) - 1), pers[1]
    area = pers[0] * per
    line = np.empty((out.shape[1], 4), np.float32)  # an old row, in new columns
    for y in range(int(first * per + 1e-9), min(int(np.ceil((first + out.shape[0]) * per - 1e-9)), rgba.shape[0])):
        r0 = g0 = b0 = a0 = np.float32(0)  # what the last old column gives to the next new one
        for j in range(out.shape[1]):
            red, green, blue, all_ = r0, g0, b0, a0
            for x in range(begin[j], begin[j + 1]):
                a0 = rgba[y, x, 3] * part
                r0, g0, b0 = decode[rgba[y, x, 0]] * a0, decode[rgba[y, x, 1]] * a0, decode[rgba[y, x, 2]] * a0
                red, green, blue, all_ = red + r0, green + g0, blue + b0, all_ + a0
            beyond = over[j]
            r0, g0, b0, a0 = r0 * beyond, g0 * beyond, b0 * beyond, a0 * beyond
            line[j, 0], line[j, 1], line[j, 2], line[j, 3] = red - r0, green - g0, blue - b0, all_ - a0
        row = int(y / per + 1e-9)  # it lies in this new row, or in that and the next
        above = min(max((row + 1) * per - y, 0.0), 1.0)
        for r, weight in ((row - first, np.float32(above / area)), (row + 1 - first, np.float32((1 - above) / area))):
            if 0 <= r < out.shape[0] and weight > 0:
                for j in range(out.shape[1]):
                    for k in range(4):
                        out[r, j, k] += line[j, k] * weight


def _through(state: State, forward: F64, size: tuple[int, int], clear: bool) -> U8 | U16:
    """A picture of ``size`` whose points come from ``forward`` · point of this one; clear or as its border beyond.

    Where it shrinks, from a copy that was area-filtered to fit; between pixels by cubics.
    """
    left, upper, right, lower = _seen(state.size, forward, size)
    part = replace(state, rgba=state.rgba[upper:lower, left:right], beside={})
    fit = _fitting(part.size, forward, size)
    by = part.size[0] / fit[0], part.size[1] / fit[1]
    # Middles of pixels lie at whole numbers for the package.
    middle = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    there = np.diag([1 / by[0], 1 / by[1], 1.0]) @ np.array([[1, 0, -left], [0, 1, -upper], [0, 0, 1.0]])
    matrix = np.linalg.inv(middle) @ there @ forward @ middle
    beyond = cv2.BORDER_CONSTANT if clear else cv2.BORDER_REPLICATE
    out = np.empty((size[1], size[0], 4), state.rgba.dtype)
    if max(*fit, *size) > _LONGEST:
        raise PictureError(tr("it is too long for that; make it smaller first, with a size op above"))
    whole, source = None, part.rgba
    if fit[0] * fit[1] * 16 <= _ROOM * state.rgba.nbytes:
        whole = light(source, state.flavour) if fit == part.size else _shrunk_light(part, fit)
    elif fit != part.size:
        source = _shrunk(part, fit)

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        here = matrix @ np.array([[1, 0, 0], [0, 1, top], [0, 0, 1.0]])
        seen = whole
        if seen is None:  # only the rows that are needed, for the sake of memory
            x, y = np.array([0, size[0], size[0], 0]), np.array([0, 0, bottom - top, bottom - top])
            w = here[2, 0] * x + here[2, 1] * y + here[2, 2]
            v = (here[1, 0] * x + here[1, 1] * y + here[1, 2]) / w
            rows = source.shape[0]
            first = int(np.clip(math.floor(float(v.min())) - 3, 0, rows - 1))
            last = int(np.clip(math.ceil(float(v.max())) + 4, first + 1, rows))
            seen = light(source[first:last], state.flavour)
            here = np.array([[1, 0, 0], [0, 1, -first], [0, 0, 1.0]]) @ here
        values = cv2.warpPerspective(seen, here, (size[0], bottom - top), flags=_CUBIC, borderMode=beyond)
        out[top:bottom] = from_light(np.asarray(values, np.float32), state.rgba.dtype, state.flavour)

    for_each(one, bands(size[1], 256))
    return out


def _seen(whole: tuple[int, int], forward: F64, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """The box (left, upper, right, lower) of a picture that is needed, with a few pixels for the cubics."""
    ends = forward @ np.array([[0, size[0], size[0], 0], [0, 0, size[1], size[1]], [1, 1, 1, 1.0]])
    if (ends[2] <= 0).any():  # the horizon is in it
        return 0, 0, *whole
    low, high = (ends[:2] / ends[2]).min(axis=1), (ends[:2] / ends[2]).max(axis=1)
    more = 4 + 2 * (high - low) / np.array(size)
    first = np.clip(np.floor(low - more), 0, np.array(whole) - 1).astype(int)
    last = np.clip(np.ceil(high + more), first + 1, np.array(whole)).astype(int)
    return int(first[0]), int(first[1]), int(last[0]), int(last[1])


def _fitting(whole: tuple[int, int], forward: F64, size: tuple[int, int]) -> tuple[int, int]:
    """The size at which a picture is no finer than needed."""
    wide, high = whole
    # How far one new pixel reaches in the old picture, at the middle.
    x, y = size[0] / 2, size[1] / 2
    w = forward[2] @ [x, y, 1]
    at = (forward[:2] @ [x, y, 1]) / w
    along = (forward[:2, :2] - np.outer(at, forward[2, :2])) / w
    reach = np.abs(along).max(axis=1)
    by_x, by_y = (max(1.0, float(one)) for one in reach)
    if max(by_x, by_y) < 1.2:
        return whole
    return max(1, math.ceil(wide / by_x)), max(1, math.ceil(high / by_y))
