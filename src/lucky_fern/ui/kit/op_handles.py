"""How ops are taken by the hand in the picture: boxes, four corners, strokes that keep and drop. A row for each way.

Points are pixels of the picture that the op is given.
"""

from __future__ import annotations

from typing import Any, ClassVar

from msgspec.structs import replace

from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.preparations import CutOut, Point, Straighten


class Hand:
    """Handles of an op: ``points`` can be dragged, ``lines`` join some of them."""

    closed: ClassVar[bool] = True

    def points(self, op: Op) -> tuple[Point, ...]:
        return ()

    def moved(self, op: Op, number: int, to: Point) -> Op:
        """With one of its points elsewhere."""
        return op

    def drawn(self, op: Op, first: Point, to: Point) -> Op | None:
        """With what was drawn from one point to another, on empty ground; None if it takes nothing of that kind."""
        return None


class BoxHand(Hand):
    def points(self, op: Any) -> tuple[Point, ...]:
        if op.box is None:
            return ()
        left, upper, right, lower = op.box
        return (left, upper), (right, upper), (right, lower), (left, lower)

    def moved(self, op: Any, number: int, to: Point) -> Op:
        left, upper, right, lower = op.box
        x, y = round(to[0]), round(to[1])
        left, right = (min(x, right - 1), right) if number in (0, 3) else (left, max(x, left + 1))
        upper, lower = (min(y, lower - 1), lower) if number in (0, 1) else (upper, max(y, upper + 1))
        return _with(op, box=(left, upper, right, lower))

    def drawn(self, op: Any, first: Point, to: Point) -> Op | None:
        (left, right), (upper, lower) = (sorted((round(first[at]), round(to[at]))) for at in (0, 1))
        if right - left < 2 or lower - upper < 2:
            return None
        return _with(op, box=(left, upper, right, lower))


class CornerHand(Hand):
    def points(self, op: Any) -> tuple[Point, ...]:
        return tuple(op.corners)

    def moved(self, op: Any, number: int, to: Point) -> Op:
        corners = [*op.corners]
        corners[number] = round(to[0], 1), round(to[1], 1)
        return _with(op, corners=tuple(corners))


class CutHand(BoxHand):
    def points(self, op: Any) -> tuple[Point, ...]:
        return () if op.colour is not None else super().points(op)


HANDS: dict[str, Hand] = {"": Hand(), "box": BoxHand(), "corners": CornerHand(), "cut": CutHand()}


def stroked(op: CutOut, points: tuple[Point, ...], keep: bool) -> CutOut:
    """With a stroke more that keeps or drops what it goes over; where strokes overlap, the newer one counts."""
    mine, others = (op.keep, op.drop) if keep else (op.drop, op.keep)
    reach = op.radius**2
    left = tuple(one for one in others
                 if all((one[0] - x) ** 2 + (one[1] - y) ** 2 > reach for x, y in points))  # fmt: skip
    mine = (*mine, *((round(x, 1), round(y, 1)) for x, y in points))
    return replace(op, keep=mine, drop=left) if keep else replace(op, drop=mine, keep=left)


def with_corners(op: Op, corners: tuple[Point, Point, Point, Point]) -> Op:
    """A straightening with other corners."""
    return _with(op, corners=corners) if isinstance(op, Straighten) else op


def _with(op: Any, **changes: object) -> Op:
    made: Op = replace(op, **changes)
    return made
