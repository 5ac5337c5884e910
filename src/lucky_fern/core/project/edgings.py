"""Edgings: a motif run along seams, edges or a path, in real lengths."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import raises
from lucky_fern.core.project.kinds import PICTURE, Carrying, Content, Place, References, check_value
from lucky_fern.core.project.numbers import check_finite, check_range, check_share
from lucky_fern.core.project.plain import Plain, check_picture
from lucky_fern.words import tr

Motif = Literal["stitch", "dash", "rivet", "tooth", "line"]


class Edging(Content, Plain, frozen=True, tag_field="kind", tag="edging"):
    """A motif repeated along borders, edges or paths; lengths in model units, left out: as the model's size asks.

    ``offset`` is measured from the border to the motif's middle line, inward. ``gap`` is evened out so that closed
    runs hold a whole number. ``round`` is how round its corners are, ``jitter`` how much place, turn and length of
    each vary (by ``seed``), ``height`` how far it stands out, ``blur`` how far its border fades. A ``picture`` takes
    the place of the made motif.

    The motif ``line`` is the run itself, unbroken. Where a run turns by ``corner_angle`` degrees or more, motifs
    ``bend`` round it, ``stop`` before it, or have a ``motif`` of their own there (``corner_motif``, or
    ``corner_picture``, ``corner_size`` across). With ``whole``, masks show or hide whole motifs: by whether most of
    one shows.
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
    blur: float = 0.0
    angle: float = 30.0
    seed: int = 0
    corners: Literal["bend", "stop", "motif"] = "bend"
    corner_angle: float = 40.0
    corner_motif: Motif = "rivet"
    corner_picture: str | None = None
    corner_size: float | None = None
    whole: bool = False
    paths: tuple[Place, ...] = ()

    repeats: ClassVar[bool] = True

    def check(self, project: Any) -> None:
        check_finite(self.offset)
        for name in ("length", "width", "corner_size"):
            value = getattr(self, name)
            if value is not None and not 0 < value < 1e12:
                raise CommandError(
                    tr("{name!r} of an edging is a length above 0, not {value:g}", name=name, value=value)
                )
        for name in ("gap", "blur"):
            value = getattr(self, name)
            if value is not None and not 0 <= value < 1e12:
                raise CommandError(
                    tr("{name!r} of an edging is a length of 0 or more, not {value:g}", name=name, value=value)
                )
        for name in ("round", "jitter", "height"):
            check_share(name, getattr(self, name))
        check_range("angle", self.angle, 0, 180, "degrees")
        check_range("corner_angle", self.corner_angle, 1, 180, "degrees")
        for picture in (self.picture, self.corner_picture):
            if picture is not None:
                check_picture(project, picture)
        if self.along == "path":
            if not self.paths or any(path.framed for path in self.paths):
                raise CommandError(tr("an edging along a 'path' needs the points of one"))
            for path in self.paths:
                path.check()
        elif self.paths:
            raise CommandError(tr("only an edging along a 'path' has points"))

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source == PICTURE:
            if self.picture is None and not raises(map_name):
                raise CommandError(tr("a made motif has a height of its own, and values on other maps"))
        else:
            check_value(map_name, source)

    def refers(self) -> References:
        return References(pictures=frozenset(one for one in (self.picture, self.corner_picture) if one is not None))

    def carried(self, carrying: Carrying) -> Edging:
        changes: dict[str, Any] = {"paths": tuple(carrying.place(path) for path in self.paths)}
        for name in ("picture", "corner_picture"):
            named = getattr(self, name)
            changes[name] = None if named is None else carrying.picture(named)
        for name in LENGTHS:
            given = getattr(self, name)
            changes[name] = None if given is None else carrying.length(given)
        made = replace(self, **changes)
        return self if made == self else made


LENGTHS = ("offset", "length", "width", "gap", "blur", "corner_size")  # those of an edging that are in model units
