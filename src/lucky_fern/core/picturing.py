"""Pictures of the kit made ready from their untouched originals, and originals exchanged for others."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path, PurePath

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import Array
from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.files import read_file
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import Picture, is_drawing, read_picture
from lucky_fern.core.preparing.run import encoded, prepared, taken_of
from lucky_fern.core.project.blobs import digest_of
from lucky_fern.core.project.commands import PreparePicture, Several
from lucky_fern.core.project.document import KitPicture, Project
from lucky_fern.core.project.patterns import Pattern
from lucky_fern.core.project.preparations import PictureStep, Preparation
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

Told = Callable[[float], None]
_DRAWN = 2048  # pixels of the longer side of a drawing that is made ready
_BLANK = 16  # pixels a side of what patterns are drawn over
_SHARE = 0.8  # of the work that the ops are; the rest is packing what they made


def main_picture(project: Project, identity: str) -> str:
    """The picture whose ops made one: itself, or for a height or normal map the one that it lies beside.

    Raises
    ------
    CommandError
        If it is not in the kit.
    """
    kit = project.pictures.get(identity)
    if kit is None:
        raise CommandError(tr("picture {name!r} is not in the kit; add it first", name=identity))
    if kit.prepared is not None and kit.prepared.beside in project.pictures:
        return kit.prepared.beside
    return identity


def preparation_of(kit: KitPicture) -> Preparation:
    """How a picture of the kit is made: without ops, where nothing was done to it."""
    return kit.prepared or Preparation(_file_name(kit), kit.digest, kit.taken)


def original(studio: Studio, kit: KitPicture) -> Picture:
    """The untouched picture that one of the kit is made from.

    Raises
    ------
    PictureError
        If it cannot be read.
    """
    made = preparation_of(kit)
    return read_picture(studio.blobs[made.original], made.name, made.taken, _DRAWN)


def prepare(
    studio: Studio, identity: str, kit: KitPicture, steps: tuple[PictureStep, ...], told: Told = lambda _: None
) -> PreparePicture:  # fmt: skip
    """The edit that has a picture made by other ops; ``identity`` may be new. Can be worked out beside the window.

    Raises
    ------
    PictureError, CommandError
        If an op makes no sense; it says which.
    """
    made = replace(preparation_of(kit), steps=steps, gives="picture", beside="")
    made.check()
    source = original(studio, kit)
    result = prepared(source, steps, lambda share: told(share * _SHARE))
    pictures = {}
    if any(step.on for step in steps):
        pictures[identity] = _kept(studio, kit, identity, result.rgba, made, made.taken, result.covers)
    else:  # the original itself
        first = replace(kit, name=made.name, digest=made.original, width=source.width, height=source.height,
                        taken=made.taken, about=source.about, covers=False)  # fmt: skip
        pictures[identity] = replace(first, prepared=made if steps else None)
    for count, (what, pixels) in enumerate(result.beside.items(), 1):
        name = f"{identity} {what}"
        beside = replace(made, gives=what, beside=identity)
        pictures[name] = _kept(studio, kit, name, pixels, beside, taken_of(what, made.taken), False)
        told(_SHARE + (1 - _SHARE) * count / (len(result.beside) + 1))
    before = studio.project.pictures
    gone = [name for name, one in before.items()
            if one.prepared is not None and one.prepared.beside == identity and name not in pictures]  # fmt: skip
    studio.notes += [f"{identity}: {note}" for note in result.notes]
    told(1.0)
    return PreparePicture(pictures, tuple(gone))


def with_original(
    studio: Studio, identity: str, data: bytes, picture: Picture, told: Told = lambda _: None,
    file: Path | None = None,
) -> PreparePicture:  # fmt: skip
    """The edit that puts another original in the place of a picture's; the ops run again.

    ``file`` is where that one was read from; None: the file that is remembered stays.

    Raises
    ------
    PictureError, CommandError
        If an op makes no sense for it.
    """
    kit = studio.project.pictures[main_picture(studio.project, identity)]
    identity = main_picture(studio.project, identity)
    made = replace(preparation_of(kit), name=picture.name, original=studio.blobs.add(data), taken=picture.taken)
    fresh = replace(kit, digest=made.original, name=picture.name, taken=picture.taken, text=None, figure=None,
                    width=picture.width, height=picture.height, about=picture.about, prepared=made,
                    file=kit.file if file is None else str(file.resolve()))  # fmt: skip
    return prepare(studio, identity, fresh, made.steps, told)


def new_pattern(studio: Studio, name: str, op: Pattern) -> PreparePicture:
    """The edit that puts a pattern into the kit under a free name, with its height and normal beside it.

    Raises
    ------
    CommandError
        If its numbers make no sense.
    """
    identity, number = name.strip(), 2
    while identity in studio.project.pictures or identity in studio.project.sequences:
        identity, number = f"{name.strip()} {number}", number + 1
    blank = np.zeros((_BLANK, _BLANK, 4), np.uint8)
    kit = studio.prepare_picture(encoded(blank), Picture("blank.png", blank, True, about=tr("nothing")))
    return prepare(studio, identity, kit, (PictureStep(op),))


@dataclass(frozen=True)
class Reloaded:
    """The edit, if anything changed; the pictures that were read again, and those whose files are gone."""

    command: Several | None
    names: tuple[str, ...]
    missing: tuple[str, ...]


def reload(
    studio: Studio, folder: Path | None = None, told: Told = lambda _: None, only: tuple[str, ...] | None = None,
    strict: bool = True,
) -> Reloaded:  # fmt: skip
    """Read pictures of the kit again whose files have other contents than when they were read; their ops run again.

    A file that is not where it was is looked for in ``folder``, by its name. Can be worked out beside the window.
    ``only`` names the pictures that are meant; without ``strict``, what cannot be read now is left for later.

    Raises
    ------
    PictureError
        If a file that changed cannot be read, or its ops make no sense for it any more.
    """
    commands: list[PreparePicture] = []
    names, missing = [], []
    kits = [(name, kit) for name, kit in studio.project.pictures.items()
            if kit.file and (only is None or name in only)]  # fmt: skip
    for count, (name, kit) in enumerate(kits):
        told(count / len(kits))
        places = [Path(kit.file), *([folder / Path(kit.file).name] if folder is not None else [])]
        place = next((one for one in places if one.is_file()), None)
        if place is None:
            missing.append(name)
            continue
        try:
            data = read_file(place, PictureError)
            if digest_of(data) == preparation_of(kit).original:
                continue
            picture = read_picture(data, place.name, preparation_of(kit).taken)
        except PictureError:
            if strict:
                raise
            continue  # it is being written
        commands.append(with_original(studio, name, data, picture))
        names.append(name)
    told(1.0)
    command = Several(tuple(commands), named=tr("Read pictures again")) if commands else None
    return Reloaded(command, tuple(names), tuple(missing))


def _kept(
    studio: Studio, kit: KitPicture, identity: str, pixels: Array, made: Preparation, taken: Taken, covers: bool
) -> KitPicture:  # fmt: skip
    """What was made, as a picture of the kit; whose the original is stays known."""
    stem = PurePath(identity).stem if PurePath(identity).suffix else identity
    about = tr("made ready, {bits} bits", bits=pixels.itemsize * 8)
    return KitPicture(f"{stem}.png", studio.blobs.add(encoded(pixels)), int(pixels.shape[1]), int(pixels.shape[0]),
                      taken, about, author=kit.author, licence=kit.licence, source=kit.source, prepared=made,
                      covers=covers, file=kit.file if made.gives == "picture" else "")  # fmt: skip


def _file_name(kit: KitPicture) -> str:
    """What the file of a picture is called: labels and figures have names of their own."""
    if kit.text is not None or (not PurePath(kit.name).suffix and not is_drawing(kit.name)):
        return f"{kit.name}.png"
    return kit.name
