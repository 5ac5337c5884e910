"""Edits of the slides that a project keeps by name."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import Project, Slide
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.project.plain import check_picture
from lucky_fern.words import tr


class KeepSlide(Command, frozen=True, tag="keep-slide"):
    """Keep a slide under a name, in place of an older one of that name; None forgets it."""

    label: ClassVar[str] = tr("Keep slide")
    name: str
    slide: Slide | None

    def apply(self, project: Project) -> Project:
        name = self.name.strip()
        if not name:
            raise CommandError(tr("a slide needs a name"))
        slides = {known: slide for known, slide in project.slides.items() if known != name}
        if self.slide is not None:
            check_picture(project, self.slide.picture)
            self.slide.place.check()
            check_share("opacity", self.slide.opacity)
            slides[name] = self.slide
        elif name not in project.slides:
            raise CommandError(tr("there is no slide {name!r} any more", name=name))
        return replace(project, slides=slides)
