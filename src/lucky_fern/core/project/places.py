"""Where a picture is put: the ways of placing, as plain data.

``flip`` shows a picture left for right; ``warp`` pulls it out of shape before it is placed.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.numbers import check_direction, check_finite
from lucky_fern.core.project.plain import Plain
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.words import tr

Point = tuple[float, float, float]
Pull = tuple[float, float]
Stand = tuple[Point, Point, tuple[Point, ...]]  # middle, the way it faces, and what may be up in it, the best first
_OTHER_UPS: tuple[Point, ...] = ((0.0, 1.0, 0.0), (0.0, 0.0, -1.0))


class Warp(Plain, frozen=True):
    """A picture pulled out of shape: where points of an even grid over it go.

    ``points`` row by row from the picture's top left, in shares of its width and height: (0, 0) is its upper left
    corner, (1, 1) its lower right one, and they may lie outside. With 2 × 2 points the picture follows its four
    corners as in perspective; with more it bends smoothly through them.
    """

    columns: int = 2
    rows: int = 2
    points: tuple[Pull, ...] = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0))

    def check(self) -> None:
        """Refuse a grid that is none, lies too far out, or has one corner behind another (CommandError)."""
        if not (2 <= self.columns <= 12 and 2 <= self.rows <= 12):
            raise CommandError(tr("a warp has 2 to 12 columns and rows of points"))
        if len(self.points) != self.columns * self.rows:
            raise CommandError(
                tr(
                    "a warp of {columns} × {rows} has that many points, not {points}",
                    columns=self.columns,
                    rows=self.rows,
                    points=len(self.points),
                )
            )
        if not all(math.isfinite(value) and abs(value) <= 10 for point in self.points for value in point):
            raise CommandError(tr("points of a warp lie within ten pictures round it"))
        if self.columns == self.rows == 2:
            a, b, d, c = self.points
            turns = [
                (q[0] - p[0]) * (r[1] - q[1]) - (q[1] - p[1]) * (r[0] - q[0])
                for p, q, r in ((a, b, c), (b, c, d), (c, d, a), (d, a, b))
            ]
            if min(turns) <= 1e-9:
                raise CommandError(tr("the four corners of a warp go round clockwise, without one behind the others"))


def _check_framed(place: Any, *numbers: float) -> None:
    """What all places with a middle, a width and a height refuse."""
    check_finite(place.width, place.rotate, place.height or 1.0, *numbers)
    if place.width <= 0 or (place.height is not None and place.height <= 0):
        raise CommandError(tr("width and height must be above 0"))
    if place.warp is not None:
        place.warp.check()


def _in_units(place: Any, by: float, lengths: tuple[str, ...], points: tuple[str, ...]) -> Any:
    """Lengths and points, ``by`` times as many units."""
    changes: dict[str, Any] = {name: value * by for name in lengths if (value := getattr(place, name)) is not None}
    changes |= {name: tuple(value * by for value in getattr(place, name)) for name in points}
    return replace(place, **changes)


def _tall(place: Any, size: tuple[int, int]) -> float:
    """From the picture's proportions where no height is given."""
    return float(place.height if place.height is not None else place.width * size[1] / size[0])


def _wider(place: Any, by: float) -> Any:
    """Only a height that is not given follows the picture by itself."""
    return place if place.height is not None else replace(place, width=place.width * by)


class Throw(Place, Plain, frozen=True, tag_field="mode", tag="throw"):
    """A picture thrown straight through the air, like a slide projector's.

    Lengths in model units, angles in degrees. ``height`` None keeps the picture's proportions;
    ``stand_off`` is how far from the point the projector stands (None: endlessly far), so that what is
    behind it hides nothing; ``through`` also reaches hidden surfaces. ``lens`` is how far from the point a lens
    stands from which the picture spreads, as in perspective (None: all rays run alike). Over the last ``fade``
    degrees before the limit the picture fades out. ``repeat`` has it go on in both directions without end.
    """

    straight: ClassVar[bool] = True
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

    def check(self) -> None:
        check_direction("normal", self.normal)
        check_direction("up", self.up)
        _check_framed(self)  # a depth that is left out follows from the width
        if not 0 < self.angle_limit <= 180:
            raise CommandError(
                tr("angle_limit runs from 0 to 180 degrees, not {angle_limit:g}", angle_limit=self.angle_limit)
            )
        if not self.depth > 0:
            raise CommandError(tr("depth must be above 0, not {depth:g}", depth=self.depth))
        if self.stand_off is not None and not self.stand_off > 0:
            raise CommandError(tr("stand_off must be above 0"))
        if self.lens is not None and not self.lens > 0:
            raise CommandError(tr("lens must be above 0; it is how far the lens stands from the point"))
        if not 0 <= self.fade <= 180:
            raise CommandError(tr("fade runs from 0 to 180 degrees, not {fade:g}", fade=self.fade))
        _check_framed(self, *self.point, *self.normal, *self.up, self.depth, self.stand_off or 1.0, self.lens or 1.0)

    @property
    def stand(self) -> Stand:
        return self.point, self.normal, (self.up, *_OTHER_UPS)

    def scaled(self, by: float) -> Throw:
        made: Throw = _in_units(self, by, ("width", "height", "depth", "stand_off", "lens"), ("point",))
        return made

    def tall(self, size: tuple[int, int]) -> float:
        return _tall(self, size)

    def widened(self, by: float) -> Throw:
        made: Throw = _wider(self, by)
        return made


