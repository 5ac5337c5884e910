"""Edits of sheets: their sizes, and how their texels are meant."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.plain import check_size
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr


class SetSheetSize(Command, frozen=True, tag="set-sheet-size"):
    """Change how wide and high one sheet is (``MATERIAL:TILE``) or, with ``sheet`` None, of all.

    Decals and washes are drawn anew from their sources; what is painted is resampled.
    """

    label: ClassVar[str] = tr("Sheet size")
    size: Extent
    sheet: str | None = None

    def apply(self, project: Project) -> Project:
        check_size(self.size)
        guides = {
            name: one.scaled(project.sheet_sizes.get(name, project.sheet_size), self.size)
            if self.sheet in (None, name) else one
            for name, one in project.guides.items()
        }  # fmt: skip
        if self.sheet is None:
            return replace(project, sheet_size=self.size, sheet_sizes={}, guides=guides)
        return replace(project, sheet_sizes={**project.sheet_sizes, self.sheet: self.size}, guides=guides)


class SetPixelArt(Command, frozen=True, tag="set-pixel-art"):
    """Have the texels of a sheet (``MATERIAL:TILE``) be seen and kept as they are, or smoothed as on others."""

    label: ClassVar[str] = tr("Pixel art")
    sheet: str
    on: bool = True

    def apply(self, project: Project) -> Project:
        others = tuple(name for name in project.pixel_art if name != self.sheet)
        return replace(project, pixel_art=tuple(sorted((*others, self.sheet))) if self.on else others)
