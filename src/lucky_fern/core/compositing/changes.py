"""What an edit dirtied: the difference of two projects as chunks of maps.

Working it out from the two projects, not from the edit, serves every command, undo, redo and jumps in
the history alike.
"""

from __future__ import annotations

from collections.abc import Iterator

from lucky_fern.core.compositing.brushwork import painted_chunks
from lucky_fern.core.compositing.compositor import Dirty, MapKey
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import has_relief, view_reach
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Brushwork, Decal, Group, Layer, Project
from lucky_fern.core.project.painted import MASK
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.shapes import PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.sheets.grid import CHUNK, Chunk, all_chunks, chunks_across
from lucky_fern.core.sheets.sheet import Sheet

Found = dict[str, set[Chunk]]  # map → chunks, of one sheet


def everything(sources: Sources, project: Project) -> Dirty:
    """Every chunk of every map that some layer writes to."""
    dirty: Dirty = {}
    for sheet in sources.surface.sheets(project.size_of):
        found: Found = {}
        for layer in project.layers:
            _add(found, sources, project, layer, sheet, set(MAPS))
        _with_reach(found, (project,), sheet)
        _enter(dirty, sheet, found)
    return dirty


def dirtied(sources: Sources, before: Project, after: Project) -> Dirty:
    """The chunks of each map that may differ between two projects of one model."""
    dirty: Dirty = {}
    for key in sources.surface.keys:
        size = after.size_of(key)
        if before.size_of(key) != size:
            for name in MAPS:
                if any(name in layer.active_channels() for layer in (*before.walk(), *after.walk())):
                    dirty[MapKey(key, name)] = set(all_chunks(size))
            if has_relief(before.layers) or has_relief(after.layers):
                dirty[MapKey(key, "normal")] = set(all_chunks(size))
            continue
        sheet = sources.surface.sheet(key, size)
        found: Found = {}
        _compare(found, sources, before, after, before.layers, after.layers, sheet)
        if (
            before.masks is not after.masks
            or before.pictures is not after.pictures
            or before.selections is not after.selections
        ):
            _follow_shared(found, sources, before, after, sheet)
        if before.relief != after.relief or before.sheet_size != after.sheet_size:
            for project in (before, after):
                for layer in project.walk():
                    if "height" in layer.active_channels() and layer.active_channels()["height"].relief:
                        chunks = sources.chunks(project, layer, "height", sheet)
                        found.setdefault("normal", set()).update(chunks)
        _with_reach(found, (before, after), sheet)
        _enter(dirty, sheet, found)
    return dirty


def _enter(dirty: Dirty, sheet: Sheet, found: Found) -> None:
    for name, chunks in found.items():
        if chunks:
            dirty.setdefault(MapKey(sheet.key, name), set()).update(chunks)


# --- comparing two stacks ---------------------------------------------------------------------------------------


def _compare(
    found: Found, sources: Sources, before: Project, after: Project,
    old: tuple[Layer, ...], new: tuple[Layer, ...], sheet: Sheet,
) -> None:  # fmt: skip
    for was, now in _pairs(*_changed_layers(old, new)):
        if was is not None and now is not None:
            if _only_inside(was, now):
                _compare(found, sources, before, after, was.children, now.children, sheet)
                continue
            if isinstance(was.content, Brushwork) and isinstance(now.content, Brushwork) and _alike(was, now):
                _compare_paint(found, was.content.sheets, now.content.sheets, sheet, set(now.active_channels()))
                continue
        names = _changed_maps(was, now)
        for project, layer in ((before, was), (after, now)):
            if layer is not None:
                _add(found, sources, project, layer, sheet, names)


def _changed_layers(
    before: tuple[Layer, ...], after: tuple[Layer, ...]
) -> tuple[tuple[Layer, ...], tuple[Layer, ...]]:
    """Both stacks without the layers that are the same at their lower and upper ends."""
    low = 0
    while low < min(len(before), len(after)) and _equal(before[low], after[low]):
        low += 1
    high = 0
    while high < min(len(before), len(after)) - low and _equal(before[-1 - high], after[-1 - high]):
        high += 1
    return before[low : len(before) - high], after[low : len(after) - high]


def _equal(a: Layer, b: Layer) -> bool:
    return a is b or a == b


def _pairs(old: tuple[Layer, ...], new: tuple[Layer, ...]) -> list[tuple[Layer | None, Layer | None]]:
    """Old and new state of every layer in the stretch; layers only reordered count as changed."""
    if [layer.id for layer in old] == [layer.id for layer in new]:
        return [(a, b) for a, b in zip(old, new, strict=True) if not _equal(a, b)]
    return [(layer, None) for layer in old] + [(None, layer) for layer in new]


def _own(layer: Layer) -> tuple[object, ...]:
    """What of a layer counts on all its maps, but for what it holds."""
    isolated = layer.content.isolated if isinstance(layer.content, Group) else None
    return (type(layer.content), isolated, layer.scope, layer.visible, layer.opacity, layer.blend, layer.mask)


def _only_inside(was: Layer, now: Layer) -> bool:
    """Whether a group is the same but for the layers in it (and for being folded)."""
    return isinstance(was.content, Group) and _own(was) == _own(now) and was.channels == now.channels


def _alike(was: Layer, now: Layer) -> bool:
    return _own(was) == _own(now) and all(
        was.channels[name] == now.channels[name] for name in set(was.channels) & set(now.channels)
    )


def _changed_maps(was: Layer | None, now: Layer | None) -> set[str]:
    """The maps on which two states of a layer differ."""
    if was is None or now is None:
        return set(MAPS)
    if _own(was) != _own(now) or (not isinstance(was.content, Group) and was.content != now.content):
        return set(MAPS)
    if isinstance(was.content, Group):
        return {name for name in MAPS if was.channels.get(name) != now.channels.get(name)}
    first, second = was.active_channels(), now.active_channels()
    return {name for name in {*first, *second} if first.get(name) != second.get(name)}


