"""Levels of sheets: 0 is a sheet at its own size, each next one half as wide and high.

A level is composited from the layers themselves at that size, so that something is seen of all of it long before all
of it is worked out. What is there at level 0 takes its place on the screen, halved: at rest, what is seen is what is
exported.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from collections.abc import Set as AbstractSet

import cv2
import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import Array
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import Dirty, MapKey, MapStore
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.maps import MAPS, RISE, SHAPE
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.first_look import LONGEST, Look
from lucky_fern.core.project.showing import has_relief, showing
from lucky_fern.core.project.tree import with_effects_scaled
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, all_chunks, every_chunk
from lucky_fern.core.sheets.needs import UNSEEN

# For each sheet that is looked at (down, across) int8, by chunk of level 0: the level that is enough there.
Needs = Mapping[SheetKey, Array]
_A_TEXEL = 22  # bytes on the card: four textures, and a third for their mips
_CARD = 768 << 20  # bytes of textures: they leave room for all else on a card of 1 GB


def last_level(size: Extent, pixel_art: bool) -> int:
    """The coarsest level of a sheet: the last one that is made of whole chunks.

    Pixel art, sheets of few texels, and sizes that are not made of whole chunks, have level 0 alone.
    """
    level = 0
    while not pixel_art and not (size.width >> level) % (2 * CHUNK) and not (size.height >> level) % (2 * CHUNK):
        level += 1
    return level


def at_level(size: Extent, level: int) -> Extent:
    """How large a sheet is on a level."""
    return Extent(size.width >> level, size.height >> level)


class Level:
    """One level of all sheets that have it: what is there of its maps, and what is still to be done.

    It follows a project when it is asked for, over as many edits as there were meanwhile.
    """

    def __init__(self, number: int, store: MapStore) -> None:
        self.number, self.store = number, store
        self.project: Project | None = None  # at this size: whose maps the store holds, but for what is ``left``
        self.left: Dirty = {}
        self.bare: set[MapKey] = set()  # maps whose padding is still to be filled
        self.new: set[SheetKey] = set()  # sheets that lie otherwise than when their maps were made
        self._of: Project | None = None  # the one that it follows, at its own size

    @property
    def begun(self) -> bool:
        """Whether any project was followed yet."""
        return self.project is not None

    def sized(self, project: Project) -> Project:
        """A project with sheets of this level; those that have it not keep to their last one."""
        if not self.number:
            return project
        sizes = {}
        for key in self.store.sources.surface.keys:
            size = project.size_of(key)
            sizes[str(key)] = at_level(size, min(self.number, last_level(size, project.is_pixel_art(key))))
        small = replace(project, sheet_sizes={**project.sheet_sizes, **sizes})
        return with_effects_scaled(small, 0.5**self.number)

    def has(self, project: Project, key: SheetKey) -> bool:
        """Whether a sheet has this level."""
        return self.number <= last_level(project.size_of(key), project.is_pixel_art(key))

    def follow(self, project: Project, exact: bool = False) -> Dirty:
        """Enter what has to be done anew for a project; what of it is news.

        ``exact``, where all of it will be done: at first, only chunks on which any layer lies.
        """
        if self._of is project and not self.new:
            return {}
        sources, small = self.store.sources, self.sized(project)
        if self.project is None:
            news = everything(sources, small) if exact else self._all_written(small)
        else:
            news = dirtied(sources, self.project, small)
            if self.new:
                whole = everything(sources, small)
                news.update({key: chunks for key, chunks in whole.items() if key.sheet in self.new})
                for key in list(self.store.maps):  # what nothing writes to any more has to go back to how it started
                    if key.sheet in self.new:
                        news[key] = set(all_chunks(small.size_of(key.sheet)))
        self.new.clear()
        self.project, self._of = small, project
        for key, chunks in news.items():
            self.left.setdefault(key, set()).update(chunks)
        # Sheets may have become smaller, or be gone.
        self.left = {
            key: chunks & every_chunk(small.size_of(key.sheet)) for key, chunks in self.left.items()
            if key.sheet in sources.surface.keys
        }  # fmt: skip
        return news

    def _all_written(self, small: Project) -> Dirty:
        """All chunks of all maps that layers write to: which layers lie where is only asked where somebody looks."""
        return {
            MapKey(key, name): set(all_chunks(small.size_of(key)))
            for key in self.store.sources.surface.keys for name in written_to(small, key)
        }  # fmt: skip

    def take(self, project: Project, maps: Mapping[MapKey, Array]) -> None:
        """Begin with all maps of a project, for all of its sheets, as they were kept."""
        self.store.maps.update(maps)
        self.project, self._of, self.left = self.sized(project), project, {}

    def done(self, project: Project | None, key: MapKey, chunk: Chunk) -> bool:
        """Whether a chunk is there, to all its borders, as a project wants it; asked on any thread."""
        return self.follows(project) and key not in self.bare and chunk not in self.left.get(key, ())

    def whole(self, project: Project | None, key: MapKey) -> bool:
        """Whether all of a map is there as a project wants it."""
        there = key in self.store.maps and key not in self.bare and not self.left.get(key)
        return there and self.follows(project)

    def follows(self, project: Project | None) -> bool:
        """Whether what is left to be done is known for a project."""
        return project is not None and self._of is project


def usual_room() -> int:
    """Bytes that maps may take where nobody said how much: a quarter of the computer's memory."""
    try:
        return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // 4
    except (ValueError, OSError, AttributeError):  # a system that does not say
        return 2 << 30


