"""What is in another program's hands: which texels of which maps, and what they were when they went out."""

from __future__ import annotations

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.plain import Plain
from lucky_fern.core.sheets.grid import LARGEST, SMALLEST
from lucky_fern.words import tr

Box = tuple[int, int, int, int]  # left, upper, right, lower; texels from the upper left


class Loan(Plain, frozen=True):
    """A box of a sheet (``MATERIAL:TILE``) of so many texels.

    ``lent`` names what went out, map → digest of a PNG; ``file`` is where it went. ``layer`` is what came back
    (None: nothing so far), ``above`` the layer that it is to lie above: the topmost one then (None: the stack was
    empty).
    """

    sheet: str
    size: int
    box: Box
    lent: dict[str, str]
    file: str = ""
    layer: int | None = None
    above: int | None = None

    def check(self) -> None:
        """Refuse a box that is none, and maps that there are not (CommandError)."""
        left, upper, right, lower = self.box
        if not SMALLEST <= self.size <= LARGEST:
            raise CommandError(tr("a sheet is {low} to {high} texels wide, not {size}", low=SMALLEST, high=LARGEST,
                                  size=self.size))  # fmt: skip
        if not (0 <= left < right <= self.size and 0 <= upper < lower <= self.size):
            raise CommandError(
                tr("a box is [left, upper, right, lower] within the sheet's {size} texels; {box} is not",
                   size=self.size, box=list(self.box))
            )  # fmt: skip
        for name in self.lent:
            if name not in MAPS:
                raise CommandError(tr("there is no map called {name!r}; the maps are {maps}", name=name,
                                      maps=", ".join(MAPS)))  # fmt: skip
        if not self.lent:
            raise CommandError(tr("name one map at least to be lent"))
