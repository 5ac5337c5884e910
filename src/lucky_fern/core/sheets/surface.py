"""The surface: a model together with its sheets, the ground that everything else is computed on."""

from __future__ import annotations

import threading
from collections.abc import Callable
from collections.abc import Set as AbstractSet
from typing import Any, TypeVar

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, U64, Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.model.model import Model
from lucky_fern.core.once import once
from lucky_fern.core.sheets.beyond import Beyond
from lucky_fern.core.sheets.faces import unpack_faces
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.nearest import Nearest
from lucky_fern.core.sheets.sheet import Placement, Sheet, place_triangles

_K = TypeVar("_K")
_SIZES = 3  # of large and of coarse sheets that are kept
_COARSE = 16  # times as few texels as the largest one kept: what a sheet of that size holds hardly counts
_FEW = 64  # sets of triangles that are kept, a byte a triangle
# Parts, islands and packed sets that a scope names, each None for all.
Triangles = tuple[tuple[str, ...] | None, tuple[int, ...] | None, tuple[str, ...] | None]


class Surface:
    """A model's sheets at the sizes a project asks for; sheets are built when first needed and kept."""

    def __init__(self, model: Model) -> None:
        self.model = model
        self.placement: Placement = place_triangles(model)
        self.keys: tuple[SheetKey, ...] = tuple(self.placement.triangles)
        self._chosen: dict[tuple[str, ...], Bool] = {}
        self._packed: dict[str, Bool] = {}
        self._sheets: dict[SheetKey, dict[Extent, Sheet]] = {}
        self._sizing = threading.Lock()  # held while what is kept changes
        self.seam_links: tuple[tuple[Extent, ...], Any] | None = None  # pieces that meet at seams, for sizes

    def sheet(self, key: SheetKey, size: Extent) -> Sheet:
        """A sheet at a size. Those asked for last are kept: three large ones and coarse ones."""
        with self._sizing:
            of_key = self._sheets.setdefault(key, {})
            found = of_key.get(size)
        made = found or Sheet(key, size, self.model, self.placement.triangles[key])
        with self._sizing:
            kept = of_key.pop(size, made)  # another thread may have been quicker
            of_key[size] = kept  # the newest last
            few = max(one.texels for one in of_key) // _COARSE
            for sort in ([one for one in of_key if one.texels > few], [one for one in of_key if one.texels <= few]):
                for old in sort[:-_SIZES]:
                    del of_key[old]
            return kept

    def unlike(self, other: Surface) -> set[SheetKey]:
        """The sheets on which anything lies otherwise than on another surface's."""
        changed = set()
        for key in self.keys:
            rows, before = self.placement.triangles[key], other.placement.triangles.get(key)
            same = before is not None and np.array_equal(rows, before)
            if not same or not (
                np.array_equal(self.model.uv[rows], other.model.uv[rows])
                and np.array_equal(self.model.corners[rows], other.model.corners[rows])
            ):
                changed.add(key)
        return changed

    def sheets(self, size_of: Callable[[SheetKey], Extent]) -> list[Sheet]:
        return [self.sheet(key, size_of(key)) for key in self.keys]

    @once
    def nearest(self) -> Nearest:
        """The model's triangles, sorted so that the nearest to a point is found."""
        return Nearest(self.model)

    @once
    def beyond(self) -> Beyond:
        """How the surface goes on over seams."""
        return Beyond(self.model)

    @once
    def materials(self) -> tuple[str, ...]:
        """Materials that have a sheet, in the model's order."""
        return tuple(dict.fromkeys(key.material for key in self.keys))

    def triangles_of_parts(self, parts: tuple[str, ...] | None) -> Bool | None:
        """(T,) bool, triangles of the named parts; None for all.

        A part named ``object/group`` answers to its whole name and to the object's alone.
        """
        if parts is None:
            return None
        wanted = parts

        def choose() -> Bool:
            named = [
                name in wanted or any(name.startswith(part + "/") for part in wanted) for name in self.model.parts
            ]
            return np.array(named, np.bool_)[self.model.part]

        return _among_few(self._chosen, parts, choose)

    def triangles_of(self, scope: Triangles) -> Bool | None:
        """(T,) bool, triangles of the named parts, of the numbered islands and of the packed sets; None for all."""
        parts, islands, packed = scope
        chosen = self.triangles_of_parts(parts)
        if islands is not None:
            inside = np.isin(self.model.islands, islands)
            chosen = inside if chosen is None else inside & chosen
        if packed is not None:
            inside = np.zeros(self.model.triangle_count, np.bool_)
            for text in packed:
                inside |= self._unpacked(text)
            chosen = inside if chosen is None else inside & chosen
        return chosen

    def _unpacked(self, text: str) -> Bool:
        def unpack() -> Bool:
            try:
                return unpack_faces(text, self.model.triangle_count)
            except CommandError:  # a selection that is gone, or was of another model: nothing of this one
                return np.zeros(self.model.triangle_count, np.bool_)

        return _among_few(self._packed, text, unpack)

    def proportions(self, size_of: Callable[[SheetKey], Extent]) -> F64:
        """(T, 2) what u and v of each triangle are multiplied by so that squares of texels are squares."""
        every = np.array([*(size_of(key).proportions for key in self.keys), np.ones(2)])
        return np.asarray(every[self.sheet_of_triangle])

    def tiles_of(self, material: str) -> list[int]:
        return [key.tile for key in self.keys if key.material == material]

    @once
    def sheet_of_triangle(self) -> I32:
        """(T,) int32, the number in ``keys`` of the (first) sheet each triangle lies on; -1 for none."""
        result = np.full(self.model.triangle_count, -1, np.int32)
        for number in range(len(self.keys) - 1, -1, -1):
            result[self.placement.triangles[self.keys[number]]] = number
        return result

    @once
    def _bits(self) -> U64:
        """(T,) of each triangle, a bit for each sheet that it lies on."""
        result = np.zeros(self.model.triangle_count, np.uint64)
        for number, key in enumerate(self.keys):
            result[self.placement.triangles[key]] |= np.uint64(1 << number)
        return result

    def sheets_of(self, rows: I64) -> AbstractSet[SheetKey]:
        """The sheets on which some triangles lie; of more than 64 sheets, all."""
        if len(self.keys) > 64:
            return set(self.keys)
        found = int(np.bitwise_or.reduce(self._bits[rows], initial=np.uint64(0)))
        return {key for number, key in enumerate(self.keys) if found >> number & 1}


def _among_few(kept: dict[_K, Bool], key: _K, make: Callable[[], Bool]) -> Bool:
    """What is kept under a key, or made now; the oldest go, as every edit of a selection is a key of its own."""
    found = kept.get(key)
    if found is None:
        found = kept[key] = make()
        for old in list(kept)[:-_FEW]:
            kept.pop(old, None)
    return found
