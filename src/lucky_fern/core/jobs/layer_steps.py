"""Steps that make a layer of their own: washes, brushwork, adjustments, and layers of any kind."""

from __future__ import annotations

from typing import Any, Literal, Protocol

import msgspec

from lucky_fern.core.checking.histogram import matched
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, Made, add_layer, of_kind
from lucky_fern.core.jobs.places import kept_picture
from lucky_fern.core.maps import MAPS, raises
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Relief, Wash
from lucky_fern.core.project.kinds import CONTENTS, EFFECTS
from lucky_fern.core.project.plain import Sampling
from lucky_fern.words import tr


class _Relieved(Protocol):
    """A step that may say how heights shape normals."""

    @property
    def relief(self) -> bool | Relief: ...


class Moving(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How a channel's picture lies against the layer's other ones, how steep normals are; what else a decal takes."""

    shift: tuple[float, float] = (0.0, 0.0)
    scale: float = 1.0
    strength: float = 1.0
    source: str | float | None = None


def channel_of(value: str | float | Moving, relief: Relief | None = None, other: str | float = "picture") -> Channel:
    """A channel as jobs write it: its source alone, or an object that says how its picture lies too."""
    if isinstance(value, Moving):
        source = other if value.source is None else value.source
        return Channel(source, relief=relief, shift=value.shift, scale=value.scale, strength=value.strength)
    return Channel(value, relief=relief)


class WashStep(Made, frozen=True):
    """``wash``: values or repeating pictures on every texel in scope."""

    values: dict[str, str | float] = msgspec.field(default_factory=dict)
    pictures: dict[str, str] = msgspec.field(default_factory=dict)
    repeat: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotate: float = 0.0
    sampling: Sampling = "smooth"
    by: Literal["uv", "triplanar"] = "uv"
    channels: dict[str, Moving] = msgspec.field(default_factory=dict)
    relief: bool | Relief = False


class BrushworkStep(Made, frozen=True):
    """``brushwork``: an empty painted layer."""


class AdjustStep(Made, frozen=True, kw_only=True):
    """``adjust``: an adjustment of what is below, on one map or several; further keys are those of its ``kind``."""

    kind: str
    map: str = "colour"
    maps: tuple[str, ...] | None = None


class LayerStep(Made, frozen=True, kw_only=True):
    """``layer``: a layer of any kind; further keys are those of its ``kind``."""

    kind: str
    channels: dict[str, str | float] = msgspec.field(default_factory=dict)


def do_wash(here: Here, step: WashStep) -> str:
    channels = {name: Channel(value, relief=relief_of(step, name)) for name, value in step.values.items()}
    if "picture" in step.values.values():
        raise CommandError(tr('a wash takes pictures under \'pictures\': {"colour": "file.png"}'))
    for name, path in step.pictures.items():
        if name not in MAPS:
            raise CommandError(
                tr("there is no map called {name!r}; the maps are {MAPS}", name=name, MAPS=", ".join(MAPS))
            )
        picture = kept_picture(here.studio, here.folder, path)
        lying = step.channels.get(name, Moving())
        channels[name] = Channel(
            "picture", picture=picture, relief=relief_of(step, name), shift=lying.shift, scale=lying.scale,
            strength=lying.strength,
        )  # fmt: skip
    for name in step.channels:
        if name not in step.pictures:
            raise CommandError(tr("'channels' of a wash moves its 'pictures'; it has none of {name!r}", name=name))
    if not channels:
        raise CommandError(tr("a wash needs 'values' or 'pictures'"))
    content = Wash(step.repeat, step.offset, step.rotate, step.sampling, step.by)
    return add_layer(here, step, "Wash", content, channels)


def relief_of(step: _Relieved, name: str) -> Relief | None:
    """How strongly a step's height shapes normals; None where it does not."""
    if not raises(name) or step.relief is False:
        return None
    return Relief() if step.relief is True else step.relief


def do_brushwork(here: Here, step: BrushworkStep) -> str:
    return add_layer(here, step, "Brushwork", Brushwork(), {})


def do_adjust(here: Here, step: AdjustStep, own: dict[str, Any]) -> str:
    effect = of_kind(EFFECTS, step.kind, own, "adjustment")
    maps = (step.map,) if step.maps is None else step.maps
    if maps and effect.regions is not None:
        studio = here.studio
        effect = matched(studio.sources, studio.project, maps[0], effect)
    if not maps:
        raise CommandError(tr("'maps' names no map; the maps are {MAPS}", MAPS=", ".join(MAPS)))
    return add_layer(here, step, step.kind.capitalize(), Adjustment(effect), {name: Channel() for name in maps})


def do_layer(here: Here, step: LayerStep, own: dict[str, Any]) -> str:
    content = of_kind(CONTENTS, step.kind, own, "layer")
    channels = {name: Channel(value) for name, value in step.channels.items()}
    return add_layer(here, step, step.kind.capitalize(), content, channels)
