"""Pictures that nobody has to bring: patterns that are drawn from a few numbers, as ops that begin a picture.

Each fills a picture of ``size`` pixels with whole periods, so that left meets right and top meets bottom (a ramp
does only where it runs ``back``), and makes a height and a normal picture beside it: a height of 1 stands
``strength`` pixels above 0. ``second`` None leaves clear what would have that colour.
"""

from __future__ import annotations

from typing import ClassVar, Literal

from msgspec.structs import replace

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.numbers import check_range, check_share
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

LARGEST_PATTERN = 8192  # pixels; no sheet is larger
_MOST = 512  # of bricks, threads, stripes … along a side


class Pattern(Op, Plain, frozen=True):
    """What all patterns have."""

    size: tuple[int, int] = (1024, 1024)
    colour: str = "#ffffff"
    second: str | None = "#000000"
    strength: float = 8.0
    makes: ClassVar[tuple[str, ...]] = ("height", "normal")
    counts: ClassVar[tuple[str, ...]] = ()  # fields that count something along a side
    shares: ClassVar[tuple[str, ...]] = ()  # fields that run from 0 to 1
    even: ClassVar[bool] = False  # whether what it counts comes in pairs, so that it tiles

    @property
    def drawn_size(self) -> tuple[int, int] | None:
        return self.size

    def check(self) -> None:
        for length in self.size:
            check_range("size", length, 1, LARGEST_PATTERN, tr("pixels"))
        for name in ("colour", "second", "mortar", "ground"):
            value = getattr(self, name, None)
            if value is not None and not is_hex(value):
                raise CommandError(
                    tr("{name} {value!r} is not a colour: write it as #rrggbb", name=name, value=value)
                )
        check_range("strength", self.strength, -1000, 1000)
        for name in self.counts:
            check_range(name, getattr(self, name), 1, _MOST)
            if self.even and getattr(self, name) % 2:
                raise CommandError(tr("{name} is an even number, so that it tiles", name=name))
        for name in self.shares:
            check_share(name, getattr(self, name))
        check_range("seed", getattr(self, "seed", 0), 0, 2**31 - 1)

    def scaled(self, by: float) -> Pattern:
        size = max(1, round(self.size[0] * by)), max(1, round(self.size[1] * by))
        return replace(self, size=size, strength=self.strength * by)


class Noise(Pattern, Plain, frozen=True, tag_field="op", tag="noise"):
    """Soft clouds, cells or ridges; the largest of them ``cells`` to a side, each octave half as large."""

    form: Literal["soft", "cells", "ridges"] = "soft"
    cells: int = 8
    octaves: int = 4
    contrast: float = 1.0
    seed: int = 0
    counts: ClassVar[tuple[str, ...]] = ("cells",)

    def check(self) -> None:
        super().check()
        check_range("octaves", self.octaves, 1, 10)
        check_range("contrast", self.contrast, 0, 20)


class Ramp(Pattern, Plain, frozen=True, tag_field="op", tag="ramp"):
    """From one colour to the other: along a line that leans by ``turn`` degrees, from the middle out, round it."""

    form: Literal["line", "middle", "round"] = "line"
    turn: float = 0.0
    times: int = 1
    bend: float = 1.0
    back: bool = False
    counts: ClassVar[tuple[str, ...]] = ("times",)

    def check(self) -> None:
        super().check()
        check_range("turn", self.turn, -360, 360, tr("degrees"))
        check_range("bend", self.bend, 0.1, 10)


class Checker(Pattern, Plain, frozen=True, tag_field="op", tag="checker"):
    """Squares in turn."""

    across: int = 8
    down: int = 8
    counts: ClassVar[tuple[str, ...]] = ("across", "down")
    even: ClassVar[bool] = True


class Stripes(Pattern, Plain, frozen=True, tag_field="op", tag="stripes"):
    """``count`` upright stripes that fill ``thick`` of the width; each leans over ``lean`` stripes on its way up."""

    count: int = 8
    thick: float = 0.5
    lean: int = 0
    soft: float = 0.0
    counts: ClassVar[tuple[str, ...]] = ("count",)
    shares: ClassVar[tuple[str, ...]] = ("thick", "soft")

    def check(self) -> None:
        super().check()
        check_range("lean", self.lean, -512, 512)


class Weave(Pattern, Plain, frozen=True, tag_field="op", tag="weave"):
    """Threads over and under each other; ``colour`` runs up, ``second`` across, ``ground`` is seen between them."""

    across: int = 16
    down: int = 16
    thick: float = 0.85
    vary: float = 0.15
    seed: int = 0
    ground: str | None = "#1c1a17"
    counts: ClassVar[tuple[str, ...]] = ("across", "down")
    shares: ClassVar[tuple[str, ...]] = ("thick", "vary")
    even: ClassVar[bool] = True


class Bricks(Pattern, Plain, frozen=True, tag_field="op", tag="bricks"):
    """Rows of bricks; each row begins ``shift`` of a brick further. ``gap``, ``bevel``: shares of their height."""

    across: int = 4
    down: int = 8
    shift: float = 0.5
    gap: float = 0.12
    bevel: float = 0.1
    vary: float = 0.2
    seed: int = 0
    counts: ClassVar[tuple[str, ...]] = ("across", "down")
    shares: ClassVar[tuple[str, ...]] = ("shift", "vary", "bevel")

    def check(self) -> None:
        super().check()
        check_range("gap", self.gap, 0, 0.9)
        whole = self.shift * self.down
        if abs(whole - round(whole)) > 1e-6:
            raise CommandError(
                tr("{down} rows that begin {shift:g} further each do not meet again; choose another number of rows",
                   down=self.down, shift=self.shift)
            )  # fmt: skip


class Planks(Pattern, Plain, frozen=True, tag_field="op", tag="planks"):
    """Boards that lie across, ``down`` of them, each cut into ``across`` pieces anywhere, with grain along them."""

    across: int = 2
    down: int = 8
    gap: float = 0.04
    vary: float = 0.2
    grain: float = 0.4
    seed: int = 0
    counts: ClassVar[tuple[str, ...]] = ("across", "down")
    shares: ClassVar[tuple[str, ...]] = ("vary", "grain")

    def check(self) -> None:
        super().check()
        check_range("gap", self.gap, 0, 0.9)


PATTERNS: tuple[type[Pattern], ...] = (Noise, Ramp, Checker, Stripes, Weave, Bricks, Planks)
