"""Editing the stack as a tree: every function answers with new layers and leaves the old ones alone."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.document import Layer, Project, walk
from lucky_fern.words import tr

Layers = tuple[Layer, ...]


def with_children(group: Layer, layers: Layers) -> Layer:
    """A group with other layers in it."""
    return replace(group, content=group.content.holding(layers))


def changed(layers: Layers, layer_id: int, change: Callable[[Layer], Layers]) -> Layers:
    """The stack with one layer, wherever it is, replaced by what ``change`` answers.

    Raises
    ------
    CommandError
        If the layer is not there.
    """
    found = _changed(layers, layer_id, change)
    if found is None:
        raise CommandError(tr("layer {layer_id} is not in the stack any more", layer_id=layer_id))
    return found


def _changed(layers: Layers, layer_id: int, change: Callable[[Layer], Layers]) -> Layers | None:
    for at, layer in enumerate(layers):
        if layer.id == layer_id:
            return (*layers[:at], *change(layer), *layers[at + 1 :])
        if layer.children:
            inner = _changed(layer.children, layer_id, change)
            if inner is not None:
                return (*layers[:at], with_children(layer, inner), *layers[at + 1 :])
    return None


def home_of(project: Project, layer_id: int) -> tuple[int | None, int]:
    """The group that holds a layer (None: the stack itself) and its place there, from the bottom.

    Raises
    ------
    CommandError
        If the layer is not there.
    """
    for parent, layers in homes(project):
        for at, layer in enumerate(layers):
            if layer.id == layer_id:
                return parent, at
    raise CommandError(tr("layer {layer_id} is not in the stack any more", layer_id=layer_id))


def height_of(layer: Layer) -> int:
    """How many groups there are in a layer, one in the other."""
    return 1 + max(map(height_of, layer.children), default=0) if layer.content.holds_layers else 0


def homes(project: Project) -> Iterator[tuple[int | None, Layers]]:
    """The stack itself, then every group, with the layers they hold."""
    yield None, project.layers
    for layer in project.walk():
        if layer.content.holds_layers:
            yield layer.id, layer.children


def inserted(project: Project, new: Layers, parent: int | None, at: int) -> Layers:
    """The stack with layers put in at a place of the stack itself or of a group.

    Raises
    ------
    CommandError
        If there is no such group or place.
    """

    def put(into: Layers) -> Layers:
        if not 0 <= at <= len(into):
            raise CommandError(tr("there is no place {at} among {into} layers", at=at, into=len(into)))
        return (*into[:at], *new, *into[at:])

    if parent is None:
        return put(project.layers)

    def fill(layer: Layer) -> Layers:
        if not layer.content.holds_layers:
            raise CommandError(tr("'{name}' is not a group; layers go into groups only", name=layer.name))
        return (with_children(layer, put(layer.children)),)

    return changed(project.layers, parent, fill)


def removed(layers: Layers, layer_ids: frozenset[int]) -> Layers:
    """The stack without some layers and all they hold."""
    return tuple(
        with_children(layer, removed(layer.children, layer_ids)) if layer.children else layer
        for layer in layers
        if layer.id not in layer_ids
    )


def up_to(project: Project, layer_id: int) -> Project:
    """The project without all that lies above a layer; in a group that holds it, without what lies above it there.

    Raises
    ------
    CommandError
        If the layer is not there.
    """
    home_of(project, layer_id)

    def cut(layers: Layers) -> Layers:
        at = next(at for at, layer in enumerate(layers) if any(one.id == layer_id for one in walk((layer,))))
        last = layers[at]
        return (*layers[:at], last if last.id == layer_id else with_children(last, cut(last.children)))

    return replace(project, layers=cut(project.layers))


def below(project: Project, layer_id: int) -> Project:
    """The project with just what lies below a layer; in a group that holds it, too."""

    def cut(layers: Layers) -> Layers:
        at = next((at for at, layer in enumerate(layers) if any(one.id == layer_id for one in walk((layer,)))), None)
        if at is None:
            return layers
        last = layers[at]
        return layers[:at] if last.id == layer_id else (*layers[:at], with_children(last, cut(last.children)))

    return replace(project, layers=cut(project.layers))


def given_to(layers: Layers, maps: frozenset[str]) -> Layers:
    """A stretch of the stack without what gives nothing to some maps."""
    found: list[Layer] = []
    for layer in layers:
        if layer.content.holds_layers:
            inner = given_to(layer.children, maps) if layer.visible and layer.opacity > 0 else ()
            if inner:
                found.append(layer if inner == layer.children else with_children(layer, inner))
        elif maps & layer.active_channels().keys():
            found.append(layer)
    return tuple(found)


def with_effects_scaled(project: Project, by: float) -> Project:
    """The project with what adjustments do ``by`` times as many texels long."""

    def scaled(layer: Layer) -> Layer:
        if layer.children:
            return with_children(layer, tuple(map(scaled, layer.children)))
        content = layer.content.scaled(by)
        return layer if content is layer.content else replace(layer, content=content)

    return replace(project, layers=tuple(map(scaled, project.layers)))


def outermost(project: Project, layer_ids: tuple[int, ...]) -> Layers:
    """The chosen layers from the bottom up, without those that another chosen one holds.

    Raises
    ------
    CommandError
        If none is in the stack.
    """
    chosen: list[Layer] = []
    held: set[int] = set()
    for layer in project.walk():
        if layer.id in layer_ids and layer.id not in held:
            chosen.append(layer)
        if layer.id in layer_ids or layer.id in held:
            held.update(inner.id for inner in walk(layer.children))
    if not chosen:
        raise CommandError(tr("none of these layers is in the stack any more"))
    return tuple(chosen)


def renumbered(layer: Layer, first: int) -> tuple[Layer, int]:
    """A copy of a layer and all in it with ids from ``first`` on; the copy and the next free id."""
    copy, following = replace(layer, id=first), first + 1
    if not layer.children:
        return copy, following
    inner = []
    for child in layer.children:
        made, following = renumbered(child, following)
        inner.append(made)
    return with_children(copy, tuple(inner)), following
