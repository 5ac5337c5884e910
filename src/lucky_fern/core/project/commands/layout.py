"""Edits of the model that is painted on: its layout, its named selections, and the model itself."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import Brushwork, Decal, Layer, ModelSource, Project
from lucky_fern.core.project.layouts import LayoutEdit, RenameMaterial, RenamePart, title_of
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import Mask, MaskEntry, PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.project.tree import with_children


class LayOut(Command, frozen=True, tag="lay-out"):
    """Change the layout: what was asked for (of the packed ``faces``, None for all) and the digest of the result."""

    label: ClassVar[str] = "Change layout"
    edit: LayoutEdit
    layout: str
    faces: str | None = None

    def apply(self, project: Project) -> Project:
        if project.model is None:
            raise CommandError("there is no model whose layout could change")
        project = replace(project, model=replace(project.model, layout=self.layout))
        if isinstance(self.edit, RenameMaterial):
            return _renamed_material(project, self.edit.old, self.edit.new)
        if isinstance(self.edit, RenamePart):
            return with_scopes(project, _part_renamer(self.edit.old, self.edit.new))
        return project

    @property
    def title(self) -> str:
        return title_of(self.edit)


class SaveSelection(Command, frozen=True, tag="save-selection"):
    """Keep a set of faces under a name, in place of an older one of that name."""

    label: ClassVar[str] = "Save selection"
    name: str
    faces: str

    def apply(self, project: Project) -> Project:
        if not self.name.strip():
            raise CommandError("a selection needs a name")
        return replace(project, selections={**project.selections, self.name.strip(): self.faces})


class RenameSelection(Command, frozen=True, tag="rename-selection"):
    """Call a selection otherwise, in the scopes that use it too."""

    label: ClassVar[str] = "Rename selection"
    old: str
    new: str

    def apply(self, project: Project) -> Project:
        new = self.new.strip()
        if self.old not in project.selections:
            raise CommandError(f"there is no selection {self.old!r} any more")
        if not new or (new in project.selections and new != self.old):
            raise CommandError("that name is empty or taken; choose another")
        named = {new if name == self.old else name: faces for name, faces in project.selections.items()}

        def change(scope: Scope) -> Scope:
            if scope.selections is None or self.old not in scope.selections:
                return scope
            return replace(scope, selections=tuple(new if name == self.old else name for name in scope.selections))

        return with_scopes(replace(project, selections=named), change)


class RemoveSelection(Command, frozen=True, tag="remove-selection"):
    """Forget a selection; not while a scope or a mask uses it."""

    label: ClassVar[str] = "Remove selection"
    name: str

    def apply(self, project: Project) -> Project:
        users = selection_users(project, self.name)
        if users:
            raise CommandError(
                f"'{self.name}' says where {', '.join(users[:3])} shows; give that another scope first"
            )
        return replace(project, selections={n: f for n, f in project.selections.items() if n != self.name})


class ReplaceModel(Command, frozen=True, tag="replace-model"):
    """Put a newer version of the model in place of the old one; named selections are given as they are on it."""

    label: ClassVar[str] = "Replace model"
    model: ModelSource
    selections: dict[str, str] = {}

    def apply(self, project: Project) -> Project:
        return replace(project, model=self.model, selections={**project.selections, **self.selections})


def selection_users(project: Project, name: str) -> list[str]:
    """Names of the layers whose scope or mask a selection is part of."""

    def uses(scope: Scope) -> bool:
        return scope.selections is not None and name in scope.selections

    found = []
    for layer in project.walk():
        entries = project.masks[layer.mask].entries if layer.mask in project.masks else ()
        if uses(layer.scope) or any(isinstance(e.shape, ScopeShape) and uses(e.shape.scope) for e in entries):
            found.append(layer.name)
    return found


def with_scopes(project: Project, change: Callable[[Scope], Scope]) -> Project:
    """A project with every scope, of layers and in masks, changed."""

    def entry(one: MaskEntry) -> MaskEntry:
        if isinstance(one.shape, ScopeShape):
            return replace(one, shape=ScopeShape(change(one.shape.scope)))
        return one

    masks = {number: replace(mask, entries=tuple(map(entry, mask.entries))) for number, mask in project.masks.items()}
    return replace(project, layers=_each(project.layers, lambda layer: replace(layer, scope=change(layer.scope))),
                   masks=masks)  # fmt: skip


def _each(layers: tuple[Layer, ...], change: Callable[[Layer], Layer]) -> tuple[Layer, ...]:
    """Every layer of a stack changed, those in groups too."""
    return tuple(
        change(with_children(layer, _each(layer.children, change)) if layer.children else layer) for layer in layers
    )


def _part_renamer(old: str, new: str) -> Callable[[Scope], Scope]:
    def change(scope: Scope) -> Scope:
        if scope.parts is None or old not in scope.parts:
            return scope
        return replace(scope, parts=tuple(new if name == old else name for name in scope.parts))

    return change


def _renamed_material(project: Project, old: str, new: str) -> Project:
    """The new name wherever the old one stood: scopes, sheets' sizes, painted sheets, laid pictures."""

    def scope(one: Scope) -> Scope:
        if one.materials is None or old not in one.materials:
            return one
        return replace(one, materials=tuple(new if name == old else name for name in one.materials))

    def sheet(text: str) -> str:
        material, _, tile = text.rpartition(":")
        return f"{new}:{tile}" if material == old else text

    def place(one: object) -> object:
        return replace(one, material=new) if isinstance(one, Lay) and one.material == old else one

    def layer(one: Layer) -> Layer:
        if isinstance(one.content, Decal):
            return replace(one, content=replace(one.content, place=place(one.content.place)))
        if isinstance(one.content, Brushwork):
            sheets = {sheet(text): painted for text, painted in one.content.sheets.items()}
            return replace(one, content=replace(one.content, sheets=sheets))
        return one

    def entry(one: MaskEntry) -> MaskEntry:
        if isinstance(one.shape, PictureShape):
            return replace(one, shape=replace(one.shape, place=place(one.shape.place)))
        if isinstance(one.shape, PaintedShape):
            return replace(one, shape=PaintedShape({sheet(text): p for text, p in one.shape.sheets.items()}))
        return one

    masks: dict[int, Mask] = {
        number: replace(mask, entries=tuple(map(entry, mask.entries))) for number, mask in project.masks.items()
    }
    sizes = {sheet(text): size for text, size in project.sheet_sizes.items()}
    project = replace(project, layers=_each(project.layers, layer), masks=masks, sheet_sizes=sizes)
    return with_scopes(project, scope)
