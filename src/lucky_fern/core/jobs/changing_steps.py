"""Steps that change layers that are there: ``set``, ``remove``, ``order``."""

from __future__ import annotations

from typing import Any, TypeVar, cast

import msgspec
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.layer_steps import Moving
from lucky_fern.core.jobs.places import check_scope, convert, kept_picture, parse_place
from lucky_fern.core.project.commands import (
    LinkLayer,
    MoveLayers,
    RemoveLayers,
    RenameLayer,
    SetChannel,
    SetContent,
    SetGroup,
    SetLabel,
    SetLayer,
    SetMaskEntry,
    SetPlace,
    Several,
    Single,
)
from lucky_fern.core.project.document import Channel, Layer, Relief
from lucky_fern.core.project.exchanging import with_picture
from lucky_fern.core.project.kinds import Kind, altered
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.tree import home_of
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

_K = TypeVar("_K", bound=Kind)


class SetStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``set``: settings of a layer that is there; further keys are those of its kind, or of a rule in its mask."""

    do: str
    layer: str
    name: str | None = None
    text: str | None = None
    picture: str | None = None
    values: dict[str, str | float | None] | None = None
    channels: dict[str, str | float | Moving | None] | None = None
    visible: bool | None = None
    opacity: float | None = None
    blend: str | None = None
    place: dict[str, Any] | None = None
    scope: Scope | None = None
    same_as: str | None = None
    relief: bool | Relief | None = None


class RemoveStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``remove``: a layer, with all that a group holds, taken off the stack."""

    do: str
    layer: str


class OrderStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``order``: a layer put right above (or below) another, into the same group."""

    do: str
    layer: str
    above: str | None = None
    below: str | None = None


def the_layer(studio: Studio, name: str) -> Layer:
    """The one layer of a name.

    Raises
    ------
    CommandError
        If none or several have it; they are named.
    """
    every = list(studio.project.walk())
    found = [layer for layer in every if layer.name == name]
    if len(found) == 1:
        return found[0]
    if not found:
        names = ", ".join(repr(layer.name) for layer in every) or tr("none yet")
        raise CommandError(tr("there is no layer {name!r}; there are {names}", name=name, names=names))
    places = ", ".join(_whereabouts(studio, layer) for layer in found)
    raise CommandError(
        tr("{count} layers are called {name!r} ({places}); give each a name of its own",
           count=len(found), name=name, places=places)
    )  # fmt: skip


def _whereabouts(studio: Studio, layer: Layer) -> str:
    parent, at = home_of(studio.project, layer.id)
    if parent is None:
        return tr("number {at} from the bottom", at=at + 1)
    group = next(one for one in studio.project.walk() if one.id == parent)
    return tr("number {at} in {group!r}", at=at + 1, group=group.name)


def do_set(here: Here, step: SetStep, own: dict[str, Any]) -> str:
    studio, layer = here.studio, the_layer(here.studio, step.layer)
    edits: list[Single] = []
    if step.text is not None:
        edits.append(_text(studio, layer, step.text))
    if step.scope is not None:
        check_scope(studio, step.scope)
    if any(value is not None for value in (step.visible, step.opacity, step.blend, step.scope)):
        edits.append(SetLayer(layer.id, step.visible, step.opacity, step.blend, step.scope))
    place = None if step.place is None else parse_place(studio, step.place)
    shown = layer.content.placed
    if place is not None and shown is not None:
        name = shown[0] if step.picture is None else _kept(here, step.picture)
        place = place.square_pixels(studio.project.size_of, studio.project.picture_size(name))
    if step.picture is not None:
        edits += _picture(here, layer, step.picture)
    if own:
        edits.append(_settings(studio, layer, own, edits))
    if place is not None:
        edits.append(SetPlace(layer.id, place))
    if step.same_as is not None:
        edits.append(LinkLayer(layer.id, the_layer(studio, step.same_as).id if step.same_as else None))
    given: dict[str, Channel | None] = {}
    for name, value in {**(step.values or {}), **(step.channels or {})}.items():
        before = layer.channels.get(name, Channel())
        channel: Channel | None
        if isinstance(value, Moving):
            source = before.source if value.source is None else value.source
            channel = replace(before, source=source, shift=value.shift, scale=value.scale, strength=value.strength)
        elif value is None:  # what has more to it than its source is switched off, so that it comes back as it was
            more = before != Channel(before.source, on=before.on, picture=before.picture)
            channel = replace(before, on=False) if more else None
        else:
            channel = replace(before, source=value)
        given[name] = channel if value is None or channel is None else replace(channel, on=True)
        edits.append(SetChannel(layer.id, name, given[name]))
    if step.relief is not None:
        channel = given.get("height", layer.channels.get("height"))
        if channel is None:
            raise CommandError(tr("{name!r} gives nothing to height; it has no 'relief'", name=layer.name))
        relief = (channel.relief or Relief()) if step.relief is True else step.relief or None
        edits.append(SetChannel(layer.id, "height", replace(channel, relief=relief)))
    if step.name is not None:
        edits.append(RenameLayer(layer.id, step.name))
    if not edits:
        raise CommandError(tr("'set' needs something to set: text, picture, values, place, opacity …"))
    studio.execute(edits[0] if len(edits) == 1 else Several(tuple(edits), named=tr("Set {name}", name=layer.name)))
    return step.name or step.layer


def _text(studio: Studio, layer: Layer, text: str) -> SetLabel:
    placed = layer.content.placed
    kit = None if placed is None else studio.project.pictures.get(placed[0])
    if placed is None or kit is None or kit.text is None:
        raise CommandError(tr("{name!r} shows no label; it has no 'text'", name=layer.name))
    return SetLabel(placed[0], studio.prepare_label(replace(kit.text, text=text)))


def _kept(here: Here, name: str) -> str:
    """A picture of the kit: a name there, or a path."""
    known = name in here.studio.project.pictures or name in here.studio.project.sequences
    return name if known else kept_picture(here.studio, here.folder, name)


def _picture(here: Here, layer: Layer, name: str) -> list[Single]:
    """Another picture (a kit picture's name, or a path); pose and settings stay."""
    picture, project = _kept(here, name), here.studio.project
    if "picture" in layer.content.__struct_fields__:
        return [SetContent(layer.id, with_picture(project, layer.content, picture))]
    shown = {key: one for key, one in layer.channels.items() if one.picture is not None}
    if len(shown) != 1:
        raise CommandError(
            tr("{name!r} shows {count} pictures; 'set' changes that of a decal, an edging, or a wash of one",
               name=layer.name, count=len(shown) or tr("no"))
        )  # fmt: skip
    return [SetChannel(layer.id, key, replace(one, picture=picture)) for key, one in shown.items()]


def _settings(studio: Studio, layer: Layer, own: dict[str, Any], edits: list[Single]) -> Single:
    """Keys of the layer's kind, of an adjustment's effect, or of the one entry of its mask that has them."""
    content = layer.content
    for edit in [one for one in edits if one.new_content is not None]:
        content = edit.new_content or content
        edits.remove(edit)
    if content.holds_layers and set(own) <= {"isolated"}:
        return convert({"do": "set-group", "layer": layer.id, **own}, SetGroup)
    if content.has_settings and set(own) <= _keys(content):
        return SetContent(layer.id, _with_keys(content, own))
    mask = None if layer.mask is None else studio.project.masks[layer.mask]
    entries = [(at, entry) for at, entry in enumerate(mask.entries if mask is not None else ())
               if set(own) <= _keys(entry.shape)]  # fmt: skip
    if len(entries) != 1 or layer.mask is None:
        raise CommandError(
            tr("{name!r} has {found} with {keys} to set; its own keys are {has}", name=layer.name,
               found=tr("no rule") if not entries else tr("{count} rules", count=len(entries)), keys=", ".join(own),
               has=", ".join(sorted(_keys(content))) or tr("none"))
        )  # fmt: skip
    at, entry = entries[0]
    return SetMaskEntry(layer.mask, at, replace(entry, shape=_with_keys(entry.shape, own)))


_ELSEWHERE = {"picture", "place", "paths", "layers", "sheets", "scope"}  # they have words of their own


def _keys(value: Any) -> set[str]:
    """The keys of a kind, and of the kind that it holds."""
    found = {field.encode_name for field in msgspec.structs.fields(value)} - _ELSEWHERE
    return found | _keys(getattr(value, value.keys_of)) - {value.keys_of} if value.keys_of else found


def _with_keys(value: _K, changes: dict[str, Any]) -> _K:
    """A kind with some of its keys changed, checked as documents are."""
    inner = value.keys_of
    fields = {field.encode_name: field.name for field in msgspec.structs.fields(cast(Any, value))}
    deeper = {key: one for key, one in changes.items() if key not in fields}
    mine = {key: one for key, one in changes.items() if key in fields}
    if deeper:
        value = altered(value, **{inner: _with_keys(getattr(value, inner), deeper)})
    if not mine:
        return value
    kind: Any = type(value)
    config = kind.__struct_config__
    plain = {key: getattr(value, name) for key, name in fields.items()}
    made = convert({config.tag_field: config.tag, **plain, **mine}, kind)
    return altered(value, **{fields[key]: getattr(made, fields[key]) for key in mine})


def do_remove(here: Here, step: RemoveStep) -> str:
    here.studio.execute(RemoveLayers((the_layer(here.studio, step.layer).id,)))
    return step.layer


def do_order(here: Here, step: OrderStep) -> str:
    studio, layer = here.studio, the_layer(here.studio, step.layer)
    if (step.above is None) == (step.below is None):
        raise CommandError(tr("'order' needs one of 'above' and 'below', the name of another layer"))
    other = the_layer(studio, step.above or step.below or "")
    if other.id == layer.id:
        raise CommandError(tr("a layer cannot lie above or below itself"))
    parent, at = home_of(studio.project, other.id)
    mine = home_of(studio.project, layer.id)
    if mine[0] == parent and mine[1] < at:
        at -= 1  # places are counted without the layer that moves
    studio.execute(MoveLayers((layer.id,), at + (step.above is not None), parent))
    return step.layer
