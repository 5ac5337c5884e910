"""Runs: edges of the surface followed one after the other, and where beside them every texel lies."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Bool, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.survey.cut import cut, reached

_SAME_SIDE = 0.1  # cosine between a texel's face and the one that a run goes along
_SHARPEST = 3.0  # radians that a line beside a run is taken to turn at once, at most


class Runs(NamedTuple):
    """Edges (N) of runs: ends (N, 2, 3), the run that each belongs to (N,), one after the other.

    ``inward`` (N, 3) points from the edge onto the face whose normal (N, 3) is ``facing``; zero where both sides
    count. ``turn`` (N,) is by how much, in radians, the way turns inward where the edge ends, ``turned`` (N,) where
    it begins; 0 where nothing goes on there. ``closed`` (R,).
    """

    ends: F64
    run: I32
    inward: F64
    facing: F64
    turn: F64
    turned: F64
    closed: Bool

    @property
    def own(self) -> F64:
        """(N,) lengths of the edges."""
        return np.asarray(np.linalg.norm(self.ends[:, 1] - self.ends[:, 0], axis=1), np.float64)


class Sorted(NamedTuple):
    """Pieces (N) of lines that run ``offset`` beside runs, sorted into cells.

    Along a piece a line is at ``begin`` + (way from its edge's start − ``trim``), cut to 0 … ``most``; ``from_start``
    is how far on its edge a piece begins. Round a corner where it ends (or begins) it goes on by ``arc`` times the
    angle: the first column of (N, 2) at starts, the second at ends. ``length`` (R,) are lengths of whole lines.
    """

    ends: F64
    run: I32
    inward: F64
    facing: F64
    begin: F64
    trim: F64
    most: F64
    from_start: F64
    arc: F64
    length: F64
    closed: Bool
    starts: I64
    items: I32
    low: F64
    cell: float
    cells: I64


def runs_of(surface: Surface, chosen: Bool, both: bool = False, outward: bool = False) -> Runs:
    """Follow chosen edges ((T, 3) bool, each seen from the face that it is of) as far as they go on round corners.

    With ``both``, of two that are the two sides of one, one is followed and stands for both; ``outward`` tells of the
    faces on the other side in place of their own.
    """
    model, beyond = surface.model, surface.beyond
    neighbour = beyond.neighbour
    if both:
        own = np.arange(len(neighbour))[:, None]
        other = np.maximum(neighbour, 0)
        island = model.islands
        before = (island[:, None] < island[other]) | ((island[:, None] == island[other]) & (own < other))
        chosen = chosen & ((neighbour < 0) | before)
    after, angle = _after(chosen, neighbour, beyond.entry, model.corners)
    ids = np.flatnonzero(chosen.ravel())
    order: list[int] = []
    run: list[int] = []
    closed: list[bool] = []
    led_to = set(after[ids].tolist())
    seen = np.zeros(chosen.size, np.bool_)
    heads = [one for one in ids.tolist() if one not in led_to] + ids.tolist()  # where nothing leads to comes first
    for head in heads:
        if seen[head]:
            continue
        at = head
        while at >= 0 and not seen[at]:
            seen[at] = True
            order.append(at)
            run.append(len(closed))
            at = int(after[at])
        closed.append(at == head)
    rows = np.array(order, np.int64)
    triangle, corner = rows // 3, rows % 3
    c = model.corners
    ends = np.stack([c[triangle, corner], c[triangle, (corner + 1) % 3]], axis=1)
    facing = model.face_normals[triangle]
    there = neighbour[triangle, corner]
    across = np.where(there[:, None] >= 0, model.face_normals[np.maximum(there, 0)], facing)
    if both:
        facing = unit_rows(facing + across)
    elif outward:
        facing = across
    inward = np.zeros_like(facing) if both else unit_rows(np.cross(facing, ends[:, 1] - ends[:, 0]))
    turn = np.where(after[rows] >= 0, np.pi - angle[rows], 0.0)
    numbers, loops = np.array(run, np.int32), np.array(closed, np.bool_)
    return Runs(ends, numbers, inward, facing, turn, _turned(turn, numbers, loops), loops)


def _turned(turn: F64, run: I32, closed: Bool) -> F64:
    """(N,) how the way turns where edges begin, from how it turns where those before them end."""
    if not len(turn):
        return turn
    first, before = _heads(run)
    return np.where(~first | closed[run], turn[before], 0.0)


def _heads(run: I32) -> tuple[Bool, I64]:
    """(N,) whether an edge is the first of its run; (N,) the one before it, the last of the run for the first."""
    if not len(run):
        return np.zeros(0, np.bool_), np.zeros(0, np.int64)
    first = np.append(True, run[1:] != run[:-1])
    before = np.arange(len(run)) - 1
    before[first] = np.flatnonzero(np.append(first[1:], True))
    return first, before


def run_along(points: F64, normals: F64, closed: bool) -> Runs:
    """A path (N, 3) with normals (N, 3) as one run that has both sides; its left is inward."""
    ends = np.stack([points[:-1], points[1:]], axis=1)
    facing = unit_rows(normals[:-1] + normals[1:])
    way = unit_rows(ends[:, 1] - ends[:, 0])
    following = np.roll(way, -1, axis=0)
    sine = (np.cross(way, following) * facing).sum(axis=1)
    turn = np.arctan2(sine, (way * following).sum(axis=1))
    if not closed and len(turn):
        turn[-1] = 0.0
    numbers, loops = np.zeros(len(ends), np.int32), np.array([closed], np.bool_)
    return Runs(ends, numbers, np.zeros((len(ends), 3)), facing, turn, _turned(turn, numbers, loops), loops)


def together(several: Sequence[Runs]) -> Runs:
    """Runs one after the other, numbered through."""
    before = np.cumsum([0, *(len(one.closed) for one in several)])
    run = np.concatenate([one.run + number for one, number in zip(several, before[:-1], strict=True)])
    rest = {name: np.concatenate([getattr(one, name) for one in several])
            for name in ("ends", "inward", "facing", "turn", "turned", "closed")}  # fmt: skip
    return Runs(run=run.astype(np.int32), **rest)


def stopped(runs: Runs, angle: float) -> Runs:
    """The same runs, ended wherever the way turns by ``angle`` degrees or more. How it turns there is still told."""
    if not len(runs.run):
        return runs
    least = np.radians(angle)
    first, _ = _heads(runs.run)
    begins = first | (np.abs(runs.turned) >= least)
    order, closed, run = np.arange(len(runs.run)), [], np.zeros(len(runs.run), np.int32)
    starts = [*np.flatnonzero(first).tolist(), len(runs.run)]
    for low, high in pairwise(starts):
        cuts = np.flatnonzero(np.abs(runs.turned[low:high]) >= least)
        if runs.closed[runs.run[low]] and len(cuts):
            order[low:high] = low + np.roll(np.arange(high - low), -int(cuts[0]))  # it begins at a corner
            closed += [False] * len(cuts)
        elif runs.closed[runs.run[low]]:
            closed.append(True)
        else:
            closed += [False] * (1 + int((cuts > 0).sum()))
    heads = begins[order]
    heads[starts[:-1]] = True
    run = (np.cumsum(heads) - 1).astype(np.int32)
    rest = {name: getattr(runs, name)[order] for name in ("ends", "inward", "facing", "turn", "turned")}
    return Runs(run=run, closed=np.array(closed, np.bool_), **rest)


def corners_of(runs: Runs, angle: float, offset: float, length: float) -> Runs:
    """A short run of one edge, ``length`` long, across each corner of ``angle`` degrees or more.

    It lies where the lines ``offset`` inward meet, along the mean of both ways.
    """
    two = np.flatnonzero(np.abs(runs.turned) >= np.radians(angle))
    one = _heads(runs.run)[1][two]
    way = unit_rows(runs.ends[:, 1] - runs.ends[:, 0])
    sided = np.abs(runs.inward).sum(axis=1, keepdims=True) > 0
    left = np.where(sided, runs.inward, np.cross(runs.facing, way))
    both = left[one] + left[two]
    meeting: F64 = np.maximum(1 + np.einsum("nd,nd->n", left[one], left[two]), 0.2)
    towards: Bool = np.asarray(runs.turn[one] * np.sign(offset) > 0)
    middle = runs.ends[one, 1] + offset * np.where(towards[:, None], both / meeting[:, None], unit_rows(both))
    along = unit_rows(way[one] + way[two]) * (length / 2)
    facing = unit_rows(runs.facing[one] + runs.facing[two])
    count = len(one)
    nothing = np.zeros(count)
    return Runs(np.stack([middle - along, middle + along], axis=1), np.arange(count, dtype=np.int32),
                np.zeros((count, 3)), facing, nothing, nothing, np.zeros(count, np.bool_))  # fmt: skip


@kernel
def _after(chosen: Bool, neighbour: I32, entry: I32, corners: F64) -> tuple[I64, F64]:
    """For each chosen edge (3 · face + corner) the one that goes on where it ends, on the same side; -1 for none.

    And the angle of the surface between the two.
    """
    out = np.full(chosen.size, -1, np.int64)
    angle = np.zeros(chosen.size)
    for t in range(len(chosen)):
        for k in range(3):
            if not chosen[t, k]:
                continue
            face, edge, total = t, (k + 1) % 3, 0.0
            for _ in range(4096):
                # The corner of the face at which its edge begins.
                c = corners[face]
                uu = vv = uv = 0.0
                for i in range(3):
                    u, v = c[(edge + 1) % 3, i] - c[edge, i], c[(edge + 2) % 3, i] - c[edge, i]
                    uu, vv, uv = uu + u * u, vv + v * v, uv + u * v
                if uu > 0.0 and vv > 0.0:
                    total += np.arccos(min(max(uv / np.sqrt(uu * vv), -1.0), 1.0))
                if chosen[face, edge]:
                    out[3 * t + k] = 3 * face + edge
                    angle[3 * t + k] = total
                    break
                other = neighbour[face, edge]
                if other < 0:
                    break
                edge = (entry[face, edge] + 1) % 3
                face = other
    return out, angle


def sorted_runs(runs: Runs, offset: float, reach: float, room: float = 0.0) -> Sorted:
    """The lines ``offset`` inward of runs, made ready for questions within ``reach`` of the runs.

    At a corner towards the line's side both of its ends are cut (by the tangent of half the angle), at one away from
    it the line goes round in an arc: so lengths along it are real ones. Runs that stop at a corner end ``room``
    before.
    """
    own, count = runs.own, len(runs.closed)
    first = _heads(runs.run)[0]
    last = np.append(first[1:], True) if len(own) else first
    open_ = ~runs.closed[runs.run]

    def at_corner(turn: F64, ends: Bool) -> tuple[F64, F64]:
        """How much is cut off there, and the radius of the arc."""
        turn = np.clip(turn, -_SHARPEST, _SHARPEST)
        towards = turn * np.sign(offset) > 0
        off = np.where(towards, np.abs(offset) * np.tan(np.abs(turn) / 2), 0.0) + np.where(
            ends & (turn != 0), room, 0
        )
        return off, np.where(towards | (turn == 0) | ends, 0.0, np.abs(offset))

    cut_end, arc_end = at_corner(runs.turn, last & open_)
    cut_start, arc_start = at_corner(runs.turned, first & open_)
    round_start = arc_start * np.abs(np.clip(runs.turned, -_SHARPEST, _SHARPEST))
    most = np.maximum(own - cut_start - cut_end, 0.0)
    spent = most + np.where(first, 0.0, round_start)
    at = np.cumsum(spent) - most
    begin = at - (np.cumsum(spent) - spent)[np.flatnonzero(first)][runs.run] if len(own) else at
    length = np.asarray(np.bincount(runs.run, spent, count), np.float64)
    length += np.where(runs.closed, np.bincount(runs.run, np.where(first, round_start, 0.0), count), 0.0)
    made = cut(runs.ends, reach)
    row, share = made.row, made.share
    arc = np.stack(
        [np.where(share[:, 0] <= 0, arc_start[row], 0), np.where(share[:, 1] >= 1, arc_end[row], 0)], axis=1
    )
    return Sorted(
        made.pieces, runs.run[row], np.ascontiguousarray(runs.inward[row]), np.ascontiguousarray(runs.facing[row]),
        begin[row], cut_start[row], most[row], share[:, 0] * own[row], np.ascontiguousarray(arc), length, runs.closed,
        made.starts, made.items, made.low, made.cell, made.cells,
    )  # fmt: skip


def beside(found: Sorted, points: F64, normals: F64, reach: float, outward: bool) -> tuple[I32, F64, F64]:
    """Where points (N, 3) of faces with normals (N, 3) lie beside the nearest run.

    Returns
    -------
    (N,) int32 the run, -1 where none is within ``reach``; how far along its line (N,), and how far inward of the run
    (N,): to the left of a path. ``outward`` asks for points on the other side of edges.
    """
    run = np.full(len(points), -1, np.int32)
    along, off = np.zeros(len(points)), np.zeros(len(points))
    if len(found.ends):
        _beside(found.ends, found.run, found.inward, found.facing, found.begin, found.trim, found.most,
                found.from_start, found.arc, found.starts, found.items, found.low, found.cell, found.cells,
                np.ascontiguousarray(points), np.ascontiguousarray(normals), reach, outward,
                run, along, off)  # fmt: skip
    return run, along, off


@kernel
def _beside(
    ends: F64, runs: I32, inward: F64, facing: F64, begin: F64, trim: F64, most: F64, from_start: F64, arc: F64,
    starts: I64, items: I32, low: F64, cell: float, cells: I64, points: F64, normals: F64, reach: float,
    outward: bool, run: I32, along: F64, off: F64,
) -> None:  # fmt: skip
    d, u, m = np.empty(3), np.empty(3), np.empty(3)
    first, last = np.empty(3, np.int64), np.empty(3, np.int64)
    for n in range(len(points)):
        reached(points[n], reach, low, cell, cells, first, last)
        best = reach * reach
        for x in range(first[0], last[0] + 1):
            for y in range(first[1], last[1] + 1):
                for z in range(first[2], last[2] + 1):
                    at = (x * cells[1] + y) * cells[2] + z
                    for i in range(starts[at], starts[at + 1]):
                        k = items[i]
                        same = square = ahead = 0.0
                        two_sided = True
                        for j in range(3):
                            same += facing[k, j] * normals[n, j]
                            u[j] = ends[k, 1, j] - ends[k, 0, j]
                            d[j] = points[n, j] - ends[k, 0, j]
                            square += u[j] * u[j]
                            ahead += d[j] * u[j]
                            two_sided = two_sided and inward[k, j] == 0.0
                        if same < _SAME_SIDE or square <= 0.0:
                            continue
                        f = min(max(ahead / square, 0.0), 1.0)
                        far = side = over = 0.0
                        for j in range(3):
                            if two_sided:  # to the left of a path, as one stands on the surface
                                a, b = (j + 1) % 3, (j + 2) % 3
                                m[j] = (facing[k, a] * u[b] - facing[k, b] * u[a]) / np.sqrt(square)
                            else:
                                m[j] = inward[k, j]
                        for j in range(3):
                            d[j] -= f * u[j]
                            far += d[j] * d[j]
                            side += d[j] * m[j]
                            over += d[j] * u[j]
                        if far >= best:
                            continue
                        if not two_sided and (side < 0.0) != outward and abs(side) > 1e-7 * reach:
                            continue
                        length = np.sqrt(square)
                        best = far
                        run[n] = runs[k]
                        local = from_start[k] + f * length
                        s = begin[k] + min(max(local - trim[k], 0.0), most[k])
                        end = 1 if f >= 1.0 else 0
                        if (f <= 0.0 or f >= 1.0) and arc[k, end] > 0.0:
                            s += arc[k, end] * np.arctan2(over / length, abs(side))
                        along[n] = s
                        off[n] = np.sqrt(far) if side >= 0.0 else -np.sqrt(far)
