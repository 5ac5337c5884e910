"""Texels that are chosen on a sheet: a rectangle, what has a colour, or any of both together."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.texels.blocks import bounds
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

How = Literal["new", "add", "less"]
_MOST_EDGES = 20_000  # that are drawn
Box = tuple[int, int, int, int]  # left, upper, right, lower (not included)


class TexelArea(QObject):
    """One sheet's; empty where nothing is chosen. ``armed``: the next drag on a sheet chooses a rectangle."""

    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.work = work
        self.key: SheetKey | None = None
        self.mask: Bool = np.zeros((0, 0), np.bool_)
        self.armed = False
        self._then: Callable[[], object] | None = None
        self._lines: list[F64] | None = None
        work.studio_changed.connect(self.clear)
        work.project_changed.connect(self._follow)

    def arm(self, on: bool = True, then: Callable[[], object] | None = None) -> None:
        """Wait for a rectangle on a sheet; ``then`` is called once it is there."""
        self.armed, self._then = on, then if on else None
        if on:
            self.work.say(tr("Draw a rectangle on the sheet; Shift adds to what is chosen, Ctrl takes away."))
        self.changed.emit()

    def choose(self, key: SheetKey, texels: Bool, how: How = "new") -> None:
        """Choose texels (rows, columns) of a sheet, or add them to those that are, or take them away."""
        same = self.key == key and self.mask.shape == texels.shape
        if how == "new" or not same:
            self.key, self.mask = key, texels.copy() if how != "less" else np.zeros_like(texels)
        else:
            self.mask = self.mask | texels if how == "add" else self.mask & ~texels
        then, self._then, self.armed = self._then, None, False
        self._lines = None
        self.changed.emit()
        if then is not None:
            then()

    def choose_box(self, key: SheetKey, box: Box, how: How = "new") -> None:
        """Choose a rectangle, as far as it lies on the sheet."""
        project = self.work.project
        if project is None:
            return
        texels = np.zeros(project.size_of(key).shape, np.bool_)
        left, upper, right, lower = box
        texels[max(upper, 0) : max(lower, 0), max(left, 0) : max(right, 0)] = True
        self.choose(key, texels, how)

    def clear(self) -> None:
        """Choose nothing."""
        self.key, self.mask, self.armed, self._lines = None, np.zeros((0, 0), np.bool_), False, None
        self.changed.emit()

    @property
    def any(self) -> bool:
        return bool(self.mask.any())

    @property
    def count(self) -> int:
        return int(self.mask.sum())

    @property
    def box(self) -> Box | None:
        """The rectangle round what is chosen."""
        rect = bounds(self.mask)
        return None if rect is None else (rect.left, rect.top, rect.right, rect.bottom)

    def lines(self) -> list[F64]:
        """(2, 2) each: the ends of its borders, as (u, v) on the tile."""
        if self._lines is None:
            box = self.box
            shown = self.mask
            if box is not None and _edges(self.mask) > _MOST_EDGES:  # too many to be told apart: what is round them
                shown = np.zeros_like(self.mask)
                shown[box[1] : box[3], box[0] : box[2]] = True
            self._lines = borders(shown)
        return self._lines

    def _follow(self) -> None:
        project = self.work.project
        if self.key is not None and project is not None and project.size_of(self.key).shape != self.mask.shape:
            self.clear()


def _edges(mask: Bool) -> int:
    """How many sides of texels lie between those that are chosen and others."""
    return sum(int(np.count_nonzero(mask[1:] != mask[:-1])) for mask in (mask, mask.T))


def borders(mask: Bool) -> list[F64]:
    """(2, 2) each: straight lines, as long as they go, between texels that are chosen and others, as (u, v)."""
    rows, columns = mask.shape
    found: list[F64] = []
    for turned in (False, True):
        grid = mask.T if turned else mask
        edges = np.diff(np.pad(grid, ((1, 1), (0, 0))).astype(np.int8), axis=0)
        for line in np.flatnonzero(edges.any(axis=1)).tolist():
            steps = np.diff(np.concatenate([[0], edges[line], [0]]))
            at = np.flatnonzero(steps)
            for start, end in zip(at[:-1].tolist(), at[1:].tolist(), strict=True):
                if not edges[line, start]:
                    continue
                ends = np.array([(line, start), (line, end)] if turned else [(start, line), (end, line)], np.float64)
                found.append(np.stack([ends[:, 0] / columns, 1 - ends[:, 1] / rows], axis=1))
    return found
