"""Motifs of edgings: what is made of where a texel lies beside a run."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64, I64
from lucky_fern.core.compiled import kernel

MOTIFS = ("stitch", "dash", "rivet", "tooth", "line")
_TWIST = 2.2  # turns of a thread to its width
_MOST_TURN = np.pi / 6  # of a motif that varies as much as it can


@kernel
def _chance(run: int, number: int, seed: int, what: int) -> float:
    """One of many numbers 0…1 for a motif of a run."""
    h = np.uint32(run * 7919 + number) * np.uint32(0x9E3779B1)
    h ^= np.uint32(seed * 131 + what) * np.uint32(0x85EBCA6B)
    h ^= h >> np.uint32(16)
    h *= np.uint32(0x7FEB352D)
    h ^= h >> np.uint32(15)
    h *= np.uint32(0x846CA68B)
    h ^= h >> np.uint32(16)
    return float(h & np.uint32(0xFFFFFFFF)) / 4294967295.0  # products are wider


@kernel
def places_in(
    run: I64, along: F64, off: F64, pitch: F64, whole: F64, length: float, width: float, jitter: float, seed: int,
    across: F64, down: F64, motif: I64,
) -> None:  # fmt: skip
    """Where texels lie in the motif that they belong to, from its middle: ``across`` along the run, ``down`` inward.

    ``motif`` becomes its number on its run, -1 for none.

    ``pitch`` (R,) is the way from one motif to the next, ``whole`` (R,) how many a run has: beyond them lies nothing
    (infinity).
    """
    for n in range(len(run)):
        r = run[n]
        number = int(np.floor(along[n] / pitch[r]))
        motif[n] = -1
        if r < 0 or number < 0 or number >= whole[r]:
            across[n] = np.inf
            continue
        motif[n] = number
        x, y = along[n] - (number + 0.5) * pitch[r], off[n]
        if jitter > 0.0:
            x -= (_chance(r, number, seed, 0) - 0.5) * jitter * max(pitch[r] - length, 0.0)
            y -= (_chance(r, number, seed, 1) - 0.5) * jitter * width
            turn = (_chance(r, number, seed, 2) - 0.5) * 2.0 * jitter * _MOST_TURN
            x, y = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
            x /= 1.0 + (_chance(r, number, seed, 3) - 0.5) * 0.6 * jitter
        across[n], down[n] = x, y


def drawn(
    motif: str, x: F64, y: F64, length: float, width: float, round_: float, texel: F64, blur: float = 0.0
) -> tuple[F64, F64]:  # fmt: skip
    """How far a motif covers texels (N,) and how high it stands there, each 0…1.

    ``x`` and ``y`` (N,) lie ``length`` and ``width`` wide about its middle; ``texel`` (N,) is how wide a texel is,
    over which its edge is drawn; with ``blur`` (units) it fades so far to both sides.
    """
    half_x, half_y = length / 2, width / 2
    there = np.isfinite(x)
    x = np.where(there, x, 9 * length)
    far_x, far_y = np.abs(x), np.abs(y)
    if motif == "rivet":
        out = np.hypot(x / half_x, y / half_y)
        inside = (1 - out) * min(half_x, half_y)
        high = np.sqrt(np.clip(1 - out * out, 0, 1))
    elif motif == "line":
        inside = half_y - far_y
        high = np.ones_like(x)
    elif motif == "tooth":
        tall = 0.5 - y / width  # 1 at the border, 0 at the tip
        edge = half_x * np.clip(tall, 0, 1)
        slope = np.hypot(1.0, half_x / width)
        inside = np.minimum((edge - far_x) / slope, np.minimum(half_y - y, half_y + y))
        high = np.ones_like(x)
    else:
        corner = round_ * min(half_x, half_y)
        # Signed distance to a box with round corners.
        beyond_x, beyond_y = far_x - (half_x - corner), far_y - (half_y - corner)
        outside = np.hypot(np.maximum(beyond_x, 0), np.maximum(beyond_y, 0))
        inside = corner - outside - np.minimum(np.maximum(beyond_x, beyond_y), 0)
        high = np.ones_like(x)
        if motif == "stitch":
            thread = np.sqrt(np.clip(1 - (y / half_y) ** 2, 0, 1))
            twist = 0.5 + 0.5 * np.cos(2 * np.pi * (x / width * _TWIST / 2 + 0.6 * y / width))
            ends = np.clip((half_x - far_x) / max(half_y, 1e-300), 0, 1) ** 0.5
            high = thread * ends * (0.78 + 0.22 * twist)
    cover = np.clip(0.5 + inside / np.maximum(texel + 2 * blur, 1e-300), 0, 1)
    if blur > 0:
        cover = cover * cover * (3 - 2 * cover)
    cover[~there] = 0
    return cover, np.where(cover > 0, high, 0)
