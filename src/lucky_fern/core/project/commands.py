"""Every edit a person would name, as plain data that makes a new project from an old one.

The window, the job runner and undo all go through these. A command never changes the project it is
given; it answers with the next one or raises :class:`~lucky_fern.core.errors.CommandError`.
"""

from __future__ import annotations

import math
from typing import Any, ClassVar

import msgspec
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.project.document import (
    BLEND_MODES,
    Channel,
    Decal,
    KitPicture,
    Lay,
    Layer,
    Place,
    Project,
    Scope,
    Throw,
    Wash,
)
from lucky_fern.core.sheets.sheet import LARGEST, SMALLEST


class Command(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="do"):
    """Base of all commands."""

    label: ClassVar[str] = "Edit"

    def apply(self, project: Project) -> Project:
        """The project after this edit.

        Raises
        ------
        CommandError
            If it makes no sense for this project; nothing has changed then.
        """
        raise NotImplementedError

    def merges_with(self, earlier: Command) -> bool:
        """Whether this edit goes on with the earlier one (the same slider, still being dragged)."""
        return False


class AddPicture(Command, frozen=True, tag="add-picture"):
    """Put a picture into the project's kit."""

    label: ClassVar[str] = "Add picture"
    id: str
    picture: KitPicture

    def apply(self, project: Project) -> Project:
        return replace(project, pictures={**project.pictures, self.id: self.picture})


class AddLayer(Command, frozen=True, tag="add-layer"):
    """Put a new layer on the stack, above ``above`` (a layer's id) or on top."""

    label: ClassVar[str] = "Add layer"
    name: str
    content: Wash | Decal
    channels: dict[str, Channel]
    opacity: float = 1.0
    blend: str = "normal"
    scope: Scope = Scope()
    above: int | None = None

    def apply(self, project: Project) -> Project:
        check_content(project, self.content)
        for map_name, channel in self.channels.items():
            check_channel(project, self.content, map_name, channel)
        check_opacity(self.opacity)
        check_blend(self.blend)
        layer = Layer(
            id=project.next_id,
            name=self.name,
            content=self.content,
            channels=self.channels,
            opacity=self.opacity,
            blend=self.blend,  # type: ignore[arg-type]  # checked above
            scope=self.scope,
        )
        at = len(project.layers) if self.above is None else _index(project, self.above) + 1
        layers = (*project.layers[:at], layer, *project.layers[at:])
        return replace(project, layers=layers, next_id=project.next_id + 1)


class RemoveLayer(Command, frozen=True, tag="remove-layer"):
    label: ClassVar[str] = "Delete layer"
    layer: int

    def apply(self, project: Project) -> Project:
        at = _index(project, self.layer)
        return replace(project, layers=project.layers[:at] + project.layers[at + 1 :])


class DuplicateLayer(Command, frozen=True, tag="duplicate-layer"):
    label: ClassVar[str] = "Duplicate layer"
    layer: int

    def apply(self, project: Project) -> Project:
        at = _index(project, self.layer)
        original = project.layers[at]
        copy = replace(original, id=project.next_id, name=_copy_name(project, original.name))
        layers = (*project.layers[: at + 1], copy, *project.layers[at + 1 :])
        return replace(project, layers=layers, next_id=project.next_id + 1)


class MoveLayer(Command, frozen=True, tag="move-layer"):
    """Put a layer at a place in the stack, counted from the bottom as the stack is without it."""

    label: ClassVar[str] = "Reorder layers"
    layer: int
    to: int

    def apply(self, project: Project) -> Project:
        at = _index(project, self.layer)
        rest = list(project.layers[:at] + project.layers[at + 1 :])
        if not 0 <= self.to <= len(rest):
            raise CommandError(f"there is no place {self.to} in a stack of {len(project.layers)} layers")
        rest.insert(self.to, project.layers[at])
        return replace(project, layers=tuple(rest))


