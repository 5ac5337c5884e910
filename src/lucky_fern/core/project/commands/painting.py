"""Edits of painted pixels: the chunks that a stroke touched, as digests of their new contents."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands.base import Command, layer_of, with_layer
from lucky_fern.core.project.commands.masks import mask_of
from lucky_fern.core.project.document import Channel, Layer, Project
from lucky_fern.core.project.kinds import Carrying
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.references import paint_digests
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

Chunks = dict[str, str]  # "row,column" → digest; "" takes the chunk away


class PaintPixels(Command, frozen=True, tag="paint-pixels"):
    """Give chunks of a brushwork layer new pixels: map → chunks of one sheet painted at ``size``."""

    label: ClassVar[str] = "Paint"
    paints: ClassVar[bool] = True
    layer: int
    sheet: str
    size: Extent
    maps: dict[str, Chunks]

    def brings(self) -> Iterable[str]:
        return [digest for chunks in self.maps.values() for digest in chunks.values()]

    def apply(self, project: Project) -> Project:
        layer = layer_of(project, self.layer)
        before = painted_on(layer)
        for name in self.maps:
            if name not in MAPS:
                raise CommandError(tr("there is no map called {name!r}", name=name))
        sheets = painted(before, self.sheet, self.size, self.maps)
        new = {name: layer.channels.get(name, Channel("painted")) for name in self.maps}
        channels = {**layer.channels, **new}
        return with_layer(project, self.layer, content=layer.content.carried(Repainted(sheets)), channels=channels)


class PaintMask(Command, frozen=True, tag="paint-mask"):
    """Give chunks of a painted mask entry new pixels."""

    label: ClassVar[str] = tr("Paint mask")
    paints: ClassVar[bool] = True
    mask: int
    at: int
    sheet: str
    size: Extent
    chunks: Chunks

    def brings(self) -> Iterable[str]:
        return self.chunks.values()

    def apply(self, project: Project) -> Project:
        mask = mask_of(project, self.mask)
        entry = mask.entries[self.at] if 0 <= self.at < len(mask.entries) else None
        before = None if entry is None else entry.shape.painted
        if entry is None or before is None:
            raise CommandError(tr("that entry of the mask is not a painted one"))
        sheets = painted(before, self.sheet, self.size, {"mask": self.chunks})
        new = replace(entry, shape=entry.shape.carried(Repainted(sheets)))
        entries = (*mask.entries[: self.at], new, *mask.entries[self.at + 1 :])
        return replace(project, masks={**project.masks, self.mask: replace(mask, entries=entries)})


class GivePaint(Command, frozen=True, tag="give-paint"):
    """Give a brushwork layer other painted sheets, as a new layout or another size of them asks."""

    label: ClassVar[str] = tr("Bring paint along")
    layer: int
    sheets: dict[str, PaintedSheet]

    def brings(self) -> Iterable[str]:
        return paint_digests([self.sheets])

    def apply(self, project: Project) -> Project:
        layer = layer_of(project, self.layer)
        painted_on(layer)
        return with_layer(project, self.layer, content=layer.content.carried(Repainted(self.sheets)))


class Repainted(Carrying):
    """Other painted sheets in place of those that were there."""

    def __init__(self, sheets: dict[str, PaintedSheet]) -> None:
        self.sheets = sheets

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        return self.sheets


def painted_on(layer: Layer) -> dict[str, PaintedSheet]:
    """What is painted on a layer.

    Raises
    ------
    CommandError
        If nothing can be.
    """
    if layer.content.painted is None:
        raise CommandError(tr("'{name}' cannot be painted on; add a brushwork layer", name=layer.name))
    return layer.content.painted


def painted(
    sheets: dict[str, PaintedSheet], sheet: str, size: Extent, maps: dict[str, Chunks]
) -> dict[str, PaintedSheet]:
    """Painted sheets with some chunks of one of them replaced.

    Raises
    ------
    CommandError
        If the sheet was painted at another size: its pixels must be brought to this one first.
    """
    before = sheets.get(sheet, PaintedSheet(size))
    if before.size != size and before.maps:
        raise CommandError(
            tr(
                "{sheet} was painted at {size} texels; bring it to {size_2} before going on",
                sheet=sheet,
                size=before.size,
                size_2=size,
            )
        )
    after = dict(before.maps)
    for name, chunks in maps.items():
        merged = {**after.get(name, {}), **chunks}
        after[name] = {place: digest for place, digest in merged.items() if digest}
    return {**sheets, sheet: PaintedSheet(size, after)}
