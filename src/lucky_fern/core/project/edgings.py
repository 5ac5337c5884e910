"""Edgings: a motif run along seams, edges or a path, in real lengths."""

from __future__ import annotations

from typing import Any, Literal

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.kinds import Carrying, Content, Place, References, check_value
from lucky_fern.core.project.numbers import check_finite, check_range, check_share
from lucky_fern.core.project.plain import Plain, check_picture
from lucky_fern.words import tr

Motif = Literal["stitch", "dash", "rivet", "tooth"]


class Edging(Content, Plain, frozen=True, tag_field="kind", tag="edging"):
    """A motif repeated along borders, edges or a path; lengths in model units, left out: as the model's size asks.

    ``offset`` is measured from the border to the motif's middle line, inward. ``gap`` is evened out so that closed
    runs hold a whole number. ``round`` is how round its corners are, ``jitter`` how much place, turn and length of
    each vary (by ``seed``), ``height`` how far it stands out. A ``picture`` takes the place of the made motif.
    """

    along: Literal["islands", "parts", "sharp", "open", "path"] = "islands"
    motif: Motif = "stitch"
    picture: str | None = None
    offset: float = 0.0
    length: float | None = None
    width: float | None = None
    gap: float | None = None
    round: float = 1.0
    jitter: float = 0.0
    height: float = 0.5
    angle: float = 30.0
    seed: int = 0
    path: Place | None = None

    def check(self, project: Any) -> None:
        check_finite(self.offset)
        for name in ("length", "width"):
            value = getattr(self, name)
            if value is not None and not 0 < value < 1e12:
                raise CommandError(
                    tr("{name!r} of an edging is a length above 0, not {value:g}", name=name, value=value)
                )
        if self.gap is not None and not 0 <= self.gap < 1e12:
            raise CommandError(tr("'gap' of an edging is a length of 0 or more, not {gap:g}", gap=self.gap))
        for name in ("round", "jitter", "height"):
            check_share(name, getattr(self, name))
        check_range("angle", self.angle, 0, 180, "degrees")
        if self.picture is not None:
            check_picture(project, self.picture)
        if self.along == "path":
            if self.path is None or self.path.framed:
                raise CommandError(tr("an edging along a 'path' needs the points of one"))
            self.path.check()
        elif self.path is not None:
            raise CommandError(tr("only an edging along a 'path' has points"))

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source == "picture":
            if self.picture is None and map_name != "height":
                raise CommandError(tr("a made motif has a height of its own, and values on other maps"))
        else:
            check_value(map_name, source)

    def refers(self) -> References:
        return References(pictures=frozenset(() if self.picture is None else (self.picture,)))

    def carried(self, carrying: Carrying) -> Edging:
        path = None if self.path is None else carrying.place(self.path)
        picture = None if self.picture is None else carrying.picture(self.picture)
        same = path is self.path and picture == self.picture
        return self if same else replace(self, path=path, picture=picture)
