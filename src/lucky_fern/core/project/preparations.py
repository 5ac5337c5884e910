"""How a kit picture is made ready from its untouched original: an ordered list of ops, as plain data.

Positions and lengths are pixels of the picture as the ops before have left it, [x, y] from its upper left corner:
(0, 0) is that corner itself, (0.5, 0.5) the middle of the first pixel.
"""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

from msgspec import field
from msgspec.structs import replace

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.limits import LONGEST_SIDE
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.project.kinds import Effect, Op
from lucky_fern.core.project.numbers import check_range, check_share
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

Point = tuple[float, float]
Covered = Literal["luminance", "darkness", "alpha"]
MOST_OPS = 100
MOST_DOTS = 20_000  # of the strokes that keep and drop


def _check_points(*points: Point) -> None:
    if not all(math.isfinite(number) and abs(number) <= LONGEST_SIDE for point in points for number in point):
        raise CommandError(tr("points of a picture lie within {LONGEST_SIDE} pixels", LONGEST_SIDE=LONGEST_SIDE))


def _check_size(size: tuple[int, int]) -> None:
    for length in size:
        check_range("a picture's size", length, 1, 16384, tr("pixels"))


def _sized(size: tuple[int, int], by: float) -> tuple[int, int]:
    return max(1, round(size[0] * by)), max(1, round(size[1] * by))


def _moved(points: tuple[Point, ...], by: float) -> tuple[Point, ...]:
    return tuple((x * by, y * by) for x, y in points)


class Crop(Op, Plain, frozen=True, tag_field="op", tag="crop"):
    """The part within ``box`` (left, upper, right, lower)."""

    box: tuple[float, float, float, float]

    def check(self) -> None:
        left, upper, right, lower = self.box
        _check_points((left, upper), (right, lower))
        if not (left < right and upper < lower):
            raise CommandError(tr("a box is [left, upper, right, lower]; {box} has no inside", box=list(self.box)))

    def scaled(self, by: float) -> Crop:
        left, upper, right, lower = (number * by for number in self.box)
        return Crop((left, upper, right, lower))


class Turn(Op, Plain, frozen=True, tag_field="op", tag="turn"):
    """Turned counter-clockwise by ``degrees``, after it was mirrored left for right if wished; all of it stays."""

    degrees: float = 0.0
    mirror: bool = False

    def check(self) -> None:
        check_range("degrees", self.degrees, -360, 360)


class Straighten(Op, Plain, frozen=True, tag_field="op", tag="straighten"):
    """Perspective taken out: four ``corners`` (upper left, then clockwise) become those of a picture of ``size``.

    A size left out is as long and high as the quadrilateral's longer sides.
    """

    corners: tuple[Point, Point, Point, Point]
    size: tuple[int, int] | None = None

    def check(self) -> None:
        _check_points(*self.corners)
        if self.size is not None:
            _check_size(self.size)
        turns = []
        for at in range(4):
            (ax, ay), (bx, by), (cx, cy) = (self.corners[(at + step) % 4] for step in range(3))
            longest = max(math.hypot(bx - ax, by - ay), math.hypot(cx - bx, cy - by), 1e-9)
            turns.append(((bx - ax) * (cy - by) - (by - ay) * (cx - bx)) / longest**2)
        if not (all(turn > 1e-3 for turn in turns) or all(turn < -1e-3 for turn in turns)):
            raise CommandError(
                tr("the four corners lie on one line or cross over; go round them: upper left, upper right, "
                   "lower right, lower left")
            )  # fmt: skip

    @property
    def out_size(self) -> tuple[int, int]:
        """Width and height of what it makes."""
        if self.size is not None:
            return self.size
        a, b, c, d = self.corners
        wide, high = max(math.dist(a, b), math.dist(d, c)), max(math.dist(a, d), math.dist(b, c))
        return min(max(1, round(wide)), 16384), min(max(1, round(high)), 16384)

    def scaled(self, by: float) -> Straighten:
        a, b, c, d = _moved(self.corners, by)
        return Straighten((a, b, c, d), _sized(self.out_size, by))


