"""Areas of a grid as few rectangles as possible.

The minimum partition of a rectilinear area with holes (W. T. Liou, J. J. Tan and R. C. T. Lee, "Minimum Partitioning
Simple Rectilinear Polygons in O(n log log n) Time", 1989; D. Eppstein, "Graph-Theoretic Solutions to Computational
Geometry Problems", 2009, section 3): as many cuts between two inner corners as do not cross, found as a largest
independent set of a bipartite graph (König), then one cut from every inner corner that is left.
"""

from __future__ import annotations

from itertools import pairwise, product

import numpy as np

from lucky_fern.core.arrays import I64, Array, Bool

Cut = tuple[int, int, int]  # the line that it lies on, and from where to where along it


def rectangles(area: Bool) -> I64:
    """(N, 4) left, upper, right, lower (not included) of the fewest rectangles that fill an area (r, c) exactly."""
    import cv2

    rows, columns = area.shape
    if not area.any():
        return np.zeros((0, 4), np.int64)
    _, labels = cv2.connectedComponents(area.astype(np.uint8), connectivity=4)
    # Texels with a rim, so that every corner has four round it.
    piece = np.zeros((rows + 2, columns + 2), np.int32)
    piece[1:-1, 1:-1] = labels
    walls = (piece[:, :-1] != piece[:, 1:], piece[:-1] != piece[1:])  # right of each texel, below each
    inner = _inner_corners(piece)
    across, along = _cuts(inner, walls[1], piece), [
        (b, a, c) for b, a, c in _cuts(inner.T, walls[0].T, piece.T)
    ]  # fmt: skip
    chosen_across, chosen_down = _uncrossed(across, along)
    done = np.zeros_like(inner)
    for line, start, end in chosen_across:
        walls[1][line, start + 1 : end + 1] = True
        done[line, [start, end]] = True
    for line, start, end in chosen_down:
        walls[0][start + 1 : end + 1, line] = True
        done[[start, end], line] = True
    for line, at in np.argwhere(inner & ~done).tolist():
        _cut_on(walls, line, at)
    return _filled(piece, walls)


def _inner_corners(piece: Array) -> Bool:
    """(r + 1, c + 1) where three of the four texels round a corner are of one piece and the fourth is not."""
    four = np.stack([piece[:-1, :-1], piece[:-1, 1:], piece[1:, :-1], piece[1:, 1:]])
    most = four.max(axis=0)
    return np.asarray(((four == most).sum(axis=0) == 3) & (most > 0)) | _three_alike(four)


def _three_alike(four: Array) -> Bool:
    """The same where the fourth belongs to a piece of a higher number."""
    ordered = np.sort(four, axis=0)
    return np.asarray((ordered[0] == ordered[2]) & (ordered[0] > 0) & (ordered[3] != ordered[2]))


def _cuts(inner: Bool, walls: Bool, piece: Array) -> list[Cut]:
    """Straight ways within the area from one inner corner to the next on the same line."""
    found = []
    for line in np.flatnonzero(inner.any(axis=1)).tolist():
        places = np.flatnonzero(inner[line]).tolist()
        for start, end in pairwise(places):
            between = slice(start + 1, end + 1)
            if not walls[line, between].any() and (piece[line, between] > 0).all():
                found.append((line, start, end))
    return found


def _uncrossed(across: list[Cut], down: list[Cut]) -> tuple[list[Cut], list[Cut]]:
    """As many cuts as possible of which no two meet."""
    if not across or not down:
        return across, down
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import maximum_bipartite_matching

    a, d = np.array(across), np.array(down)
    meets = ((d[None, :, 1] <= a[:, None, 0]) & (a[:, None, 0] <= d[None, :, 2])
             & (a[:, None, 1] <= d[None, :, 0]) & (d[None, :, 0] <= a[:, None, 2]))  # fmt: skip
    mate = maximum_bipartite_matching(csr_matrix(meets), perm_type="column")  # of each cut across, or -1
    # Reached from what has no mate, over edges that are not and are of the matching in turn (König).
    reached_a, reached_d = mate < 0, np.zeros(len(down), np.bool_)
    todo = np.flatnonzero(reached_a).tolist()
    owner = np.full(len(down), -1)
    owner[mate[mate >= 0]] = np.flatnonzero(mate >= 0)
    while todo:
        one = todo.pop()
        for other in np.flatnonzero(meets[one] & ~reached_d).tolist():
            reached_d[other] = True
            back = int(owner[other])
            if back >= 0 and not reached_a[back]:
                reached_a[back] = True
                todo.append(back)
    free, apart = (np.flatnonzero(which).tolist() for which in (reached_a, ~reached_d))
    return [across[n] for n in free], [down[n] for n in apart]


def _cut_on(walls: tuple[Bool, Bool], line: int, at: int) -> None:
    """Cut from an inner corner straight on across until something is in the way."""
    right, below = walls
    # The way in which the corner's own wall does not go already.
    if not below[line, at + 1]:
        step, column = 1, at + 1
    else:
        step, column = -1, at
    while not below[line, column]:
        below[line, column] = True
        # A wall that comes to this end from above or below stops it.
        end = column if step > 0 else column - 1
        if right[line, end] or right[line + 1, end]:
            return
        column += step


def _filled(piece: Array, walls: tuple[Bool, Bool]) -> I64:
    """The rectangles between walls, by their upper left texels."""
    right, below = walls
    rows, columns = piece.shape
    seen = piece == 0
    found = []
    for r, c in product(range(1, rows - 1), range(1, columns - 1)):
        if seen[r, c]:
            continue
        last = c
        while not right[r, last]:
            last += 1
        low = r
        while not below[low, c]:
            low += 1
        seen[r : low + 1, c : last + 1] = True
        found.append((c - 1, r - 1, last, low))
    return np.array(found, np.int64)
