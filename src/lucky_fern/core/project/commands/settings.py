"""Edits of layers: how they show, what they give to which map, what they are."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, ClassVar, Self

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands.base import Command, layer_of, with_layer
from lucky_fern.core.project.commands.checks import (
    check_blend,
    check_channel,
)
from lucky_fern.core.project.document import Channel, Layer, Project
from lucky_fern.core.project.kinds import Content, Place, altered
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.project.plain import Scope
from lucky_fern.words import tr


class SetLayer(Command, frozen=True, tag="set-layer"):
    """Change how a whole layer shows; what is left out stays as it is."""

    label: ClassVar[str] = tr("Change layer")
    layer: int
    visible: bool | None = None
    opacity: float | None = None
    blend: str | None = None
    scope: Scope | None = None

    def apply(self, project: Project) -> Project:
        changes: dict[str, Any] = {}
        if self.visible is not None:
            changes["visible"] = self.visible
        if self.opacity is not None:
            check_share("opacity", self.opacity)
            changes["opacity"] = self.opacity
        if self.blend is not None:
            check_blend(self.blend)
            changes["blend"] = self.blend
        if self.scope is not None:
            changes["scope"] = self.scope
        return with_layer(project, self.layer, **changes)

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.layer == self.layer and self.opacity is not None and earlier.opacity is not None

    @property
    def title(self) -> str:
        if self.visible is not None:
            return tr("Show layer") if self.visible else tr("Hide layer")
        if self.opacity is not None:
            return tr("Layer opacity")
        return tr("Blend mode") if self.blend is not None else tr("Layer scope")


class SetChannel(Command, frozen=True, tag="set-channel"):
    """Say what a layer gives to one map; ``channel`` None takes the map off the layer."""

    label: ClassVar[str] = tr("Change map")
    layer: int
    map: str
    channel: Channel | None

    def apply(self, project: Project) -> Project:
        layer = layer_of(project, self.layer)
        channels = dict(layer.channels)
        if self.channel is None:
            channels.pop(self.map, None)
        else:
            check_channel(project, layer.content, self.map, self.channel)
            channels[self.map] = self.channel
        return with_layer(project, self.layer, channels=channels)

    def goes_on_with(self, earlier: Self) -> bool:
        if (earlier.layer, earlier.map) != (self.layer, self.map):
            return False
        return self.channel is not None and earlier.channel is not None and self.channel.on == earlier.channel.on

    @property
    def title(self) -> str:
        return f"Change {MAPS[self.map].title.lower()}" if self.map in MAPS else self.label


class SetPlace(Command, frozen=True, tag="set-place"):
    """Move, turn or scale a decal, or change how it is placed."""

    label: ClassVar[str] = tr("Place decal")
    layer: int
    place: Place

    def apply(self, project: Project) -> Project:
        content = layer_of(project, self.layer).content
        if content.placed is None:
            raise CommandError(tr("only a decal can be placed"))
        self.place.check()
        return with_layer(project, self.layer, content=content.put_at(self.place))

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.layer == self.layer


def linked(project: Project, layer: Layer) -> list[Layer]:
    """The other layers that are set as one is."""
    if layer.link is None:
        return []
    return [one for one in project.walk() if one.link == layer.link and one.id != layer.id
            and type(one.content) is type(layer.content)]  # fmt: skip


class SetContent(Command, frozen=True, tag="set-content"):
    """Change a layer's own settings (repeat, sampling, picture, effect); its kind stays."""

    label: ClassVar[str] = tr("Change settings")
    layer: int
    content: Content

    def apply(self, project: Project) -> Project:
        layer = layer_of(project, self.layer)
        if type(layer.content) is not type(self.content):
            raise CommandError(tr("'{name}' cannot become another kind of layer", name=layer.name))
        if not self.content.has_settings:
            raise CommandError(tr("what a group holds and what is painted have commands of their own"))
        self.content.check(project)
        for map_name, channel in layer.channels.items():
            self.content.check_source(map_name, channel.source, channel.picture)
        project = with_layer(project, self.layer, content=self.content)
        for other in linked(project, layer):
            for map_name, channel in other.channels.items():
                self.content.check_source(map_name, channel.source, channel.picture)
            project = with_layer(project, other.id, content=self.content)
        return project

    @property
    def new_content(self) -> Content:
        return self.content

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.layer == self.layer


class LinkLayer(Command, frozen=True, tag="link-layer"):
    """Have a layer be set as another of its kind is, from now on; with ``to`` None, by itself again."""

    label: ClassVar[str] = tr("Same as")
    layer: int
    to: int | None = None

    def apply(self, project: Project) -> Project:
        layer = layer_of(project, self.layer)
        if self.to is None:
            return with_layer(project, layer.id, link=None)
        other = layer_of(project, self.to)
        if other.id == layer.id:
            return project
        if type(other.content) is not type(layer.content) or not layer.content.links:
            raise CommandError(
                tr("'{name}' cannot be set as '{other}' is: only adjustments and echoes can, as others of their kind",
                   name=layer.name, other=other.name)
            )  # fmt: skip
        for map_name, channel in layer.channels.items():
            other.content.check_source(map_name, channel.source, channel.picture)
        link = other.id if other.link is None else other.link
        return with_layer(with_layer(project, other.id, link=link), layer.id, content=other.content, link=link)


class SetGroup(Command, frozen=True, tag="set-group"):
    """Whether a group is put together by itself, and whether the board shows what is in it."""

    label: ClassVar[str] = tr("Change group")
    layer: int
    isolated: bool | None = None
    folded: bool | None = None

    def apply(self, project: Project) -> Project:
        content = layer_of(project, self.layer).content
        if not content.holds_layers:
            raise CommandError(tr("only a group can be isolated or folded"))
        asked = {"isolated": self.isolated, "folded": self.folded}
        changed = altered(content, **{name: value for name, value in asked.items() if value is not None})
        return with_layer(project, self.layer, content=changed)


class KeepMeasured(Command, frozen=True, tag="keep-measured"):
    """Keep what the survey measured (by its digest) in the project; None has it measured anew elsewhere."""

    label: ClassVar[str] = tr("Keep what is measured")
    digest: str | None

    def brings(self) -> Iterable[str]:
        return () if self.digest is None else (self.digest,)

    def apply(self, project: Project) -> Project:
        return replace(project, measured=self.digest)
