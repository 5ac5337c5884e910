"""Masks as plain data: ordered entries, each a shape and how it meets those before it."""

from __future__ import annotations

import math
from typing import Literal

from lucky_fern.core.project.places import Place
from lucky_fern.core.project.plain import PaintedSheet, Plain, Sampling, Scope


class Fill(Plain, frozen=True, tag_field="kind", tag="fill"):
    """The same everywhere."""

    value: float = 1.0


class PictureShape(Plain, frozen=True, tag_field="kind", tag="picture"):
    """A placed picture's alpha or luminance; nothing outside it."""

    picture: str
    place: Place
    use: Literal["alpha", "luminance"] = "alpha"
    sampling: Sampling = "smooth"


class ScopeShape(Plain, frozen=True, tag_field="kind", tag="scope"):
    """Materials, tiles, parts or islands."""

    scope: Scope


class PaintedShape(Plain, frozen=True, tag_field="kind", tag="painted"):
    """Painted by hand; the one map is called ``mask``."""

    sheets: dict[str, PaintedSheet] = {}


Shape = Fill | PictureShape | ScopeShape | PaintedShape


class MaskEntry(Plain, frozen=True):
    """One entry of a mask: a shape, how it meets the entries before it, and what is done to it first.

    ``confine`` has what is before it show through step by step: the shape's lightest parts at the first light touch,
    its darker ones as more is painted, its black ones never.

    A shape is first grown by ``grow`` texels (shrunk, below 0), then its edges are evened out over ``smooth`` texels,
    then it is blurred: ``feather`` is the standard deviation, in texels. All of that happens inside each island by
    itself. ``opacity`` is how far the entry counts.
    """

    shape: Shape
    mode: Literal["replace", "add", "subtract", "intersect", "confine"] = "replace"
    invert: bool = False
    feather: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    on: bool = True
    opacity: float = 1.0
    grow: int = 0
    smooth: float = 0.0

    @property
    def reach(self) -> int:
        """How many texels around its own a texel depends on."""
        reach = abs(self.grow)
        if self.smooth > 0:
            reach += math.ceil(3 * self.smooth) + 1
        if self.feather > 0:
            reach += math.ceil(3 * self.feather) + 1
        return reach


class Mask(Plain, frozen=True):
    """Where layers show: ordered entries, the first at the bottom. Several layers may use one mask."""

    entries: tuple[MaskEntry, ...] = ()
    invert: bool = False
    on: bool = True
