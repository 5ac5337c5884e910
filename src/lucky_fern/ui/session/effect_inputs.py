"""The numbers of effects as a person sees them, on layers and on pictures alike."""

from __future__ import annotations

from lucky_fern.core.project.effects import Levels
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.more_effects import Dither, NearContrast, Specks
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
