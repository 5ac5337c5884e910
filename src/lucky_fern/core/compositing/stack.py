"""Putting the layers of the stack onto a rectangle of one map, from the bottom up."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace as with_fields
from typing import Any, NamedTuple, cast

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F32
from lucky_fern.core.compositing.around import About, Around
from lucky_fern.core.compositing.blend import blend_normal_arrays
from lucky_fern.core.compositing.canvas import RELIEF, Canvas, View, blank, writes
from lucky_fern.core.compositing.layer_row import row_of
from lucky_fern.core.compositing.relief import normals_of, slopes_of
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.maps import RISE, SHAPE
from lucky_fern.core.project.document import Layer, Project, Relief
from lucky_fern.core.project.ground import Ground
from lucky_fern.core.project.showing import has_relief, reliefs, showing
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey
from lucky_fern.core.sheets.region import Rect, rect_of
from lucky_fern.core.sheets.sheet import Sheet

Counting = Callable[[Layer], float]
ON_TOP = -1  # for the layer being edited: one that is still to come, above all others


def as_they_are(layer: Layer) -> float:
    """Counts the reach of every layer once."""
    return 1.0


def view_reach(project: Project, map_name: str, times: Counting = as_they_are) -> int:
    """How many texels around its own a texel of a map depends on, through blurs and relief.

    Each layer's reach counts so many ``times``: 0 where it does not show on the sheet that is asked about.
    """
    return _reach_of(project, RISE if map_name == RELIEF else map_name, frozenset(), times)


def _reach_of(project: Project, name: str, heard: frozenset[str], times: Counting) -> int:
    """The same, ``heard`` being the maps on the way here that it comes from by echoes."""
    reach = stack_reach(project.layers, name, times)
    if name == SHAPE and has_relief(project.layers):
        reach = max(reach, 1 + _reach_of(project, RISE, heard | {name}, times))
    for layer, _ in showing(project.layers, maps={name}):
        source = layer.content.goes_by
        if source is None or source in heard or source == name:
            continue
        if times(layer):
            there = _reach_of(project, source, heard | {name}, times)
            reach = max(reach, stack_reach(project.layers, name, times) + there)
    return reach


def stack_reach(layers: tuple[Layer, ...], map_name: str, times: Counting = as_they_are) -> int:
    """Texels that all blurs of a stretch of the stack together reach."""

    def of(layer: Layer) -> int:
        reach = row_of(layer).reach(layer.content)
        return math.ceil(reach * times(layer)) if reach else 0  # few reach anywhere: only those are asked about

    return _sum(layers, map_name, of)


def stack_margin(layers: tuple[Layer, ...], map_name: str) -> int:
    """Texels round a rectangle that a stretch of the stack must be put onto, too, to come out right within."""
    return _sum(layers, map_name, lambda layer: row_of(layer).margin(layer.content))


def _sum(layers: tuple[Layer, ...], map_name: str, of: Callable[[Layer], int]) -> int:
    return sum(of(layer) for layer, _ in showing(layers, maps={map_name}))


def composite_rect(
    sources: Sources, project: Project, map_name: str, sheet: Sheet, rect: Rect, focus: int | None = None,
    relief: Relief | None = None, under: int | None = None, with_it: bool = False,
) -> F32:  # fmt: skip
    """(r, c, n) float32 values 0…1 of a rectangle of a map, colours sRGB-encoded.

    Of :data:`~.canvas.RELIEF`, ``relief`` says which heights and how high. ``focus`` names a layer being edited (or
    :data:`ON_TOP`): what lies below it is kept, so that only that layer and those above are done again. Values do not
    depend on it.
    ``under`` names a layer: only what lies below it (``with_it``: and the layer) is put on; masks there still go by
    all of the project.
    """
    layers = project.layers if under is None else sources.grounds.below(project, under, with_it)
    wide = rect.grown(stack_margin(layers, RISE if map_name == RELIEF else map_name), sheet.size)
    view = View(sources, project, map_name, sheet, wide, layers, relief=relief)
    canvas, first = _begin(view, focus)
    put_all(layers[first:], canvas, view)
    values = canvas.values[rect.within(wide)]
    if map_name == SHAPE and has_relief(layers):
        shaped = _relief(sources, project, sheet, rect, focus, under, with_it)
        blend_normal_arrays(shaped, np.ascontiguousarray(values), np.ones(rect.shape, np.float32))
        values = shaped
    return np.ascontiguousarray(values)


def composite_below(sources: Sources, project: Project, layer: int, map_name: str, sheet: Sheet, rect: Rect) -> F32:
    """(r, c, n) what the layers below one make of a map; kept, as several may ask for it."""
    key = ("heard", layer, map_name, sheet.key, sheet.size, rect)
    return sources.below.like(
        key, sources.grounds.of_below(project, layer, frozenset((map_name,))),
        lambda: composite_rect(sources, project, map_name, sheet, rect, under=layer), lambda made: made.nbytes,
    )  # fmt: skip


def composite_alone(
    sources: Sources, project: Project, map_name: str, sheet: Sheet, rect: Rect, layer: Layer, covering: bool = False
) -> tuple[F32, F32]:
    """A layer by itself on a rectangle of a map: (r, c, n) values and (r, c) how far it covers, at full strength.

    Masks and the strengths of layers inside a group are put in. ``covering``: only how far it covers is asked.
    """
    channels = {name: replace(channel, opacity=1.0, blend=None) for name, channel in layer.channels.items()}
    whole = replace(layer, opacity=1.0, blend="normal", channels=channels)
    wide = rect.grown(stack_margin((whole,), map_name), sheet.size)
    view = View(sources, project, map_name, sheet, wide, (whole,), alone=True, covering=covering)
    canvas = blank(view)
    put_all((whole,), canvas, view)
    assert canvas.alpha is not None
    return canvas.values[rect.within(wide)], canvas.alpha[rect.within(wide)]


def put_all(layers: tuple[Layer, ...], canvas: Canvas, view: View) -> Canvas | None:
    """Put layers onto a canvas, from the bottom up.

    Returns
    -------
    What lies below the layer ``view.until``, as soon as that is met; else None.
    """
    for layer in layers:
        if layer.id == view.until:
            return canvas
        inside = view.until is not None and holds(layer, view.until)
        if inside or (layer.visible and layer.opacity > 0 and layer.scope.holds_sheet(view.sheet.key)):
            found = row_of(layer).put(layer, canvas, view)
            if found is not None:
                return found
    return None


def holds(layer: Layer, layer_id: int) -> bool:
    """Whether a layer is the one of an id, or holds it."""
    return layer.id == layer_id or any(holds(child, layer_id) for child in layer.children)


# --- what lies below a layer ----------------------------------------------------------------------------------------


def keep_below(sources: Sources, project: Project, map_name: str, sheet: Sheet, chunk: Chunk, focus: int) -> None:
    """Have what lies below a layer (or :data:`ON_TOP`) there before somebody edits it, for a chunk of a map."""
    rect, heights = rect_of(chunk, sheet.size), list(reliefs(project.layers))
    asked: list[tuple[str, Relief | None, Rect]] = [(map_name, None, rect)]
    if map_name == SHAPE:
        asked += [(RELIEF, relief, rect.grown(1, sheet.size)) for relief in heights]
    for name, relief, part in asked:
        wide = part.grown(stack_margin(project.layers, RISE if name == RELIEF else name), sheet.size)
        _begin(View(sources, project, name, sheet, wide, project.layers, relief=relief), focus)


class _Below(NamedTuple):
    """So many layers put onto a rectangle, counted from the lowest, and what they depend on."""

    many: int
    ground: Ground
    values: F32


def _begin(view: View, focus: int | None) -> tuple[Canvas, int]:
    """A canvas with what lies below the layer in focus, and the number of the first layer still to be put on.

    What is kept of fewer layers is gone on from.
    """
    layers, below, grounds = view.layers, view.sources.below, view.sources.grounds
    if focus is None:
        return blank(view), 0
    first = len(layers) if focus == ON_TOP else next((at for at, one in enumerate(layers) if holds(one, focus)), 0)
    if not any(writes(layer, view) for layer in layers[:first]):
        return blank(view), first
    key = (view.map, view.relief, view.sheet.key, view.sheet.size, view.rect)
    kept, canvas, many = cast("_Below | None", below.find(key)), blank(view), 0
    if kept is not None and kept.many <= first and grounds.of_first(view.project, kept.many) == kept.ground:
        canvas, many = Canvas(kept.values.copy()), kept.many
    if many < first and any(writes(layer, view) for layer in layers[many:first]):
        put_all(layers[many:first], canvas, view)
        made = canvas.values.copy()
        below.put(key, _Below(first, grounds.of_first(view.project, first), made), made.nbytes)
    return canvas, first


def around_below(layer: Layer, view: View, canvas: Canvas) -> Around:
    """What lies round the islands of a view, below a layer; ``canvas`` holds what is below on the view itself.

    Coverage comes last where that began with nothing.
    """
    isolated = canvas.weighs(view)
    if not isolated and (chunk := _chunk_of(view)) is not None:
        _under(layer, view, view.sheet, chunk, canvas.values)

    def fetch(key: SheetKey, chunk: Chunk) -> F32:
        sheet = view.sources.surface.sheet(key, view.project.size_of(key))
        return _under(layer, view, sheet, chunk)

    everything = view.sources.grounds.of_below(view.project, layer.id)

    def guide(key: SheetKey, chunk: Chunk) -> F32:
        """What the map that the layer goes by is below it; the same whatever map is asked for."""
        name, sheet = str(layer.content.goes_by), view.sources.surface.sheet(key, view.project.size_of(key))
        if name == view.map and canvas.alpha is None:
            return fetch(key, chunk)
        return composite_below(view.sources, view.project, layer.id, name, sheet, rect_of(chunk, sheet.size))

    def keep(key: tuple[Any, ...], settings: Any, make: Callable[[], Any], of_map: bool) -> Any:
        whole = (*key, layer.id, *((view.map, view.relief, view.alone, isolated) if of_map else ()))
        lies = _ground_under(layer, view) if of_map else everything
        return view.sources.below.like(
            whole, (lies, settings), make, lambda made: sum(one.nbytes for one in made), once=True
        )

    about = About(view.stored, guide, _lifts(layer, view), isolated, keep)
    return Around(view.sources, view.project.size_of, view.sheet, view.rect, fetch, view.spec.directional, about)


def _lifts(layer: Layer, view: View) -> Relief | None:
    """How high a height of 1 stands for a layer that stands out by itself; None where it is not to, here."""
    own = next(iter(reliefs(view.project.layers)), Relief())
    if view.map != RELIEF:
        return own
    return own if own == view.relief and SHAPE not in layer.active_channels() else None


def _chunk_of(view: View) -> Chunk | None:
    """The chunk that a view is of, if it is of just one."""
    chunk = Chunk(view.rect.top // CHUNK, view.rect.left // CHUNK)
    return chunk if rect_of(chunk, view.sheet.size) == view.rect else None


def _under(layer: Layer, view: View, sheet: Sheet, chunk: Chunk, made: F32 | None = None) -> F32:
    """(r, c, n) what lies below a layer on a chunk of any sheet; premultiplied, and coverage last, if isolated.

    ``made`` is that where it is there already.
    """

    def make() -> F32:
        if made is not None:
            return made.copy()
        rect = rect_of(chunk, sheet.size)
        wide = rect.grown(stack_margin(view.layers, view.stored), sheet.size)
        there = with_fields(view, sheet=sheet, rect=wide, until=layer.id)
        canvas = put_all(view.layers, blank(there), there)
        assert canvas is not None
        values = canvas.values[rect.within(wide)]
        if canvas.weighs(there):
            assert canvas.alpha is not None
            alpha = canvas.alpha[rect.within(wide)][..., None]
            values = np.concatenate([values * alpha, alpha], axis=2)
        return np.ascontiguousarray(values)

    key = ("under", layer.id, view.map, view.relief, view.alone, sheet.key, sheet.size, chunk)
    return view.sources.below.like(key, _ground_under(layer, view), make, lambda made: made.nbytes)


def _ground_under(layer: Layer, view: View) -> Ground:
    """What that depends on: all below a layer, or within the one that is put on by itself."""
    if view.alone:
        return view.sources.grounds.of_layer(view.project, view.layers[0].id)
    return view.sources.grounds.of_below(view.project, layer.id)


def _relief(
    sources: Sources, project: Project, sheet: Sheet, rect: Rect, focus: int | None, under: int | None, with_it: bool
) -> F32:
    """(r, c, 3) normals that the heights marked for it give; of those below a layer, if it is named."""
    wide = rect.grown(1, sheet.size)
    rise = np.zeros((*wide.shape, 2), np.float32)
    for relief in reliefs(project.layers if under is None else sources.grounds.below(project, under, with_it)):
        rise += _rise(sources, project, sheet, rect, wide, relief, focus, under, with_it)
    return np.ascontiguousarray(normals_of(rise, sources, sheet, wide)[rect.within(wide)])


def _rise(
    sources: Sources,
    project: Project,
    sheet: Sheet,
    rect: Rect,
    wide: Rect,
    relief: Relief,
    focus: int | None,
    under: int | None,
    with_it: bool,
) -> F32:
    """(r, c, 2) slopes along the tangent frame of the heights of one unit on a rectangle, a texel ``wide``-r."""

    def heights(sheet: Sheet, rect: Rect) -> F32:
        return composite_rect(sources, project, RELIEF, sheet, rect, focus, relief, under, with_it)

    def of_chunk(sheet: Sheet, chunk: Chunk, make: Callable[[], F32]) -> F32:
        kept = ("heights", relief, under, with_it, sheet.key, sheet.size, chunk)
        return sources.below.like(kept, ground, make, lambda made: made.nbytes)

    def fetch(key: SheetKey, chunk: Chunk) -> F32:
        other = sources.surface.sheet(key, project.size_of(key))
        return of_chunk(other, chunk, lambda: heights(other, rect_of(chunk, other.size)))

    grounds, height = sources.grounds, frozenset((RISE,))
    if under is None:
        ground = grounds.of_first(project, None, height)
    else:
        ground = grounds.of_below(project, under, height, with_it)
    around = Around(sources, project.size_of, sheet, wide, fetch)
    mine = heights(sheet, wide)
    chunk = Chunk(rect.top // CHUNK, rect.left // CHUNK)
    if rect == rect_of(chunk, sheet.size):  # for those that look at it over seams
        of_chunk(sheet, chunk, lambda: np.ascontiguousarray(mine[rect.within(wide)]))
    return slopes_of(mine, around, relief, project.sheet_size)