def _add(found: Found, sources: Sources, project: Project, layer: Layer, sheet: Sheet, names: set[str]) -> None:
    """Everything that a layer, or what a group holds, touches on some maps."""
    if not layer.visible or layer.opacity <= 0 or not layer.scope.holds_sheet(sheet.key):
        return
    if isinstance(layer.content, Group):
        for child in layer.content.layers:
            _add(found, sources, project, child, sheet, names)
        return
    active = layer.active_channels()
    for name in names & set(active):
        chunks = sources.chunks(project, layer, name, sheet)
        found.setdefault(name, set()).update(chunks)
        if active[name].relief:
            found.setdefault("normal", set()).update(chunks)


# --- painted pixels, masks and pictures ---------------------------------------------------------------------------


def _compare_paint(
    found: Found, old: dict[str, PaintedSheet], new: dict[str, PaintedSheet], sheet: Sheet, names: set[str]
) -> None:
    for name in names:
        found.setdefault(name, set()).update(_changed_paint(old, new, sheet, name))


def _changed_paint(old: dict[str, PaintedSheet], new: dict[str, PaintedSheet], sheet: Sheet, name: str) -> set[Chunk]:
    """The chunks whose painted pixels differ."""
    was, now = old.get(str(sheet.key)), new.get(str(sheet.key))
    if was == now:
        return set()
    if was is None or now is None or was.size != now.size:
        return {chunk for one in (was, now) if one is not None for chunk in painted_chunks(one, name, sheet.size)}
    first, second = was.maps.get(name, {}), now.maps.get(name, {})
    differing = {place: "" for place in {*first, *second} if first.get(place) != second.get(place)}
    return painted_chunks(PaintedSheet(now.size, {name: differing}), name, sheet.size)


def _follow_shared(found: Found, sources: Sources, before: Project, after: Project, sheet: Sheet) -> None:
    """Masks and pictures that changed, wherever they are used."""
    masks: dict[int, set[Chunk] | None] = {}  # None: may differ anywhere
    for number in set(before.masks) & set(after.masks):
        old, new = before.masks[number], after.masks[number]
        if old is new or old == new:
            continue
        masks[number] = _changed_mask(before, after, number, sheet)
    names = {name for name in after.pictures if before.pictures.get(name) != after.pictures[name]}
    pictures = {name for name in names if name in before.pictures}
    pictures |= {name for name, tiles in after.sequences.items() if pictures & set(tiles.values())}
    picked = {name for name in {*before.selections, *after.selections}
              if before.selections.get(name) != after.selections.get(name)}  # fmt: skip
    for number, mask in after.masks.items():
        if any(
            isinstance(e.shape, ScopeShape) and picked & {*(e.shape.scope.selections or ())} for e in mask.entries
        ):
            masks[number] = None
        if any(isinstance(e.shape, PictureShape) and e.shape.picture in pictures for e in mask.entries):
            masks[number] = None
    for layer in after.walk():
        own = {layer.content.picture} if isinstance(layer.content, Decal) else set()
        used = own | {channel.picture for channel in layer.channels.values() if channel.picture is not None}
        moved = bool(picked & {*(layer.scope.selections or ())})
        if layer.mask not in masks and not used & pictures and not moved:
            continue
        mine: Found = {}
        _add(mine, sources, after, layer, sheet, set(MAPS))
        if moved:
            _add(mine, sources, before, layer, sheet, set(MAPS))
        known = layer.mask is not None and not used & pictures and not moved
        limit = masks.get(layer.mask) if known and layer.mask is not None else None
        for name, chunks in mine.items():
            found.setdefault(name, set()).update(chunks if limit is None else chunks & limit)


def _changed_mask(before: Project, after: Project, number: int, sheet: Sheet) -> set[Chunk] | None:
    """The chunks on which a mask may differ: known where only its painted pixels changed."""
    old, new = before.masks[number], after.masks[number]
    if (old.on, old.invert, len(old.entries)) != (new.on, new.invert, len(new.entries)):
        return None
    chunks: set[Chunk] = set()
    for was, now in zip(old.entries, new.entries, strict=True):
        if was == now:
            continue
        if not (isinstance(was.shape, PaintedShape) and isinstance(now.shape, PaintedShape)):
            return None
        if any(getattr(was, field) != getattr(now, field) for field in was.__struct_fields__ if field != "shape"):
            return None
        changed = _changed_paint(was.shape.sheets, now.shape.sheets, sheet, MASK)
        chunks |= spread(changed, now.reach, sheet.size)
    return chunks


# --- what sees further than its own texel ---------------------------------------------------------------------------


def _with_reach(found: Found, projects: tuple[Project, ...], sheet: Sheet) -> None:
    """Blurs above, and slopes between neighbours, carry a change further."""
    for name in list(found):
        reach = max(view_reach(project, name) for project in projects)
        if reach:
            found[name] = spread(found[name], reach, sheet.size)


def spread(chunks: set[Chunk], texels: int, size: int) -> set[Chunk]:
    """Chunks and all that lie within so many texels of one."""
    if not texels:
        return chunks
    rings, last = -(-texels // CHUNK), chunks_across(size) - 1
    return {near for chunk in chunks for near in _around(chunk, rings, last)}


def _around(chunk: Chunk, rings: int, last: int) -> Iterator[Chunk]:
    for row in range(max(chunk.row - rings, 0), min(chunk.row + rings, last) + 1):
        for column in range(max(chunk.column - rings, 0), min(chunk.column + rings, last) + 1):
            yield Chunk(row, column)
