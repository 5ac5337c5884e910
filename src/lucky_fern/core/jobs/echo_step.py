"""``echo``: what is below in one map becomes another map, live."""

from __future__ import annotations

from typing import Any

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, Made, add_layer, of_kind
from lucky_fern.core.jobs.layer_steps import relief_of
from lucky_fern.core.jobs.places import kept_picture
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Channel, Relief
from lucky_fern.core.project.echoes import ECHO, PICTURE, RULE
from lucky_fern.core.project.kinds import CONTENTS
from lucky_fern.words import tr


class EchoStep(Made, frozen=True, kw_only=True):
    """``to``: the map (or maps) that it gives to; further keys are those of an echo: ``from``, ``part`` …"""

    to: str | list[str] = msgspec.field(default="roughness")
    relief: bool | Relief = False


def do_echo(here: Here, step: EchoStep, own: dict[str, Any]) -> str:
    names = [step.to] if isinstance(step.to, str) else step.to
    for name in names:
        if name not in MAPS:
            raise CommandError(
                tr("there is no map called {name!r}; the maps are {MAPS}", name=name, MAPS=", ".join(MAPS))
            )
    if isinstance(own.get("picture"), str) and own.get("from", PICTURE) == PICTURE:
        own = {**own, "from": PICTURE, "picture": kept_picture(here.studio, here.folder, own["picture"])}
    elif "rule" in own:
        own = {"from": RULE, **own}
    echo = of_kind(CONTENTS, "echo", own, "layer")
    made = add_layer(here, step, "Echo", echo, {name: Channel(ECHO, relief=relief_of(step, name)) for name in names})
    layers = list(here.studio.project.walk())
    if echo.source in MAPS and not any(
        echo.source in layer.active_channels() for layer in layers if layer.content.hears is None
    ):
        here.studio.notes.append(
            tr("nothing writes to {source}: the echo {name!r} hears just what the map starts from",
               source=echo.source, name=made)
        )  # fmt: skip
    return made