class CutOut(Op, Plain, frozen=True, tag_field="op", tag="cut-out"):
    """The subject within a rough ``box`` (none: nearly all of the picture), or all but a ``colour``, gets alpha.

    Points of ``keep`` and ``drop``, with all within ``radius`` pixels, belong to it or do not. ``tolerance`` says how
    far a colour may differ: 0 … 1 of the encoded range.
    """

    box: tuple[float, float, float, float] | None = None
    keep: tuple[Point, ...] = ()
    drop: tuple[Point, ...] = ()
    colour: str | None = None
    tolerance: float = 0.1
    radius: float = 3.0

    def check(self) -> None:
        if self.box is not None:
            Crop(self.box).check()
        _check_points(*self.keep, *self.drop)
        if len(self.keep) + len(self.drop) > MOST_DOTS:
            raise CommandError(tr("strokes that keep and drop have {most} points at most", most=MOST_DOTS))
        if self.colour is not None and not is_hex(self.colour):
            raise CommandError(tr("{colour!r} is not a colour: write it as #rrggbb", colour=self.colour))
        check_share("tolerance", self.tolerance)
        check_range("radius", self.radius, 0, 1000, tr("pixels"))

    def scaled(self, by: float) -> CutOut:
        box = None if self.box is None else Crop(self.box).scaled(by).box
        return replace(self, box=box, keep=_moved(self.keep, by), drop=_moved(self.drop, by),
                       radius=max(self.radius * by, 0.5))  # fmt: skip


class Spread(Op, Plain, frozen=True, tag_field="op", tag="spread"):
    """Colour grown outwards under transparent pixels; alpha stays."""


class MendRim(Op, Plain, frozen=True, tag_field="op", tag="mend-rim"):
    """A rim of a ``colour`` (``auto``: found) along the border of alpha, recoloured from inside."""

    colour: str = "auto"

    def check(self) -> None:
        if self.colour != "auto" and not is_hex(self.colour):
            raise CommandError(tr("a rim's colour is #rrggbb or 'auto', not {colour!r}", colour=self.colour))


class EvenLight(Op, Plain, frozen=True, tag_field="op", tag="even-light"):
    """Slow changes of brightness, over ``reach`` (share of the width) and more, evened out; detail and mean stay."""

    reach: float = 0.2

    def check(self) -> None:
        check_range("reach", self.reach, 0.005, 1)


class Tile(Op, Plain, frozen=True, tag_field="op", tag="tile"):
    """Left is made to meet right and top bottom, within ``overlap`` of each border."""

    overlap: float = 0.2

    def check(self) -> None:
        check_range("overlap", self.overlap, 0, 0.5)


class Adjust(Op, Plain, frozen=True, tag_field="op", tag="adjust"):
    """What an adjustment of the stack does, done to the picture."""

    effect: Effect

    @property
    def keys_of(self) -> str:
        return "effect"

    def check(self) -> None:
        self.effect.check()
        self.effect.check_on("colour")
        if self.effect.on_surface:
            raise CommandError(tr("this lies on the model's surface; put it on the stack as an adjustment"))

    def scaled(self, by: float) -> Adjust:
        return Adjust(self.effect.scaled(by))


class Despeckle(Op, Plain, frozen=True, tag_field="op", tag="despeckle"):
    """What differs from the median within ``radius`` pixels by more than ``threshold`` becomes that median."""

    radius: float = 2.0
    threshold: float = 0.1
    which: Literal["bright", "dark", "both"] = "both"

    def check(self) -> None:
        check_range("radius", self.radius, 1, 50, tr("pixels"))
        check_share("threshold", self.threshold)

    def scaled(self, by: float) -> Despeckle:
        return replace(self, radius=max(1.0, self.radius * by))


class FlipGreen(Op, Plain, frozen=True, tag_field="op", tag="flip-green"):
    """Normals whose green points down, with green up; or the other way about."""


