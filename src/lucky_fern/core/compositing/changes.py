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
from lucky_fern.core.compositing.stack import has_relief, view_reach
from lucky_fern.core.compositing.texel_lengths import finest
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.references import layer_refers, mask_refers, with_sequences
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
    limits = _mask_limits(sources, before, after)
    gone_by = _changed_coverage(before, after)
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
        if (
            before.masks is not after.masks
            or gone_by
            or before.pictures is not after.pictures
            or before.selections is not after.selections
        ):
            _follow_shared(found, sources, before, after, sheet, limits, gone_by)
        if before.sheet_size != after.sheet_size:
            for project in (before, after):
                for layer in project.walk():
                    if layer.shapes_normals:
                        chunks = layer_chunks(sources, project, layer, "height", sheet)
                        found.setdefault("normal", set()).update(chunks)
        _follow_echoes(found, sources, (before, after), sheet)
    return _with_reach(every, sources, (before, after), after)


def _follow_echoes(found: Found, sources: Sources, projects: tuple[Project, ...], sheet: Sheet) -> None:
    """What changes in a map that an echo hears changes in those that it gives to."""
    echoes = [
        (project, layer) for project in projects for layer in project.walk() if layer.content.goes_by is not None
    ]
    for _ in range(len(MAPS) if echoes else 0):  # echoes may chain
        before = sum(map(len, found.values()))
        for project, layer in echoes:
            chunks = found.get(str(layer.content.goes_by), set())
            if not chunks or not layer.scope.holds_sheet(sheet.key):
                continue
            for name, channel in layer.active_channels().items():
                mine = chunks & layer_chunks(sources, project, layer, name, sheet)
                found.setdefault(name, set()).update(mine)
                if channel.relief is not None and name == "height":
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
    if not layer.visible or layer.opacity <= 0 or not layer.scope.holds_sheet(sheet.key):
        return
    if layer.content.holds_layers:
        for child in layer.children:
            _add(found, sources, project, child, sheet, names)
        return
    active = layer.active_channels()
    for name in names & set(active):
        chunks = layer_chunks(sources, project, layer, name, sheet)
        found.setdefault(name, set()).update(chunks)
        if name == "height" and layer.shapes_normals and has_relief(project.layers):
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
        if name == "height" and (was.shapes_normals or now.shapes_normals):
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


def _changed_coverage(before: Project, after: Project) -> set[int]:
    """The layers that some mask goes by and that may show elsewhere than before."""
    wanted = {number for mask in after.masks.values() for number in mask_refers(mask).layers}
    if any(entry.shape.sees_below for mask in after.masks.values() for entry in mask.entries):
        wanted = {layer.id for project in (before, after) for layer in project.walk()}
    if not wanted or (before.layers is after.layers and before.masks is after.masks):
        return set()

    def states(project: Project) -> dict[int, object]:
        found = [layer for layer in project.walk() if layer.id in wanted]
        return {layer.id: (layer, _masks_in(project, layer)) for layer in found}

    old, new = states(before), states(after)
    return {number for number in wanted if old.get(number) != new.get(number)}


def _masks_in(project: Project, layer: Layer) -> list[object]:
    """The masks of a layer and of all that it holds."""
    own = None if layer.mask is None else project.masks.get(layer.mask)
    return [own, *(_masks_in(project, child) for child in layer.children)]


def _follow_shared(
    found: Found, sources: Sources, before: Project, after: Project, sheet: Sheet, limits: dict[int, Limits | None],
    gone_by: set[int],
) -> None:  # fmt: skip
    """Masks and pictures that changed, wherever they are used; ``gone_by`` are layers that show elsewhere now."""
    masks: dict[int, set[Chunk] | None] = {  # None: may differ anywhere
        number: None if limit is None else limit.get(sheet.key, set()) for number, limit in limits.items()
    }
    names = {name for name in after.pictures if before.pictures.get(name) != after.pictures[name]}
    pictures = {name for name in names if name in before.pictures}
    pictures |= {name for name, tiles in after.sequences.items() if pictures & set(tiles.values())}
    picked = {name for name in {*before.selections, *after.selections}
              if before.selections.get(name) != after.selections.get(name)}  # fmt: skip
    for number, mask in after.masks.items():
        needs = with_sequences(after, mask_refers(mask))
        below = bool(gone_by) and any(entry.shape.sees_below for entry in mask.entries)
        if below or picked & needs.selections or pictures & needs.pictures or gone_by & needs.layers:
            masks[number] = None
    for layer in after.walk():
        needs = layer_refers(after, layer, deep=False)
        moved, redrawn = bool(picked & needs.selections), bool(pictures & needs.pictures)
        if layer.mask not in masks and not redrawn and not moved:
            continue
        mine: Found = {}
        _add(mine, sources, after, layer, sheet, set(MAPS))
        if moved:
            _add(mine, sources, before, layer, sheet, set(MAPS))
        known = layer.mask is not None and not redrawn and not moved
        known = known and not row_of(layer).spreads_mask(layer.content)
        limit = masks.get(layer.mask) if known and layer.mask is not None else None
        for name, chunks in mine.items():
            found.setdefault(name, set()).update(chunks if limit is None else chunks & limit)


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
