"""Where a picture is put: the ways of placing, as plain data.

``flip`` shows a picture left for right; ``warp`` pulls it out of shape before it is placed.
"""

from __future__ import annotations

from lucky_fern.core.project.plain import Plain

Point = tuple[float, float, float]
Pull = tuple[float, float]


class Warp(Plain, frozen=True):
    """A picture pulled out of shape: where points of an even grid over it go.

    ``points`` row by row from the picture's top left, in shares of its width and height: (0, 0) is its upper left
    corner, (1, 1) its lower right one, and they may lie outside. With 2 × 2 points the picture follows its four
    corners as in perspective; with more it bends smoothly through them.
    """

    columns: int = 2
    rows: int = 2
    points: tuple[Pull, ...] = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0))


class Throw(Plain, frozen=True, tag_field="mode", tag="throw"):
    """A picture thrown straight through the air, like a slide projector's.

    Lengths in model units, angles in degrees. ``height`` None keeps the picture's proportions;
    ``stand_off`` is how far from the point the projector stands (None: endlessly far), so that what is
    behind it hides nothing; ``through`` also reaches hidden surfaces. ``lens`` is how far from the point a lens
    stands from which the picture spreads, as in perspective (None: all rays run alike). Over the last ``fade``
    degrees before the limit the picture fades out. ``repeat`` has it go on in both directions without end.
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
    warp: Warp | None = None
    lens: float | None = None
    fade: float = 0.0
    repeat: bool = False


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
    warp: Warp | None = None


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
    warp: Warp | None = None


class Lay(Plain, frozen=True, tag_field="mode", tag="lay"):
    """A picture laid flat in UV space; lengths in tiles, ``centre`` counted from the tile's lower left.

    ``repeat`` has it go on in both directions over all tiles of the material.
    """

    material: str
    tile: int
    centre: tuple[float, float]
    width: float
    height: float | None = None
    rotate: float = 0.0
    flip: bool = False
    warp: Warp | None = None
    repeat: bool = False


class Along(Plain, frozen=True, tag_field="mode", tag="along"):
    """A picture run along a path over the surface: a stripe, ``width`` across.

    ``points`` lie on the surface, ``normals`` say which way it faces there. Between them it runs straight, turning
    with the radius ``corner``, or ``smooth`` through them; ``closed`` brings it back to the first. The picture is
    repeated, each ``length`` long (None: as its proportions ask), a whole number of times; ``whole`` stretches one
    over all the way instead. ``taper`` says what share of the width is left at the start and at the end.
    """

    points: tuple[Point, ...]
    normals: tuple[Point, ...]
    width: float
    closed: bool = False
    smooth: bool = False
    corner: float = 0.0
    taper: tuple[float, float] = (1.0, 1.0)
    length: float | None = None
    whole: bool = False
    flip: bool = False


OnSurface = Throw | Drape | Roll  # by one point and a frame there
Framed = Throw | Drape | Roll | Lay  # with a middle, a width and a height
Place = Framed | Along


def place_height(place: Place, size: tuple[int, int]) -> float:
    """Height of a placed picture, from the proportions of its (width, height) where none is given.

    For a stripe it is the length of one picture along it.
    """
    if isinstance(place, Along):
        return place.length if place.length is not None else place.width * size[0] / size[1]
    if place.height is not None:
        return place.height
    return place.width * size[1] / size[0]
