"""The canvas of a sheet made larger or smaller: every texel, and every UV on its texel, stays what it is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, get_args

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import Array
from lucky_fern.core.compositing.brushwork import resized
from lucky_fern.core.layout.follow import brought
from lucky_fern.core.project.commands import (
    Lend,
    SetGuides,
    SetSheetSize,
    Several,
    Single,
)
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.kinds import Carrying, Place
from lucky_fern.core.project.layouts import Reframe
from lucky_fern.core.project.painted import chunk_layout, decode_chunk, encode_chunk, place_name, place_of
from lucky_fern.core.project.plain import PaintedSheet, check_size
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, all_chunks, shape
from lucky_fern.core.sheets.region import Rect, gathered, rect_of
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

Anchor = Literal[
    "upper-left", "upper", "upper-right", "left", "centre", "right", "lower-left", "lower", "lower-right"
]
ANCHORS: tuple[Anchor, ...] = get_args(Anchor)


def offset(before: Extent, after: Extent, anchor: Anchor) -> tuple[int, int]:
    """How many columns and rows come in on the left and above, of a canvas held at one of nine places."""
    column, row = ANCHORS.index(anchor) % 3, ANCHORS.index(anchor) // 3
    return int((after.width - before.width) * column / 2), int((after.height - before.height) * row / 2)


def reframe(studio: Studio, key: SheetKey, size: Extent, anchor: Anchor) -> tuple[Several, tuple[str, ...]]:
    """The step that gives a sheet another canvas, and what there is to say; contents are added to the studio's.

    Raises
    ------
    CommandError
        If the size cannot be, a face lies on several tiles, or one would lie beyond the new canvas.
    """
    check_size(size)
    project, before = studio.project, studio.project.size_of(key)
    edit = Reframe(str(key), before, size, *offset(before, size, anchor))
    prepared = studio.prepare_layout(edit, stay=False)
    commands: list[Single] = [*prepared.command.commands, SetSheetSize(size, str(key))]
    if str(key) in project.guides:
        commands.append(SetGuides(str(key), project.guides[str(key)].moved(edit.left, edit.upper, size)))
    moving, notes = _Moving(studio, key, edit), list(prepared.notes)
    commands += brought(project, moving, moving.about)
    for name, loan in project.loans.items():
        if loan.sheet != str(key):
            continue
        left, upper, right, lower = (n + by for n, by in zip(loan.box, (edit.left, edit.upper) * 2, strict=True))
        if left < 0 or upper < 0 or right > size.width or lower > size.height:
            notes.append(tr("the loan {name!r} reaches beyond the new canvas and cannot come back", name=name))
            continue
        commands.append(Lend(name, replace(loan, size=size, box=(left, upper, right, lower))))
    return Several(tuple(commands), named=tr("Canvas")), tuple(notes)


class _Moving(Carrying):
    """What is painted or laid on a sheet, moved by whole texels onto its new canvas."""

    def __init__(self, studio: Studio, key: SheetKey, edit: Reframe) -> None:
        self.studio, self.key, self.edit = studio, key, edit
        self.proportions = (1, 1)  # the size of the picture that is placed

    def about(self, layer: Layer) -> None:
        """What is carried next is this layer's."""
        placed = layer.content.placed
        name = None if placed is None else placed[0]
        self.proportions = (1, 1) if name is None else self.studio.project.picture_size(name)

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        painted = sheets.get(self.edit.sheet)
        if painted is None:
            return sheets
        if painted.size != self.edit.before:
            nearest = self.studio.project.is_pixel_art(self.key)
            painted = resized(painted, self.edit.before, self.studio.blobs, self.studio.sources.kept, nearest)
        return {**sheets, self.edit.sheet: self._moved(painted)}

    def _moved(self, painted: PaintedSheet) -> PaintedSheet:
        edit, blobs = self.edit, self.studio.blobs
        maps: dict[str, dict[str, str]] = {}
        for name, digests in painted.maps.items():
            dtype, count = chunk_layout(name)
            here = {place_of(place): digest for place, digest in digests.items()}

            def piece(chunk: Chunk, here: dict[Chunk, str] = here, name: str = name) -> Array | None:
                rows, columns = shape(chunk, edit.before)
                return decode_chunk(blobs[here[chunk]], name)[:rows, :columns] if chunk in here else None

            made = {}
            for chunk in all_chunks(edit.after):
                texels = shifted(rect_of(chunk, edit.after), edit, np.zeros(count, dtype), piece)
                if texels is None or not texels[..., -1].any():
                    continue
                whole = np.zeros((CHUNK, CHUNK, count), dtype)
                whole[: texels.shape[0], : texels.shape[1]] = texels
                made[place_name(chunk)] = blobs.add(encode_chunk(whole))
            maps[name] = made
        return PaintedSheet(edit.after, {name: made for name, made in maps.items() if made})

    def place(self, place: Place) -> Place:
        edit = self.edit
        return place.reframed(self.key, edit.before, edit.after, (edit.left, edit.upper), self.proportions)


def shifted(rect: Rect, edit: Reframe, empty: Array, piece: Callable[[Chunk], Array | None]) -> Array | None:
    """What lies in a rectangle of the new canvas; None where nothing of the old one does."""
    old = Rect(rect.top - edit.upper, rect.bottom - edit.upper, rect.left - edit.left, rect.right - edit.left)
    inner = Rect(max(old.top, 0), min(old.bottom, edit.before.height), max(old.left, 0),
                 min(old.right, edit.before.width))  # fmt: skip
    if inner.top >= inner.bottom or inner.left >= inner.right:
        return None
    found = gathered(inner, edit.before, empty, piece)
    if found is None:
        return None
    out = np.zeros((*rect.shape, *empty.shape), empty.dtype)
    out[inner.within(old)] = found
    return out
