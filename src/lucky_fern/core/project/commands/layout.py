"""Edits of the model that is painted on: its layout, its named selections, and the model itself."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import ModelSource, Project
from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.references import carried, layer_refers
from lucky_fern.core.project.renaming import ScopesCalled
from lucky_fern.words import tr


class LayOut(Command, frozen=True, tag="lay-out"):
    """Change the layout: what was asked for (of the packed ``faces``, None for all) and the digest of the result."""

    label: ClassVar[str] = tr("Change layout")
    edit: LayoutEdit
    layout: str
    faces: str | None = None

    def brings(self) -> Iterable[str]:
        return [self.layout]

    def apply(self, project: Project) -> Project:
        if project.model is None:
            raise CommandError(tr("there is no model whose layout could change"))
        made: Project = self.edit.followed(replace(project, model=replace(project.model, layout=self.layout)))
        return made

    @property
    def title(self) -> str:
        return self.edit.title


class SaveSelection(Command, frozen=True, tag="save-selection"):
    """Keep a set of faces under a name, in place of an older one of that name."""

    label: ClassVar[str] = tr("Save selection")
    name: str
    faces: str

    def apply(self, project: Project) -> Project:
        if not self.name.strip():
            raise CommandError(tr("a selection needs a name"))
        return replace(project, selections={**project.selections, self.name.strip(): self.faces})


class RenameSelection(Command, frozen=True, tag="rename-selection"):
    """Call a selection otherwise, in the scopes that use it too."""

    label: ClassVar[str] = tr("Rename selection")
    old: str
    new: str

    def apply(self, project: Project) -> Project:
        new = self.new.strip()
        if self.old not in project.selections:
            raise CommandError(tr("there is no selection {old!r} any more", old=self.old))
        if not new or (new in project.selections and new != self.old):
            raise CommandError(tr("that name is empty or taken; choose another"))
        named = {new if name == self.old else name: faces for name, faces in project.selections.items()}

        return carried(replace(project, selections=named), ScopesCalled("selections", self.old, new))


class RemoveSelection(Command, frozen=True, tag="remove-selection"):
    """Forget a selection; not while a scope or a mask uses it."""

    label: ClassVar[str] = tr("Remove selection")
    name: str

    def apply(self, project: Project) -> Project:
        users = selection_users(project, self.name)
        if users:
            raise CommandError(
                tr(
                    "'{name}' says where {users} shows; give that another scope first",
                    name=self.name,
                    users=", ".join(users[:3]),
                )
            )
        return replace(project, selections={n: f for n, f in project.selections.items() if n != self.name})


class ReplaceModel(Command, frozen=True, tag="replace-model"):
    """Put a newer version of the model in place of the old one; named selections are given as they are on it."""

    label: ClassVar[str] = tr("Replace model")
    model: ModelSource
    selections: dict[str, str] = {}

    def brings(self) -> Iterable[str]:
        digests = self.model.arrays, self.model.layout
        return [*self.model.files.values(), *(one for one in digests if one is not None)]

    def apply(self, project: Project) -> Project:
        return replace(project, model=self.model, selections={**project.selections, **self.selections})


def selection_users(project: Project, name: str) -> list[str]:
    """Names of the layers whose scope or mask a selection is part of."""
    return [layer.name for layer in project.walk() if name in layer_refers(project, layer).selections]