class Drape(Place, Plain, frozen=True, tag_field="mode", tag="drape"):
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

    def check(self) -> None:
        check_direction("normal", self.normal)
        check_direction("up", self.up)
        if not 0 < self.angle_limit <= 180:
            raise CommandError(
                tr("angle_limit runs from 0 to 180 degrees, not {angle_limit:g}", angle_limit=self.angle_limit)
            )
        _check_framed(self, *self.point, *self.normal, *self.up)

    @property
    def stand(self) -> Stand:
        return self.point, self.normal, (self.up, *_OTHER_UPS)

    def scaled(self, by: float) -> Drape:
        made: Drape = _in_units(self, by, ("width", "height"), ("point",))
        return made

    def tall(self, size: tuple[int, int]) -> float:
        return _tall(self, size)

    def widened(self, by: float) -> Drape:
        made: Drape = _wider(self, by)
        return made


class Roll(Place, Plain, frozen=True, tag_field="mode", tag="roll"):
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

    def check(self) -> None:
        check_direction("axis", self.axis)
        numbers = (*self.axis_point, *self.axis, *self.point)
        if all(map(math.isfinite, numbers)) and distance_from_axis(self) == 0:
            raise CommandError(
                tr("the point of a roll must lie beside its axis: its distance says how far it goes round")
            )
        _check_framed(self, *numbers)

    @property
    def stand(self) -> Stand:
        """Of the plane that touches the roll at its point; ValueError if that lies on its axis."""
        if distance_from_axis(self) == 0:
            raise ValueError(tr("the point lies on the axis"))
        square = sum(a * a for a in self.axis)
        offset = [p - a for p, a in zip(self.point, self.axis_point, strict=True)]
        along = sum(o * a for o, a in zip(offset, self.axis, strict=True)) / square
        x, y, z = (o - along * a for o, a in zip(offset, self.axis, strict=True))
        return self.point, (x, y, z), (self.axis,)

    def scaled(self, by: float) -> Roll:
        made: Roll = _in_units(self, by, ("width", "height"), ("point", "axis_point"))
        return made

    def tall(self, size: tuple[int, int]) -> float:
        return _tall(self, size)

    def widened(self, by: float) -> Roll:
        made: Roll = _wider(self, by)
        return made


