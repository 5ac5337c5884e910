"""Rules: masks worked out from the model's shape, from noise in space, or from where another layer ends.

Every rule has a value 0…1 at each texel (what it measures is told in docs/jobs.md); lengths are in model units. A
reach that is left out follows from the model's size.
"""

from __future__ import annotations

from typing import Any, ClassVar, Literal, cast

import msgspec
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.kinds import NOTHING, Carrying, Kind, References, Shape, Table, altered
from lucky_fern.core.project.numbers import check_finite, check_range
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

MOST_RAYS, MOST_OCTAVES = 1024, 12
Axis = Literal["x", "y", "z"]
Border = Literal["islands", "parts", "sharp", "open"]


class Rule(Kind):
    """What is measured."""

    __slots__ = ()
    lengths: ClassVar[tuple[str, ...]] = ()  # the fields that are in model units

    def check(self, project: Any) -> None:
        """Refuse numbers out of range (CommandError)."""

    def carried(self, carrying: Carrying) -> Rule:
        """Brought along."""
        every = {name: getattr(self, name) for name in self.lengths}
        given: dict[str, float] = {name: units for name, units in every.items() if units is not None}
        scaled = {name: carrying.length(units) for name, units in given.items()}
        return self if scaled == given else altered(self, **scaled)

    @property
    def hears(self) -> frozenset[str]:
        """The maps that it goes by, as the layers below make them."""
        return frozenset()


RULES: Table[Any] = Table(Rule, "rule")


class RuleShape(Shape, Plain, frozen=True, tag_field="kind", tag="rule"):
    """A rule whose value v shows as clamp((v − low) / (high − low)) ^ (1 / gamma); ``low`` > ``high`` inverts."""

    rule: Rule
    low: float = 0.0
    high: float = 1.0
    gamma: float = 1.0

    @property
    def keys_of(self) -> str:
        return "rule"

    def check(self, project: Any) -> None:
        check_range("low", self.low, -10, 10)
        check_range("high", self.high, -10, 10)
        check_range("gamma", self.gamma, 0.05, 20)
        if self.low == self.high:
            raise CommandError(tr("'low' and 'high' of a rule must differ; both are {low:g}", low=self.low))
        self.rule.check(project)

    def refers(self) -> References:
        return self.rule.refers()

    @property
    def hears(self) -> frozenset[str]:
        return self.rule.hears

    def carried(self, carrying: Carrying) -> RuleShape:
        rule = self.rule.carried(carrying)
        return self if rule is self.rule else replace(self, rule=rule)


def _check_reach(reach: float | None) -> None:
    if reach is not None and not 0 < reach < 1e12:
        raise CommandError(tr("'reach' is a length in model units above 0, not {reach:g}", reach=reach))


def _check_rays(rays: int) -> None:
    if not 1 <= rays <= MOST_RAYS:
        raise CommandError(tr("'rays' runs from 1 to {most}, not {rays}", most=MOST_RAYS, rays=rays))


class Edges(Rule, Plain, frozen=True, tag_field="rule", tag="edges"):
    """What stands out: 1 on a right-angled edge."""

    reach: float | None = None

    lengths: ClassVar[tuple[str, ...]] = ("reach",)

    def check(self, project: Any) -> None:
        _check_reach(self.reach)


class Crevices(Rule, Plain, frozen=True, tag_field="rule", tag="crevices"):
    """What lies deep: 1 in a right-angled inner corner."""

    reach: float | None = None

    lengths: ClassVar[tuple[str, ...]] = ("reach",)

    def check(self, project: Any) -> None:
        _check_reach(self.reach)


class Occlusion(Rule, Plain, frozen=True, tag_field="rule", tag="occlusion"):
    """What is covered: 1 − the open share of the hemisphere over the face. Without a reach: the model's diagonal."""

    reach: float | None = None
    rays: int = 32

    lengths: ClassVar[tuple[str, ...]] = ("reach",)

    def check(self, project: Any) -> None:
        _check_reach(self.reach)
        _check_rays(self.rays)


class Thin(Rule, Plain, frozen=True, tag_field="rule", tag="thin"):
    """Thin places: 1 − the mean way through the solid, in shares of the reach."""

    reach: float | None = None
    rays: int = 32

    lengths: ClassVar[tuple[str, ...]] = ("reach",)

    def check(self, project: Any) -> None:
        _check_reach(self.reach)
        _check_rays(self.rays)


