"""What a project names called otherwise: materials, parts, selections."""

from __future__ import annotations

from msgspec.structs import replace

from lucky_fern.core.project.document import Project
from lucky_fern.core.project.kinds import Carrying, Place
from lucky_fern.core.project.plain import PaintedSheet, Scope
from lucky_fern.core.project.references import carried


def material_renamed(project: Project, old: str, new: str) -> Project:
    """Everything that is about a material follows its new name."""
    return _renamed_material(project, _MaterialCalled(old, new))


def part_renamed(project: Project, old: str, new: str) -> Project:
    """Scopes follow the new name of a part."""
    return carried(project, ScopesCalled("parts", old, new))


class ScopesCalled(Carrying):
    """Something that scopes name is called otherwise."""

    def __init__(self, field: str, old: str, new: str) -> None:
        self.field, self.old, self.new = field, old, new

    def scope(self, scope: Scope) -> Scope:
        named: tuple[str, ...] | None = getattr(scope, self.field)
        if named is None or self.old not in named:
            return scope
        return replace(scope, **{self.field: tuple(self.new if name == self.old else name for name in named)})


class _MaterialCalled(ScopesCalled):
    """A material is called otherwise: in scopes, in painted sheets, in pictures laid in its UV space."""

    def __init__(self, old: str, new: str) -> None:
        super().__init__("materials", old, new)

    def place(self, place: Place) -> Place:
        return place.renamed(self.old, self.new)

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        return {self.sheet(text): painted for text, painted in sheets.items()}

    def sheet(self, text: str) -> str:
        material, _, tile = text.rpartition(":")
        return f"{self.new}:{tile}" if material == self.old else text


def _renamed_material(project: Project, called: _MaterialCalled) -> Project:
    sizes = {called.sheet(text): size for text, size in project.sheet_sizes.items()}
    pixels = tuple(sorted(called.sheet(text) for text in project.pixel_art))
    guides = {called.sheet(text): one for text, one in project.guides.items()}
    return carried(replace(project, sheet_sizes=sizes, pixel_art=pixels, guides=guides), called)
