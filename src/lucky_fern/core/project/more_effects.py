"""Adjustments that mend and simplify, as plain data.

Specks out, smoothing that keeps edges, two tones, few tones, contrast near by, mixed channels, unit normals.
"""

from __future__ import annotations

import math
from typing import Literal

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.effects import not_directions, only_colours
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.numbers import Vector, check_range, check_share
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

LARGEST_SPECK = 32.0
LARGEST_NEAR = 64.0
MOST_GAIN = 4.0
Which = Literal["bright", "dark", "both"]


class Specks(Effect, Plain, frozen=True, tag_field="effect", tag="despeckle"):
    """What differs from the median of the texels within ``radius`` by more than ``threshold`` becomes that median.

    ``which`` takes just what is brighter, or darker. Over the surface, seams included; of colours the luminance
    decides, of normals how far they lean apart (half the distance of their tips).
    """

    radius: float = 2.0
    threshold: float = 0.1
    which: Which = "both"

    def check(self) -> None:
        check_range("radius", self.radius, 1, LARGEST_SPECK, "texels")
        check_share("threshold", self.threshold)

    def check_on(self, map_name: str) -> None:
        if self.which != "both" and MAPS[map_name].directional:
            raise CommandError(tr("specks in normals are neither bright nor dark; take both"))

    def scaled(self, by: float) -> Specks:
        return replace(self, radius=min(max(1.0, self.radius * by), LARGEST_SPECK))

    @property
    def reach(self) -> int:
        return round(self.radius) + 1


class Smooth(Effect, Plain, frozen=True, tag_field="effect", tag="smooth"):
    """Smoothed within ``radius`` texels, but not over edges: what differs by ``tolerance`` counts much less.

    A bilateral filter (C. Tomasi and R. Manduchi, 1998): standard deviations of radius / 2 and of the tolerance.
    """

    radius: float = 4.0
    tolerance: float = 0.1

    def check(self) -> None:
        check_range("radius", self.radius, 1, LARGEST_SPECK, "texels")
        check_range("tolerance", self.tolerance, 0.001, 1)

    def scaled(self, by: float) -> Smooth:
        return replace(self, radius=min(max(1.0, self.radius * by), LARGEST_SPECK))

    @property
    def reach(self) -> int:
        return math.ceil(self.radius) + 1


class Threshold(Effect, Plain, frozen=True, tag_field="effect", tag="threshold"):
    """1 from ``at`` on, 0 below; with ``soft``, running up over so much on both sides. Each component by itself."""

    at: float = 0.5
    soft: float = 0.0

    def check(self) -> None:
        check_share("at", self.at)
        check_share("soft", self.soft)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class Posterise(Effect, Plain, frozen=True, tag_field="effect", tag="posterise"):
    """Every value to the nearest of so many ``tones``, evenly from 0 to 1."""

    tones: float = 5.0

    def check(self) -> None:
        check_range("tones", self.tones, 2, 256)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class Dither(Effect, Plain, frozen=True, tag_field="effect", tag="dither"):
    """Every value to one of so many ``tones``, evenly from 0 to 1, by a pattern of 8 × 8 texels that keeps the mean.

    An ``amount`` below 1 rounds some of the way first. B. E. Bayer, "An optimum method for two-level rendition of
    continuous-tone pictures" (1973).
    """

    tones: float = 2.0
    amount: float = 1.0

    def check(self) -> None:
        check_range("tones", self.tones, 2, 256)
        check_share("amount", self.amount)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class Match(Effect, Plain, frozen=True, tag_field="effect", tag="match"):
    """Brightness and colour of one region brought to another's: mean and spread, component by component.

    What has the ``mean`` and the ``spread`` (standard deviation) that were measured gets those in ``to_mean`` and
    ``to_spread``, as far as ``amount`` says; values as stored. ``of`` and ``to`` name the selections that were
    measured. After E. Reinhard et al., "Color transfer between images" (2001).
    """

    mean: Vector = (0.5, 0.5, 0.5)
    spread: Vector = (0.1, 0.1, 0.1)
    to_mean: Vector = (0.5, 0.5, 0.5)
    to_spread: Vector = (0.1, 0.1, 0.1)
    amount: float = 1.0
    of: str = ""
    to: str = ""

    @property
    def regions(self) -> tuple[str, str] | None:
        return (self.of, self.to) if self.of or self.to else None

    def check(self) -> None:
        for name in ("mean", "spread", "to_mean", "to_spread"):
            for value in getattr(self, name):
                check_share(name, value)
        check_share("amount", self.amount)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class NearContrast(Effect, Plain, frozen=True, tag_field="effect", tag="local-contrast"):
    """Differences from what lies round about within ``radius`` texels, towards a standard deviation of ``spread``.

    With an ``amount`` of 1 wholly, but never more than :data:`MOST_GAIN` times as large. Of colours the luminance
    decides, and all components get what it gets. After R. Wallis, "An approach to the space variant restoration and
    enhancement of images" (1976).
    """

    radius: float = 16.0
    amount: float = 0.5
    spread: float = 0.15

    def check(self) -> None:
        check_range("radius", self.radius, 1, LARGEST_NEAR, "texels")
        check_share("amount", self.amount)
        check_range("spread", self.spread, 0.01, 0.5)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)

    def scaled(self, by: float) -> NearContrast:
        return replace(self, radius=min(max(1.0, self.radius * by), LARGEST_NEAR))

    @property
    def reach(self) -> int:
        return math.ceil(3 * self.radius) + 1


class Mixer(Effect, Plain, frozen=True, tag_field="effect", tag="mixer"):
    """Each channel a sum of all three, of the values as they are stored: so much of red, of green and of blue."""

    red: Vector = (1.0, 0.0, 0.0)
    green: Vector = (0.0, 1.0, 0.0)
    blue: Vector = (0.0, 0.0, 1.0)

    def check(self) -> None:
        for name in self.__struct_fields__:
            for share in getattr(self, name):
                check_range(name, share, -2, 2)

    def check_on(self, map_name: str) -> None:
        only_colours(map_name)


class Normalise(Effect, Plain, frozen=True, tag_field="effect", tag="normalise"):
    """Directions of length 1 again, whatever was done to them."""

    def check_on(self, map_name: str) -> None:
        if not MAPS[map_name].directional:
            raise CommandError(tr("{map_name} holds no directions; this works on the normal map", map_name=map_name))
