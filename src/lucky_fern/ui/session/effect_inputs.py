"""The numbers of effects as a person sees them, on layers and on pictures alike."""

from __future__ import annotations

from lucky_fern.core.project.effects import Levels
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.more_effects import LARGEST_SPECK, Dither, Match, NearContrast, Smooth, Specks
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.words import tr

# Field → title, lowest, highest, decimals.
SLIDERS: dict[str, tuple[str, float, float, int]] = {
    "black": (tr("Black"), 0, 1, 3),
    "white": (tr("White"), 0, 1, 3),
    "gamma": (tr("Gamma"), 0.1, 4, 2),
    "low": (tr("Lowest"), 0, 1, 3),
    "high": (tr("Highest"), 0, 1, 3),
    "hue": (tr("Hue °"), -180, 180, 0),
    "saturation": (tr("Saturation"), -1, 1, 2),
    "lightness": (tr("Lightness"), -1, 1, 2),
    "brightness": (tr("Brightness"), -1, 1, 2),
    "contrast": (tr("Contrast"), -1, 1, 2),
    "radius": (tr("Radius"), 0, 64, 1),
    "amount": (tr("Amount"), 0, 4, 2),
    "threshold": (tr("Threshold"), 0, 1, 3),
    "tolerance": (tr("Tolerance"), 0.001, 1, 3),
    "at": (tr("From"), 0, 1, 3),
    "soft": (tr("Soft"), 0, 1, 3),
    "tones": (tr("Tones"), 2, 32, 0),
    "spread": (tr("Spread"), 0.01, 0.5, 3),
    "size": (tr("Size"), 2, 64, 1),
    "length": (tr("Length"), 1, 16, 1),
    "detail": (tr("Detail"), 0, 1, 2),
    "bristle": (tr("Bristle"), 0, 1, 2),
    "turn": (tr("Turned °"), -180, 180, 0),
    "stray": (tr("Astray"), 0, 1, 2),
    "vary": (tr("Vary"), 0, 1, 2),
    "thick": (tr("Thick"), 0, 1, 2),
    "seed": (tr("Seed"), 0, 9999, 0),
    "wide": (tr("Widest"), 1, 64, 0),
    "tall": (tr("Tall"), 0.5, 64, 1),
}

# Where a kind takes less than others do.
_OWN: dict[tuple[type[Effect], str], tuple[float, float]] = {
    (Specks, "radius"): (1, LARGEST_SPECK), (Smooth, "radius"): (1, LARGEST_SPECK), (NearContrast, "radius"): (1, 64),
    (NearContrast, "amount"): (0, 1), (Dither, "amount"): (0, 1), (Match, "amount"): (0, 1),
}  # fmt: skip
_NEAREST = 0.01  # black and white keep apart


def slider(kind: type[Effect], field: str) -> tuple[str, float, float, int]:
    """A field's title, lowest, highest and decimals on one kind of effect."""
    title, low, high, decimals = SLIDERS[field]
    return (title, *_OWN.get((kind, field), (low, high)), decimals)


def kept_apart(name: str, value: float, black: float, white: float) -> float:
    """A value for ``black`` or ``white`` that lies on its side of the other; any other as it is."""
    if name == "black":
        return min(value, round(white - _NEAREST, 4))
    return max(value, round(black + _NEAREST, 4)) if name == "white" else value


# Fields of three numbers → their titles (what it is: from what), lowest, highest, decimals.
THREES: dict[str, tuple[tuple[str, str, str], float, float, int]] = {
    "red": ((tr("Red: red"), tr("Red: green"), tr("Red: blue")), -2, 2, 2),
    "green": ((tr("Green: red"), tr("Green: green"), tr("Green: blue")), -2, 2, 2),
    "blue": ((tr("Blue: red"), tr("Blue: green"), tr("Blue: blue")), -2, 2, 2),
}

# Of fields that are one of several words.
CHOICES: dict[str, dict[str, str]] = {
    "along": {"form": tr("along the form"), "edges": tr("along edges of the colour"), "free": tr("as turned")},
    "which": {"both": tr("bright and dark ones"), "bright": tr("bright ones"), "dark": tr("dark ones")},
}

CHOICE_TITLES: dict[str, str] = {"along": tr("They run"), "which": tr("Which")}

# Settings at hand, by the kind of adjustment.
READY_EFFECTS: dict[type[Effect], dict[str, Effect]] = {
    PaintStrokes: {
        tr("Fine, with detail"): PaintStrokes(8.0, 3.0, 0.8, thick=0.25),
        tr("Broad and dry"): PaintStrokes(32.0, 5.0, 0.4, bristle=0.9, vary=0.4),
        tr("Dabs"): PaintStrokes(18.0, 1.2, 0.5, bristle=0.3, stray=1.0, thick=0.6),
        tr("Along edges, smooth"): PaintStrokes(12.0, 5.0, 0.6, bristle=0.2, along="edges", vary=0.15),
    },
    Levels: {
        tr("More contrast"): Levels(0.15, 0.85), tr("Lighter"): Levels(gamma=1.5), tr("Darker"): Levels(gamma=0.66),
        tr("Flat, for gloss"): Levels(low=0.35, high=0.75),
    },
    Specks: {
        tr("Single texels"): Specks(1.0, 0.05), tr("Bright dust"): Specks(2.0, 0.1, "bright"),
        tr("Dark dirt"): Specks(3.0, 0.15, "dark"),
    },
    NearContrast: {tr("Crisp"): NearContrast(4.0, 0.6), tr("Broad"): NearContrast(32.0, 0.5)},
    Dither: {tr("Two tones"): Dither(2.0), tr("Eight tones, half"): Dither(8.0, 0.5)},
}  # fmt: skip
