"""A picture between two ops, and the row that every op has."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lucky_fern.core.arrays import U8, U16
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.pyramid import Flavour


@dataclass(frozen=True)
class State:
    """What the ops so far have made.

    ``rgba`` (rows, columns, 4) uint8 or uint16, straight alpha, encoded as it is ``taken``; ``beside`` other maps of
    the same size (rows, columns) or (rows, columns, 3) uint16, by what they are; ``covers``: its alpha says where,
    and it has no colours of its own; ``notes`` what there is to say; ``rise`` is how many pixels a height of 1 beside
    it stands above 0.
    """

    rgba: U8 | U16
    taken: Taken = "colour"
    beside: dict[str, U16] = field(default_factory=dict)
    covers: bool = False
    notes: tuple[str, ...] = ()
    rise: float = 1.0

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return int(self.rgba.shape[1]), int(self.rgba.shape[0])

    @property
    def flavour(self) -> Flavour:
        return "colour" if self.taken == "colour" else "data"

    @property
    def top(self) -> int:
        """The number that stands for 1."""
        return int(np.iinfo(self.rgba.dtype).max)


class OpRow:
    """What does an op."""

    def apply(self, state: State, op: Any) -> State:
        """The next state; the arrays of the one before are left as they are.

        Raises
        ------
        PictureError
            If the op makes no sense for this picture.
        """
        raise NotImplementedError
