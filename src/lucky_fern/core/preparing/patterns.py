"""Patterns drawn exactly: a pixel gets the share of its own square that each colour covers, mixed as light."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from lucky_fern.core.arrays import F64, U8, U16
from lucky_fern.core.colour import decode_srgb, encode_srgb, from_hex
from lucky_fern.core.parallel import for_each
from lucky_fern.core.preparing.bands import bands
from lucky_fern.core.preparing.lattice import tiled
from lucky_fern.core.preparing.relief import normals_of
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.patterns import Bricks, Checker, Noise, Pattern, Planks, Ramp, Stripes, Weave

_DARKEST = 0.2  # of its light that a brick keeps at the least


@dataclass(frozen=True)
class Grid:
    """Middles of pixels, 0 … 1 over the picture: ``u`` (1, columns) to the right, ``v`` (rows, 1) up; their size."""

    u: F64
    v: F64
    wide: float
    high: float


@dataclass(frozen=True)
class Drawn:
    """What a pattern is made of on some pixels.

    ``parts``: colours (None: clear) with the share of each pixel that they cover; shares add up to 1. ``shade`` times
    the light of them all; ``height`` 0 … 1, what is level at 0.5.
    """

    parts: tuple[tuple[str | None, F64], ...]
    height: F64
    shade: F64 | float = 1.0
    encoded: bool = False  # mixed as stored, as ramps are


class Drawing(OpRow):
    """The row of every pattern: ``draw`` makes the pixels of a grid."""

    def __init__(self, draw: Callable[[Any, Grid], Drawn], wraps: Callable[[Any], bool] = lambda _: True) -> None:
        self._draw, self._wraps = draw, wraps

    def apply(self, state: State, op: Pattern) -> State:
        wide, high = op.size
        rgba, height = np.empty((high, wide, 4), np.uint8), np.empty((high, wide), np.uint16)
        u = (np.arange(wide) + 0.5)[None] / wide

        def one(band: tuple[int, int]) -> None:
            top, bottom = band
            v = 1 - (np.arange(top, bottom) + 0.5)[:, None] / high
            drawn = self._draw(op, Grid(u, v, 1 / wide, 1 / high))
            rgba[top:bottom] = _mixed(drawn, (bottom - top, wide))
            height[top:bottom] = np.rint(np.clip(drawn.height, 0, 1) * 65535)

        for_each(one, bands(high, max(1, (1 << 18) // wide)))
        beside: dict[str, U16] = {"height": height, "normal": normals_of(height, op.strength, self._wraps(op))}
        return replace(state, rgba=rgba, taken="colour", beside={**state.beside, **beside}, covers=False,
                       rise=op.strength)  # fmt: skip


def _mixed(drawn: Drawn, shape: tuple[int, int]) -> U8:
    """(rows, columns, 4) uint8 straight alpha, sRGB-encoded."""
    light, alpha = np.zeros((*shape, 3)), np.zeros(shape)
    for colour, share in drawn.parts:
        if colour is not None:
            value = np.array(from_hex(colour))
            light += np.broadcast_to(share, shape)[..., None] * (value if drawn.encoded else decode_srgb(value))
            alpha += share
    with np.errstate(invalid="ignore", divide="ignore"):
        light = np.where(alpha[..., None] > 0, light / alpha[..., None], 0.0)
    light *= np.broadcast_to(drawn.shade, shape)[..., None]
    out = np.empty((*shape, 4), np.uint8)
    out[..., :3] = np.rint(np.clip(light if drawn.encoded else encode_srgb(light), 0, 1) * 255)
    out[..., 3] = np.rint(np.clip(alpha, 0, 1) * 255)
    return out


def _covered(at: F64, begin: F64 | float, end: F64 | float, pixel: float) -> F64:
    """The share of pixels with their middles ``at`` that lies between two places of a line."""
    low, high = np.maximum(at - pixel / 2, begin), np.minimum(at + pixel / 2, end)
    return np.asarray(np.clip(high - low, 0, None) / pixel)


def _in_periods(at: F64, pixel: float, thick: F64 | float) -> F64:
    """The share of pixels that lies in [0, thick) of periods of length 1; pixels may hold many periods."""

    def area(x: F64) -> F64:
        whole = np.floor(x)
        return np.asarray(whole * thick + np.minimum(x - whole, thick))

    return np.asarray((area(at + pixel / 2) - area(at - pixel / 2)) / pixel)


def _chance(seed: int, *numbers: Any) -> F64:
    """One number 0 … 1 for whole numbers, the same on every machine (a hash after T. Wang's mix of 64 bits)."""
    x: Any = np.array(seed + 1, np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    for number in numbers:
        x = x ^ (np.asarray(number).astype(np.int64).astype(np.uint64) + np.uint64(0x632BE59BD9B4E019))
        x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        x = x ^ (x >> np.uint64(31))
    return np.asarray((x >> np.uint64(11)).astype(np.float64) / 2.0**53)


# --- one for each pattern -----------------------------------------------------------------------------------------


def noise(op: Noise, grid: Grid) -> Drawn:
    value = tiled(grid.u, grid.v, op.form, op.cells, op.octaves, op.seed, max(grid.wide, grid.high))
    value = np.clip(0.5 + (value - 0.5) * op.contrast, 0, 1)
    return Drawn(((op.colour, value), (op.second, 1 - value)), value, encoded=True)


def ramp(op: Ramp, grid: Grid) -> Drawn:
    u, v = grid.u - 0.5, grid.v - 0.5
    angle = math.radians(op.turn)
    if op.form == "line":
        way = abs(math.cos(angle)) + abs(math.sin(angle))  # so that it ends in the corners
        at = (u * math.cos(angle) + v * math.sin(angle)) / way + 0.5
    elif op.form == "middle":
        at = 2 * np.hypot(u, v)
    else:
        at = ((np.arctan2(v, u) - angle) / (2 * np.pi)) % 1.0
    at = np.clip(at, 0, 1) * op.times
    at = np.where(at >= op.times, 1.0, at % 1.0)
    if op.back:
        at = 1 - np.abs(2 * at - 1)
    share = 1 - at**op.bend
    return Drawn(((op.colour, share), (op.second, 1 - share)), share, encoded=True)


def checker(op: Checker, grid: Grid) -> Drawn:
    a = _in_periods(grid.u * op.across / 2, grid.wide * op.across / 2, 0.5)
    b = _in_periods(grid.v * op.down / 2, grid.high * op.down / 2, 0.5)
    share = a * b + (1 - a) * (1 - b)
    return Drawn(((op.colour, share), (op.second, 1 - share)), 0.25 + share / 2)


def stripes(op: Stripes, grid: Grid) -> Drawn:
    at = grid.u * op.count + grid.v * op.lean
    across, along = grid.wide * op.count, grid.high * abs(op.lean)
    # A pixel's square seen along the stripes is a trapezoid; it is taken in parts.
    parts = 1 if not op.lean else 8
    offsets = [((part + 0.5) / parts - 0.5) * along for part in range(parts)]
    share = np.mean([_in_periods(at + offset, across, op.thick) for offset in offsets], axis=0)
    middle = np.abs((at - op.thick / 2 + 0.5) % 1 - 0.5) * 2 / max(op.thick, 1e-9)  # 1 at its rim
    if op.soft > 0:
        share = share * np.clip((1 - middle) / op.soft, 0, 1)
    round_ = np.sqrt(np.clip(1 - middle**2, 0, 1))
    return Drawn(((op.colour, share), (op.second, 1 - share)), 0.5 + 0.4 * round_ * (share > 0))


def weave(op: Weave, grid: Grid) -> Drawn:
    x, y = grid.u * op.across, grid.v * op.down
    half = (1 - op.thick) / 2
    a = _in_periods(x - half, grid.wide * op.across, op.thick)  # of the threads that run up
    b = _in_periods(y - half, grid.high * op.down, op.thick)
    even = _in_periods(x / 2, grid.wide * op.across / 2, 0.5), _in_periods(y / 2, grid.high * op.down / 2, 0.5)
    over = even[0] * even[1] + (1 - even[0]) * (1 - even[1])  # where those that run up lie on top
    up = over * a + (1 - over) * a * (1 - b)
    along = (1 - over) * b + over * b * (1 - a)
    i, j = np.floor(x), np.floor(y)
    shade = 1 - op.vary * (up * _chance(op.seed, i) + along * _chance(op.seed + 1, j)) - op.vary * (
        _sunk(x, y, up, along) / 2)  # fmt: skip
    high_up = _round(x, op.thick) * (0.5 + 0.5 * np.sin(np.pi * y) * np.where(i % 2 == 0, 1, -1))
    high_along = _round(y, op.thick) * (0.5 - 0.5 * np.sin(np.pi * x) * np.where(j % 2 == 0, 1, -1))
    height = np.maximum(high_up, high_along)
    return Drawn(((op.colour, up), (op.second, along), (op.ground, np.clip(1 - up - along, 0, 1))), height, shade)


def _sunk(x: F64, y: F64, up: F64, along: F64) -> F64:
    """How far a thread that is seen goes down towards the next, 0 … 1."""
    dips = np.abs((y % 1) - 0.5) * 2 * up + np.abs((x % 1) - 0.5) * 2 * along
    return np.asarray(dips**3)


def _round(at: F64, thick: float) -> F64:
    """The height of a round thread in the middle of each period."""
    off = np.abs((at % 1) - 0.5) * 2 / max(thick, 1e-9)
    return np.asarray(np.sqrt(np.clip(1 - off**2, 0, 1)))


def bricks(op: Bricks, grid: Grid) -> Drawn:
    y = grid.v * op.down
    row = np.floor(y)
    x = grid.u * op.across + (op.down - 1 - row) * op.shift
    # Gaps are as wide as they are high, whatever the bricks' proportions are on a square picture.
    tall, long = 1 / op.down, 1 / op.across
    gap_x = op.gap * tall / long * (grid.wide / grid.high)
    share = _in_periods(x - gap_x / 2, grid.wide * op.across, 1 - gap_x) * _in_periods(
        y - op.gap / 2, grid.high * op.down, 1 - op.gap
    )
    column = np.floor(x) % op.across
    shade = np.clip(1 - op.vary * _chance(op.seed, row, column) * share, _DARKEST, 1)
    off_x = (0.5 - np.abs(x % 1 - 0.5)) * long / tall * (grid.high / grid.wide) - op.gap / 2
    off_y = 0.5 - np.abs(y % 1 - 0.5) - op.gap / 2
    edge = np.minimum(off_x, off_y)
    rise = np.clip(edge / op.bevel, 0, 1) if op.bevel > 0 else (edge > 0).astype(np.float64)
    rise = np.sin(rise * np.pi / 2)
    height = 0.2 + rise * (0.5 + 0.15 * op.vary * (_chance(op.seed + 1, row, column) - 0.5))
    return Drawn(((op.colour, share), (op.second, 1 - share)), height, shade)


def planks(op: Planks, grid: Grid) -> Drawn:
    y = grid.v * op.down
    row = np.floor(y)
    x = (grid.u + _chance(op.seed, row)) * op.across
    piece = np.floor(x)
    here, next_ = piece + _joint(op, row, piece), piece + 1 + _joint(op, row, piece + 1)
    number = (piece - (x < here) + (x >= next_)) % op.across
    gap_x = op.gap * op.across / op.down * (grid.wide / grid.high)
    joints = [_covered(x, at - gap_x / 2, at + gap_x / 2, grid.wide * op.across) for at in (here, next_)]
    share = (1 - np.clip(joints[0] + joints[1], 0, 1)) * _in_periods(y - op.gap / 2, grid.high * op.down, 1 - op.gap)
    own = np.floor(_chance(op.seed + 2, row, number) * 64)
    lines = tiled(grid.u, (grid.v + own / 64) % 1.0, "soft", (2, 8 * op.down), 4, op.seed + 3,
                  max(grid.wide, grid.high))  # fmt: skip
    shade = (1 - op.vary * _chance(op.seed + 4, row, number) * share) * (1 - op.grain * (0.7 - lines) * share)
    edge = 0.5 - np.abs(y % 1 - 0.5) - op.gap / 2
    rise = share * np.clip(edge / 0.04, 0, 1)
    height = 0.25 + rise * 0.3 + (lines - 0.5) * 0.2 * op.grain * share
    return Drawn(((op.colour, share), (op.second, 1 - share)), height, np.clip(shade, _DARKEST, 1.3))


def _joint(op: Planks, row: F64, piece: F64) -> F64:
    """How far the joint before a piece lies off its place, in pieces."""
    return np.asarray(0.25 * (_chance(op.seed + 1, row, piece % op.across) - 0.5) * (op.across > 1))


def runs_back(op: Ramp) -> bool:
    """Whether a ramp's sides meet."""
    return bool(op.back) and op.form == "line" and op.turn % 90 == 0
