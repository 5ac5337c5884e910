"""Where a picture is put: the ways of placing, as plain data. ``flip`` shows it left for right."""

from __future__ import annotations

from lucky_fern.core.project.plain import Plain

Point = tuple[float, float, float]


class Throw(Plain, frozen=True, tag_field="mode", tag="throw"):
    """A picture thrown straight through the air, like a slide projector's.

    Lengths in model units, angles in degrees. ``height`` None keeps the picture's proportions;
    ``stand_off`` is how far from the point the projector stands (None: endlessly far), so that what is
    behind it hides nothing; ``through`` also reaches hidden surfaces.
    """

    point: Point
    normal: Point
    up: Point
    width: float
    height: float | None = None
    depth: float = 1.0
    angle_limit: float = 89.0
    rotate: float = 0.0
    stand_off: float | None = None
    through: bool = False
    flip: bool = False


class Drape(Plain, frozen=True, tag_field="mode", tag="drape"):
    """A picture that follows the surface from its middle like a wet transfer, so that lettering keeps its shape.

    As a throw at its middle; ``angle_limit`` leaves out what is turned further than that from there.
    """

    point: Point
    normal: Point
    up: Point
    width: float
    height: float | None = None
    rotate: float = 0.0
    angle_limit: float = 180.0
    flip: bool = False


class Roll(Plain, frozen=True, tag_field="mode", tag="roll"):
    """A picture rolled round an axis, which points up in it; ``width`` is an arc at the distance of its ``point``."""

    axis_point: Point
    axis: Point
    point: Point
    width: float
    height: float | None = None
    rotate: float = 0.0
    through: bool = False
    flip: bool = False


class Lay(Plain, frozen=True, tag_field="mode", tag="lay"):
    """A picture laid flat in UV space; lengths in tiles, ``centre`` counted from the tile's lower left."""

    material: str
    tile: int
    centre: tuple[float, float]
    width: float
    height: float | None = None
    rotate: float = 0.0
    flip: bool = False


OnSurface = Throw | Drape | Roll
Place = Throw | Drape | Roll | Lay


def place_height(place: Place, size: tuple[int, int]) -> float:
    """Height of a placed picture, from the proportions of its (width, height) where none is given."""
    if place.height is not None:
        return place.height
    return place.width * size[1] / size[0]
