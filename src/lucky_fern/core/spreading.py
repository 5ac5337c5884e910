"""One label for many places: its lines, each as a label of its own, spread over pieces of the surface."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import Bool
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.placing.pose import drop_thrown
from lucky_fern.core.placing.spots import spots
from lucky_fern.core.project.commands import AddLayer, AddPicture, Several
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.places import Drape
from lucky_fern.core.studio import Studio


@dataclass(frozen=True)
class Spread:
    """The command, how many labels it adds, and how many lines found no piece."""

    command: Several
    count: int
    left: int


def spread_lines(studio: Studio, layer: Layer, width: float, label: Label, chosen: Bool) -> Spread | None:
    """Labels of the lines of one, draped onto the pieces of what is chosen ((T,) bool), in reading order.

    The letters keep their size: ``width`` is that of the label's decal, in model units. None where nothing is chosen.

    Raises
    ------
    PictureError
        If a line cannot be drawn.
    """
    decal = cast(Decal, layer.content)
    lines = [line.strip() for line in label.text.split("\n") if line.strip()]
    places = spots(studio.model, chosen) if chosen.any() else []
    if not places:
        return None
    size = width / studio.project.picture_size(decal.picture)[0]
    commands: list[AddPicture | AddLayer] = []
    taken = set(studio.project.pictures)
    for line, hit in zip(lines, places, strict=False):
        kit = studio.prepare_label(replace(label, text=line))
        identity, number = kit.name, 2
        while identity in taken:
            identity, number = f"{kit.name} {number}", number + 1
        taken.add(identity)
        at = drop_thrown(studio.model, hit, kit.height / kit.width, np.array([0.0, 0.0, -1.0]))
        place = Drape(at.point, at.normal, at.up, size * kit.width)
        commands += [AddPicture(identity, kit),
                     AddLayer(line, Decal(identity, place, decal.sampling), layer.channels)]  # fmt: skip
    count = min(len(lines), len(places))
    return Spread(Several(tuple(commands), named="Add labels"), count, len(lines) - count)
