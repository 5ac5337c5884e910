"""``prepare``: a picture of the kit made ready by ops; ``replace-picture``: another original in its place."""

from __future__ import annotations

from pathlib import PurePath
from typing import Any, cast

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, of_kind
from lucky_fern.core.jobs.places import kept_picture
from lucky_fern.core.limits import LONGEST_NAME
from lucky_fern.core.picturing import main_picture, new_pattern, prepare, reload, with_original
from lucky_fern.core.project.kinds import EFFECTS, OPS
from lucky_fern.core.project.patterns import PATTERNS, Pattern
from lucky_fern.core.project.preparations import Adjust, PictureStep, op_tag
from lucky_fern.core.studio import read_picture_file
from lucky_fern.words import tr


class PrepareStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``prepare``: the kit has ``as`` then (left out: the picture's own name), made from the untouched original."""

    do: str
    picture: str
    name: str | None = msgspec.field(name="as", default=None)
    ops: list[Any]


class ReplaceStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``replace-picture``: a picture of the kit gets another original; its ops run again."""

    do: str
    picture: str
    by: str


def do_prepare(here: Here, step: PrepareStep) -> str:
    """Do the step; the picture's name in the kit."""
    studio, steps = here.studio, tuple(_op(number, one) for number, one in enumerate(step.ops, 1))
    name = None if step.name is None else step.name.strip()
    if name is not None and (not name or len(name) > LONGEST_NAME or PurePath(name).name != name):
        raise CommandError(tr("'as' is the name that the picture gets in the kit, not {name!r}", name=step.name))
    known = studio.project.pictures.get(step.picture)
    if name is None or (known is not None and not (here.folder / step.picture).is_file()):
        source = main_picture(studio.project, kept_picture(studio, here.folder, step.picture))
        kit = studio.project.pictures[source]
        name = name or source
    else:
        data, picture = read_picture_file(here.folder / step.picture)
        studio.notes += [f"{PurePath(step.picture).name}: {note}" for note in picture.notes]
        kit = studio.prepare_picture(data, picture, here.folder / step.picture)
    studio.execute(prepare(studio, name, kit, steps))
    return name


class PatternStep(msgspec.Struct, frozen=True, kw_only=True):
    """``pattern``: a picture drawn from a few numbers; other keys are those of its form."""

    do: str
    form: str = msgspec.field(name="pattern")
    name: str | None = None


def do_pattern(here: Here, step: PatternStep, keys: dict[str, Any]) -> str:
    """Do the step; the picture's name in the kit."""
    known = {op_tag(kind): kind for kind in PATTERNS}
    if step.form not in known:
        raise CommandError(tr("there is no pattern {form!r}; there are {known}", form=step.form,
                              known=", ".join(known)))  # fmt: skip
    command = new_pattern(here.studio, step.name or step.form, cast(Pattern, of_kind(OPS, step.form, keys, "op")))
    here.studio.execute(command)
    return next(iter(command.pictures))


def do_replace(here: Here, step: ReplaceStep) -> str:
    """Do the step; the picture's name in the kit."""
    data, picture = read_picture_file(here.folder / step.by)
    here.studio.execute(with_original(here.studio, step.picture, data, picture, file=here.folder / step.by))
    return step.picture


class ReloadStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``reload``: pictures of the kit whose files changed since are read again."""

    do: str


def do_reload(here: Here, step: ReloadStep) -> str:
    """Do the step; which pictures those are."""
    found = reload(here.studio, here.source.parent)
    if found.command is not None:
        here.studio.execute(found.command)
    here.studio.notes += [tr("{name}: its file is not there any more; it stays as it was.", name=name)
                          for name in found.missing]  # fmt: skip
    return ", ".join(found.names)


def _op(number: int, data: object) -> PictureStep:
    """An op as a job writes it: adjustments by their own names, and whether it is switched on."""
    if not isinstance(data, dict) or not isinstance(data.get("op"), str):
        raise CommandError(tr('an op is an object with an \'op\', for example {"op": "spread"}'))
    own = {key: value for key, value in data.items() if key not in ("op", "on")}
    tag, on = data["op"], data.get("on", True)
    if not isinstance(on, bool):
        raise CommandError(tr("op {number} ({tag}): 'on' is true or false", number=number, tag=tag))
    if tag == "cut-out" and isinstance(own.get("tolerance"), int | float) and own["tolerance"] > 1:
        own["tolerance"] = own["tolerance"] / 255  # counted in steps of 8 bits
    own_ops = [one for one in OPS.tags if one != "adjust"]
    tags = tuple(dict.fromkeys((*own_ops, *EFFECTS.tags)))
    try:
        if tag in EFFECTS.tags and tag not in own_ops:
            return PictureStep(Adjust(of_kind(EFFECTS, tag, own, "op")), on)
        if tag not in tags:
            raise CommandError(tr("there is no op {tag!r}; there are {tags}", tag=tag, tags=", ".join(tags)))
        return PictureStep(of_kind(OPS, tag, own, "op"), on)
    except CommandError as error:
        raise CommandError(tr("op {number} ({tag}): {error}", number=number, tag=tag, error=error)) from error
