"""Edits of what helps while one works: pinned pictures and guides."""

from __future__ import annotations

from typing import ClassVar, Self

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.helps import Guides, Pinned
from lucky_fern.core.project.plain import check_picture
from lucky_fern.words import tr


class PinPicture(Command, frozen=True, tag="pin-picture"):
    """Pin a kit picture beside the work, or pin it otherwise; None takes it off."""

    label: ClassVar[str] = tr("Pin picture")
    picture: str
    pinned: Pinned | None = Pinned()

    def apply(self, project: Project) -> Project:
        others = {name: one for name, one in project.pinned.items() if name != self.picture}
        if self.pinned is None:
            if self.picture not in project.pinned:
                raise CommandError(tr("{picture!r} is not pinned", picture=self.picture))
            return replace(project, pinned=others)
        check_picture(project, self.picture)
        self.pinned.check()
        return replace(project, pinned={**others, self.picture: self.pinned})

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.picture == self.picture and self.pinned is not None


class SetGuides(Command, frozen=True, tag="set-guides"):
    """Give a sheet (``MATERIAL:TILE``) guides, in place of those that it has."""

    label: ClassVar[str] = tr("Guides")
    sheet: str
    guides: Guides

    def apply(self, project: Project) -> Project:
        self.guides.check()
        others = {name: one for name, one in project.guides.items() if name != self.sheet}
        return replace(project, guides={**others, self.sheet: self.guides} if self.guides.any else others)

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.sheet == self.sheet
