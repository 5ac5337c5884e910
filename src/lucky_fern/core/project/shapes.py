"""Masks as plain data: ordered entries, each a shape and how it meets those before it."""

from __future__ import annotations

import math
from typing import Any, Literal

from msgspec import field
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.effects import LONGEST_BLUR
from lucky_fern.core.project.kinds import Carrying, Place, References, Shape, check_value
from lucky_fern.core.project.numbers import check_levels, check_range, check_share
from lucky_fern.core.project.plain import PaintedSheet, Plain, Sampling, Scope, check_picture
from lucky_fern.words import tr

LONGEST_GROWTH, LONGEST_SMOOTHING = 64, 16.0  # texels


class Fill(Shape, Plain, frozen=True, tag_field="kind", tag="fill"):
    """The same everywhere."""

    value: float = 1.0

    def check(self, project: Any) -> None:
        check_share("value", self.value)


class PictureShape(Shape, Plain, frozen=True, tag_field="kind", tag="picture"):
    """A placed picture's alpha or luminance; nothing outside it."""

    picture: str
    place: Place
    use: Literal["alpha", "luminance"] = "alpha"
    sampling: Sampling = "smooth"

    def check(self, project: Any) -> None:
        check_picture(project, self.picture)
        self.place.check()

    def refers(self) -> References:
        return References(pictures=frozenset((self.picture,)))

    def carried(self, carrying: Carrying) -> PictureShape:
        place, picture = carrying.place(self.place), carrying.picture(self.picture)
        same = place is self.place and picture == self.picture
        return self if same else replace(self, place=place, picture=picture)


class ScopeShape(Shape, Plain, frozen=True, tag_field="kind", tag="scope"):
    """Materials, tiles, parts or islands."""

    scope: Scope

    def refers(self) -> References:
        return References(selections=frozenset(self.scope.selections or ()))

    @property
    def travels(self) -> bool:
        return self.scope.islands is None and self.scope.selections is None

    def carried(self, carrying: Carrying) -> ScopeShape:
        scope = carrying.scope(self.scope)
        return self if scope is self.scope else ScopeShape(scope)


class HeardShape(Shape, Plain, frozen=True, tag_field="kind", tag="heard"):
    """As bright as the map ``from`` is below the layer; or, with a value, where it is ``like`` that.

    Full where every component differs by ``tolerance`` at most, running out over ``soft`` more. It follows all edits.
    """

    source: str = field(default="colour", name="from")
    like: str | float | None = None
    tolerance: float = 0.1
    soft: float = 0.05

    def check(self, project: Any) -> None:
        if self.source not in MAPS:
            raise CommandError(
                tr("there is no map called {name!r}; the maps are {MAPS}", name=self.source, MAPS=", ".join(MAPS))
            )
        if self.like is not None:
            check_value(self.source, self.like)
        check_share("tolerance", self.tolerance)
        check_share("soft", self.soft)

    @property
    def hears(self) -> frozenset[str]:
        return frozenset((self.source,))


class PaintedShape(Shape, Plain, frozen=True, tag_field="kind", tag="painted"):
    """Painted by hand; the one map is called ``mask``."""

    sheets: dict[str, PaintedSheet] = {}

    def check(self, project: Any) -> None:
        for sheet in self.sheets.values():
            sheet.check(("mask",))

    def refers(self) -> References:
        return References(paint=(self.sheets,))

    def carried(self, carrying: Carrying) -> PaintedShape:
        sheets = carrying.paint(self.sheets)
        return self if sheets == self.sheets else PaintedShape(sheets)

    @property
    def painted(self) -> dict[str, PaintedSheet]:
        return self.sheets

    @property
    def travels(self) -> bool:
        return False


class MaskEntry(Plain, frozen=True):
    """One entry of a mask: a shape, how it meets the entries before it, and what is done to it first.

    ``confine`` has what is before it show through step by step: the shape's lightest parts at the first light touch,
    its darker ones as more is painted, its black ones never.

    A shape is first grown by ``grow`` texels (shrunk, below 0), then its edges are evened out over ``smooth`` texels,
    then it is blurred: ``feather`` is the standard deviation, in texels. All of that goes over seams. ``opacity`` is
    how far the entry counts.
    """

    shape: Shape
    mode: Literal["replace", "add", "subtract", "intersect", "confine"] = "replace"
    invert: bool = False
    feather: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    on: bool = True
    opacity: float = 1.0
    grow: int = 0
    smooth: float = 0.0

    def check(self, project: Any) -> None:
        """Refuse numbers out of range, and pictures that are not there (CommandError)."""
        check_levels(self.black, self.white, self.gamma)
        check_range("feather", self.feather, 0, LONGEST_BLUR, "texels")
        check_range("grow", self.grow, -LONGEST_GROWTH, LONGEST_GROWTH, "texels")
        check_range("smooth", self.smooth, 0, LONGEST_SMOOTHING, "texels")
        check_share("opacity", self.opacity)
        self.shape.check(project)

    @property
    def reach(self) -> int:
        """How many texels around its own a texel depends on."""
        reach = abs(self.grow)
        if self.smooth > 0:
            reach += math.ceil(3 * self.smooth) + 1
        if self.feather > 0:
            reach += math.ceil(3 * self.feather) + 1
        return reach


class Mask(Plain, frozen=True):
    """Where layers show: ordered entries, the first at the bottom. Several layers may use one mask."""

    entries: tuple[MaskEntry, ...] = ()
    invert: bool = False
    on: bool = True
