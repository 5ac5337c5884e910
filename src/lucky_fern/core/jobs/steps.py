"""The steps of a job file, each turned into the command the window would give (see jobs.md)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import (
    Channel,
    Decal,
    Lay,
    Place,
    Sampling,
    Scope,
    Throw,
    Wash,
)
from lucky_fern.core.studio import Studio

# Words of the contract that this version does not do yet.
NOT_YET = ("brushwork", "stroke", "mask", "adjust", "group")
MODES_NOT_YET = ("drape", "roll", "tiles")


class _Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    do: str
    name: str | None = None
    blend: str = "normal"
    opacity: float = 1.0
    scope: Scope = Scope()
    sampling: Sampling = "smooth"


class WashStep(_Step, frozen=True):
    """``wash``: values or repeating pictures on every texel in scope."""

    values: dict[str, str | float] = {}
    pictures: dict[str, str] = {}
    repeat: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotate: float = 0.0


class DecalStep(_Step, frozen=True, kw_only=True):
    """``decal``: one placed picture."""

    picture: str
    place: dict[str, Any]
    channels: dict[str, str | float] = msgspec.field(default_factory=lambda: {"colour": "picture"})


STEPS: dict[str, type[_Step]] = {"wash": WashStep, "decal": DecalStep}


def do_step(studio: Studio, step: object, folder: Path) -> str:
    """Do one step on a studio; the name of the layer it made.

    Raises
    ------
    LuckyFernError
        With a sentence that says which key is wrong and what it may be.
    """
    if not isinstance(step, dict) or not isinstance(step.get("do"), str):
        raise CommandError('a step is an object with a \'do\', for example {"do": "wash", …}')
    verb = step["do"]
    if verb in NOT_YET:
        raise CommandError(f"'{verb}' is not built yet in this version; leave the step out")
    if verb not in STEPS:
        raise CommandError(f"there is no step '{verb}'; there are {', '.join(STEPS)}")
    parsed = convert(step, STEPS[verb])
    assert isinstance(parsed, _Step)
    check_scope(studio, parsed.scope)
    if isinstance(parsed, WashStep):
        return _wash(studio, parsed, folder)
    assert isinstance(parsed, DecalStep)
    return _decal(studio, parsed, folder)


def convert(data: object, kind: type[msgspec.Struct]) -> msgspec.Struct:
    """Plain data as a struct, its errors turned into a sentence that lists the keys.

    Raises
    ------
    CommandError
        If the data does not fit.
    """
    try:
        result: msgspec.Struct = msgspec.convert(data, kind)
    except msgspec.ValidationError as error:
        keys = ", ".join(field.encode_name for field in msgspec.structs.fields(kind))
        raise CommandError(f"{_plain(str(error))} (the keys are {keys})") from error
    return result


def _plain(message: str) -> str:
    """msgspec's wording with its path made readable: ``Expected `float`, got `str` - at `$.repeat[0]```."""
    return (
        message.replace(" - at `$.", " at `")
        .replace("Object contains unknown field", "unknown key")
        .replace("Object missing required field", "missing key")
    )


def _wash(studio: Studio, step: WashStep, folder: Path) -> str:
    channels: dict[str, Channel] = {name: Channel(value) for name, value in step.values.items()}
    if "picture" in step.values.values():
        raise CommandError('a wash takes pictures under \'pictures\': {"colour": "file.png"}')
    for name, path in step.pictures.items():
        if name not in MAPS:
            raise CommandError(f"there is no map called {name!r}; the maps are {', '.join(MAPS)}")
        channels[name] = Channel("picture", picture=studio.add_picture(folder / path))
    if not channels:
        raise CommandError("a wash needs 'values' or 'pictures'")
    content = Wash(step.repeat, step.offset, step.rotate, step.sampling)
    return _add(studio, step, step.name or "Wash", content, channels)


def _decal(studio: Studio, step: DecalStep, folder: Path) -> str:
    place = parse_place(studio, step.place)
    picture = studio.add_picture(folder / step.picture)
    channels = {name: Channel(value) for name, value in step.channels.items()}
    if not channels:
        raise CommandError("a decal needs at least one map under 'channels'")
    content = Decal(picture, place, step.sampling)
    return _add(studio, step, step.name or Path(step.picture).stem, content, channels)


def _add(studio: Studio, step: _Step, name: str, content: Wash | Decal, channels: dict[str, Channel]) -> str:
    studio.execute(AddLayer(name, content, channels, step.opacity, step.blend, step.scope))
    return name


def parse_place(studio: Studio, data: dict[str, Any]) -> Place:
    """A ``place`` object as the document's type.

    A throw's ``up`` may be left out (the world's Y) and so may ``depth`` (the larger of width and height).

    Raises
    ------
    CommandError
        If the mode is unknown, a key is wrong, or the sheet named is not there.
    """
    mode = data.get("mode")
    if mode in MODES_NOT_YET:
        raise CommandError(f"place mode '{mode}' is not built yet in this version; use throw or lay")
    if mode == "throw":
        full = {"up": [0.0, 1.0, 0.0], **data}
        if "depth" not in full:
            lengths = [full.get("width"), full.get("height")]
            full["depth"] = max((n for n in lengths if isinstance(n, int | float)), default=1.0)
        place = convert(full, Throw)
        assert isinstance(place, Throw)
        return place
    if mode != "lay":
        raise CommandError(f"there is no place mode {mode!r}; there are throw, lay")
    laid = convert(data, Lay)
    assert isinstance(laid, Lay)
    if laid.material not in studio.surface.materials:
        raise CommandError(
            f"there is no material {laid.material!r} with UVs; there are {', '.join(studio.surface.materials)}"
        )
    tiles = studio.surface.tiles_of(laid.material)
    if laid.tile not in tiles:
        raise CommandError(f"{laid.material} has no tile {laid.tile}; it has {', '.join(map(str, tiles))}")
    return laid


def check_scope(studio: Studio, scope: Scope) -> None:
    """Refuse a scope that names what the model does not have.

    Raises
    ------
    CommandError
        Listing what there is.
    """
    model = studio.model
    tiles = {key.tile for key in studio.surface.keys}
    parts = {*model.parts, *(name.partition("/")[0] for name in model.parts)}
    for what, wanted, known in (
        ("material", scope.materials, set(model.materials)),
        ("tile", scope.tiles, tiles),
        ("part", scope.parts, parts),
    ):
        for item in wanted or ():
            if item not in known:
                listed = ", ".join(str(one) for one in sorted(known)[:12])
                raise CommandError(f"the model has no {what} {item!r}; it has {listed}")
