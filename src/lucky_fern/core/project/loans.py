"""What is in another program's hands: which texels of which maps, and what they were when they went out."""

from __future__ import annotations

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.numbers import check_range
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.plain import Plain, check_size
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

Box = tuple[int, int, int, int]  # left, upper, right, lower; texels from the upper left


class Loan(Plain, frozen=True):
    """A box of a sheet (``MATERIAL:TILE``) of so many texels.

    ``lent`` names what went out, map → digest of a PNG; ``file`` is where it went. ``layer`` is what came back
    (None: nothing so far), ``above`` the layer that it is to lie above: the topmost one then (None: the stack was
    empty). What comes back fades in over ``feather`` texels. With ``apart``, layers that were added there (to
    OpenRaster) come back as layers of their own, ``added`` name → layer; ``sent`` tells those that went out (their
    names, and the digests of what they show), ``laid`` is the digest of what they show together.
    """

    sheet: str
    size: Extent
    box: Box
    lent: dict[str, str]
    file: str = ""
    layer: int | None = None
    above: int | None = None
    feather: float = 0.0
    apart: bool = False
    sent: tuple[str, ...] = ()
    laid: str = ""
    added: dict[str, int] = {}

    @property
    def digests(self) -> frozenset[str]:
        """Those of the pictures that it is held against."""
        return frozenset(self.lent.values()) | ({self.laid} if self.laid else frozenset())

    def check(self) -> None:
        """Refuse a box that is none, and maps that there are not (CommandError)."""
        left, upper, right, lower = self.box
        check_size(self.size)
        if not (0 <= left < right <= self.size.width and 0 <= upper < lower <= self.size.height):
            raise CommandError(
                tr("a box is [left, upper, right, lower] within the sheet's {size} texels; {box} is not",
                   size=self.size, box=list(self.box))
            )  # fmt: skip
        for name in self.lent:
            if name not in MAPS:
                raise CommandError(tr("there is no map called {name!r}; the maps are {maps}", name=name,
                                      maps=", ".join(MAPS)))  # fmt: skip
        check_range("feather", self.feather, 0, 1000, tr("texels"))
        if not self.lent:
            raise CommandError(tr("name one map at least to be lent"))


class LentView(Plain, frozen=True):
    """What is seen of the colour map through a lens, as a picture.

    ``lent`` is the digest of a PNG, ``place`` how it was seen, ``file`` where it went; ``layer`` and ``picture`` (of
    the kit) are what came back, if anything did.
    """

    place: Throw
    lent: str
    file: str = ""
    picture: str = ""
    layer: int | None = None
