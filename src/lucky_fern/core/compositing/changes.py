"""What an edit dirtied: the difference of two projects as chunks of maps.

Working it out from the two projects, not from the edit, serves every command, undo, redo and jumps in
the history alike.
"""

from __future__ import annotations

from functools import partial

from lucky_fern.core.compositing.compositor import Dirty, MapKey
from lucky_fern.core.compositing.layer_row import layer_chunks, row_of
from lucky_fern.core.compositing.masks import shape_row
from lucky_fern.core.compositing.seams import over_seams
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import view_reach
from lucky_fern.core.compositing.texel_lengths import finest
from lucky_fern.core.maps import MAPS, raises
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.showing import has_relief, reliefs, showing
from lucky_fern.core.sheets.grid import Chunk, SheetKey, all_chunks
from lucky_fern.core.sheets.sheet import Sheet

_MOST_FINER = 64.0  # times as fine as on average that texels are followed
Limits = dict[SheetKey, set[Chunk]]
Found = dict[str, set[Chunk]]  # map → chunks, of one sheet


def everything(sources: Sources, project: Project) -> Dirty:
    """Every chunk of every map that some layer writes to."""
    every: dict[SheetKey, Found] = {}
    for sheet in sources.surface.sheets(project.size_of):
        found = every.setdefault(sheet.key, {})
        for layer in project.layers:
            _add(found, sources, project, layer, sheet, set(MAPS))
    return _with_reach(every, sources, (project,), project)


def dirtied(sources: Sources, before: Project, after: Project) -> Dirty:
    """The chunks of each map that may differ between two projects of one model."""
    every: dict[SheetKey, Found] = {}
    shared = _Shared(sources, before, after)
    for key in sources.surface.keys:
        size = after.size_of(key)
        found = every.setdefault(key, {})
        if before.size_of(key) != size or before.is_pixel_art(key) != after.is_pixel_art(key):
            for name in MAPS:
                if any(name in layer.active_channels() for layer in (*before.walk(), *after.walk())):
                    found[name] = set(all_chunks(size))
            if has_relief(before.layers) or has_relief(after.layers):
                found["normal"] = set(all_chunks(size))
            continue
        sheet = sources.surface.sheet(key, size)
        _compare(found, sources, before, after, before.layers, after.layers, sheet)
        shared.follow(found, sheet)
        if before.sheet_size != after.sheet_size or reliefs(before.layers) != reliefs(after.layers):
            # Heights are counted in other texels or units, or normals meet heights for the first or last time.
            for project in (before, after):
                mine: Found = {}
                for layer in project.layers:
                    _add(mine, sources, project, layer, sheet, {"height", "normal"})
                found.setdefault("normal", set()).update(*mine.values())
        _follow_echoes(found, sources, (before, after), sheet)
    return _with_reach(every, sources, (before, after), after)


def _follow_echoes(found: Found, sources: Sources, projects: tuple[Project, ...], sheet: Sheet) -> None:
    """What changes in a map that an echo hears changes in those that it gives to."""
    echoes = [
        (project, layer, maps) for project in projects for layer, maps in showing(project.layers, sheet.key)
        if layer.content.goes_by is not None
    ]  # fmt: skip
    for _ in range(len(MAPS) if echoes else 0):  # echoes may chain
        before = sum(map(len, found.values()))
        for project, layer, maps in echoes:
            chunks = found.get(str(layer.content.goes_by), set())
            for name in maps if chunks else ():
                mine = chunks & layer_chunks(sources, project, layer, name, sheet)
                found.setdefault(name, set()).update(mine)
                if raises(name) and layer.channels[name].relief is not None:
                    found.setdefault("normal", set()).update(mine)
        if sum(map(len, found.values())) == before:
            break


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
            if type(was.content) is type(now.content) and _alike(was, now) and _inside(found, was, now, sheet):
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
    settled = layer.content.settled if layer.content.holds_layers else None
    return (type(layer.content), settled, layer.scope, layer.visible, layer.opacity, layer.blend, layer.mask)


