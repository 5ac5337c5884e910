"""What gestures have drawn over a view: one record, which they write and the overlay paints."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPixmap

from lucky_fern.core.arrays import F64, I64
from lucky_fern.ui.gestures.grip import Grip
from lucky_fern.ui.widgets.histogram import Scale


@dataclass(frozen=True)
class Levelled:
    """A histogram in a box: counts (n, 256) and the levels on it."""

    box: QRectF
    scale: Scale
    counts: I64


@dataclass
class Drawn:
    """Everything in pixels of the view, y down; what is None or empty is not drawn."""

    grip: Grip | None = None
    outline: F64 | None = None  # (N, 2) of a rectangle or lasso being drawn
    disc: tuple[F64, float] | None = None  # where a painting tool reaches
    twins: list[F64] = field(default_factory=list)  # where a brush paints besides
    source: F64 | None = None  # what is cloned
    planes: list[F64] = field(default_factory=list)  # (N, 2) lines of the planes that a brush is mirrored at
    knots: list[tuple[F64, bool]] = field(
        default_factory=list
    )  # a stripe's points; whether one is, or may become one
    way: list[F64] = field(default_factory=list)  # (N, 2) each: where a stripe runs
    mesh: F64 | None = None  # (rows, columns, 2) points by which a picture is pulled
    slide: tuple[QPixmap, list[F64], float] | None = None  # a picture, its quads (4, 2), how far it is seen
    box: list[F64] = field(default_factory=list)  # (N, 2) lines of the space that a throw reaches
    area: list[F64] = field(default_factory=list)  # (2, 2) the borders of chosen texels
    guides: list[F64] = field(default_factory=list)  # (2, 2) lines to lay things along
    block: tuple[QPixmap, F64] | None = None  # texels in hand, and their corners (4, 2), from the lower left
    loans: list[tuple[F64, str]] = field(default_factory=list)  # (N, 2) boxes that are out; words
    levels: Levelled | None = None
    hint_line: str = ""  # what is being snapped to
