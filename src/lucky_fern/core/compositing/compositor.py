"""The compositor: from the stack to finished maps, chunk by chunk."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np

from lucky_fern.core.arrays import F32, U8, U16, Bool
from lucky_fern.core.compositing.blend import narrow_16, quantise_8, quantise_16
from lucky_fern.core.compositing.layer_row import layer_chunks
from lucky_fern.core.compositing.loose import loose_texels
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.compositing.stack import composite_rect
from lucky_fern.core.maps import MAPS, RISE, SHAPE, MapSpec
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.showing import has_relief, showing
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, all_chunks, span
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.sheets.sheet import Sheet


@dataclass(frozen=True)
class MapKey:
    """One map of one sheet."""

    sheet: SheetKey
    map: str


Dirty = dict[MapKey, set[Chunk]]
Finished = Callable[[], "MapStore | None"]


def composite_chunk(
    sources: Sources, project: Project, map_name: str, sheet: Sheet, chunk: Chunk, focus: int | None = None
) -> F32:
    """(rows, columns, n) float32 values 0…1 of a chunk, colours sRGB-encoded; texels outside islands too."""
    return composite_rect(sources, project, map_name, sheet, rect_of(chunk, sheet.size), focus)


def written_maps(sources: Sources, project: Project, sheet: Sheet) -> set[str]:
    """The maps of a sheet that at least one layer writes to."""
    found: set[str] = set()
    for layer, maps in showing(project.layers, sheet.key):
        found |= {name for name in maps - found if layer_chunks(sources, project, layer, name, sheet)}
    if RISE in found and has_relief(project.layers):
        found.add(SHAPE)
    return found


def composite_sheet(
    sources: Sources,
    project: Project,
    map_name: str,
    sheet: Sheet,
    bits: int,
    padding: int | None = None,
    cancelled: Callable[[], bool] | None = None,
    finished: Finished | None = None,
) -> U8 | U16:
    """A whole map of a sheet, (size, size, n) uint8 or uint16, padded.

    ``padding`` None fills everything outside the islands from the nearest one; a number of texels fills
    only so far and leaves the map's starting value beyond. Maps that are kept with 16 bits come to 8 by
    way of these, so that ``finished`` maps give the same bytes. ``finished`` is asked before and after a map
    is taken from it; it answers None as soon as its maps are not those of this project any more.
    """
    spec = MAPS[map_name]
    if finished is not None and (spec.wide or bits == 8):  # what is kept has all that is asked for
        taken = _taken(finished, MapKey(sheet.key, map_name), sheet.size, bits)
        if taken is not None:
            _cut_padding(taken, sheet, spec, padding, loose_texels(sources, project, map_name, sheet))
            return taken
    if spec.wide and bits == 8:
        return _narrowed(composite_sheet(sources, project, map_name, sheet, 16, padding, cancelled))
    dtype = np.uint8 if bits == 8 else np.uint16
    top = np.iinfo(dtype).max
    start = np.floor(np.array(spec.start) * top + 0.5).astype(dtype)
    out = np.empty((*sheet.size.shape, spec.components), dtype)
    out[:] = start
    loose = loose_texels(sources, project, map_name, sheet)

    def work(chunk: Chunk) -> None:
        _store(out, composite_chunk(sources, project, map_name, sheet, chunk), sheet, chunk, loose)

    for_each(work, all_chunks(sheet.size), cancelled)
    sheet.padding.fill(out, loose=loose)
    _cut_padding(out, sheet, spec, padding, loose)
    return out


def _taken(finished: Finished, key: MapKey, size: Extent, bits: int) -> U8 | U16 | None:
    """A copy of a finished map with so many bits, if it was there all the while."""
    store = finished()
    if store is None:
        return None
    kept = store.get(key, size)
    copied = _narrowed(kept) if kept.dtype == np.uint16 and bits == 8 else kept.copy()
    return copied if finished() is not None else None


def _narrowed(deep: U8 | U16) -> U8:
    """16 bits brought to 8."""
    narrow = np.empty(deep.shape, np.uint8)
    narrow_16(deep.reshape(-1), narrow.reshape(-1))
    return narrow


def _cut_padding(out: U8 | U16, sheet: Sheet, spec: MapSpec, padding: int | None, loose: Bool | None) -> None:
    """Give texels further than ``padding`` from every island the map's starting value again, but loose ones."""
    if padding is not None:
        top = np.iinfo(out.dtype).max
        beyond = sheet.padding.target[~sheet.padding.limited(padding)]
        if loose is not None:
            beyond = beyond[~loose.ravel()[beyond]]
        out.reshape(-1, spec.components)[beyond] = np.floor(np.array(spec.start) * top + 0.5)


