"""Arranging islands on tiles: as large as they go, or off each other into free room."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.islands import Layout, meetings
from lucky_fern.core.layout.room import Room, fit, largest_fit, room_beside
from lucky_fern.core.project.layouts import Pack, Unstack
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

Groups = list[tuple[int, ...]]
SizeAt = Callable[[str, F64], Extent]


def pack(layout: Layout, asked: Pack, size_at: SizeAt, told: Callable[[float], None]) -> None:
    """Pack the chosen islands, tile by tile; others on the tile stay, and the room they leave is used."""
    if not 0 <= asked.padding <= 256:
        raise CommandError(tr("padding runs from 0 to 256 texels, not {padding}", padding=asked.padding))
    _pack_groups(layout, layout.groups(), asked, size_at, told)


def _pack_groups(
    layout: Layout, found: Groups, asked: Pack, size_at: SizeAt, told: Callable[[float], None] = lambda share: None
) -> None:
    by_tile: dict[tuple[int, float, float], Groups] = {}
    for group in found:
        rows = layout.whole(np.array(group))
        corner = layout.tile(rows)
        material = int(layout.model.material[rows][0])
        by_tile.setdefault((material, float(corner[0]), float(corner[1])), []).append(group)
    for number, ((material, u, v), groups) in enumerate(by_tile.items()):

        def of_all(share: float, number: int = number) -> None:
            told((number + share) / len(by_tile))

        corner = np.array([u, v])
        size = size_at(layout.model.materials[material], corner)
        members = [layout.whole(np.array(group)) for group in groups]
        room = room_beside(layout, material, corner, np.any(members, axis=0), asked.padding / size.shortest)
        shapes = [layout.uv[rows] for rows in members]
        turn = asked.turn and size.width == size.height  # a quarter turn would squeeze texels otherwise
        if asked.scale:
            spots = largest_fit(shapes, room, turn, told=of_all)
        else:
            spots = fit(shapes, room, 1.0, turn, of_all)
        if spots is None:
            remedy = "less padding or fewer islands" if asked.scale else "let packing scale them"
            raise CommandError(
                tr(
                    "{groups} islands do not fit onto the tile at {size} texels: take {remedy}",
                    groups=len(groups),
                    size=size,
                    remedy=remedy,
                )
            )
        for rows, shape, spot in zip(members, shapes, spots, strict=True):
            layout.uv[rows] = spot.carry(shape)


def unstack(layout: Layout, asked: Unstack, size_at: SizeAt, told: Callable[[float], None]) -> None:
    """Move islands off those they lie on, into free room; of each stack the largest stays.

    Where there is no room, all that overlapped there is packed anew, smaller, if that is asked for.
    """
    model = layout.model
    mine = set(layout.numbers.tolist())
    pairs = [(one, other) for (one, other), meeting in meetings(model, layout.measures).items()
             if (one in mine or other in mine)
             and (asked.twins or meeting not in ("same", "mirrored"))]  # fmt: skip
    if not pairs:
        aside = "" if asked.twins else " (twins aside, which cover each other on purpose)"
        raise CommandError(tr("none of the selected islands lies on another one{aside}", aside=aside))
    rooms: dict[tuple[int, float, float], Room] = {}
    moves = _movers(layout, pairs, mine, asked.twins)
    everything = layout.whole(np.array(moves, np.int32))
    before = layout.uv.copy()
    left: list[int] = []
    movers = _as_groups(layout, moves, asked.twins)
    for number, group in enumerate(movers):
        told(number / len(movers) / 2)
        rows = layout.whole(np.array(group))
        corner, material = layout.tile(rows), int(model.material[rows][0])
        key = (material, float(corner[0]), float(corner[1]))
        if key not in rooms:
            padding = asked.padding / size_at(model.materials[material], corner).shortest
            rooms[key] = room_beside(layout, material, corner, everything, padding)
        spot = rooms[key].find(layout.uv[rows])
        if spot is None:
            left += group
            continue
        layout.uv[rows] = spot.carry(layout.uv[rows])
        rooms[key].take(layout.uv[rows])
    if not left:
        return
    if not asked.pack:
        layout.notes.append(
            tr("for {left} of them the tile has no free room; pack it, or send them to another tile", left=len(left))
        )
        return
    layout.uv[:] = before
    numbers = np.unique(pairs).astype(np.int32)
    _pack_groups(
        layout,
        _as_groups(layout, numbers.tolist(), asked.twins),
        Pack(asked.padding),
        size_at,
        lambda share: told(0.5 + share / 2),
    )
    layout.notes.append(tr("the tile had no room for them at their size: all that overlapped was packed, smaller"))


def _movers(layout: Layout, pairs: list[tuple[int, int]], mine: set[int], single: bool) -> list[int]:
    """Which islands have to go so that none of the pairs meets; those that are not ``mine`` stay."""
    islands = layout.model.islands
    area = np.bincount(np.maximum(islands, 0), weights=np.abs(layout.measures.uv_area) * (islands >= 0))
    meets: dict[int, set[int]] = {}
    for one, other in pairs:
        meets.setdefault(one, set()).add(other)
        meets.setdefault(other, set()).add(one)
    stays: set[int] = set()
    moves: list[int] = []
    for island in sorted(meets, key=lambda number: (number in mine, -area[number], number)):
        if island in moves:
            continue
        twins = (island,) if single else layout.twins.get(island, (island,))
        if island in mine and meets[island] & stays:
            moves += [one for one in twins if one not in moves]
        else:
            stays.update(twins)
    return moves


def _as_groups(layout: Layout, islands: list[int], single: bool) -> Groups:
    """Islands with their twins, largest first."""
    seen: set[int] = set()
    found: Groups = []
    for island in islands:
        if island not in seen:
            group = (island,) if single else layout.twins.get(island, (island,))
            seen.update(group)
            found.append(group)
    return sorted(found, key=lambda group: -float(np.ptp(layout.box(layout.rows(group[0])), axis=0).max()))
