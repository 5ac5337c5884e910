"""What an edit dirtied: the difference of two projects as chunks of maps.

Working it out from the two projects, not from the edit, serves every command, undo, redo and jumps in
the history alike.
"""

from __future__ import annotations

from lucky_fern.core.compositing.compositor import Dirty, MapKey
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.sheets.grid import Chunk, all_chunks
from lucky_fern.core.sheets.sheet import Sheet


def everything(sources: Sources, project: Project) -> Dirty:
    """Every chunk of every map that some layer writes to."""
    dirty: Dirty = {}
    for sheet in sources.surface.sheets(project.size_of):
        for layer in project.layers:
            _add(dirty, sources, project, layer, sheet, set(layer.active_channels()))
    return dirty


def dirtied(sources: Sources, before: Project, after: Project) -> Dirty:
    """The chunks of each map that may differ between two projects of one model."""
    dirty: Dirty = {}
    for key in sources.surface.keys:
        size = after.size_of(key)
        if before.size_of(key) != size:
            for name in MAPS:
                if any(name in layer.active_channels() for layer in (*before.layers, *after.layers)):
                    dirty[MapKey(key, name)] = set(all_chunks(size))
            continue
        sheet = sources.surface.sheet(key, size)
        old, new = _changed_layers(before.layers, after.layers)
        for was, now in _pairs(old, new):
            names = _changed_maps(was, now)
            for project, layer in ((before, was), (after, now)):
                if layer is not None:
                    _add(dirty, sources, project, layer, sheet, names & set(layer.active_channels()))
    return dirty


def _changed_layers(
    before: tuple[Layer, ...], after: tuple[Layer, ...]
) -> tuple[tuple[Layer, ...], tuple[Layer, ...]]:
    """Both stacks without the layers that are the same at their lower and upper ends."""
    low = 0
    while low < min(len(before), len(after)) and before[low] == after[low]:
        low += 1
    high = 0
    while high < min(len(before), len(after)) - low and before[-1 - high] == after[-1 - high]:
        high += 1
    return before[low : len(before) - high], after[low : len(after) - high]


def _pairs(old: tuple[Layer, ...], new: tuple[Layer, ...]) -> list[tuple[Layer | None, Layer | None]]:
    """Old and new state of every layer in the stretch; layers only reordered count as changed."""
    if [layer.id for layer in old] == [layer.id for layer in new]:
        return [(a, b) for a, b in zip(old, new, strict=True) if a != b]
    return [(layer, None) for layer in old] + [(None, layer) for layer in new]


def _changed_maps(was: Layer | None, now: Layer | None) -> set[str]:
    """The maps on which two states of a layer differ."""
    if was is None or now is None:
        return set(MAPS)
    own = (was.content, was.scope, was.opacity, was.blend) != (now.content, now.scope, now.opacity, now.blend)
    if own:
        return set(MAPS)
    first, second = was.active_channels(), now.active_channels()
    return {name for name in {*first, *second} if first.get(name) != second.get(name)}


def _add(dirty: Dirty, sources: Sources, project: Project, layer: Layer, sheet: Sheet, names: set[str]) -> None:
    if not names:
        return
    chunks: set[Chunk] = sources.chunks(project, layer, sheet)
    for name in names if chunks else ():
        dirty.setdefault(MapKey(sheet.key, name), set()).update(chunks)
