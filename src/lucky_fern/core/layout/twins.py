"""Islands of the same shape: found by walking both at once, face by face, lengths compared on the surface."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import I64
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.outlines import outlines

NEAR = 2e-3  # of a length; closer counts as equal
_TRIES = 24  # faces of an island that the first face of the other is tried on
Edge = tuple[int, int]  # a face, and which of its corners an edge starts at


def stack_twins(layout: Layout) -> int:
    """Lay each chosen island onto the first one of its shape; how many were moved.

    Corner gets the place of its corner, so twins cover each other to the last bit, mirrored ones turned over.
    """
    shapes = _Shapes(layout.model)
    firsts: list[int] = []
    moved = 0
    flat = layout.uv.reshape(-1, 2)
    for island in layout.numbers.tolist():
        for first in firsts:
            partner = shapes.match(first, island)
            if partner is not None:
                rows = layout.rows(island)
                corners = (rows[:, None].astype(np.int64) * 3 + np.arange(3)).ravel()
                flat[corners] = flat[[partner[corner] for corner in corners.tolist()]]
                moved += 1
                break
        else:
            firsts.append(island)
    return moved


class _Shapes:
    """The faces of a model by island, with the lengths that tell shapes apart."""

    def __init__(self, model: Model) -> None:
        self.model = model
        sizes, corners, self.face_of = outlines(model)
        ends = np.cumsum(sizes)
        self.loops = [loop.tolist() for loop in np.split(corners, ends[:-1])]
        vertex = model.triangles.reshape(-1)
        self.vertex: list[list[int]] = [vertex[loop].tolist() for loop in self.loops]
        point = [model.positions[one] for one in self.vertex]
        # From each corner to the next, and to the one after: edges and angles.
        self.next = [np.linalg.norm(np.roll(p, -1, axis=0) - p, axis=1) for p in point]
        self.after = [np.linalg.norm(np.roll(p, -2, axis=0) - p, axis=1) for p in point]
        first_triangle = np.array([loop[0] // 3 for loop in self.loops])
        self.island = model.islands[first_triangle]
        self._edges: dict[int, dict[tuple[int, int], Edge]] = {}

    def faces(self, island: int) -> I64:
        return np.flatnonzero(self.island == island)

    def edges(self, island: int) -> dict[tuple[int, int], Edge]:
        """Directed edges (vertex, vertex) of an island."""
        if island not in self._edges:
            found = {}
            for face in self.faces(island).tolist():
                one = self.vertex[face]
                for at in range(len(one)):
                    found[one[at], one[(at + 1) % len(one)]] = (face, at)
            self._edges[island] = found
        return self._edges[island]

    def match(self, one: int, other: int) -> dict[int, int] | None:
        """Corner of island ``other`` → corner of ``one`` with the same place on the shape; None if they differ."""
        mine, theirs = self.faces(one), self.faces(other)
        if len(mine) != len(theirs):
            return None
        signs = [sorted(self._sign(face) for face in faces.tolist()) for faces in (mine, theirs)]
        if any(len(a) != len(b) or not np.allclose(a, b, rtol=2 * NEAR) for a, b in zip(*signs, strict=True)):
            return None
        # Begin where there is least choice: at the face of the first with the fewest alike.
        kinds = [tuple(np.round(np.log(np.maximum(self._sign(face), 1e-300)) / 0.02)) for face in mine.tolist()]
        counts: dict[tuple[float, ...], int] = {}
        for kind in kinds:
            counts[kind] = counts.get(kind, 0) + 1
        seed = int(mine[min(range(len(kinds)), key=lambda at: counts[kinds[at]])])
        wanted = self._sign(seed)
        alike = [face for face in theirs.tolist() if len(self._sign(face)) == len(wanted)
                 and np.allclose(self._sign(face), wanted, rtol=2 * NEAR)]  # fmt: skip
        for candidate in alike[:_TRIES]:
            for mirrored in (False, True):
                for shift in range(len(self.loops[seed])):
                    found = self._walk(one, other, seed, candidate, shift, mirrored)
                    if found is not None:
                        return found
        return None

    def _sign(self, face: int) -> list[float]:
        """Lengths of a face in rising order: equal for equal shapes."""
        return sorted(self.next[face].tolist())

    def _walk(
        self, one: int, other: int, seed: int, candidate: int, shift: int, mirrored: bool
    ) -> dict[int, int] | None:
        """Walk both islands from one pair of faces on; None as soon as something differs."""
        edges_one, edges_other = self.edges(one), self.edges(other)
        pairs: dict[int, tuple[int, int]] = {}
        taken: set[int] = set()
        todo = [(candidate, seed, shift)]
        while todo:
            theirs, mine, shift = todo.pop()
            if theirs in pairs:
                if pairs[theirs] != (mine, shift):
                    return None
                continue
            if mine in taken or not self._equal(theirs, mine, shift, mirrored):
                return None
            pairs[theirs] = (mine, shift)
            taken.add(mine)
            a, b = self.vertex[theirs], self.vertex[mine]
            count = len(a)
            for at in range(count):
                # The same edge, each seen from the face on its other side.
                far = edges_other.get((a[(at + 1) % count], a[at]))
                i, j = _place(at, shift, mirrored, count), _place(at + 1, shift, mirrored, count)
                near = edges_one.get((b[i], b[j]) if mirrored else (b[j], b[i]))
                if mirrored and near is not None and near[0] == mine:
                    return None
                if (far is None) != (near is None):
                    return None
                if far is None or near is None:
                    continue
                size = len(self.loops[near[0]])
                if mirrored:
                    # Their edge starts at far[1] and runs to a[at]; in mine it ends where theirs starts.
                    todo.append((far[0], near[0], (far[1] + near[1] + 1) % size))
                else:
                    todo.append((far[0], near[0], (near[1] - far[1]) % size))
        if len(pairs) != len(self.faces(other)):
            return None
        corners: dict[int, int] = {}
        for theirs, (mine, shift) in pairs.items():
            loop, mate = self.loops[theirs], self.loops[mine]
            by_vertex = {vertex: mate[_place(at, shift, mirrored, len(loop))]
                         for at, vertex in enumerate(self.vertex[theirs])}  # fmt: skip
            for triangle in self._triangles(theirs):
                for k in range(3):
                    corners[3 * triangle + k] = by_vertex[int(self.model.triangles[triangle, k])]
        return corners

    def _triangles(self, face: int) -> list[int]:
        low = self.loops[face][0] // 3
        found = []
        start = low
        while start > 0 and self.face_of[start - 1] == face:
            start -= 1
        while start < len(self.face_of) and self.face_of[start] == face:
            found.append(start)
            start += 1
        return found

    def _equal(self, theirs: int, mine: int, shift: int, mirrored: bool) -> bool:
        count = len(self.loops[theirs])
        if len(self.loops[mine]) != count:
            return False
        place = np.array([_place(at, shift, mirrored, count) for at in range(count)])
        # Mirrored, the way from a corner on is the way to its partner from the one before.
        edge = self.next[mine][(place - 1) % count] if mirrored else self.next[mine][place]
        angle = self.after[mine][(place - 2) % count] if mirrored else self.after[mine][place]
        scale = float(max(self.next[theirs].max(), 1e-300))
        return bool(
            np.abs(self.next[theirs] - edge).max() <= NEAR * scale
            and np.abs(self.after[theirs] - angle).max() <= 2 * NEAR * scale
        )


def _place(at: int, shift: int, mirrored: bool, count: int) -> int:
    """Which corner of the partner corner ``at`` is."""
    return (shift - at if mirrored else shift + at) % count
