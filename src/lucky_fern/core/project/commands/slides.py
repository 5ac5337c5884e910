"""Edits of the slides that a project keeps by name."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.project.commands.base import Command, kept_by_name
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
        gone = tr("there is no slide {name!r} any more", name=self.name)
        slides = kept_by_name(project.slides, self.name, self.slide, tr("a slide needs a name"), gone)
        if self.slide is not None:
            check_picture(project, self.slide.picture)
            self.slide.place.check()
            check_share("opacity", self.slide.opacity)
        return replace(project, slides=slides)
