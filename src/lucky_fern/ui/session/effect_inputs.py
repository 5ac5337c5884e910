"""The numbers of effects as a person sees them, on layers and on pictures alike."""

from __future__ import annotations

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
