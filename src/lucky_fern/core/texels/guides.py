"""Guides of a sheet: what is near them is brought onto them."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.helps import Guides


def step_to(box: F64, guides: Guides, within: float) -> F64:
    """(2,) the shortest move, in texels, that brings an edge or the middle of a box onto guides, where any are near.

    ``box`` (2, 2) its lowest and highest column and row; ``within`` is how far it may be moved each way.
    """
    step = np.zeros(2)
    places = np.stack([box[0], box[1], box.mean(axis=0)])
    for axis, lines in enumerate((guides.upright, guides.level)):
        if lines:
            ways = (np.array(lines)[:, None] - places[:, axis]).ravel()
            best = ways[np.abs(ways).argmin()]
            step[axis] = best if abs(best) <= within else 0.0
    return step
