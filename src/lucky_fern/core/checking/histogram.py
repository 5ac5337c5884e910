"""How often each value occurs on a map: what levels are set by."""

from __future__ import annotations

from typing import cast

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import I64, Bool
from lucky_fern.core.compositing.layers.echoed import echoed
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_rect
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.echoes import Echo
from lucky_fern.core.project.more_effects import Match
from lucky_fern.core.project.numbers import Vector
from lucky_fern.core.sheets.faces import unpack_faces
from lucky_fern.core.sheets.grid import Chunk, all_chunks
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.words import tr

STEPS = 256
MOST_CHUNKS = 48  # of larger projects so many, evenly spread over all


def counted_values(
    sources: Sources,
    project: Project,
    map_name: str,
    faces: Bool | None = None,
    heard: Echo | None = None,
    under: int | None = None,
) -> I64:
    """(n, :data:`STEPS`) int64 how many texels of a map have each value 0…1 (in 1/255), component by component.

    Colours as they are encoded; with ``heard`` (made :func:`plainly`) one row, of what an echo hears; of one that
    bends x, y and z. ``faces`` (triangles of the model,) leaves out all others. Texels outside islands do not count;
    where there are more than :data:`MOST_CHUNKS` chunks, the same part of them each time. ``under`` names a layer:
    only what lies below it counts.
    """
    part = None if heard is None or heard.part == "bend" else heard
    counts = np.zeros((MAPS[map_name].components if part is None else 1, STEPS), np.int64)
    sheets = [sources.surface.sheet(key, project.size_of(key)) for key in sources.surface.keys]
    every: list[tuple[Sheet, Chunk]] = [(sheet, chunk) for sheet in sheets for chunk in all_chunks(sheet.size)]
    for number in np.unique(np.linspace(0, len(every) - 1, min(len(every), MOST_CHUNKS)).astype(np.int64)):
        sheet, chunk = every[number]
        rect = rect_of(chunk, sheet.size)
        owners = sources.owners(sheet, chunk)[: rect.shape[0], : rect.shape[1]]
        inside = owners >= 0
        if faces is not None:
            inside = inside & faces[sheet.triangle[np.maximum(owners, 0)]]
        if not inside.any():
            continue
        values = composite_rect(sources, project, map_name, sheet, rect, under=under)[inside]
        if part is not None:
            values = echoed(values[None], part, 1)[0]
        at = np.clip(np.rint(values * 255), 0, 255).astype(np.int64)
        for component in range(len(counts)):
            counts[component] += np.bincount(at[:, component], minlength=STEPS)
    return counts


def mean_and_spread(
    sources: Sources, project: Project, map_name: str, faces: Bool, under: int | None = None
) -> tuple[Vector, Vector]:
    """Mean and standard deviation of a map's values 0…1 (as stored) on some of all triangles (T,) bool.

    Maps of one number have it three times.

    Raises
    ------
    CommandError
        If no texel lies on them.
    """
    counts = counted_values(sources, project, map_name, faces, under=under)
    many = counts.sum(axis=1)
    if not many.any():
        raise CommandError(tr("no texel of {map} lies on these faces", map=MAPS[map_name].title.lower()))
    at = np.arange(STEPS) / 255
    mean = counts @ at / many
    spread = np.sqrt(np.maximum(counts @ at**2 / many - mean**2, 0))
    both = [tuple(float(round(one, 5)) for one in np.resize(part, 3)) for part in (mean, spread)]
    return cast("tuple[Vector, Vector]", tuple(both))


def matched(sources: Sources, project: Project, map_name: str, effect: Match, under: int | None = None) -> Match:
    """A match measured anew on its two selections, of what lies below the layer ``under`` (None: of all).

    Raises
    ------
    CommandError
        If one is not there, or has no texels.
    """
    measured = []
    for name in (effect.of, effect.to):
        if name not in project.selections:
            raise CommandError(tr("there is no selection {name!r}; there are {names}", name=name,
                                  names=", ".join(project.selections) or tr("none yet")))  # fmt: skip
        faces = unpack_faces(project.selections[name], sources.surface.model.triangle_count)
        measured.append(mean_and_spread(sources, project, map_name, faces, under))
    (mean, spread), (to_mean, to_spread) = measured
    return replace(effect, mean=mean, spread=spread, to_mean=to_mean, to_spread=to_spread)


def plainly(echo: Echo) -> Echo:
    """An echo of the same part, with nothing done to it."""
    return replace(echo, black=0.0, white=1.0, gamma=1.0, low=0.0, high=1.0, invert=False, curve=(), ramp=())
