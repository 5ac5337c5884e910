"""What an adjustment does to the values below it, as plain data."""

from __future__ import annotations

import math
from itertools import pairwise

from msgspec.structs import replace

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.numbers import check_levels, check_range, check_share
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

LONGEST_BLUR = 128.0
MOST_POINTS = 256  # of a curve, or stops of a ramp


def not_directions(map_name: str) -> None:
    """Refuse the normal map (CommandError)."""
    if MAPS[map_name].directional:
        raise CommandError(
            tr("directions in the normal map can be blurred, sharpened, smoothed or rid of specks, nothing else")
        )


def only_colours(map_name: str) -> None:
    """Refuse maps that hold no colours (CommandError)."""
    if not MAPS[map_name].encoded:
        raise CommandError(
            tr("{map_name} holds no colours; this adjustment works on colour and emissive", map_name=map_name)
        )


class Levels(Effect, Plain, frozen=True, tag_field="effect", tag="levels"):
    """``black`` … ``white`` becomes 0 … 1, is raised to 1 / ``gamma``, and put between ``low`` and ``high``."""

    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    low: float = 0.0
    high: float = 1.0

    def check(self) -> None:
        for what in ("black", "white", "low", "high"):
            check_share(what, getattr(self, what))
        check_levels(self.black, self.white, self.gamma)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class Curve(Effect, Plain, frozen=True, tag_field="effect", tag="curve"):
    """A smooth curve through points (input, output), rising in input; it does not overshoot."""

    points: tuple[tuple[float, float], ...] = ((0.0, 0.0), (1.0, 1.0))

    def check(self) -> None:
        inputs = [x for x, _ in self.points]
        if not 2 <= len(inputs) <= MOST_POINTS or any(not b - a >= 1e-4 for a, b in pairwise(inputs)):
            raise CommandError(tr("a curve takes two points or more, each further right than the one before"))
        for point in self.points:
            for value in point:
                check_share("a curve's point", value)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class Shade(Effect, Plain, frozen=True, tag_field="effect", tag="shade"):
    """Hue turned by degrees, saturation and lightness changed by −1 … 1 (HSL of CSS Color 3)."""

    hue: float = 0.0
    saturation: float = 0.0
    lightness: float = 0.0

    def check(self) -> None:
        check_range("hue", self.hue, -360, 360)
        check_range("saturation", self.saturation, -1, 1)
        check_range("lightness", self.lightness, -1, 1)

    def check_on(self, map_name: str) -> None:
        only_colours(map_name)


class Invert(Effect, Plain, frozen=True, tag_field="effect", tag="invert"):
    """Every value becomes 1 minus itself."""

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)


class Blur(Effect, Plain, frozen=True, tag_field="effect", tag="blur"):
    """Gaussian blur over the surface, seams included; ``radius`` is its standard deviation in texels."""

    radius: float = 4.0

    def check(self) -> None:
        check_range("radius", self.radius, 0, LONGEST_BLUR, "texels")

    def scaled(self, by: float) -> Blur:
        return replace(self, radius=self.radius * by)

    @property
    def reach(self) -> int:
        return math.ceil(3 * self.radius) + 1 if self.radius > 0 else 0


class Sharpen(Effect, Plain, frozen=True, tag_field="effect", tag="sharpen"):
    """``amount`` times the difference from a blur of ``radius`` texels is added."""

    radius: float = 2.0
    amount: float = 1.0

    def check(self) -> None:
        check_range("radius", self.radius, 0, LONGEST_BLUR, "texels")
        check_range("amount", self.amount, 0, 10)

    def scaled(self, by: float) -> Sharpen:
        return replace(self, radius=self.radius * by)

    @property
    def reach(self) -> int:
        return math.ceil(3 * self.radius) + 1 if self.radius > 0 else 0


class Gradient(Effect, Plain, frozen=True, tag_field="effect", tag="gradient"):
    """Luminance becomes a colour of the ramp through stops (place 0 … 1, ``#rrggbb``)."""

    stops: tuple[tuple[float, str], ...] = ((0.0, "#000000"), (1.0, "#ffffff"))

    def check(self) -> None:
        places = [place for place, _ in self.stops]
        if not 2 <= len(places) <= MOST_POINTS or places != sorted(places):
            raise CommandError(tr("a ramp takes two stops or more, in rising order"))
        for place, colour in self.stops:
            check_share("a stop's place", place)
            if not is_hex(colour):
                raise CommandError(tr("{colour!r} is not a colour: write it as #rrggbb", colour=colour))

    def check_on(self, map_name: str) -> None:
        only_colours(map_name)


class Contrast(Effect, Plain, frozen=True, tag_field="effect", tag="contrast"):
    """``brightness`` −1 … 1 is added; ``contrast`` −1 … 1 squeezes or spreads values about ½."""

    brightness: float = 0.0
    contrast: float = 0.0

    def check(self) -> None:
        check_range("brightness", self.brightness, -1, 1)
        check_range("contrast", self.contrast, -1, 1)

    def check_on(self, map_name: str) -> None:
        not_directions(map_name)
