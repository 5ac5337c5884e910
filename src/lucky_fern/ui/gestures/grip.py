"""Handles of a decal on the screen: where they are, what is grabbed, what a drag means.

Works on the decal's middle and half axes in pixels, so both views share it. No Qt in here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.placing.pose import scaled, turned
from lucky_fern.core.project.places import Framed

REACH = 9.0  # pixels within which a handle is grabbed
KNOB = 26.0  # pixels from the upper edge to the turning knob
_CORNERS = ((-1, -1), (1, -1), (1, 1), (-1, 1))
_EDGES = ((1, 0), (-1, 0), (0, 1), (0, -1))


@dataclass(frozen=True)
class Grip:
    """A decal on the screen: ``centre``, ``half_x`` and ``half_y`` (2,) in pixels, y down."""

    centre: F64
    half_x: F64
    half_y: F64

    def at(self, a: float, b: float) -> F64:
        """The pixel at so many half axes from the middle."""
        result: F64 = self.centre + a * self.half_x + b * self.half_y
        return result

    @property
    def outline(self) -> F64:
        """(4, 2) corners, lower left first, counter-clockwise in the picture."""
        return np.array([self.at(a, b) for a, b in _CORNERS])

    @property
    def knob(self) -> F64:
        length = max(float(np.linalg.norm(self.half_y)), 1e-6)
        return self.at(0, 1 + KNOB / length)

    def handles(self) -> dict[str, F64]:
        """Name → pixel of every handle."""
        found = {f"corner {a} {b}": self.at(a, b) for a, b in _CORNERS}
        found.update({f"edge {a} {b}": self.at(a, b) for a, b in _EDGES})
        found["turn"] = self.knob
        return found

    def coordinates(self, point: F64) -> F64 | None:
        """A pixel in half axes from the middle; None where the decal is seen edge-on."""
        matrix = np.stack([self.half_x, self.half_y], axis=1)
        if abs(np.linalg.det(matrix)) < 1.0:
            return None
        return np.asarray(np.linalg.solve(matrix, point - self.centre), np.float64)

    def grabbed(self, point: F64) -> str | None:
        """The handle under a pixel; "move" inside the decal; None outside."""
        distances = {name: float(np.linalg.norm(place - point)) for name, place in self.handles().items()}
        name = min(distances, key=lambda key: distances[key])
        inner = self.coordinates(point)
        # On a decal too small for its handles the middle still moves it.
        if float(np.linalg.norm(point - self.centre)) < min(5.0, distances[name]):
            return "move"
        if distances[name] <= REACH:
            return name
        if inner is not None and (np.abs(inner) <= 1).all():
            return "move"
        return None


@dataclass(frozen=True)
class GripDrag:
    """A drag of a corner, an edge or the knob, from where it began."""

    grip: Grip
    handle: str
    start: F64
    place: Framed
    height: float
    smallest: float

    def place_at(self, point: F64, free: bool = False, stepped: bool = False) -> Framed:
        """The place while the pointer is at a pixel.

        ``free`` lets a corner change the proportions; ``stepped`` turns in steps of 15 degrees.
        """
        before, now = self.grip.coordinates(self.start), self.grip.coordinates(point)
        if before is None or now is None:
            return self.place
        if self.handle == "turn":
            # Angles are those of the decal's own plane, not of its slanted picture on the screen.
            real = np.array([self.place.width / 2, self.height / 2])
            (x0, y0), (x1, y1) = before * real, now * real
            degrees = float(np.degrees(np.arctan2(y1, x1) - np.arctan2(y0, x0)))
            if stepped:
                whole = round((self.place.rotate + degrees) / 15.0) * 15.0
                degrees = whole - self.place.rotate
            return turned(self.place, degrees)
        kind, a, b = self.handle.split()
        ratio = np.maximum(now / np.where(np.abs(before) < 1e-6, 1.0, before), 0.02)
        if kind == "edge":
            across, down = (float(ratio[0]), 1.0) if a != "0" else (1.0, float(ratio[1]))
        elif free:
            across, down = float(ratio[0]), float(ratio[1])
        else:
            sign = np.array([float(a), float(b)])
            across = down = max(float((now * sign).sum() / (before * sign).sum()), 0.02)
        return scaled(self.place, self.height, across, down, self.smallest)
