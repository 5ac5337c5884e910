"""Painting more than once at a time: on the other sides of planes, and round an axis."""

from __future__ import annotations

import msgspec
import numpy as np

from lucky_fern.core.arrays import F64


class Symmetry(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """``planes`` names axes across which strokes are mirrored, ``round`` how many times they go round ``axis``.

    All of them go through ``about``.
    """

    planes: str = ""
    round: int = 1
    axis: str = "y"
    about: tuple[float, float, float] = (0.0, 0.0, 0.0)


def ways_of(symmetry: Symmetry) -> list[tuple[F64, F64]]:
    """Turns (3, 3) and shifts (3,) of every copy of a stroke, the stroke itself first."""
    about = np.array(symmetry.about, np.float64)
    turns = [np.eye(3)]
    for name in symmetry.planes:
        flip = np.eye(3)
        flip["xyz".index(name), "xyz".index(name)] = -1
        turns += [flip @ turn for turn in turns]
    if symmetry.round > 1:
        first = "xyz".index(symmetry.axis)
        x, y = (first + 1) % 3, (first + 2) % 3
        rounds = []
        for number in range(symmetry.round):
            angle = 2 * np.pi * number / symmetry.round
            turn = np.eye(3)
            turn[x, x] = turn[y, y] = np.cos(angle)
            turn[x, y], turn[y, x] = -np.sin(angle), np.sin(angle)
            rounds.append(turn)
        turns = [turn @ one for one in turns for turn in rounds]
    return [(turn, about - turn @ about) for turn in turns]
