"""How the rest of the project follows when faces of a sheet were cut off into a material of their own."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import I64, Array
from lucky_fern.core.compositing.brushwork import resized
from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.layout.follow import Scopes, brought
from lucky_fern.core.layout.rectangles import rectangles
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import (
    SaveSelection,
    SetPixelArt,
    SetSheetSize,
    Single,
)
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.kinds import Carrying, Place
from lucky_fern.core.project.layouts import CutTexels
from lucky_fern.core.project.painted import chunk_layout, decode_chunk, encode_chunk, place_of
from lucky_fern.core.project.plain import PaintedSheet, Scope
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import CHUNK, SheetKey, span
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

_ROOM = 64 << 20  # bytes, while painted sheets are brought to another size


def after_cut(
    project: Project, old: Surface, new: Surface, origin: I64, edit: CutTexels, blobs: Blobs
) -> list[Single]:
    """The commands that have the new material's sheet look as the old one did there.

    ``origin`` (T,): which old face each new one was part of.
    """
    commands = _selections(project, old, origin)
    material, _, tile = edit.sheet.rpartition(":")
    key, other = SheetKey(material, int(tile)), SheetKey(edit.material.strip(), int(tile))
    if project.size_of(other) != project.size_of(key):
        commands.append(SetSheetSize(project.size_of(key), str(other)))
    if project.is_pixel_art(key) and not project.is_pixel_art(other):
        commands.append(SetPixelArt(str(other)))
    return [*commands, *brought(project, _Follow(project, old, new, origin, edit, blobs))]


def after_join(
    project: Project, old: Surface, new: Surface, origin: I64, material: str, back: Mapping[str, I64], blobs: Blobs
) -> tuple[list[Single], list[str]]:
    """The commands that bring what was painted on faces of a material to where they went back to; what to say.

    ``back``: a material → the faces of the old model that went back to it.
    """
    commands, notes = _selections(project, old, origin), list[str]()
    follows: list[Carrying] = [_Numbered(project, old, new, origin)]
    for key in old.keys:
        for to, rows in back.items() if key.material == material else ():
            other = SheetKey(to, key.tile)
            if project.size_of(other) != project.size_of(key):
                notes.append(
                    tr("{one} and {other} have other sizes; paint of {one} stays behind", one=key, other=other)
                )
                continue
            sheet = old.sheet(key, project.size_of(key))
            area = sheet.texels_of(np.isin(np.arange(old.model.triangle_count), rows))
            if area.any():
                boxes = tuple((a, b, c, d) for a, b, c, d in rectangles(area).tolist())
                follows.append(_Follow(project, old, new, origin, CutTexels(str(key), to, boxes), blobs))
    lost = [layer.name for layer in project.walk() if layer.scope.materials == (material,)]
    if lost and material not in new.model.materials:
        notes.append(tr("{layers} showed on {material} alone, which is gone", layers=", ".join(lost[:3]),
                        material=material))  # fmt: skip
    gone = material if material not in new.model.materials else None
    return [*commands, *brought(project, _Chained(follows, gone))], notes


def renumbered(project: Project, old: Surface, new: Surface, origin: I64) -> list[Single]:
    """The commands that have selections and scopes by island mean the same faces where those are numbered anew."""
    return [*_selections(project, old, origin), *brought(project, _Numbered(project, old, new, origin))]


def after_spread(project: Project, old: Surface, new: Surface, origin: I64, material: str) -> list[Single]:
    """The commands that have every tile of a material look as its one sheet did, while its UVs repeated."""
    was = next(key for key in old.keys if key.material == material)
    others = [key for key in new.keys if key.material == material and key != was]
    commands = _selections(project, old, origin)
    for key in others:
        if project.size_of(key) != project.size_of(was):
            commands.append(SetSheetSize(project.size_of(was), str(key)))
        if project.is_pixel_art(key) != project.is_pixel_art(was):
            commands.append(SetPixelArt(str(key), project.is_pixel_art(was)))
    carrying = _OnAllTiles(project, old, new, origin, str(was), [str(key) for key in others])
    return [*commands, *brought(project, carrying)]


def _selections(project: Project, old: Surface, origin: I64) -> list[Single]:
    count = old.model.triangle_count
    return [
        SaveSelection(name, pack_faces(unpack_faces(packed, count)[origin]))
        for name, packed in project.selections.items()
    ]


class _Numbered(Carrying):
    """Scopes by island go on meaning the same faces."""

    def __init__(self, project: Project, old: Surface, new: Surface, origin: I64) -> None:
        self.scopes = Scopes(project, old.model.islands[origin], new.model.islands)

    def scope(self, scope: Scope) -> Scope:
        return self.scopes.changed(scope)


class _OnAllTiles(_Numbered):
    def __init__(
        self, project: Project, old: Surface, new: Surface, origin: I64, was: str, others: list[str]
    ) -> None:
        super().__init__(project, old, new, origin)
        self.was, self.others = was, others

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        painted = sheets.get(self.was)
        if painted is None or not painted.maps:
            return sheets
        return {**dict.fromkeys(self.others, painted), **sheets}


class _Chained(Carrying):
    """Several, one after the other."""

    def __init__(self, each: list[Carrying], gone: str | None) -> None:
        self.each, self.gone = each, gone

    def scope(self, scope: Scope) -> Scope:
        if scope.materials is not None and len(scope.materials) > 1 and self.gone in scope.materials:
            scope = replace(scope, materials=tuple(name for name in scope.materials if name != self.gone))
        return self.each[0].scope(scope)

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        for one in self.each:
            sheets = one.paint(sheets)
        return sheets


class _Follow(_Numbered):
    def __init__(
        self, project: Project, old: Surface, new: Surface, origin: I64, edit: CutTexels, blobs: Blobs
    ) -> None:
        super().__init__(project, old, new, origin)
        self.edit, self.blobs = edit, blobs
        self.material, self.other = edit.sheet.rpartition(":")[0], edit.material.strip()
        self.to = f"{self.other}:{edit.sheet.rpartition(':')[2]}"
        key = SheetKey(self.material, int(edit.sheet.rpartition(":")[2]))
        self.size, self.nearest = project.size_of(key), project.is_pixel_art(key)

    def scope(self, scope: Scope) -> Scope:
        if scope.materials is not None and self.material in scope.materials and self.other not in scope.materials:
            scope = replace(scope, materials=(*scope.materials, self.other))
        return super().scope(scope)

    def place(self, place: Place) -> Place:
        return place.shown_on(self.material, self.other)

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        painted, there = sheets.get(self.edit.sheet), sheets.get(self.to)
        if painted is None or not painted.maps:
            return sheets
        here = self._at_size(painted)
        into = PaintedSheet(here.size) if there is None else self._at_size(there)
        return {**sheets, self.to: self._joined(into, here)}

    def _at_size(self, painted: PaintedSheet) -> PaintedSheet:
        """As it is at the size of the sheet, in whose texels the squares are counted."""
        if painted.size == self.size:
            return painted
        return resized(painted, self.size, self.blobs, Kept(_ROOM), self.nearest)

    def _joined(self, there: PaintedSheet, painted: PaintedSheet) -> PaintedSheet:
        """What was painted on the new sheet before, and on the squares that were cut off now what was there."""
        area = np.zeros(painted.size.shape, np.bool_)
        for left, upper, right, lower in self.edit.boxes:
            area[upper:lower, left:right] = True
        maps = {name: dict(chunks) for name, chunks in there.maps.items()}
        for name in {*painted.maps, *there.maps}:
            before, after = painted.maps.get(name, {}), maps.setdefault(name, {})
            for place in {*before, *after}:
                rows, columns = span(place_of(place), painted.size)
                some = area[rows, columns]
                if not some.any():
                    continue
                whole = self._chunk(after.get(place), name).copy()
                inner = whole[: some.shape[0], : some.shape[1]]
                inner[some] = self._chunk(before.get(place), name)[: some.shape[0], : some.shape[1]][some]
                if whole[..., -1].any():
                    after[place] = self.blobs.add(encode_chunk(whole))
                else:
                    after.pop(place, None)
        return PaintedSheet(painted.size, {name: chunks for name, chunks in maps.items() if chunks})

    def _chunk(self, digest: str | None, name: str) -> Array:
        dtype, count = chunk_layout(name)
        if digest is None:
            return np.zeros((CHUNK, CHUNK, count), dtype)
        return decode_chunk(self.blobs[digest], name)