class Levels:
    """All levels over the same sources. ``shown`` says which one of each sheet the views have on the card.

    ``room`` bounds the bytes of maps at the sheets' own size, but for those that are looked at texel by texel;
    ``card`` those of textures, but for what is needed now.
    """

    def __init__(self, sources: Sources, store: MapStore | None = None) -> None:
        self.levels: dict[int, Level] = {0: Level(0, MapStore(sources) if store is None else store)}
        self.shown: dict[SheetKey, int] = {}
        self.turns: dict[SheetKey, int] = {}  # how often that became another one
        self.project: Project | None = None  # the one that is being worked out
        self.room = usual_room()
        self.card = _CARD

    @property
    def store(self) -> MapStore:
        """The maps at the sheets' own size."""
        return self.levels[0].store

    @property
    def sources(self) -> Sources:
        return self.store.sources

    def level(self, number: int) -> Level:
        """A level, begun when it is first asked for."""
        found = self.levels.get(number)
        if found is None:
            found = Level(number, MapStore(self.sources))
            self.levels = {**self.levels, number: found}  # others walk through the one before
        return found

    def move_to(self, sources: Sources, new: AbstractSet[SheetKey]) -> None:
        """Go on over another surface; ``new`` sheets lie otherwise. What is small is made anew."""
        zero = self.levels[0]
        zero.store.move_to(sources)
        zero.new |= new
        self.levels = {0: zero}

    def renew(self, sources: Sources) -> None:
        """Begin with nothing, over another surface; whoever is still at work here has the old maps to itself."""
        store = self.store
        store.renew(sources)
        self.levels = {0: Level(0, store)}

    def make_room(self, needs: Needs) -> None:
        """Let go of maps at their sheets' own size, as many as there is no room for, but of none that is looked at
        texel by texel. They are worked out anew when they are asked for.
        """
        zero = self.levels[0]
        maps, project = zero.store.maps, zero.project
        near = {key for key, need in needs.items() if (need == 0).any()}
        held = sum(one.nbytes for one in list(maps.values()))
        for key in list(maps):
            if held <= self.room or project is None:
                return
            if key.sheet not in near:
                zero.left[key] = set(all_chunks(project.size_of(key.sheet)))
                zero.bare.discard(key)
                held -= maps.pop(key).nbytes

    def take_look(self, project: Project, look: Look) -> None:
        """Begin with what a project's file says that its maps look like.

        Where all sheets have the look's size on their last level, that is their last level; else it is shown, and all
        of it is still to be done.
        """
        keys = self.sources.surface.keys
        last = {key: last_level(project.size_of(key), project.is_pixel_art(key)) for key in keys}
        by_name, whole = {str(key): key for key in keys}, len(set(last.values())) == 1
        found: dict[int, dict[MapKey, Array]] = {}
        for (name, map_name), pixels in look.items():
            key = by_name.get(name)
            if key is None:
                continue
            size = at_level(project.size_of(key), last[key])
            times = size.width // pixels.shape[1]
            whole &= times == 1
            if times and size.shape == (pixels.shape[0] * times, pixels.shape[1] * times):
                grown = pixels.repeat(times, axis=0).repeat(times, axis=1)
                found.setdefault(last[key], {})[MapKey(key, map_name)] = grown
        for number, maps in found.items():
            if number and whole:
                self.level(number).take(project, maps)
            else:
                self.level(number).store.maps.update(maps)
        self.show(project, {})

    def look(self, project: Project) -> Look:
        """What a project's maps look like on their last levels; empty unless all of them are there."""
        found: Look = {}
        for key in self.sources.surface.keys:
            last = last_level(project.size_of(key), project.is_pixel_art(key))
            if at_level(project.size_of(key), last).longest > LONGEST:
                continue
            level, zero = self.levels.get(last), self.levels[0]
            for one in {*zero.store.maps, *(() if level is None else level.store.maps)}:
                if one.sheet != key:
                    continue
                if level is not None and level.whole(project, one):
                    found[str(key), one.map] = level.store.maps[one].copy()
                elif zero.whole(project, one):
                    fine, size = zero.store.maps[one], at_level(project.size_of(key), last)
                    small = cv2.resize(fine, (size.width, size.height), interpolation=cv2.INTER_AREA)
                    found[str(key), one.map] = small.reshape(*size.shape, -1)
                else:
                    return {}
        return found

    def finest(self, key: MapKey, size: Extent, row: int, column: int) -> tuple[Array | None, int]:
        """The map (rows, columns, n) on the finest level on which a texel is there, and that level; None for none.

        ``size`` is the sheet's own, ``row`` and ``column`` count there.
        """
        for number in sorted(self.levels):
            level, wanted = self.levels[number], at_level(size, number)
            kept = level.store.maps.get(key)
            there = level.done(self.project, key, Chunk((row >> number) // CHUNK, (column >> number) // CHUNK))
            if kept is not None and there and kept.shape[:2] == wanted.shape:
                return kept, number
        kept = self.store.maps.get(key)
        return (kept, 0) if kept is not None and kept.shape[:2] == size.shape else (None, 0)

    def small(self, key: MapKey, least: int) -> Array | None:
        """A map on the coarsest level that is ``least`` texels across and on which all of it is there; or None."""
        for number in sorted(self.levels, reverse=True):
            level = self.levels[number]
            if level.whole(self.project, key) and level.store.maps[key].shape[1] >= least:
                return level.store.maps[key]
        return self.store.maps.get(key)

    def show(self, project: Project, needs: Needs) -> list[SheetKey]:
        """Have sheets shown as finely as is needed; those that are shown on another level from now on.

        Once there, what is finer stays while the card has room; then those are shown more coarsely first that have
        not been needed so finely for longest. A sheet that nobody looks at begins with its last level.
        """
        before, enough = dict(self.shown), {}
        for key in self.sources.surface.keys:
            size = project.size_of(key)
            last = last_level(size, project.is_pixel_art(key))
            enough[key] = level = min(int(needs[key].min()) if key in needs else last, last)
            shown = before.get(key)
            if shown is None or level <= shown or shown > last:
                self.shown.pop(key, None)
                self.shown[key] = level  # the last one that was needed so finely comes last
        taken = sum(self._on_card(project, key) for key in enough)
        for key in list(self.shown):
            if taken <= self.card or key not in enough:
                continue
            taken -= self._on_card(project, key)
            self.shown[key] = max(enough[key], self.shown[key])
            taken += self._on_card(project, key)
        changed = [key for key in enough if self.shown[key] != before.get(key)]
        for key in changed:
            self.turns[key] = self.turns.get(key, 0) + 1
        return changed

    def _on_card(self, project: Project, key: SheetKey) -> int:
        """Bytes of the textures of a sheet, all of its maps and their mips."""
        return at_level(project.size_of(key), self.shown[key]).texels * _A_TEXEL

    def shown_size(self, project: Project, key: SheetKey) -> Extent:
        """How large the texture of a sheet is."""
        size = project.size_of(key)
        last = last_level(size, project.is_pixel_art(key))
        return at_level(size, min(self.shown.get(key, last), last))


def first_look(sources: Sources, project: Project) -> Look:
    """What a project's maps look like on their last levels, composited for it."""
    levels = Levels(sources)
    for key in sources.surface.keys:
        level = levels.level(last_level(project.size_of(key), project.is_pixel_art(key)))
        level.follow(project, exact=True)
        assert level.project is not None
        for one in [one for one in level.left if one.sheet == key]:
            level.store.update(level.project, one, sorted(level.left.pop(one)))
    return levels.look(project)


def wanted_by_level(project: Project, needs: Needs) -> list[tuple[int, dict[SheetKey, set[Chunk]]]]:
    """What is to be composited before level 0, the coarsest first: level, and of each sheet its chunks there.

    All that is seen is on the last level of its sheet; then, finer, what needs it. Level 0 is not among them.
    """
    found: dict[int, dict[SheetKey, set[Chunk]]] = {}
    for key, need in needs.items():
        last = last_level(project.size_of(key), project.is_pixel_art(key))
        if not last:
            continue
        need = np.where(need == UNSEEN, UNSEEN, np.minimum(need, last))
        for level in sorted({last, *np.unique(need).tolist()} - {0, UNSEEN}):
            rows, columns = np.nonzero(need != UNSEEN if level == last else need == level)
            if len(rows):
                places = np.unique(np.stack([rows >> level, columns >> level], axis=1), axis=0)
                found.setdefault(level, {})[key] = {Chunk(*place) for place in places.tolist()}
    return sorted(found.items(), reverse=True)


def finer_chunks(chunk: Chunk, by: int, size: Extent) -> Iterable[Chunk]:
    """The chunks, ``by`` levels finer, of which one is made; ``size`` is the sheet's on that finer level."""
    rows = range(chunk.row << by, min((chunk.row + 1) << by, size.down))
    columns = range(chunk.column << by, min((chunk.column + 1) << by, size.across))
    return (Chunk(row, column) for row in rows for column in columns)


def written_to(project: Project, key: SheetKey) -> set[str]:
    """The maps of a sheet that layers in whose scope it is give to."""
    written = {name for _, maps in showing(project.layers, key) for name in maps}
    if RISE in written and has_relief(project.layers):
        written.add(SHAPE)
    return written


def bytes_of_maps(project: Project, keys: Iterable[SheetKey]) -> int:
    """How much memory the maps of sheets that any layer writes to take at the sheets' own size."""
    specs = [(project.size_of(key).texels, MAPS[name]) for key in keys for name in written_to(project, key)]
    return sum(texels * spec.components * (2 if spec.wide else 1) for texels, spec in specs)
