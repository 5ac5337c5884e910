"""Echoes as plain data: layers that turn what is below in one map into another map, live."""

from __future__ import annotations

from itertools import pairwise
from typing import Any, ClassVar, Literal

import msgspec
from msgspec.structs import replace

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.effects import MOST_POINTS
from lucky_fern.core.project.kinds import NOTHING, Carrying, Content, References
from lucky_fern.core.project.numbers import check_levels, check_range, check_share
from lucky_fern.core.project.plain import Plain, check_picture
from lucky_fern.core.project.rules import Rule
from lucky_fern.words import tr

Part = Literal["luminance", "r", "g", "b", "a", "saturation", "value", "bend", "rise", "like"]
PICTURE, RULE = "picture", "rule"  # what an echo hears in place of a map
WIDEST_RISE = 64.0
ECHO = "echo"  # the source of an echo's channels


class Echo(Content, Plain, frozen=True, tag_field="kind", tag="echo"):
    """What is below in the map ``from`` becomes what its channels give, texel by texel.

    ``from`` may be ``picture``: the kit's ``picture`` as it repeats over each tile, as stored; or ``rule``: what a
    ``rule`` of the survey measures.

    x is the ``part``: luminance as stored (Rec. 709 weights), a component, saturation (max − min) / max, value (max);
    ``bend``, of normals, ½ + how far they turn apart from texel to texel; ``like``, 1 where the colour is ``colour``,
    falling to 0 at a distance of ``near``; ``rise``, of normals, ½ + the height over ``tall`` texels of the surface
    that has them, shapes much over ``wide`` texels flattened out (:mod:`lucky_fern.core.compositing.rising`). Of maps
    of one number all other parts are that number.
    q = clamp((x − black) / (white − black)) ^ (1 / gamma), through the ``curve`` (points of input and output,
    straight between) if there is one, 1 − q if inverted. It is written as low + (high − low) · q; on maps of colours
    as low + (high − low) · what the ``ramp`` (stops of place and ``#rrggbb``) has at q, without a ramp as greys.
    """

    source: str = msgspec.field(default="colour", name="from")
    part: Part = "luminance"
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    low: float = 0.0
    high: float = 1.0
    invert: bool = False
    curve: tuple[tuple[float, float], ...] = ()
    ramp: tuple[tuple[float, str], ...] = ()
    colour: str = "#808080"
    near: float = 0.25
    picture: str = ""
    rule: Rule | None = None
    wide: float = 16.0
    tall: float = 8.0
    links: ClassVar[bool] = True

    @property
    def hears(self) -> str:
        return self.source

    @property
    def goes_by(self) -> str | None:
        return self.source if self.source in MAPS else None

    def refers(self) -> References:
        return References(pictures=frozenset((self.picture,))) if self.source == PICTURE else NOTHING

    def carried(self, carrying: Carrying) -> Echo:
        if self.source == PICTURE:
            return replace(self, picture=carrying.picture(self.picture))
        return self if self.rule is None else replace(self, rule=self.rule.carried(carrying))

    def _check_source(self, project: Any) -> None:
        if self.source == PICTURE:
            check_picture(project, self.picture)
        elif self.source == RULE:
            if self.rule is None:
                raise CommandError(tr("an echo of a rule names none; give it a 'rule'"))
            if self.rule.refers().layers or self.rule.hears:
                raise CommandError(tr("an echo hears what is measured from the model; put this rule in a mask"))
            self.rule.check(project)
        elif self.source not in MAPS:
            raise CommandError(
                tr("there is no map called {name!r}; the maps are {MAPS}", name=self.source, MAPS=", ".join(MAPS))
            )

    def check(self, project: Any) -> None:
        self._check_source(project)
        normals = self.source in MAPS and MAPS[self.source].directional
        if self.part in ("bend", "rise") and not normals:
            raise CommandError(
                tr("only normals have a '{part}'; take another part of {map}", part=self.part, map=self.source)
            )
        if self.part == "a" and self.source != PICTURE:
            raise CommandError(tr("only a picture has an alpha; take another part of {map}", map=self.source))
        check_range("wide", self.wide, 1, WIDEST_RISE, "texels")
        check_range("tall", self.tall, 0.01, 1e4, "texels")
        for what in ("black", "white", "low", "high"):
            check_share(what, getattr(self, what))
        check_levels(self.black, self.white, self.gamma)
        inputs = [x for x, _ in self.curve]
        if self.curve and (
            not 2 <= len(inputs) <= MOST_POINTS or any(not b - a >= 1e-4 for a, b in pairwise(inputs))
        ):
            raise CommandError(tr("a curve takes two points or more, each further right than the one before"))
        for point in self.curve:
            for value in point:
                check_share("a curve's point", value)
        places = [place for place, _ in self.ramp]
        if self.ramp and (not 2 <= len(places) <= MOST_POINTS or places != sorted(places)):
            raise CommandError(tr("a ramp takes two stops or more, in rising order"))
        for place, colour in self.ramp:
            check_share("a stop's place", place)
            if not is_hex(colour):
                raise CommandError(tr("{colour!r} is not a colour: write it as #rrggbb", colour=colour))
        if not is_hex(self.colour):
            raise CommandError(tr("{colour!r} is not a colour: write it as #rrggbb", colour=self.colour))
        check_range("near", self.near, 1e-3, 2)

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source != ECHO:
            raise CommandError(tr("an echo gives what it hears below, not a value"))
        if MAPS[map_name].directional:
            raise CommandError(tr("an echo makes numbers or colours, no directions; let a height shape the normals"))
