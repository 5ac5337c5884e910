"""Islands of a layout in hand: which there are, where they lie, which of them are chosen."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from lucky_fern.core.arrays import F64, I32, Bool
from lucky_fern.core.layout.measure import Measures, measure
from lucky_fern.core.layout.overlaps import overlapping_pairs
from lucky_fern.core.model.model import Model, groups
from lucky_fern.core.once import once

Meeting = Literal["same", "mirrored", "folded", "accident"]
_ALL = 0.95  # of the larger island; twins cover each other so far


@dataclass
class Layout:
    """UVs being edited in place; ``chosen`` (T,) bool are the faces that an edit is about."""

    model: Model
    chosen: Bool
    uv: F64
    notes: list[str] = field(default_factory=list)

    @classmethod
    def of(cls, model: Model, chosen: Bool | None) -> Layout:
        everything = np.ones(model.triangle_count, np.bool_)
        return cls(model, everything if chosen is None else chosen, model.uv.copy())

    @once
    def measures(self) -> Measures:
        """Of the layout before the edit."""
        return measure(self.model)

    @once
    def numbers(self) -> I32:
        """The islands with any chosen face, in order."""
        touched = self.model.islands[self.chosen]
        return np.unique(touched[touched >= 0]).astype(np.int32)

    def rows(self, island: int) -> I32:
        """The triangles of an island."""
        start, order = self._order
        return order[start[island] : start[island + 1]]

    @once
    def _order(self) -> tuple[I32, I32]:
        islands = self.model.islands
        order = np.argsort(islands, kind="stable").astype(np.int32)
        count = int(islands.max(initial=-1)) + 1
        start = np.searchsorted(islands[order], np.arange(count + 1)).astype(np.int32)
        return start, order

    def box(self, rows: I32 | Bool) -> F64:
        """(2, 2) lowest and highest UV of some triangles."""
        uv = self.uv[rows]
        return np.stack([uv.min(axis=(0, 1)), uv.max(axis=(0, 1))])

    def whole(self, islands: I32) -> Bool:
        """(T,) bool, all triangles of some islands."""
        return np.isin(self.model.islands, islands)

    def tile(self, rows: I32 | Bool) -> F64:
        """Lower left corner of the tile that most of some triangles lie on."""
        middle = np.floor(self.uv[rows].mean(axis=1))
        middle = middle[np.isfinite(middle).all(axis=1)]
        if not len(middle):
            return np.zeros(2)
        corners, count = np.unique(middle, axis=0, return_counts=True)
        return np.asarray(corners[count.argmax()], np.float64)

    @once
    def twins(self) -> dict[int, tuple[int, ...]]:
        """Island → all islands that lie exactly on it (itself among them), of the layout before the edit."""
        model = self.model
        together: dict[int, set[int]] = {}
        for (one, other), meeting in meetings(model, self.measures).items():
            if meeting in ("same", "mirrored"):
                group = together.get(one, {one}) | together.get(other, {other})
                for member in group:
                    together[member] = group
        return {island: tuple(sorted(group)) for island, group in together.items()}

    def groups(self) -> list[tuple[int, ...]]:
        """The chosen islands, twins together, in order of their first."""
        seen: set[int] = set()
        found = []
        for island in self.numbers.tolist():
            if island not in seen:
                group = self.twins.get(island, (island,))
                seen.update(group)
                found.append(group)
        return found


def island_overlaps(model: Model) -> list[tuple[int, int, float]]:
    """Pairs of different islands of one material that share an area of UV space, with that area."""
    return overlaps(model)[1]


def overlaps(model: Model) -> tuple[Bool, list[tuple[int, int, float]]]:
    """What lies over something of its own island, (T,) bool; and :func:`island_overlaps`."""
    found = []
    own = np.zeros(model.triangle_count, np.bool_)
    for number in range(len(model.materials)):
        rows = np.flatnonzero((model.material == number) & model.has_uv)
        first, second, area = overlapping_pairs(model.uv[rows])
        a, b = model.islands[rows[first]], model.islands[rows[second]]
        apart = a != b
        own[rows[first[~apart]]] = own[rows[second[~apart]]] = True
        if not apart.any():
            continue
        ends = np.sort(np.stack([a[apart], b[apart]], axis=1), axis=1)
        pairs, which = np.unique(ends, axis=0, return_inverse=True)
        shared = np.bincount(which.ravel(), weights=area[apart], minlength=len(pairs))
        found += [(int(one), int(other), float(s)) for (one, other), s in zip(pairs, shared, strict=True)]
    return own, found


def meetings(
    model: Model, measures: Measures, pairs: list[tuple[int, int, float]] | None = None
) -> dict[tuple[int, int], Meeting]:
    """How any two islands that share UV space meet; ``pairs`` are those of :func:`overlaps`, if they are known.

    Twins cover each other, ``same`` way round or ``mirrored``: made on purpose. ``folded`` are neighbours that lie
    over each other along their common edge. The rest are ``accident`` s, and so are three or more islands of
    one piece in one place: the sides of a box that nobody has laid out.
    """
    inside = model.islands >= 0
    signed = np.bincount(model.islands[inside], weights=measures.uv_area[inside])
    covered = np.bincount(model.islands[inside], weights=np.abs(measures.uv_area[inside]))
    folds = {(min(pair), max(pair)) for pair in model.islands[model.folds].tolist()}
    found: dict[tuple[int, int], Meeting] = {}
    for one, other, common in island_overlaps(model) if pairs is None else pairs:
        if common >= _ALL * max(covered[one], covered[other]):
            found[one, other] = "mirrored" if signed[one] * signed[other] < 0 else "same"
        else:
            found[one, other] = "folded" if (one, other) in folds else "accident"
    same = [pair for pair, meeting in found.items() if meeting in ("same", "mirrored")]
    if same:
        names, ends = np.unique(same, return_inverse=True)
        stack = groups(len(names), ends.reshape(-1, 2))
        _, first = np.unique(model.islands, return_index=True)
        first = first[len(first) - len(covered) :]  # a row of each island
        piece = model.pieces[first[names]]
        _, number, count = np.unique(stack * np.int64(len(first) + 1) + np.unique(piece, return_inverse=True)[1],
                                     return_inverse=True, return_counts=True)  # fmt: skip
        crowded = dict(zip(names.tolist(), (count[number] > 2).tolist(), strict=True))
        for one, other in same:
            if crowded[one] and crowded[other]:
                found[one, other] = "accident"
    return found