def _store(out: U8 | U16, acc: F32, sheet: Sheet, chunk: Chunk, loose: Bool | None) -> None:
    """Round a chunk into the texels of its islands, and loose ones; padding fills the rest afterwards."""
    rows, columns = span(chunk, sheet.size)
    quantise = quantise_8 if out.dtype == np.uint8 else quantise_16
    shown = sheet.covered[rows, columns]
    quantise(acc, shown if loose is None else shown | loose[rows, columns], out[rows, columns])


@dataclass
class _Held:
    """What a store holds: over what, the maps, and what is painted outside islands, where anything is."""

    sources: Sources
    maps: dict[MapKey, U8 | U16] = field(default_factory=dict)
    loose: dict[MapKey, Bool] = field(default_factory=dict)

    def get(self, key: MapKey, size: Extent) -> U8 | U16:
        """(rows, columns, n) array of a map; filled with the map's starting value when first asked for."""
        kept = self.maps.get(key)
        if kept is not None and kept.shape[:2] == size.shape:
            return kept
        spec = MAPS[key.map]
        dtype = np.uint16 if spec.wide else np.uint8
        start = np.floor(np.array(spec.start) * np.iinfo(dtype).max + 0.5).astype(dtype)
        shape = (*size.shape, spec.components)
        fresh: U8 | U16 = np.full(shape, start[0], dtype)  # type: ignore[assignment]  # 8 or 16 bits
        if (start != start[0]).any():
            fresh[:] = start
        self.maps[key] = fresh
        return fresh


class MapStore:
    """The finished maps that the views show; 16 bits for height and normal, 8 for the rest.

    What is begun ends on what was held when it began: see :meth:`renew`.
    """

    def __init__(self, sources: Sources) -> None:
        self._held = _Held(sources)
        self.composited = 0  # chunks done since the start: tests and the benchmark read it

    @property
    def sources(self) -> Sources:
        return self._held.sources

    @property
    def maps(self) -> dict[MapKey, U8 | U16]:
        return self._held.maps

    def move_to(self, sources: Sources) -> None:
        """Go on over another surface of the same project; maps of sheets that it lacks are let go."""
        kept = {key: pixels for key, pixels in self.maps.items() if key.sheet in sources.surface.keys}
        self._held = _Held(sources, kept)

    def renew(self, sources: Sources) -> None:
        """Begin with nothing, over another surface; whoever is still at work here has the old maps to itself."""
        self._held = _Held(sources)

    def get(self, key: MapKey, size: Extent) -> U8 | U16:
        """(rows, columns, n) array of a map; filled with the map's starting value when first asked for."""
        return self._held.get(key, size)

    def update(
        self,
        project: Project,
        key: MapKey,
        chunks: Iterable[Chunk],
        cancelled: Callable[[], bool] | None = None,
        focus: int | None = None,
        pad: bool = True,
    ) -> set[Chunk]:
        """Composite chunks of one map; the chunks that look different now, padding included.

        Without ``pad`` the texels outside islands are left for :meth:`pad`, which must follow.
        ``focus`` is the layer being edited (see :func:`~.stack.composite_rect`).

        Raises
        ------
        Cancelled
            Between two chunks; those already done stay done.
        """
        todo = list(dict.fromkeys(chunks))
        held = self._held
        sheet = held.sources.surface.sheet(key.sheet, project.size_of(key.sheet))
        out = held.get(key, sheet.size)

        loose = loose_texels(held.sources, project, key.map, sheet)

        def work(chunk: Chunk) -> None:
            _store(out, composite_chunk(held.sources, project, key.map, sheet, chunk, focus), sheet, chunk, loose)

        for_each(work, todo, cancelled)
        self.composited += len(todo)
        done = set(todo)
        if not pad:
            return done
        return done | _fill(held, key, sheet, done, loose)

    def pad(self, project: Project, key: MapKey) -> set[Chunk]:
        """Fill all texels of a map outside islands; every chunk of it."""
        held = self._held
        sheet = held.sources.surface.sheet(key.sheet, project.size_of(key.sheet))
        return _fill(held, key, sheet, None, loose_texels(held.sources, project, key.map, sheet))


def _fill(held: _Held, key: MapKey, sheet: Sheet, done: set[Chunk] | None, loose: Bool | None) -> set[Chunk]:
    """Fill what lies outside islands after some chunks (None: all) are done; the chunks that it changed."""
    out, were = held.get(key, sheet.size), held.loose.pop(key, None)
    if loose is not None:
        held.loose[key] = loose
    if were is not None and were.shape != sheet.size.shape:
        were, done = None, None
    left = were if loose is None or were is None else were & ~loose
    sheet.padding.fill(out, done if left is None else None, loose)
    fed = set(all_chunks(sheet.size)) if done is None else sheet.padding.chunks_fed_by(done)
    if left is not None:  # padding came back to where something was painted
        fed |= {Chunk(int(r), int(c)) for r, c in np.unique(np.argwhere(left) // CHUNK, axis=0)}
    return fed
