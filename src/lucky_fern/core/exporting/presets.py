"""Presets: which maps become which files.

A recipe names the file's map, the project's maps it needs, and how their arrays become one picture.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import U8, U16

Pixels = U8 | U16


@dataclass(frozen=True)
class Recipe:
    """One kind of file: its map name, what it is made of, and how.

    ``sources`` are maps that must be written for the file to exist (``always`` overrides that);
    ``extra`` maps are handed over only if they are written. ``combine`` gets map name → (size, size, n).
    """

    name: str
    sources: tuple[str, ...]
    combine: Callable[[dict[str, Pixels]], Pixels]
    extra: tuple[str, ...] = ()
    always: bool = False
    bits: int | None = None  # a fixed depth, whatever the export asks for


def _only(name: str) -> Callable[[dict[str, Pixels]], Pixels]:
    return lambda maps: maps[name]


def _base_colour(maps: dict[str, Pixels]) -> Pixels:
    """RGB, or RGBA with straight alpha where opacity is used."""
    if "opacity" in maps:
        return np.concatenate([maps["colour"], maps["opacity"]], axis=2)
    return maps["colour"]


def _brightest(maps: dict[str, Pixels]) -> Pixels:
    return np.asarray(maps["emissive"].max(axis=2, keepdims=True))


_BASE = Recipe("baseColor", ("colour",), _base_colour, extra=("opacity",), always=True)

RECIPES: dict[str, tuple[Recipe, ...]] = {
    "separate": (
        _BASE,
        *(Recipe(name, (name,), _only(name))
          for name in ("metallic", "roughness", "normal", "height", "occlusion", "emissive")),
    ),
    "emissive": (
        Recipe("emissive", ("emissive",), _only("emissive")),
        Recipe("emissiveMask", ("emissive",), _brightest, bits=8),
    ),
}  # fmt: skip