def _only_inside(was: Layer, now: Layer) -> bool:
    """Whether a group is the same but for the layers in it (and for being folded)."""
    return was.content.holds_layers and _own(was) == _own(now) and was.channels == now.channels


def _alike(was: Layer, now: Layer) -> bool:
    return _own(was) == _own(now) and all(
        was.channels[name] == now.channels[name] for name in set(was.channels) & set(now.channels)
    )


def _changed_maps(was: Layer | None, now: Layer | None) -> set[str]:
    """The maps on which two states of a layer differ."""
    if was is None or now is None:
        return set(MAPS)
    if _own(was) != _own(now) or (not was.content.holds_layers and was.content != now.content):
        return set(MAPS)
    if was.content.holds_layers:
        return {name for name in MAPS if was.channels.get(name) != now.channels.get(name)}
    first, second = was.active_channels(), now.active_channels()
    return {name for name in {*first, *second} if first.get(name) != second.get(name)}


def _add(found: Found, sources: Sources, project: Project, layer: Layer, sheet: Sheet, names: set[str]) -> None:
    """Everything that a layer, or what a group holds, touches on some maps."""
    for one, maps in showing((layer,), sheet.key, names):
        for name in maps:
            chunks = layer_chunks(sources, project, one, name, sheet)
            found.setdefault(name, set()).update(chunks)
            if raises(name) and one.shapes_normals and has_relief(project.layers):
                found.setdefault("normal", set()).update(chunks)


# --- painted pixels, masks and pictures ---------------------------------------------------------------------------


def _inside(found: Found, was: Layer, now: Layer, sheet: Sheet) -> bool:
    """Enter the chunks on which the contents of two states of a layer differ, if its kind can tell them."""
    if was.content == now.content:
        return False
    mine: Found = {}
    first, second = was.active_channels(), now.active_channels()
    for name in {**first, **second}:  # undoing its first stroke takes a layer's channel away, too
        chunks = row_of(now).changed(was.content, now.content, name, sheet)
        if chunks is None:
            return False
        mine[name] = set(chunks)
        if raises(name) and (was.shapes_normals or now.shapes_normals):
            mine["normal"] = mine.get("normal", set()) | set(chunks)
    for name, chunks in mine.items():
        found.setdefault(name, set()).update(chunks)
    return True


def _mask_limits(sources: Sources, before: Project, after: Project) -> dict[int, Limits | None]:
    """The chunks on which each changed mask may differ; None where that may be anywhere."""
    found: dict[int, Limits | None] = {}
    if before.masks is after.masks:
        return found
    for number in set(before.masks) & set(after.masks):
        old, new = before.masks[number], after.masks[number]
        if old is new or old == new:
            continue
        found[number] = chunks = {}
        for sheet in sources.surface.sheets(after.size_of):
            differing = _changed_mask(before, after, number, sheet)
            if differing is None:
                found[number] = None
                break
            if differing:
                chunks[sheet.key] = differing
        reach = max((entry.reach for entry in new.entries), default=0)
        if found[number] is not None and reach:  # feather and growth carry what changed further, over seams too
            found[number] = over_seams(sources.surface, after.size_of, chunks, reach)
    return found


