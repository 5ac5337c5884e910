"""What a stroke puts down: the same values everywhere, or others at every texel."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

import numpy as np

from lucky_fern.core.arrays import F32
from lucky_fern.core.colour import turned_hue
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.painting.stroke import Place

Values = Mapping[str, str | float]


class Paint(Protocol):
    """Gives values to some maps."""

    @property
    def maps(self) -> tuple[str, ...]:
        """The maps that it gives to."""
        ...

    def at(self, place: Place, name: str) -> F32:
        """(1, 1, n) or (r, c, n) float32 values 0…1 of a map on a chunk, colours sRGB-encoded."""
        ...


class Plain:
    """The same values everywhere; ``tints`` turn the hue of colours by degrees."""

    def __init__(self, values: Values, tints: Mapping[Place, F32] | None = None) -> None:
        """
        Raises
        ------
        ValueError, KeyError
            If a value cannot be, or there is no such map.
        """
        self._values = {name: np.array(parse_value(name, value), np.float32) for name, value in values.items()}
        self._tints = tints or {}

    @property
    def maps(self) -> tuple[str, ...]:
        return tuple(self._values)

    def at(self, place: Place, name: str) -> F32:
        value = self._values[name]
        if place not in self._tints or not MAPS[name].encoded:
            return value[None, None]
        return turned_hue(value, self._tints[place])
