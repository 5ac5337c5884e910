"""Edits of the light that one looks by, and of the material numbers of older games."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Self

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.light import Light, Numbers
from lucky_fern.words import tr


class SetLight(Command, frozen=True, tag="set-light"):
    """Look by another light."""

    label: ClassVar[str] = tr("Light")
    light: Light

    def brings(self) -> Iterable[str]:
        return () if self.light.panorama is None else (self.light.panorama.digest,)

    def apply(self, project: Project) -> Project:
        self.light.check()
        if self.light.surroundings == "own" and self.light.panorama is None:
            raise CommandError(tr("surroundings of one's own need a panorama; choose its file first"))
        return replace(project, light=self.light)

    def goes_on_with(self, earlier: Self) -> bool:
        return True


class SetNumbers(Command, frozen=True, tag="set-numbers"):
    """Give a material numbers for older games ("" for all that have none of their own); None takes them off."""

    label: ClassVar[str] = tr("Material numbers")
    material: str
    numbers: Numbers | None

    def apply(self, project: Project) -> Project:
        others = {name: one for name, one in project.numbers.items() if name != self.material}
        if self.numbers is None:
            return replace(project, numbers=others)
        self.numbers.check()
        return replace(project, numbers={**others, self.material: self.numbers})

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.material == self.material