class Facing(Rule, Plain, frozen=True, tag_field="rule", tag="facing"):
    """What faces a direction: 1 − (the angle to the normal) / ``angle`` (degrees).

    With ``relief`` the normal is that of the normal map, as the layers below make it.
    """

    direction: tuple[float, float, float] = (0.0, 1.0, 0.0)
    angle: float = 90.0
    relief: bool = False

    @property
    def hears(self) -> frozenset[str]:
        return frozenset(("normal",)) if self.relief else frozenset()

    def check(self, project: Any) -> None:
        check_finite(*self.direction)
        if not any(self.direction):
            raise CommandError(tr("'direction' must point somewhere; [0, 0, 0] does not"))
        if not 0 < self.angle <= 180:
            raise CommandError(tr("'angle' runs from above 0 to 180 degrees, not {angle:g}", angle=self.angle))


class Height(Rule, Plain, frozen=True, tag_field="rule", tag="height", rename={"start": "from", "end": "to"}):
    """Where it lies between two heights in model units; left out: the model's lowest and highest."""

    axis: Axis = "y"
    start: float | None = None
    end: float | None = None

    lengths: ClassVar[tuple[str, ...]] = ("start", "end")

    def check(self, project: Any) -> None:
        check_finite(*(one for one in (self.start, self.end) if one is not None))
        if self.start is not None and self.start == self.end:
            raise CommandError(tr("'from' and 'to' of a height must differ; both are {start:g}", start=self.start))


class Seams(Rule, Plain, frozen=True, tag_field="rule", tag="seams"):
    """Near borders: 1 − (straight distance) / reach; ``angle`` (degrees) says what bends count as sharp."""

    reach: float | None = None
    of: Border = "islands"
    angle: float = 30.0

    lengths: ClassVar[tuple[str, ...]] = ("reach",)

    def check(self, project: Any) -> None:
        _check_reach(self.reach)
        check_range("angle", self.angle, 0, 180, "degrees")


class Vary(Rule, Plain, frozen=True, tag_field="rule", tag="vary"):
    """One number 0…1 for each part, island, or piece that hangs together."""

    by: Literal["part", "island", "piece"] = "part"
    seed: int = 0


class Grain(Rule, Plain, frozen=True, tag_field="rule", tag="grain"):
    """Noise in space; ``size`` in model units, left out: a twentieth of the diagonal.

    ``stretch`` draws it out upwards, so many times as long as wide.
    """

    form: Literal["soft", "cells", "ridges"] = "soft"
    size: float | None = None
    octaves: int = 4
    seed: int = 0
    stretch: float = 1.0

    lengths: ClassVar[tuple[str, ...]] = ("size",)

    def check(self, project: Any) -> None:
        check_range("stretch", self.stretch, 0.01, 100)
        if self.size is not None and not 0 < self.size < 1e12:
            raise CommandError(tr("'size' is a length in model units above 0, not {size:g}", size=self.size))
        if not 1 <= self.octaves <= MOST_OCTAVES:
            raise CommandError(
                tr("'octaves' runs from 1 to {most}, not {octaves}", most=MOST_OCTAVES, octaves=self.octaves)
            )


class Drips(Rule, Plain, frozen=True, tag_field="rule", tag="drips"):
    """What runs down the surface from sharp edges and open borders: streaks of a ``width``, up to ``reach`` long.

    Lengths are in model units; ``angle`` (degrees) says what bends count as sharp, ``down`` where it runs to.
    """

    reach: float | None = None
    width: float | None = None
    angle: float = 30.0
    down: tuple[float, float, float] = (0.0, -1.0, 0.0)
    seed: int = 0

    lengths: ClassVar[tuple[str, ...]] = ("reach", "width")

    def check(self, project: Any) -> None:
        _check_reach(self.reach)
        if self.width is not None and not 0 < self.width < 1e12:
            raise CommandError(tr("'width' is a length in model units above 0, not {width:g}", width=self.width))
        check_range("angle", self.angle, 0, 180, "degrees")
        check_finite(*self.down)
        if not any(self.down):
            raise CommandError(tr("'down' must point somewhere; [0, 0, 0] does not"))


class Rim(Rule, Plain, frozen=True, tag_field="rule", tag="rim"):
    """Where another layer ends: 1 on the border of where it shows, 0 at the reach on both sides, over seams too."""

    of: int
    reach: float | None = None

    lengths: ClassVar[tuple[str, ...]] = ("reach",)

    def check(self, project: Any) -> None:
        _check_reach(self.reach)  # a layer that is not there any more has no rim

    def refers(self) -> References:
        return NOTHING | References(layers=frozenset((self.of,)))

    def carried(self, carrying: Carrying) -> Rim:
        of, made = carrying.layer(self.of), cast(Rim, super().carried(carrying))
        return made if of == self.of else msgspec.structs.replace(made, of=of)
