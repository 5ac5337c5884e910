"""What an adjustment does to the values below it, as plain data."""

from __future__ import annotations

from lucky_fern.core.project.plain import Plain


class Levels(Plain, frozen=True, tag_field="effect", tag="levels"):
    """``black`` … ``white`` becomes 0 … 1, is raised to 1 / ``gamma``, and put between ``low`` and ``high``."""

    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    low: float = 0.0
    high: float = 1.0


class Curve(Plain, frozen=True, tag_field="effect", tag="curve"):
    """A smooth curve through points (input, output), rising in input; it does not overshoot."""

    points: tuple[tuple[float, float], ...] = ((0.0, 0.0), (1.0, 1.0))


class Shade(Plain, frozen=True, tag_field="effect", tag="shade"):
    """Hue turned by degrees, saturation and lightness changed by −1 … 1 (HSL of CSS Color 3)."""

    hue: float = 0.0
    saturation: float = 0.0
    lightness: float = 0.0


class Invert(Plain, frozen=True, tag_field="effect", tag="invert"):
    """Every value becomes 1 minus itself."""


class Blur(Plain, frozen=True, tag_field="effect", tag="blur"):
    """Gaussian blur inside each island; ``radius`` is its standard deviation in texels."""

    radius: float = 4.0


class Sharpen(Plain, frozen=True, tag_field="effect", tag="sharpen"):
    """``amount`` times the difference from a blur of ``radius`` texels is added."""

    radius: float = 2.0
    amount: float = 1.0


class Gradient(Plain, frozen=True, tag_field="effect", tag="gradient"):
    """Luminance becomes a colour of the ramp through stops (place 0 … 1, ``#rrggbb``)."""

    stops: tuple[tuple[float, str], ...] = ((0.0, "#000000"), (1.0, "#ffffff"))


class Contrast(Plain, frozen=True, tag_field="effect", tag="contrast"):
    """``brightness`` −1 … 1 is added; ``contrast`` −1 … 1 squeezes or spreads values about ½."""

    brightness: float = 0.0
    contrast: float = 0.0


Effect = Levels | Curve | Shade | Invert | Blur | Sharpen | Gradient | Contrast
