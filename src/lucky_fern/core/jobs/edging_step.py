"""``edging``: a motif along borders, edges or a path."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from lucky_fern.core.compositing.layers.edged import too_short
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Made, add_layer, of_kind
from lucky_fern.core.jobs.places import check_scope, kept_picture, parse_place
from lucky_fern.core.project.document import Channel
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.kinds import CONTENTS
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr


class EdgingStep(Made, frozen=True, kw_only=True):
    """``edging``: a motif along borders, edges or a path; further keys are those of an edging, and of its path."""

    picture: str | None = None
    height: float | None = None  # left out: a made motif has none on the height map
    channels: dict[str, str | float] | None = None


def do_edging(studio: Studio, step: EdgingStep, own: dict[str, Any], folder: Path, into: int | None) -> str:
    check_scope(studio, step.scope)
    keys = {field.encode_name for field in msgspec.structs.fields(Edging)} - {"path"}
    edging: Edging = of_kind(CONTENTS, "edging", {key: value for key, value in own.items() if key in keys}, "layer")
    others = {key: value for key, value in own.items() if key not in keys}
    if others and edging.along != "path":
        raise CommandError(
            tr("an edging has no key {key!r}; only one along a 'path' takes the keys of one", key=next(iter(others)))
        )
    if edging.along == "path":
        width = edging.width if edging.width is not None else studio.model.diagonal * 0.01
        edging = replace(edging, path=parse_place(studio, {"mode": "along", "width": width, **others}))
    picture = None if step.picture is None else kept_picture(studio, folder / step.picture)
    given = step.channels
    if given is None:
        given = {"colour": "picture"} if picture is not None else {"colour": "#d8cba8"}
    channels = {name: Channel(value) for name, value in given.items()}
    if step.height is not None and "height" not in channels and picture is None:
        channels["height"] = Channel("picture", relief=True)
    edging = replace(edging, picture=picture, height=edging.height if step.height is None else step.height)
    name = add_layer(studio, step, "Edging", edging, channels, into)
    note = too_short(studio.sources, edging)
    if note:
        studio.notes.append(f"{name}: {note}")
    return name
