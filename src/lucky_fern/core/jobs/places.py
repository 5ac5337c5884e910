"""The smaller words of a job: places, scopes, layers and pictures, checked against what there is."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any, Literal, TypeVar, get_args, get_origin

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.blobs import digest_of
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.kinds import PLACES, Place, decode_kind
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.studio import Studio, read_picture_file
from lucky_fern.words import tr

_S = TypeVar("_S", bound=msgspec.Struct)


def convert(data: object, kind: type[_S]) -> _S:
    """Plain data as a struct, its errors turned into a sentence that lists the keys.

    Raises
    ------
    CommandError
        If the data does not fit.
    """
    try:
        result: _S = msgspec.convert(data, kind, dec_hook=decode_kind)
    except RecursionError as error:
        raise CommandError(tr("it is nested too deeply")) from error
    except msgspec.ValidationError as error:
        raise CommandError(f"{_plain(str(error))} ({_known(str(error), kind)})") from error
    return result


def _known(message: str, kind: type[msgspec.Struct]) -> str:
    """What may stand there: the words of a key that has but a few, otherwise the keys."""
    place = re.search(r"Invalid enum value .* - at `\$\.(\w+)`", message)
    for field in msgspec.structs.fields(kind):
        if place is not None and field.encode_name == place[1]:
            words = _words(field.type)
            if words:
                return "it may be " + ", ".join(words)
    return "the keys are " + ", ".join(field.encode_name for field in msgspec.structs.fields(kind))


def _words(kind: Any) -> list[str]:
    """All words of a type that names its values, in unions, too."""
    if get_origin(kind) is Literal:
        return [str(word) for word in get_args(kind)]
    return [word for inner in get_args(kind) for word in _words(inner)]


def _plain(message: str) -> str:
    """msgspec's wording with its path made readable: ``Expected `float`, got `str` - at `$.repeat[0]```."""
    return (
        message.replace(" - at `$.", " at `")
        .replace("Object contains unknown field", "unknown key")
        .replace("Object missing required field", "missing key")
    )


def parse_place(studio: Studio, data: dict[str, Any]) -> Place:
    """A ``place`` object as the document's type.

    A throw's ``up`` may be left out (the world's Y) and so may ``depth`` (the larger of width and height).

    Raises
    ------
    CommandError
        If the mode is unknown, a key is wrong, or the sheet named is not there.
    """
    mode = data.get("mode")
    if mode not in PLACES.tags:
        raise CommandError(
            tr("there is no place mode {mode!r}; there are {tags}, tiles", mode=mode, tags=", ".join(PLACES.tags))
        )
    kind = PLACES.kind(str(mode))
    fields = [one.encode_name for one in msgspec.structs.fields(kind)]
    full = {"up": [0.0, 1.0, 0.0], **data} if "up" in fields else dict(data)
    if "depth" in fields and "depth" not in full:
        lengths = [full.get("width"), full.get("height")]
        full["depth"] = max((n for n in lengths if isinstance(n, int | float)), default=1.0)
    made: Place = convert(full, kind)
    if not made.materials:
        return made
    laid: Any = made
    if laid.material not in studio.surface.materials:
        raise CommandError(
            tr(
                "there is no material {material!r} with UVs; there are {materials}",
                material=laid.material,
                materials=", ".join(studio.surface.materials),
            )
        )
    tiles = studio.surface.tiles_of(laid.material)
    if laid.tile not in tiles:
        raise CommandError(
            tr(
                "{material} has no tile {tile}; it has {map}",
                material=laid.material,
                tile=laid.tile,
                map=", ".join(map(str, tiles)),
            )
        )
    return made


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
        ("island", scope.islands, set(range(int(model.islands.max(initial=-1)) + 1))),
        ("selection", scope.selections, set(studio.project.selections)),
    ):
        for item in wanted or ():
            if item not in known:
                listed = ", ".join(str(one) for one in sorted(known)[:12])
                raise CommandError(
                    tr("the model has no {what} {item!r}; it has {listed}", what=what, item=item, listed=listed)
                )


def named(studio: Studio, name: str) -> Layer:
    """The layer of a name; the one made last where several have it."""
    found = [layer for layer in studio.project.walk() if layer.name == name]
    if not found:
        names = ", ".join(repr(layer.name) for layer in studio.project.walk()) or "none yet"
        raise CommandError(tr("there is no layer {name!r}; there are {names}", name=name, names=names))
    return max(found, key=lambda layer: layer.id)


def kept_picture(studio: Studio, folder: Path, wanted: str) -> str:
    """A picture by its file, read into the kit, or by the name that it has there; its name in the kit.

    Raises
    ------
    PictureError
        If there is neither, or the file cannot be read.
    """
    path = folder / wanted
    known = studio.project.pictures.get(wanted)
    if (known is not None or wanted in studio.project.sequences) and not path.is_file():
        return wanted
    data, picture = read_picture_file(path)
    if known is not None and known.prepared is not None and known.prepared.original == digest_of(data):
        return wanted  # the file that it is made from
    studio.notes += [f"{path.name}: {note}" for note in picture.notes]
    return studio.keep_picture(data, picture, path)
