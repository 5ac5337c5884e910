"""Both looks can be read: contrast as WCAG 2.2 defines it."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from lucky_fern.ui.widgets.style import DARK, LIGHT, Tones


def luminance(colour: str) -> float:
    """Relative luminance (WCAG 2.2) of an sRGB colour."""
    part = np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)]) / 255
    linear = np.where(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055) ** 2.4)
    return float(linear @ [0.2126, 0.7152, 0.0722])


@pytest.mark.parametrize("tones", [LIGHT, DARK])
def test_words_stand_out_from_what_they_stand_on(tones: Tones) -> None:
    grounds, words = (tones.ground, tones.panel, tones.field), (tones.text, tones.quiet, tones.warn)
    pairs = [*itertools.product(words, grounds), (tones.on_active, tones.active), (tones.text, tones.soft_active),
             (tones.active, tones.panel)]  # fmt: skip
    for word, ground in pairs:
        lighter, darker = sorted((luminance(word), luminance(ground)), reverse=True)
        assert (lighter + 0.05) / (darker + 0.05) >= 4.5, (word, ground)
