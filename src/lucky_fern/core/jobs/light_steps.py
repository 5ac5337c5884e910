"""Steps of a job about the light that one looks by, and the material numbers of older games."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import read_file
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.lighting import LARGEST_PANORAMA, panorama_of
from lucky_fern.core.project.commands import SetLight, SetNumbers
from lucky_fern.core.project.light import EVERY, Light, Numbers, Surroundings
from lucky_fern.words import tr


class LightStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``light``: what the model is lit by in the views and the quay; what is left out stays. ``panorama``: a file."""

    do: str
    panorama: str | None = None
    mirror: bool | None = None
    surroundings: Surroundings | None = None
    turn: float | None = None
    sky: float | None = None
    sun: float | None = None
    around: float | None = None
    exposure: float | None = None
    shadows: bool | None = None
    behind: bool | None = None
    blur: float | None = None


class NumbersStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``material-numbers``: what a ``material`` (all, if left out) is in games without metal and roughness."""

    do: str
    material: str = EVERY
    ambient: float | None = None
    diffuse: float | None = None
    specular: float | None = None
    power: float | None = None
    fresnel_min: float | None = None
    fresnel_max: float | None = None
    fresnel_power: float | None = None


_LIGHT = {"surroundings": "surroundings", "turn": "lamp_deg", "sky": "sky_deg", "sun": "lamp_gain",
          "around": "ambient_gain", "exposure": "exposure", "shadows": "shadows", "behind": "behind",
          "blur": "blur"}  # fmt: skip


def do_light(here: Here, step: LightStep) -> str:
    light = here.studio.project.light or Light()
    if step.panorama is not None:
        path = here.folder / step.panorama
        panorama, notes = panorama_of(here.studio.blobs, read_file(path, CommandError, LARGEST_PANORAMA), path.name)
        here.studio.notes += [f"{path.name}: {note}" for note in notes]
        light = replace(light, panorama=panorama, surroundings="own")
    if step.mirror is not None:
        if light.panorama is None:
            raise CommandError(tr("'mirror' is about a panorama, and there is none"))
        light = replace(light, panorama=replace(light.panorama, mirror=step.mirror))
    given = {field: getattr(step, key) for key, field in _LIGHT.items() if getattr(step, key) is not None}
    here.studio.execute(SetLight(replace(light, **given)))
    return step.panorama or light.surroundings


def do_numbers(here: Here, step: NumbersStep) -> str:
    if step.material and step.material not in here.studio.model.materials:
        raise CommandError(tr("there is no material {name!r}; there are {names}", name=step.material,
                              names=", ".join(here.studio.model.materials)))  # fmt: skip
    given = {key: getattr(step, key) for key in Numbers.__struct_fields__ if getattr(step, key) is not None}
    known = here.studio.project.numbers
    before = known.get(step.material, known.get(EVERY, Numbers()))
    here.studio.execute(SetNumbers(step.material, replace(before, **given)))
    return step.material or tr("all materials")
