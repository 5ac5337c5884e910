"""The frame of a placed picture: where its middle is, which way is right, up and towards the projector."""

from dataclasses import dataclass

import numpy as np

from lucky_fern.core.arrays import F64, unit_rows
from lucky_fern.core.project.places import Lay, OnSurface


@dataclass(frozen=True)
class Frame:
    """Right-handed: ``right`` × ``up`` = ``towards`` (unit vectors, (3,) float64)."""

    origin: F64
    right: F64
    up: F64
    towards: F64

    @property
    def matrix(self) -> F64:
        """(3, 3): world vectors to frame coordinates (right, up, towards)."""
        return np.stack([self.right, self.up, self.towards])


def pose_frame(place: OnSurface) -> Frame:
    """The frame of a picture at its middle: that of a throw, or of the plane that touches the roll there.

    Raises
    ------
    ValueError
        If a roll's point lies on its axis.
    """
    point, normal, ups = place.stand
    return _frame(point, normal, ups, place.rotate)


def _frame(point: object, normal: object, ups: tuple[object, ...], rotate: float) -> Frame:
    """Where a picture stands.

    ``up`` is straightened to stand at right angles to the normal; where the two run along the same line
    another up is taken (the world's Y, or −Z for a picture that faces straight up or down). ``rotate``
    turns it counter-clockwise as seen from the projector.
    """
    towards = unit_rows(np.asarray(normal, np.float64))
    up = np.zeros(3)
    for wish in ups:
        unit = unit_rows(np.asarray(wish, np.float64))
        up = unit - towards * (unit @ towards)
        if np.linalg.norm(up) > 1e-6:
            break
    up = unit_rows(up)
    right = np.cross(up, towards)
    angle = np.radians(rotate)
    cos, sin = np.cos(angle), np.sin(angle)
    return Frame(np.asarray(point, np.float64), cos * right + sin * up, cos * up - sin * right, towards)


def lay_matrix(place: Lay, height: float) -> tuple[F64, F64]:
    """How a laid picture's coordinates follow from tile-local UV.

    Returns
    -------
    matrix (2, 2), offset (2,): (s, t) = matrix @ (u, v) + offset, with s from the picture's left and t
    from its top, both 0…1.
    """
    angle = np.radians(place.rotate)
    cos, sin = np.cos(angle), np.sin(angle)
    matrix = np.array([[cos / place.width, sin / place.width], [sin / height, -cos / height]])
    return matrix, np.array([0.5, 0.5]) - matrix @ np.asarray(place.centre, np.float64)
