"""What the steps of a job file share: their common keys, keys of a kind, and the layer they add."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.places import check_scope, convert
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel
from lucky_fern.core.project.kinds import Content, Table
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

_S = TypeVar("_S", bound=msgspec.Struct)
Later = Callable[[], dict[Path, bytes]]  # writes nothing itself: the job does when all of it is known to be right


@dataclass(frozen=True)
class Here:
    """Where a step is done: a studio, the job's folder, the group it stands in; what is written once all is known to
    be right; where the job's model lies.
    """

    studio: Studio
    folder: Path
    into: int | None = None
    later: list[Later] = field(default_factory=list)
    source: Path = Path()


@dataclass(frozen=True)
class Verb:
    """What a step of a name does, and whether it may stand in a group."""

    run: Callable[[Here, dict[str, Any]], str]
    in_groups: bool = True


def closed(kind: type[_S], do: Callable[[Here, _S], str], in_groups: bool = True) -> Verb:
    """A verb all of whose keys are those of a struct."""

    def run(here: Here, step: dict[str, Any]) -> str:
        return do(here, convert(step, kind))

    return Verb(run, in_groups)


def open_ended(kind: type[_S], do: Callable[[Here, _S, dict[str, Any]], str], in_groups: bool = True) -> Verb:
    """A verb with keys of a struct, and others that it makes something of itself."""

    def run(here: Here, step: dict[str, Any]) -> str:
        return do(here, *parted(step, kind))

    return Verb(run, in_groups)


class Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    do: str
    name: str | None = None


class Made(Step, frozen=True):
    """A step that makes a layer."""

    blend: str = "normal"
    opacity: float = 1.0
    scope: Scope = Scope()


def add_layer(here: Here, step: Made, name: str, content: Content, channels: dict[str, Channel]) -> str:
    """Put a layer on top, in the group that the step stands in; its name."""
    name = step.name or name
    check_scope(here.studio, step.scope)
    here.studio.execute(AddLayer(name, content, channels, step.opacity, step.blend, step.scope, into=here.into))
    return name


def parted(step: dict[str, Any], kind: type[_S]) -> tuple[_S, dict[str, Any]]:
    """A step without the keys of its kind, and those."""
    known = {one.encode_name for one in msgspec.structs.fields(kind)}
    return (convert({key: value for key, value in step.items() if key in known}, kind),
            {key: value for key, value in step.items() if key not in known})  # fmt: skip


def of_kind(table: Table[Any], tag: str, own: dict[str, Any], noun: str) -> Any:
    """A value of one of a table's kinds from the keys of a step."""
    if tag not in table.tags:
        raise CommandError(
            tr("there is no {noun} {tag!r}; there are {tags}", noun=noun, tag=tag, tags=", ".join(table.tags))
        )
    kind: Any = table.kind(tag)
    fields = [one.encode_name for one in msgspec.structs.fields(kind)]
    for key in own:
        if key not in fields:
            raise CommandError(
                tr(
                    "{noun} {tag!r} has no key {key!r}; it has {value}",
                    noun=noun,
                    tag=tag,
                    key=key,
                    value=", ".join(sorted(fields)) or "none",
                )
            )
    return convert({kind.__struct_config__.tag_field: tag, **own}, kind)
