"""Edits of the stack: layers come, go, change places and gather in groups."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from typing import ClassVar, Literal

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.limits import DEEPEST_GROUPS
from lucky_fern.core.project.commands.base import Command, free_name, layer_of, with_layer
from lucky_fern.core.project.commands.checks import check_blend, check_channel
from lucky_fern.core.project.document import Channel, Group, Layer, Project
from lucky_fern.core.project.kinds import Content
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.references import paint_digests
from lucky_fern.core.project.tree import (
    changed,
    height_of,
    home_of,
    inserted,
    outermost,
    removed,
    renumbered,
    with_children,
)
from lucky_fern.words import tr


class AddLayer(Command, frozen=True, tag="add-layer"):
    """Put a new layer above ``above`` (a layer's id), else on top of the group ``into``, else on top of all."""

    label: ClassVar[str] = tr("Add layer")
    adds: ClassVar[Literal["", "layer", "layers"]] = "layer"
    name: str
    content: Content
    channels: dict[str, Channel]
    opacity: float = 1.0
    blend: str = "normal"
    scope: Scope = Scope()
    above: int | None = None
    into: int | None = None
    mask: int | None = None

    def brings(self) -> Iterable[str]:
        return paint_digests(self.content.refers().paint)

    def apply(self, project: Project) -> Project:
        self.content.check(project)
        for map_name, channel in self.channels.items():
            check_channel(project, self.content, map_name, channel)
        check_share("opacity", self.opacity)
        check_blend(self.blend)
        if self.mask is not None and self.mask not in project.masks:
            raise CommandError(tr("there is no mask {mask}", mask=self.mask))
        layer = Layer(
            id=project.next_id,
            name=self.name,
            content=self.content,
            channels=self.channels,
            opacity=self.opacity,
            blend=self.blend,  # type: ignore[arg-type]  # checked above
            scope=self.scope,
            mask=self.mask,
        )
        if self.above is not None:
            parent, at = home_of(project, self.above)
            at += 1
        elif self.into is not None:
            parent, at = self.into, len(layer_of(project, self.into).children)
        else:
            parent, at = None, len(project.layers)
        return shallow(replace(project, layers=inserted(project, (layer,), parent, at), next_id=project.next_id + 1))

    @property
    def title(self) -> str:
        return f"Add {self.name}"


class RemoveLayers(Command, frozen=True, tag="remove-layers"):
    """Take layers, and all that groups among them hold, off the stack."""

    label: ClassVar[str] = tr("Delete layers")
    layers: tuple[int, ...]

    def apply(self, project: Project) -> Project:
        chosen = outermost(project, self.layers)
        layers = removed(project.layers, frozenset(layer.id for layer in chosen))
        return without_unused_masks(replace(project, layers=layers))


def _beside(copy: Layer, own: Layer) -> tuple[Layer, ...]:
    return own, copy


class DuplicateLayers(Command, frozen=True, tag="duplicate-layers"):
    """Copy layers, each above itself. Copies share the masks of what they were copied from."""

    label: ClassVar[str] = tr("Duplicate layers")
    adds: ClassVar[Literal["", "layer", "layers"]] = "layers"
    layers: tuple[int, ...]

    def apply(self, project: Project) -> Project:
        for layer in outermost(project, self.layers):
            copy, following = renumbered(layer, project.next_id)
            copy = replace(copy, name=free_name(project, layer.name))
            layers = changed(project.layers, layer.id, partial(_beside, copy))
            project = replace(project, layers=layers, next_id=following)
        return project


class MoveLayers(Command, frozen=True, tag="move-layers"):
    """Put layers into a group (or the stack itself), at a place counted from its bottom as it is without them."""

    label: ClassVar[str] = tr("Move layers")
    layers: tuple[int, ...]
    to: int
    into: int | None = None

    def apply(self, project: Project) -> Project:
        moving = outermost(project, self.layers)
        rest = replace(project, layers=removed(project.layers, frozenset(layer.id for layer in moving)))
        if self.into is not None and all(layer.id != self.into for layer in rest.walk()):
            raise CommandError(tr("a group cannot go into itself"))
        return shallow(replace(project, layers=inserted(rest, moving, self.into, self.to)))


class GroupLayers(Command, frozen=True, tag="group-layers"):
    """Gather layers in a new group where the topmost of them is."""

    label: ClassVar[str] = tr("Group layers")
    adds: ClassVar[Literal["", "layer", "layers"]] = "layer"
    layers: tuple[int, ...]
    name: str = "Group"

    def apply(self, project: Project) -> Project:
        chosen = outermost(project, self.layers)
        group = Layer(project.next_id, free_name(project, self.name), Group(chosen))
        top = chosen[-1].id
        project = replace(project, layers=changed(project.layers, top, lambda layer: (group,)))
        others = frozenset(layer.id for layer in chosen[:-1])
        layers = _without_outside(project.layers, others, group.id)
        return shallow(replace(project, layers=layers, next_id=project.next_id + 1))


class Ungroup(Command, frozen=True, tag="ungroup"):
    """Let a group's layers stand where the group was; what the group itself did is lost."""

    label: ClassVar[str] = "Ungroup"
    layer: int

    def apply(self, project: Project) -> Project:
        if not layer_of(project, self.layer).content.holds_layers:
            raise CommandError(tr("only a group can be dissolved"))
        layers = changed(project.layers, self.layer, lambda group: group.children)
        return without_unused_masks(replace(project, layers=layers))


class RenameLayer(Command, frozen=True, tag="rename-layer"):
    label: ClassVar[str] = tr("Rename layer")
    layer: int
    name: str

    def apply(self, project: Project) -> Project:
        if not self.name.strip():
            raise CommandError(tr("a layer needs a name"))
        return with_layer(project, self.layer, name=self.name.strip())


def shallow(project: Project) -> Project:
    """A project as it is; refused if its groups are nested too deeply (CommandError)."""
    if max(map(height_of, project.layers), default=0) > DEEPEST_GROUPS:
        raise CommandError(
            tr("groups are nested {DEEPEST_GROUPS} deep at most; put it beside them", DEEPEST_GROUPS=DEEPEST_GROUPS)
        )
    return project


def without_unused_masks(project: Project) -> Project:
    """Masks that no layer uses any more go."""
    used = {layer.mask for layer in project.walk()}
    if used >= set(project.masks):
        return project
    return replace(project, masks={number: mask for number, mask in project.masks.items() if number in used})


def _without_outside(layers: tuple[Layer, ...], gone: frozenset[int], group: int) -> tuple[Layer, ...]:
    """Remove layers everywhere but inside the new group that holds them now."""
    kept = []
    for layer in layers:
        if layer.id == group:
            kept.append(layer)
        elif layer.id not in gone:
            if layer.children:
                inner = _without_outside(layer.children, gone, group)
                layer = with_children(layer, inner)
            kept.append(layer)
    return tuple(kept)
