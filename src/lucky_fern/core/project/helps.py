"""What helps while one works and is never exported: pictures pinned beside it, guides on sheets."""

from __future__ import annotations

import math
from typing import Literal, get_args

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.plain import Plain
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

Corner = Literal["upper-left", "upper-right", "lower-left", "lower-right"]
CORNERS: tuple[Corner, ...] = get_args(Corner)
_MOST = 1000  # guides of a sheet, either way


class Pinned(Plain, frozen=True):
    """A kit picture seen in a corner of the window; ``share`` of the room of both views that it takes, 0.05…1."""

    corner: Corner = "lower-left"
    share: float = 0.3

    def check(self) -> None:
        """Refuse what cannot be (CommandError)."""
        if not 0.05 <= self.share <= 1:
            raise CommandError(tr("a pinned picture takes 0.05 to 1 of the room, not {share}", share=self.share))


class Guides(Plain, frozen=True):
    """Lines on a sheet to lay things along: ``upright`` ones from its left, ``level`` ones from above, in texels."""

    upright: tuple[float, ...] = ()
    level: tuple[float, ...] = ()

    def check(self) -> None:
        """Refuse what cannot be (CommandError)."""
        every = (*self.upright, *self.level)
        if len(every) > _MOST:
            raise CommandError(tr("a sheet takes up to {most} guides", most=_MOST))
        if not all(math.isfinite(place) and abs(place) <= 1e6 for place in every):
            raise CommandError(tr("a guide stands at a number of texels"))

    @property
    def any(self) -> bool:
        return bool(self.upright or self.level)

    def moved(self, columns: float, rows: float, size: Extent) -> Guides:
        """Moved along as texels are; those that lie beyond a sheet of a size are gone."""
        return Guides(
            tuple(place + columns for place in self.upright if 0 <= place + columns <= size.width),
            tuple(place + rows for place in self.level if 0 <= place + rows <= size.height),
        )

    def scaled(self, before: Extent, after: Extent) -> Guides:
        """At the same places of a sheet of another size."""
        return Guides(
            tuple(place * after.width / before.width for place in self.upright),
            tuple(place * after.height / before.height for place in self.level),
        )