class Relief(Op, Plain, frozen=True, tag_field="op", tag="relief"):
    """``NAME height`` and ``NAME normal`` beside the picture, from how bright it is, from its alpha, or from normals.

    A height of 1 stands ``strength`` pixels above 0. ``blur`` (pixels) softens first; what varies over less than
    ``split`` pixels counts ``small`` times, the rest ``large`` times.
    """

    strength: float = 8.0
    blur: float = 0.0
    source: Literal["brightness", "alpha", "normals"] = field(name="from", default="brightness")
    large: float = 1.0
    small: float = 1.0
    split: float = 8.0
    goes_last: ClassVar[bool] = True
    makes: ClassVar[tuple[str, ...]] = ("height", "normal")

    def check(self) -> None:
        check_range("strength", self.strength, -1000, 1000)
        check_range("blur", self.blur, 0, 200, tr("pixels"))
        check_range("large", self.large, -10, 10)
        check_range("small", self.small, -10, 10)
        check_range("split", self.split, 0.5, 500, tr("pixels"))

    def scaled(self, by: float) -> Relief:
        return replace(self, strength=self.strength * by, blur=self.blur * by, split=max(self.split * by, 0.5))


class Coverage(Op, Plain, frozen=True, tag_field="op", tag="coverage"):
    """A picture that says where, not what colour: white, its alpha how bright, how dark or how opaque it was."""

    source: Covered = field(name="from", default="luminance")


class Size(Op, Plain, frozen=True, tag_field="op", tag="size"):
    """Filtered to a ``size`` in pixels, as light and premultiplied; ``nearest`` picks pixels instead."""

    size: tuple[int, int]
    sampling: Literal["smooth", "nearest"] = "smooth"

    def check(self) -> None:
        _check_size(self.size)

    def scaled(self, by: float) -> Size:
        return replace(self, size=_sized(self.size, by))


class Palette(Op, Plain, frozen=True, tag_field="op", tag="palette"):
    """Every pixel gets the nearest of a few ``colours`` (a list, or how many are to be found), ``dither`` 0 … 1."""

    colours: tuple[str, ...] | int = 16
    dither: float = 0.0

    def check(self) -> None:
        if isinstance(self.colours, int):
            check_range("colours", self.colours, 2, 256)
        elif not 1 <= len(self.colours) <= 256 or not all(map(is_hex, self.colours)):
            raise CommandError(tr("a palette has 1 to 256 colours, each written as #rrggbb"))
        check_share("dither", self.dither)


class PictureStep(Plain, frozen=True):
    """One op of the list, which may be switched off."""

    op: Op
    on: bool = True


class Preparation(Plain, frozen=True):
    """How a kit picture is made: the original's file name and digest, how that is taken, the ops in their order.

    ``gives`` says which of what the ops make it is; ``beside`` names the picture of the kit whose ops these are,
    for a height or a normal map that lies beside it.
    """

    name: str
    original: str
    taken: Taken = "colour"
    steps: tuple[PictureStep, ...] = ()
    gives: Literal["picture", "height", "normal"] = "picture"
    beside: str = ""

    def check(self) -> None:
        """Refuse ops that cannot be (CommandError)."""
        if len(self.steps) > MOST_OPS:
            raise CommandError(tr("a picture has {most} ops at most", most=MOST_OPS))
        for number, step in enumerate(self.steps, 1):
            try:
                step.op.check()
            except CommandError as error:
                raise CommandError(
                    tr("op {number} ({name}): {error}", number=number, name=op_name(step.op), error=error)
                ) from error

    @property
    def makes(self) -> tuple[str, ...]:
        """What it makes beside the picture itself."""
        return tuple(one for step in self.steps if step.on for one in step.op.makes)


def op_name(op: Op) -> str:
    """What an op is called in jobs: that of its effect where it has one."""
    held: Any = getattr(op, op.keys_of) if op.keys_of else op
    return op_tag(type(held))


def op_tag(kind: Any) -> str:
    """What a kind of op is called."""
    return str(kind.__struct_config__.tag)


def scaled(steps: tuple[PictureStep, ...], by: float) -> tuple[PictureStep, ...]:
    """The ops for a picture that is ``by`` times as large."""
    return tuple(replace(step, op=step.op.scaled(by)) for step in steps)
