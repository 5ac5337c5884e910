"""The few colours that a picture is made of, and whether it is of a colour that somebody asks for."""

from __future__ import annotations

import re

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8, Array
from lucky_fern.core.colour import is_hex
from lucky_fern.words import tr

MOST = 5
_STEPS = 8  # of each of three axes, into which colours are counted
_LEAST = 0.04  # of what shows, for a colour to count as one of the picture's
_NEAR = 26.0  # CIE 1976 difference up to which two colours answer to each other
# Plain words for colours: the hue in degrees of CIELAB, from and to; greys go by how light they are.
_HUES: dict[str, tuple[float, float]] = {
    tr("red"): (5, 45), tr("orange"): (45, 72), tr("yellow"): (72, 108), tr("green"): (108, 180),
    tr("turquoise"): (170, 225), tr("blue"): (225, 308), tr("violet"): (296, 335), tr("pink"): (325, 372),
}  # fmt: skip
_GREYS: dict[str, tuple[float, float]] = {tr("black"): (-1, 22), tr("grey"): (22, 85), tr("white"): (85, 101)}
_BROWN = tr("brown")
_CHROMA = 12.0  # below it a colour is a grey


def main_colours(rgba: Array, most: int = MOST) -> tuple[str, ...]:
    """``#rrggbb`` of the colours that fill most of what shows of a picture, the most frequent first.

    ``rgba`` (r, c, 4) uint8 or uint16, straight, sRGB-encoded. Clear pixels do not count; colours are counted in a
    grid over CIELAB and each is the mean of its cell.
    """
    deep = rgba.dtype == np.uint16
    step = max(1, int(np.sqrt(rgba.shape[0] * rgba.shape[1] / 65536)))
    small = rgba[::step, ::step]
    pixels = (small >> 8).astype(np.uint8) if deep else small
    shown = pixels[pixels[..., 3] > 127][:, :3]
    if not len(shown):
        return ()
    lab = _lab(shown)
    scale = np.array([100, 200, 200], np.float32) / _STEPS
    cell = np.floor((lab + np.array([0, 100, 100], np.float32)) / scale).astype(np.int64)
    number = (cell[:, 0] * 64 + cell[:, 1]) * 64 + cell[:, 2]
    _, inverse, count = np.unique(number, return_inverse=True, return_counts=True)
    order = np.argsort(-count, kind="stable")[:most]
    found = []
    for row in order:
        if count[row] >= _LEAST * len(shown):
            mean = shown[inverse == row].mean(axis=0)
            found.append("#" + "".join(f"{round(value):02x}" for value in mean))
    return tuple(found)


def is_colour(word: str) -> bool:
    """Whether a word of a search asks for a colour."""
    return is_hex(_hex(word)) or word in _HUES or word in _GREYS or word == _BROWN


def has_colour(colours: tuple[str, ...], word: str) -> bool:
    """Whether one of a picture's colours is the one asked for: by a plain word, or near to ``#rrggbb``."""
    if not colours:
        return False
    lab = _lab(np.array([[int(one[at : at + 2], 16) for at in (1, 3, 5)] for one in colours], np.uint8))
    if is_hex(_hex(word)):
        wanted = _lab(np.array([[int(_hex(word)[at : at + 2], 16) for at in (1, 3, 5)]], np.uint8))
        return bool((np.linalg.norm(lab - wanted, axis=1) <= _NEAR).any())
    chroma, hue = np.hypot(lab[:, 1], lab[:, 2]), np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
    light = lab[:, 0]
    if word in _GREYS:
        low, high = _GREYS[word]
        return bool(((chroma < _CHROMA) & (light > low) & (light <= high)).any())
    if word == _BROWN:
        return bool(((chroma >= _CHROMA) & (chroma < 60) & (light < 55) & (hue > 30) & (hue < 90)).any())
    low, high = _HUES[word]
    return bool(((chroma >= _CHROMA) & ((hue - low) % 360 <= high - low)).any())


def _hex(word: str) -> str:
    """``#abc`` and ``aabbcc`` as ``#rrggbb``."""
    digits = word.removeprefix("#")
    if word.startswith("#") and re.fullmatch("[0-9a-fA-F]{3}", digits):
        return "#" + "".join(2 * one for one in digits)
    return word


def _lab(rgb: U8) -> F32:
    """(N, 3) CIELAB (D65) of (N, 3) sRGB."""
    made: F32 = cv2.cvtColor(rgb.reshape(-1, 1, 3).astype(np.float32) / 255, cv2.COLOR_RGB2Lab).reshape(-1, 3)
    return made
