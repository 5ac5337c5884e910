"""Painting more than once at a time: on the other sides of planes, and round an axis."""

from __future__ import annotations

import msgspec
import numpy as np

from lucky_fern.core.arrays import F64, unit_rows


class Symmetry(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """``planes`` names axes across which strokes are mirrored, ``round`` how many times they go round ``axis``.

    ``normal`` is that of one more plane, chosen freely. All of them go through ``about``.
    """

    planes: str = ""
    round: int = 1
    axis: str = "y"
    about: tuple[float, float, float] = (0.0, 0.0, 0.0)
    normal: tuple[float, float, float] | None = None


def ways_of(symmetry: Symmetry) -> list[tuple[F64, F64]]:
    """Turns (3, 3) and shifts (3,) of every copy of a stroke, the stroke itself first."""
    about = np.array(symmetry.about, np.float64)
    turns = [np.eye(3)]
    for normal in _normals(symmetry):
        flip = np.eye(3) - 2 * np.outer(normal, normal)
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


def _normals(symmetry: Symmetry) -> list[F64]:
    """(3,) each, of all planes."""
    found = [np.eye(3)["xyz".index(name)] for name in symmetry.planes]
    if symmetry.normal is not None:
        found.append(unit_rows(np.array(symmetry.normal, np.float64)))
    return found


def symmetry_lines(symmetry: Symmetry, bounds: F64) -> list[F64]:
    """Lines (N, 3) that show planes and axis: a square on each plane, and the axis with its spokes.

    ``bounds`` (2, 3) are the model's.
    """
    about, half = np.array(symmetry.about, np.float64), np.ptp(bounds, axis=0) * 0.55
    lines = []
    for normal in _normals(symmetry):
        first = np.eye(3)[int(np.argmin(np.abs(normal)))]
        first = unit_rows(first - normal * (first @ normal))
        second = np.cross(normal, first)
        a, b = first * float(np.abs(first) @ half), second * float(np.abs(second) @ half)
        lines.append(about + np.array([a + b, a - b, -a - b, b - a, a + b]))
    if symmetry.round > 1:
        number = "xyz".index(symmetry.axis)
        axis, low = np.eye(3)[number] * half[number], about.copy()
        lines.append(np.array([about - axis, about + axis]))
        low[number] -= half[number]
        reach = float(np.delete(half, number).max())
        for turn in 2 * np.pi * np.arange(symmetry.round) / symmetry.round:
            spoke = np.zeros(3)
            spoke[(number + 1) % 3], spoke[(number + 2) % 3] = np.cos(turn) * reach, np.sin(turn) * reach
            lines.append(np.array([low, low + spoke]))
    return lines


def middle_and_facing(corners: F64) -> tuple[F64, F64 | None]:
    """The middle of some faces, corners (N, 3, 3), weighted by area, and which way they face (unit length).

    The second is None where they look all ways.
    """
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    weight = np.linalg.norm(across, axis=1)
    about = (corners.mean(axis=1) * weight[:, None]).sum(axis=0) / max(float(weight.sum()), 1e-300)
    mean = across.sum(axis=0)
    length = float(np.linalg.norm(mean))
    return about, mean / length if length >= 1e-6 * float(weight.sum()) and length > 0 else None
