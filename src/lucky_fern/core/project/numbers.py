"""Ranges of numbers, refused with a sentence that says what may be there instead."""

from __future__ import annotations

import math

from lucky_fern.core.errors import CommandError
from lucky_fern.words import tr

Vector = tuple[float, float, float]
FARTHEST = 1e9  # units; what lies further out than this is a mistake in every model


def significant(value: float) -> float:
    """A number to six digits that count, as documents keep those that come from sliders: in whatever units it is."""
    return float(f"{value:.6g}")


def check_share(what: str, value: float) -> None:
    if not 0.0 <= value <= 1.0:
        raise CommandError(tr("{what} runs from 0 to 1, not {value:g}", what=what, value=value))


def check_range(what: str, value: float, low: float, high: float, unit: str = "") -> None:
    if not low <= value <= high:
        raise CommandError(
            tr(
                "{what} runs from {low:g} to {high:g}{value}, not {value_2:g}",
                what=what,
                low=low,
                high=high,
                value=unit and " " + unit,
                value_2=value,
            )
        )


def check_finite(*numbers: float) -> None:
    """Refuse numbers of a place that are none, or lie beyond all models."""
    if not all(map(math.isfinite, numbers)):
        raise CommandError(tr("every number of a place must be finite"))
    if any(abs(number) > FARTHEST for number in numbers):
        raise CommandError(
            tr(
                "numbers of a place lie within {FARTHEST:g}, not {max:g}",
                FARTHEST=FARTHEST,
                max=max(numbers, key=abs),
            )
        )


def check_direction(what: str, vector: Vector) -> None:
    if math.hypot(*vector) == 0:
        raise CommandError(tr("{what} must point somewhere; [0, 0, 0] does not", what=what))


def check_levels(black: float, white: float, gamma: float) -> None:
    if not black < white:
        raise CommandError(tr("black must lie below white; {black:g} and {white:g} do not", black=black, white=white))
    check_range("gamma", gamma, 0.01, 100)
