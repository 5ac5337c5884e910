"""``edging``: a motif along borders, edges or paths; ``path``, ``groove`` and ``fit``: what is done to one."""

from __future__ import annotations

from typing import Any

import msgspec
from msgspec.structs import replace

from lucky_fern.core.compositing.layers.edged import too_short
from lucky_fern.core.edging import SUNKEN, edging_of, fitted, groove_of, with_path
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, Made, add_layer, of_kind
from lucky_fern.core.jobs.places import kept_picture, named, parse_place
from lucky_fern.core.project.commands import RenameLayer, Several
from lucky_fern.core.project.document import Channel, Relief
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.kinds import CONTENTS, Place
from lucky_fern.core.project.numbers import check_share
from lucky_fern.words import tr

_NARROW = 0.01  # of the model's diagonal: a path that says nothing of its width


class EdgingStep(Made, frozen=True, kw_only=True):
    """``edging``: a motif along borders, edges or a path; further keys are those of an edging, and of its path."""

    picture: str | None = None
    corner_picture: str | None = None
    height: float | None = None  # left out: a made motif has none on the height map
    channels: dict[str, str | float] | None = None


class PathStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``path``: one more path for an edging along a path; further keys are those of a place ``along``."""

    do: str
    layer: str


class GrooveStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``groove``: the sunken partner of an edging, right below it, sharing its mask."""

    do: str
    layer: str
    name: str | None = None
    height: float = SUNKEN
    width: float | None = None


class FitStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``fit``: an edging's motif made so short that every run holds one."""

    do: str
    layer: str


def do_edging(here: Here, step: EdgingStep, own: dict[str, Any]) -> str:
    studio = here.studio
    keys = {field.encode_name for field in msgspec.structs.fields(Edging)} - {"paths"}
    edging: Edging = of_kind(CONTENTS, "edging", {key: value for key, value in own.items() if key in keys}, "layer")
    others = {key: value for key, value in own.items() if key not in keys}
    if others and edging.along != "path":
        raise CommandError(
            tr("an edging has no key {key!r}; only one along a 'path' takes the keys of one", key=next(iter(others)))
        )
    if edging.along == "path":
        edging = replace(edging, paths=(_path(here, edging, others),))
    picture, corner = (None if one is None else kept_picture(studio, here.folder, one)
                       for one in (step.picture, step.corner_picture))  # fmt: skip
    given = step.channels
    if given is None:
        given = {"colour": "picture"} if picture is not None else {"colour": "#d8cba8"}
    channels = {name: Channel(value) for name, value in given.items()}
    if step.height is not None and "height" not in channels and picture is None:
        channels["height"] = Channel("picture", relief=Relief())
    height = edging.height if step.height is None else step.height
    edging = replace(edging, picture=picture, corner_picture=corner, height=height)
    name = add_layer(here, step, "Edging", edging, channels)
    note = too_short(studio.sources, edging)
    if note:
        studio.notes.append(f"{name}: {note}")
    return name


def _path(here: Here, edging: Edging, keys: dict[str, Any]) -> Place:
    width = edging.width if edging.width is not None else here.studio.model.diagonal * _NARROW
    return parse_place(here.studio, {"mode": "along", "width": width, **keys})


def do_path(here: Here, step: PathStep, own: dict[str, Any]) -> str:
    layer = named(here.studio, step.layer)
    here.studio.execute(with_path(layer, _path(here, edging_of(layer), own)))
    return step.layer


def do_groove(here: Here, step: GrooveStep) -> str:
    studio = here.studio
    check_share("height", step.height)
    number = studio.project.next_id
    edit = groove_of(studio, named(studio, step.layer).id, step.height, step.width)
    if step.name is not None:
        edit = Several((*edit.commands, RenameLayer(number, step.name)), named=edit.named)
    studio.execute(edit)
    return step.name or str(edit.named)


def do_fit(here: Here, step: FitStep) -> str:
    edit = fitted(here.studio, named(here.studio, step.layer).id)
    if edit is not None:
        here.studio.execute(edit)
    return step.layer