class RenameLayer(Command, frozen=True, tag="rename-layer"):
    label: ClassVar[str] = "Rename layer"
    layer: int
    name: str

    def apply(self, project: Project) -> Project:
        if not self.name.strip():
            raise CommandError("a layer needs a name")
        return _with_layer(project, self.layer, name=self.name.strip())


class SetLayer(Command, frozen=True, tag="set-layer"):
    """Change how a whole layer shows; what is left out stays as it is."""

    label: ClassVar[str] = "Change layer"
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
            check_opacity(self.opacity)
            changes["opacity"] = self.opacity
        if self.blend is not None:
            check_blend(self.blend)
            changes["blend"] = self.blend
        if self.scope is not None:
            changes["scope"] = self.scope
        return _with_layer(project, self.layer, **changes)

    def merges_with(self, earlier: Command) -> bool:
        return (
            isinstance(earlier, SetLayer)
            and earlier.layer == self.layer
            and self.opacity is not None
            and earlier.opacity is not None
        )


class SetChannel(Command, frozen=True, tag="set-channel"):
    """Say what a layer gives to one map; ``channel`` None takes the map off the layer."""

    label: ClassVar[str] = "Change map"
    layer: int
    map: str
    channel: Channel | None

    def apply(self, project: Project) -> Project:
        layer = project.layers[_index(project, self.layer)]
        channels = dict(layer.channels)
        if self.channel is None:
            channels.pop(self.map, None)
        else:
            check_channel(project, layer.content, self.map, self.channel)
            channels[self.map] = self.channel
        return _with_layer(project, self.layer, channels=channels)

    def merges_with(self, earlier: Command) -> bool:
        if not isinstance(earlier, SetChannel) or (earlier.layer, earlier.map) != (self.layer, self.map):
            return False
        return self.channel is not None and earlier.channel is not None and self.channel.on == earlier.channel.on


class SetPlace(Command, frozen=True, tag="set-place"):
    """Move, turn or scale a decal, or change how it is placed."""

    label: ClassVar[str] = "Place decal"
    layer: int
    place: Place

    def apply(self, project: Project) -> Project:
        content = project.layers[_index(project, self.layer)].content
        if not isinstance(content, Decal):
            raise CommandError("only a decal can be placed")
        check_place(self.place)
        return _with_layer(project, self.layer, content=replace(content, place=self.place))

    def merges_with(self, earlier: Command) -> bool:
        return isinstance(earlier, SetPlace) and earlier.layer == self.layer


class SetContent(Command, frozen=True, tag="set-content"):
    """Change a layer's own settings (repeat, offset, sampling, picture); its kind stays."""

    label: ClassVar[str] = "Change settings"
    layer: int
    content: Wash | Decal

    def apply(self, project: Project) -> Project:
        layer = project.layers[_index(project, self.layer)]
        if type(layer.content) is not type(self.content):
            raise CommandError(f"'{layer.name}' cannot become another kind of layer")
        check_content(project, self.content)
        return _with_layer(project, self.layer, content=self.content)

    def merges_with(self, earlier: Command) -> bool:
        return isinstance(earlier, SetContent) and earlier.layer == self.layer


class SetSheetSize(Command, frozen=True, tag="set-sheet-size"):
    """Change the edge length of one sheet (``MATERIAL:TILE``) or, with ``sheet`` None, of all."""

    label: ClassVar[str] = "Sheet size"
    size: int
    sheet: str | None = None

    def apply(self, project: Project) -> Project:
        if not SMALLEST <= self.size <= LARGEST:
            raise CommandError(f"a sheet is {SMALLEST} to {LARGEST} texels wide, not {self.size}")
        if self.sheet is None:
            return replace(project, sheet_size=self.size, sheet_sizes={})
        return replace(project, sheet_sizes={**project.sheet_sizes, self.sheet: self.size})


AnyCommand = (
    AddPicture | AddLayer | RemoveLayer | DuplicateLayer | MoveLayer | RenameLayer | SetLayer
    | SetChannel | SetPlace | SetContent | SetSheetSize
)  # fmt: skip


