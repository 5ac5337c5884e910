"""Colour values: sRGB encoding (IEC 61966-2-1), hexadecimal notation, luminance.

Reference space: sRGB primaries, D65. "Encoded" is what files hold, "linear" is proportional to light.
"""

import re

import numpy as np

from lucky_fern.core.arrays import F32, F64, U16, Array
from lucky_fern.words import tr

# Rec. 709 weights; applied to stored values where a scalar map takes its value from a picture.
LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
_HEX = re.compile(r"#[0-9a-fA-F]{6}\Z")


def decode_srgb(encoded: Array) -> F64:
    """Encoded 0…1 to linear 0…1 (IEC 61966-2-1), any shape."""
    value = np.asarray(encoded, np.float64)
    result: F64 = np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)
    return result


def encode_srgb(linear: Array) -> F64:
    """Linear 0…1 to encoded 0…1 (IEC 61966-2-1), any shape; values are clipped to 0…1."""
    value = np.clip(np.asarray(linear, np.float64), 0.0, 1.0)
    result: F64 = np.where(value <= 0.0031308, value * 12.92, 1.055 * value ** (1 / 2.4) - 0.055)
    return result


DECODE_8: F32 = decode_srgb(np.arange(256) / 255.0).astype(np.float32)
DECODE_16: F32 = decode_srgb(np.arange(65536) / 65535.0).astype(np.float32)
# Linear 0…65535 to encoded 0…65535; looked up by the sampling kernels instead of a power per texel.
ENCODE_16: U16 = np.round(encode_srgb(np.arange(65536) / 65535.0) * 65535.0).astype(np.uint16)


def is_hex(text: object) -> bool:
    """Whether ``text`` is ``#rrggbb``."""
    return isinstance(text, str) and _HEX.match(text) is not None


def from_hex(text: str) -> tuple[float, float, float]:
    """``#rrggbb`` to three encoded values 0…1.

    Raises
    ------
    ValueError
        If the text is not ``#rrggbb``.
    """
    if not is_hex(text):
        raise ValueError(tr("{words!r} is not a colour: write it as #rrggbb, for example #335577", words=text))
    return int(text[1:3], 16) / 255.0, int(text[3:5], 16) / 255.0, int(text[5:7], 16) / 255.0


def to_hex(value: tuple[float, float, float]) -> str:
    """Three encoded values 0…1 to ``#rrggbb``."""
    return "#" + "".join(f"{int(np.clip(v, 0, 1) * 255 + 0.5):02x}" for v in value)


def contrast(one: tuple[float, float, float], other: tuple[float, float, float]) -> float:
    """How well two sRGB-encoded colours tell apart, 1 … 21 (the contrast ratio of WCAG 2.2)."""
    light, dark = sorted((float(decode_srgb(np.array(c)) @ LUMINANCE) for c in (one, other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def standing_out(text: str, ground: tuple[float, float, float], least: float) -> str:
    """A colour #rrggbb, or black or white where it has less than that contrast with an sRGB-encoded ground."""
    if contrast(from_hex(text), ground) >= least:
        return text
    return max("#000000", "#ffffff", key=lambda other: contrast(from_hex(other), ground))


def turned_hue(colour: F32, degrees: F32) -> F32:
    """A colour ((3,) encoded) with its hue turned by degrees (any shape), as (..., 3).

    HSL as in CSS Color Module Level 3, section 4.2.4: saturation and lightness stay.
    """
    most, least = float(colour.max()), float(colour.min())
    chroma, light = most - least, (most + least) / 2
    red, green, blue = (float(part) for part in colour)
    if chroma < 1e-7:
        hue = 0.0
    elif most == red:
        hue = (green - blue) / chroma
    elif most == green:
        hue = 2 + (blue - red) / chroma
    else:
        hue = 4 + (red - green) / chroma
    turned = (hue + degrees[..., None] / 60 - 2 * np.arange(3, dtype=np.float32)) % 6
    away = np.abs((turned + 3) % 6 - 3)  # of the hue from each primary
    return np.asarray(light + chroma * (np.clip(2 - away, 0, 1) - 0.5), np.float32)


def luminance_of(values: F32) -> F32:
    """(…) float32 of (…, 3), by Rec. 709's weights; a texel comes to the same bits whatever array it stands in.

    (A product of matrices sums in an order that depends on the array.)
    """
    red, green, blue = (np.float32(one) for one in LUMINANCE)
    return np.asarray(values[..., 0] * red + values[..., 1] * green + values[..., 2] * blue, np.float32)
