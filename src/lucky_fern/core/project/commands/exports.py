"""Edits of what a project is exported as, and of what is known about its pictures."""

from __future__ import annotations

from typing import ClassVar, Self

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.export_setup import ExportSetup, check_setup
from lucky_fern.core.project.presets import check_preset
from lucky_fern.words import tr


class SetExports(Command, frozen=True, tag="set-exports"):
    """Remember which exports a project has."""

    label: ClassVar[str] = tr("Set up the export")
    exports: tuple[ExportSetup, ...]

    def apply(self, project: Project) -> Project:
        for setup in self.exports:
            check_setup(setup)
            if setup.own is not None:
                check_preset(setup.own)
        return replace(project, exports=self.exports)

    def goes_on_with(self, earlier: Self) -> bool:
        return True


class SetCredit(Command, frozen=True, tag="set-credit"):
    """Write down whose a picture of the kit is, under which licence, and where it comes from."""

    label: ClassVar[str] = tr("Credit a picture")
    picture: str
    author: str = ""
    licence: str = ""
    source: str = ""

    def apply(self, project: Project) -> Project:
        if self.picture not in project.pictures:
            raise CommandError(tr("there is no picture {picture!r} in the kit", picture=self.picture))
        kit = replace(
            project.pictures[self.picture], author=self.author.strip(), licence=self.licence.strip(),
            source=self.source.strip(),
        )  # fmt: skip
        return replace(project, pictures={**project.pictures, self.picture: kit})

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.picture == self.picture