def to_plain(command: Command) -> dict[str, Any]:
    """A command as JSON-ready data."""
    plain: dict[str, Any] = msgspec.to_builtins(command)
    return plain


def from_plain(data: object) -> Command:
    """A command from the data that :func:`to_plain` gave.

    Raises
    ------
    CommandError
        If the data is not a command.
    """
    try:
        command: Command = msgspec.convert(data, AnyCommand)
    except msgspec.ValidationError as error:
        raise CommandError(f"not a command: {error}") from error
    return command


def check_opacity(opacity: float) -> None:
    if not 0.0 <= opacity <= 1.0:
        raise CommandError(f"opacity runs from 0 to 1, not {opacity:g}")


def check_blend(blend: str) -> None:
    if blend not in BLEND_MODES:
        raise CommandError(f"there is no blend mode {blend!r}; there are {', '.join(BLEND_MODES)}")


def check_channel(project: Project, content: Wash | Decal, map_name: str, channel: Channel) -> None:
    """Refuse a channel whose map, value or picture cannot be."""
    if map_name not in MAPS:
        raise CommandError(f"there is no map called {map_name!r}; the maps are {', '.join(MAPS)}")
    check_opacity(channel.opacity)
    if channel.source == "picture":
        if isinstance(content, Wash) and channel.picture is None:
            raise CommandError(f"the wash takes {map_name} from a picture but names none")
        if channel.picture is not None and channel.picture not in project.pictures:
            raise CommandError(f"picture {channel.picture!r} is not in the kit; add it first")
        return
    try:
        parse_value(map_name, channel.source)
    except ValueError as error:
        raise CommandError(str(error)) from error


def check_content(project: Project, content: Wash | Decal) -> None:
    if isinstance(content, Decal):
        if content.picture not in project.pictures:
            raise CommandError(f"picture {content.picture!r} is not in the kit; add it first")
        check_place(content.place)
    elif 0 in content.repeat or not all(map(math.isfinite, (*content.repeat, *content.offset, content.rotate))):
        raise CommandError("repeat takes two numbers other than 0")


def check_place(place: Place) -> None:
    """Refuse poses that have no size, no direction, or numbers that are none."""
    numbers: list[float] = [place.width, place.rotate]
    if isinstance(place, Throw):
        numbers += [*place.point, *place.normal, *place.up, place.depth, place.angle_limit]
        if math.hypot(*place.normal) == 0:
            raise CommandError("normal must point somewhere; [0, 0, 0] does not")
        if math.hypot(*place.up) == 0:
            raise CommandError("up must point somewhere; [0, 0, 0] does not")
        if place.depth <= 0:
            raise CommandError(f"depth must be above 0, not {place.depth:g}")
        if not 0 < place.angle_limit <= 180:
            raise CommandError(f"angle_limit runs from 0 to 180 degrees, not {place.angle_limit:g}")
        if place.stand_off is not None and not place.stand_off > 0:
            raise CommandError("stand_off must be above 0")
    elif isinstance(place, Lay):
        numbers += [*place.centre]
    if not all(map(math.isfinite, numbers)):
        raise CommandError("every number of a place must be finite")
    if place.width <= 0 or (place.height is not None and place.height <= 0):
        raise CommandError("width and height must be above 0")


def _index(project: Project, layer_id: int) -> int:
    try:
        return project.index_of(layer_id)
    except KeyError:
        raise CommandError(f"layer {layer_id} is not in the stack any more") from None


def _with_layer(project: Project, layer_id: int, **changes: Any) -> Project:
    at = _index(project, layer_id)
    layers = list(project.layers)
    layers[at] = replace(layers[at], **changes)
    return replace(project, layers=tuple(layers))


def _copy_name(project: Project, name: str) -> str:
    """``Logo`` → ``Logo 2`` → ``Logo 3``, whichever is free."""
    stem, _, last = name.rpartition(" ")
    base = stem if stem and last.isdigit() else name
    taken = {layer.name for layer in project.layers}
    number = 2
    while f"{base} {number}" in taken:
        number += 1
    return f"{base} {number}"