class Lay(Place, Plain, frozen=True, tag_field="mode", tag="lay"):
    """A picture laid flat in UV space; lengths in tiles, ``centre`` counted from the tile's lower left.

    ``repeat`` has it go on in both directions over all tiles of the material; ``also`` names materials that share its
    UV space, on which it shows too: parts of it that were cut off.
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
    also: tuple[str, ...] = ()

    on_surface: ClassVar[bool] = False

    def check(self) -> None:
        _check_framed(self, *self.centre)

    def renamed(self, old: str, new: str) -> Lay:
        also = tuple(new if name == old else name for name in self.also)
        return replace(self, material=new if self.material == old else self.material, also=also)

    @property
    def materials(self) -> frozenset[str]:
        return frozenset((self.material, *self.also))

    def shown_on(self, material: str, other: str) -> Lay:
        if self.material != material or other in self.also:
            return self
        return replace(self, also=(*self.also, other))

    def askew(self, shift: tuple[float, float], scale: float) -> Lay:
        tall = None if self.height is None else self.height * scale
        u, v = self.centre
        return replace(self, centre=(u + shift[0], v + shift[1]), width=self.width * scale, height=tall)

    def square_pixels(self, size_of: Callable[[SheetKey], Extent], picture: tuple[int, int]) -> Lay:
        size = size_of(SheetKey(self.material, self.tile))
        if self.height is not None or size.width == size.height:
            return self
        ratio = size.width / size.height
        return replace(self, height=self.tall(picture) * (1 / ratio if round(self.rotate / 90) % 2 else ratio))

    def reframed(
        self, key: SheetKey, before: Extent, after: Extent, by: tuple[int, int], picture: tuple[int, int]
    ) -> Lay:
        if (self.material, self.tile) != (key.material, key.tile):
            return self
        across, down = before.width / after.width, before.height / after.height
        wide, high = (down, across) if round(self.rotate / 90) % 2 == 1 else (across, down)
        tall = self.height
        if tall is None and abs(across - down) > 1e-12:
            tall = self.tall(picture)
        low = after.height - before.height - by[1]
        centre = (
            (self.centre[0] * before.width + by[0]) / after.width,
            (self.centre[1] * before.height + low) / after.height,
        )
        if self.rotate % 90 != 0 and tall is not None and abs(across - down) > 1e-12:
            return replace(self._sheared(tall, across, down), centre=centre)
        return replace(self, width=self.width * wide, height=None if tall is None else tall * high, centre=centre)

    def _sheared(self, tall: float, across: float, down: float) -> Lay:
        """What keeps its texels where a tile's sides are divided otherwise: aslant, a rectangle is a rhomboid then.

        It turns with the longer of its sides e and f, and its warp leans the other one: the share of that side which
        runs along the longer one is e · f over the longer one's square, never more than 1.
        """
        angle = math.radians(self.rotate)
        e = (across * math.cos(angle) * self.width, down * math.sin(angle) * self.width)
        f = (-across * math.sin(angle) * tall, down * math.cos(angle) * tall)
        wide, high, area = math.hypot(*e), math.hypot(*f), e[0] * f[1] - e[1] * f[0]
        lean = (e[0] * f[0] + e[1] * f[1]) / max(wide, high) ** 2
        warp = self.warp or Warp()
        if wide >= high:
            points = tuple((s - lean * (t - 0.5), t) for s, t in warp.points)
            high, turn = area / wide, math.atan2(e[1], e[0])
        else:
            points = tuple((s, t - lean * (s - 0.5)) for s, t in warp.points)
            wide, turn = area / high, math.atan2(-f[0], f[1])
        leant = replace(warp, points=points)
        return replace(self, width=wide, height=high, rotate=math.degrees(turn), warp=leant)

    def tall(self, size: tuple[int, int]) -> float:
        return _tall(self, size)

    def widened(self, by: float) -> Lay:
        made: Lay = _wider(self, by)
        return made


class Along(Place, Plain, frozen=True, tag_field="mode", tag="along"):
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

    framed: ClassVar[bool] = False

    def check(self) -> None:
        if len(self.points) != len(self.normals) or len(self.points) < 2:
            raise CommandError(tr("a stripe has two points or more, and a normal for each"))
        numbers = [value for point in (*self.points, *self.normals) for value in point]
        check_finite(*numbers, self.width, self.corner, *self.taper, self.length or 1.0)
        for normal in self.normals:
            check_direction("normals", normal)
        if all(math.dist(self.points[0], point) == 0 for point in self.points):
            raise CommandError(tr("the points of a stripe must lie apart"))
        if self.width <= 0 or self.corner < 0 or (self.length is not None and self.length <= 0):
            raise CommandError(tr("width and length of a stripe must be above 0, its corner 0 or more"))
        if not all(0 <= share <= 4 for share in self.taper) or not any(self.taper):
            raise CommandError(tr("taper takes two shares of the width from 0 to 4, not both 0"))

    def tall(self, size: tuple[int, int]) -> float:
        """Length of one picture along it."""
        return self.length if self.length is not None else self.width * size[0] / size[1]

    def scaled(self, by: float) -> Along:
        made: Along = _in_units(self, by, ("width", "corner", "length"), ())
        return replace(made, points=tuple((x * by, y * by, z * by) for x, y, z in self.points))


OnSurface = Throw | Drape | Roll  # by one point and a frame there
Framed = Throw | Drape | Roll | Lay  # with a middle, a width and a height


def distance_from_axis(place: Roll) -> float:
    """How far a roll's point lies from its axis; 0 where it is too near to tell."""
    length = math.hypot(*place.axis)
    offset = [p - a for p, a in zip(place.point, place.axis_point, strict=True)]
    along = sum(o * a for o, a in zip(offset, place.axis, strict=True)) / length
    rest = math.sqrt(max(sum(o * o for o in offset) - along * along, 0.0))
    return rest if rest > 1e-9 * max(math.hypot(*offset), abs(along)) else 0.0


def place_height(place: Place, size: tuple[int, int]) -> float:
    """Height of a placed picture, from the proportions of its (width, height) where none is given.

    For a stripe it is the length of one picture along it.
    """
    return place.tall(size)