class _Shared:
    """What layers refer to and do not hold themselves, where it is another: masks, pictures, selections, what masks
    hear or go by, and how high relief is.
    """

    def __init__(self, sources: Sources, before: Project, after: Project) -> None:
        self.sources, self.before, self.after = sources, before, after
        self.limits = _mask_limits(sources, before, after)
        old = {layer.id: layer for layer in before.walk()}
        lifts = reliefs(before.layers) != reliefs(after.layers)
        self.layers: list[tuple[Layer, Layer, bool, bool]] = []  # then, now, redrawn anywhere, moved
        for layer in after.walk():
            was = old.get(layer.id)
            if was is None:
                continue  # all of it is new
            own = sources.grounds.of_content(before, was), sources.grounds.of_content(after, layer)
            redrawn = own[0][:2] != own[1][:2] or (lifts and row_of(layer).lifts(layer.content))
            moved = own[0][2] != own[1][2]
            masks = tuple(sources.grounds.of_mask(project, one) for project, one in ((before, was), (after, layer)))
            redrawn |= layer.mask == was.mask and masks[0].beside(was.mask) != masks[1].beside(was.mask)
            if redrawn or moved or (layer.mask == was.mask and layer.mask in self.limits):
                self.layers.append((was, layer, redrawn, moved))

    def follow(self, found: Found, sheet: Sheet) -> None:
        """Enter the chunks of a sheet that look different for it."""
        for was, layer, redrawn, moved in self.layers:
            mine: Found = {}
            _add(mine, self.sources, self.after, layer, sheet, set(MAPS))
            if moved:
                _add(mine, self.sources, self.before, was, sheet, set(MAPS))
            limits = None if redrawn or moved or layer.mask is None else self.limits[layer.mask]
            if row_of(layer).spreads_mask(layer.content):
                limits = None
            for name, chunks in mine.items():
                found.setdefault(name, set()).update(
                    chunks if limits is None else chunks & limits.get(sheet.key, set())
                )


def _changed_mask(before: Project, after: Project, number: int, sheet: Sheet) -> set[Chunk] | None:
    """The chunks on which a mask may differ: known where its shapes can tell, as painted ones do."""
    old, new = before.masks[number], after.masks[number]
    if (old.on, old.invert, len(old.entries)) != (new.on, new.invert, len(new.entries)):
        return None
    chunks: set[Chunk] = set()
    for was, now in zip(old.entries, new.entries, strict=True):
        if was == now:
            continue
        if type(was.shape) is not type(now.shape):
            return None
        if any(getattr(was, field) != getattr(now, field) for field in was.__struct_fields__ if field != "shape"):
            return None
        changed = shape_row(now.shape).changed(was.shape, now.shape, sheet)
        if changed is None:
            return None
        chunks |= changed
    return chunks


# --- what sees further than its own texel ---------------------------------------------------------------------------


def _with_reach(
    every: dict[SheetKey, Found], sources: Sources, projects: tuple[Project, ...], after: Project
) -> Dirty:
    """Blurs above, and slopes between neighbours, carry a change further, over seams to other sheets as well."""
    dirty: Dirty = {}
    for name in {name for found in every.values() for name in found}:
        chunks = {key: found[name] for key, found in every.items() if found.get(name)}
        if any(view_reach(project, name) for project in projects):
            reach = _reaches(sources, projects, after, name)
            chunks = over_seams(sources.surface, after.size_of, chunks, reach)
        for key, some in chunks.items():
            dirty[MapKey(key, name)] = some
    return dirty


def _reaches(sources: Sources, projects: tuple[Project, ...], after: Project, name: str) -> dict[SheetKey, int]:
    """How far texels of each sheet look: through the layers that show there."""
    found = {}
    for key in sources.surface.keys:
        sheet = sources.surface.sheet(key, after.size_of(key))
        found[key] = max(view_reach(project, name, partial(_times, sources, project, sheet)) for project in projects)
    return found


def _finest(sources: Sources, project: Project, key: SheetKey) -> float:
    sizes = tuple(project.size_of(one) for one in sources.surface.keys)
    name = ("finest texels", key, sizes)
    return sources.kept.get(name, lambda: finest(sources.surface, key, project.size_of), lambda _: 64)


def _times(sources: Sources, project: Project, sheet: Sheet, layer: Layer) -> float:
    """How often a layer's reach counts on a sheet: none where it touches no chunk, more where texels are fine."""
    if not any(layer_chunks(sources, project, layer, name, sheet) for name in layer.active_channels()):
        return 0.0
    if not row_of(layer).in_space(layer.content):
        return 1.0
    return min(_finest(sources, project, sheet.key), _MOST_FINER)
