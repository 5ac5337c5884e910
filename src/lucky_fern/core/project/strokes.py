"""Painted anew in brush strokes, as plain data."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.numbers import check_range, check_share
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

LARGEST_STROKE = 256.0
LONGEST_STROKE = 64.0  # times its width
_FINER = 3  # sizes of strokes, each half of the one before


class PaintStrokes(Effect, Plain, frozen=True, tag_field="effect", tag="paintstrokes"):
    """What is below, painted with strokes ``size`` texels wide and ``length`` times as long, coarse to fine.

    Strokes lie on the surface, over seams and tiles, as long in space as so many texels are on average; all maps take
    the same ones. ``detail`` says how readily finer ones are laid where the colour below changes. They run ``along``
    the form (where it bends least), edges of the colour below, or freely, turned by ``turn`` degrees and astray by a
    share ``stray`` of a right angle. ``bristle`` frays and streaks them, ``vary`` makes some lighter than others,
    ``thick`` is how much they stand out on height and normal.

    Coarse to fine as A. Hertzmann, "Painterly rendering with curved brush strokes of multiple sizes" (1998).
    """

    size: float = 16.0
    length: float = 4.0
    detail: float = 0.5
    bristle: float = 0.5
    along: Literal["form", "edges", "free"] = "form"
    turn: float = 0.0
    stray: float = 0.15
    vary: float = 0.3
    thick: float = 0.4
    seed: int = 1

    on_surface: ClassVar[bool] = True
    goes_by: ClassVar[str | None] = "colour"
    usual_maps: ClassVar[tuple[str, ...]] = ("colour", "normal", "height")

    def check(self) -> None:
        check_range("size", self.size, 2, LARGEST_STROKE, "texels")
        check_range("length", self.length, 1, LONGEST_STROKE, "times the size")
        for name in ("detail", "bristle", "stray", "vary", "thick"):
            check_share(name, getattr(self, name))
        check_range("turn", self.turn, -360, 360)
        if not 0 <= self.seed < 2**31:
            raise CommandError(tr("a seed is a whole number from 0 to 2147483647, not {seed}", seed=self.seed))

    def scaled(self, by: float) -> PaintStrokes:
        return replace(self, size=self.size * by)

    @property
    def sizes(self) -> tuple[float, ...]:
        """Widths in texels, the coarsest first."""
        if self.detail <= 0:
            return (self.size,)
        finer = [self.size / 2**k for k in range(1, _FINER) if self.size / 2**k >= 2.0]
        return (self.size, *finer)

    @property
    def reach(self) -> int:
        # To a stroke's middle and on to what that goes by; in texels as long as they are in the mean.
        return math.ceil(self.size * math.hypot(self.length, 1) / 2 + 2 * self.size) + 1
