"""Adjustments and echoes in one's hand: copied or dragged onto other layers, groups and materials, of any project."""

from __future__ import annotations

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands import AddLayer, Several
from lucky_fern.core.project.commands.base import free_name
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import convert
from lucky_fern.core.project.plain import Scope
from lucky_fern.words import tr

MIME = "application/x-lucky-fern-adjustments"


def held_of(layers: tuple[Layer, ...]) -> tuple[AddLayer, ...]:
    """Those among layers, in their order, as the edits that add them: without masks, for everywhere."""
    return tuple(
        AddLayer(one.name, one.content, one.channels, one.opacity, one.blend) for one in layers if one.content.links
    )


def packed(held: tuple[AddLayer, ...]) -> bytes:
    """Adjustments as JSON, to be handed to another window of the program."""
    return msgspec.json.encode(held)


def unpacked(data: bytes) -> tuple[AddLayer, ...]:
    """What :func:`packed` made.

    Raises
    ------
    CommandError
        If it is none of ours: of a newer version, or damaged. What the adjustments say is checked when they are put.
    """
    try:
        held: tuple[AddLayer, ...] = convert(msgspec.json.decode(data), tuple[AddLayer, ...])
    except msgspec.MsgspecError as error:
        raise CommandError(tr("what was copied cannot be read; copy the adjustments again")) from error
    return tuple(one for one in held if one.content.links)


def onto_layers(
    project: Project, held: tuple[AddLayer, ...], targets: tuple[Layer, ...], into: bool = True
) -> Several | None:
    """The edit that puts adjustments (from the bottom up) right above layers, or ``into`` groups, on top there."""
    edits = list[AddLayer]()
    for target in targets:
        inside = into and target.content.holds_layers
        for one in held if inside else reversed(held):
            edits.append(
                msgspec.structs.replace(
                    one, above=None if inside else target.id, into=target.id if inside else None, scope=Scope()
                )
            )
    return _several(project, edits)


def onto_surface(project: Project, held: tuple[AddLayer, ...], scope: Scope) -> Several | None:
    """The edit that puts adjustments on top of all, for a material, a part or everything."""
    return _several(project, [msgspec.structs.replace(one, above=None, into=None, scope=scope) for one in held])


def _several(project: Project, edits: list[AddLayer]) -> Several | None:
    """All of them as one step, each under a name that nobody has."""
    named = list[AddLayer]()
    for edit in edits:
        name = free_name(project, edit.name, (one.name for one in named))
        named.append(msgspec.structs.replace(edit, name=name))
    return Several(tuple(named), named=tr("Put adjustments")) if named else None
