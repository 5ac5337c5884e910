"""What kernels of placing are handed, in bundles: a few things with a meaning each in place of thirty arrays."""

from __future__ import annotations

from typing import NamedTuple

from lucky_fern.core.arrays import F64, I32, U8, U16


class Corner(NamedTuple):
    """The first row and column, on the sheet, of what is drawn onto."""

    row: int
    column: int


class Faces(NamedTuple):
    """The triangles that are drawn: ``items`` are rows of the sheet's ``xy`` (N, 3, 2), ``needle`` (N,) those that
    hold no texel's centre; ``rows`` are their rows in the model, ``at`` (of each item) in what was worked out.
    """

    xy: F64
    needle: U8
    items: I32
    rows: I32
    at: I32


class Style(NamedTuple):
    """How texels are written: SMOOTH or NEAREST, CUT or REPEAT, and whether (and by which ``table``) light is
    encoded.
    """

    sampling: int
    edge: int
    encode: bool
    table: U16


class Box(NamedTuple):
    """A picture's box in model units, and how far away what hides it may stand."""

    width: float
    height: float
    depth: float
    limit: float


class Affine(NamedTuple):
    """Picture coordinates and depth as affine functions of a texel's centre (x, y)."""

    s_0: float
    s_x: float
    s_y: float
    t_0: float
    t_x: float
    t_y: float
    z_0: float
    z_x: float
    z_y: float


class Shadow(NamedTuple):
    """Whether a triangle can be hidden at all, and its row in the model."""

    asked: bool
    row: int
