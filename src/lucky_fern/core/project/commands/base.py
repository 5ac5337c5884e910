"""What every edit is: plain data that makes a new project from an old one."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, ClassVar, Literal, Self, TypeVar

import msgspec
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import Content
from lucky_fern.core.project.tree import changed
from lucky_fern.words import tr

_V = TypeVar("_V")


class Command(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="do"):
    """Base of all commands."""

    label: ClassVar[str] = "Edit"
    paints: ClassVar[bool] = False  # it is part of a stroke
    adds: ClassVar[Literal["", "layer", "layers"]] = ""  # whoever does it goes on with what it adds: the last, or all

    def apply(self, project: Project) -> Project:
        """The project after this edit.

        Raises
        ------
        CommandError
            If it makes no sense for this project; nothing has changed then.
        """
        raise NotImplementedError

    def brings(self) -> Iterable[str]:
        """Digests of the contents that it needs to be there; "" stands for none."""
        return ()

    @property
    def parts(self) -> tuple[Command, ...]:
        """The edits that it is done by."""
        return (self,)

    @property
    def new_content(self) -> Content | None:
        """What its layer is to be from now on, of those that say it whole."""
        return None

    def merges_with(self, earlier: Command) -> bool:
        """Whether this edit goes on with the earlier one (the same slider, still being dragged)."""
        return type(earlier) is type(self) and self.goes_on_with(earlier)

    def goes_on_with(self, earlier: Self) -> bool:
        """The same, asked of an earlier one of the same kind."""
        return False

    @property
    def title(self) -> str:
        """What the history calls this edit."""
        return self.label


def with_layer(project: Project, layer_id: int, **changes: Any) -> Project:
    """A project with some fields of one layer changed."""
    return replace(project, layers=changed(project.layers, layer_id, lambda layer: (replace(layer, **changes),)))


def kept_by_name(known: dict[str, _V], name: str, value: _V | None, unnamed: str, gone: str) -> dict[str, _V]:
    """What is kept under names, with a value in place of an older one of that name; None forgets it.

    Raises
    ------
    CommandError
        ``unnamed`` where the name is empty, ``gone`` where there is nothing to be forgotten.
    """
    name = name.strip()
    if not name:
        raise CommandError(unnamed)
    if value is None and name not in known:
        raise CommandError(gone)
    kept = {other: one for other, one in known.items() if other != name}
    return kept if value is None else {**kept, name: value}


def layer_of(project: Project, layer_id: int) -> Layer:
    """A layer by its id.

    Raises
    ------
    CommandError
        If it is not in the stack.
    """
    try:
        return project.layer(layer_id)
    except KeyError:
        raise CommandError(tr("layer {layer_id} is not in the stack any more", layer_id=layer_id)) from None


def free_name(project: Project, name: str, also: Iterable[str] = ()) -> str:
    """``Logo`` → ``Logo 2`` → ``Logo 3``, whichever is free; the name itself if nobody has it.

    ``also``: names that are taken besides.
    """
    taken = {layer.name for layer in project.walk()} | set(also)
    if name not in taken:
        return name
    stem, _, last = name.rpartition(" ")
    base = stem if stem and last.isdigit() else name
    number = 2
    while f"{base} {number}" in taken:
        number += 1
    return f"{base} {number}"
