"""Which decal lies under which: what of a decal others above it cover."""

from __future__ import annotations

from typing import cast

from lucky_fern.core.compositing.sources import Sources, triangles_in
from lucky_fern.core.maps import LOOK
from lucky_fern.core.pictures.picture import alpha_of
from lucky_fern.core.placing.placed import PlacedPicture
from lucky_fern.core.placing.under import covered_share, may_meet, spots_of
from lucky_fern.core.project.document import Decal, Layer, Project
from lucky_fern.core.project.places import Framed, place_height

_STRONG = 0.5  # opacity from which a layer counts as covering


def covering(sources: Sources, project: Project, layer: Layer) -> tuple[str, float] | None:
    """The name of the decal above a decal that covers most of it, and the share (0…1) that it covers, if any does.

    Only those count that cover colour wholly: visible, blended as usual, half as strong or more, without mask.
    """
    above = list(project.walk())
    above = above[[one.id for one in above].index(layer.id) + 1 :]
    spots, worst = None, None
    for other in above:
        if not _covers(other) or not may_meet(*size_of(project, layer), *size_of(project, other)):
            continue
        if spots is None:
            spots = spots_of(sources.surface, *posed(sources, project, layer))
        kit = project.pictures.get(cast(Decal, other.content).picture)
        alpha = None if kit is None else alpha_of(sources.picture(kit))
        share = covered_share(sources.surface, spots, *posed(sources, project, other), alpha)
        if worst is None or share > worst[1]:
            worst = other.name, share
    return worst


def _covers(layer: Layer) -> bool:
    placed = layer.content.placed
    strong = layer.opacity >= _STRONG and layer.blend == "normal" and layer.mask is None
    return placed is not None and placed[1].framed and strong and LOOK in layer.active_channels()


def size_of(project: Project, layer: Layer) -> tuple[Framed, float]:
    """A decal's place and its height in units of the place."""
    picture, place = cast("tuple[str, Framed]", layer.content.placed)
    return place, place_height(place, project.picture_size(picture))


def posed(sources: Sources, project: Project, layer: Layer) -> tuple[Framed, float, PlacedPicture | None]:
    """A decal's place, its height, and its pose worked out if it is on the surface."""
    place, height = size_of(project, layer)
    if not place.on_surface:
        return place, height, None
    return place, height, sources.pose(place, height, triangles_in(project, layer.scope))
