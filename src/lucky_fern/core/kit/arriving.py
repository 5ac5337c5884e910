"""Pictures on their way between a project's kit, my kit, and packs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from msgspec.structs import replace

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.kit.mine import MyKit, Note, note_of
from lucky_fern.core.kit.packs import Pack, each
from lucky_fern.core.pictures.picture import SUFFIXES, read_picture
from lucky_fern.core.project.commands import AddPicture, Several
from lucky_fern.core.project.commands.shelving import clean_folder
from lucky_fern.core.project.document import KitPicture
from lucky_fern.core.studio import Studio
from lucky_fern.words import counted, tr

Told = Callable[[float], None]


@dataclass(frozen=True)
class Brought:
    """The edit that brings pictures in (None: nothing new), their names in the kit, and what is to be said."""

    command: Several | None
    names: tuple[str, ...]
    notes: tuple[str, ...]


def from_my_kit(studio: Studio, kit: MyKit, name: str) -> Brought:
    """A picture of my kit for the project, with what the index knows of it; the same contents come in once.

    Raises
    ------
    PictureError
        If it cannot be read.
    """
    data, note = kit.read(name)
    picture = read_picture(data, PurePosixPath(name).name, note.taken)
    made = studio.prepare_picture(data, picture, kit.folder / name)
    made = replace(made, tags=note.tags, favourite=note.favourite, covers=note.covers, author=note.author,
                   licence=note.licence, source=note.source)  # fmt: skip
    return _brought(studio, [(picture.name, made)], tr("Add picture"), list(picture.notes))


def into_my_kit(studio: Studio, names: list[str], kit: MyKit) -> list[str]:
    """Keep pictures of the project on this computer; their paths there.

    Raises
    ------
    ExportError
        If the disk refuses.
    """
    done = []
    for name in names:
        one = studio.project.pictures[name]
        file = name if PurePosixPath(name).suffix.lower() in SUFFIXES else f"{name}{PurePosixPath(one.name).suffix}"
        if PurePosixPath(file).suffix.lower() not in SUFFIXES:
            file += ".png"
        done.append(kit.add(studio.blobs[one.digest], file, note_of(one), one.folder))
    return done


def pack_into_project(studio: Studio, pack: Pack, told: Told = lambda _: None) -> Brought:
    """A pack's pictures for the project's kit, in a folder of its name; what cannot be read is told and left out."""
    terms = studio.blobs.add(pack.terms) if pack.terms is not None else ""
    found: list[tuple[str, KitPicture]] = []
    notes: list[str] = []
    for one, data in each(pack, told):
        try:
            if isinstance(data, LuckyFernError):
                raise data
            picture = read_picture(data, one.name)
        except LuckyFernError as error:
            notes.append(str(error))
            continue
        made = studio.prepare_picture(data, picture)
        folder = clean_folder("/".join(part for part in (pack.name, one.folder) if part))
        made = replace(made, folder=folder, licence=pack.licence, source=pack.name, terms=terms)
        found.append((picture.name, made))
    return _brought(studio, found, tr("Add pack"), notes)


def pack_into_my_kit(kit: MyKit, pack: Pack, told: Told = lambda _: None) -> Brought:
    """A pack's files copied as they are into my kit, with its licence file.

    Raises
    ------
    ExportError
        If the disk refuses; what was copied so far stays.
    """
    names, notes = [], []
    for one, data in each(pack, told):
        if isinstance(data, LuckyFernError):
            notes.append(str(data))
            continue
        folder = "/".join(part for part in (pack.name, one.folder) if part)
        names.append(kit.add(data, one.name, Note(licence=pack.licence, source=pack.name), folder))
    if pack.terms is not None:
        kit.add(pack.terms, pack.terms_name, folder=pack.name)
    return Brought(None, tuple(names), tuple(notes))


def said_of(pack: Pack, brought: Brought) -> str:
    """What a person is told of a pack that came in."""
    said = tr("{name}: {count} came in.", name=pack.name, count=counted(len(brought.names), "picture"))
    if pack.licence:
        said += " " + tr("Licence: {licence}.", licence=pack.licence)
    else:
        said += " " + tr("No licence lies in it: ask whose they are before you share them.")
    if pack.left_out:
        said += " " + tr("{count} that are no pictures stayed out.", count=counted(pack.left_out, "file"))
    if brought.notes:
        more = tr(" … and {count} more.", count=len(brought.notes) - 3) if len(brought.notes) > 3 else ""
        said += " " + " ".join(brought.notes[:3]) + more
    return said


def _brought(studio: Studio, found: list[tuple[str, KitPicture]], label: str, notes: list[str]) -> Brought:
    """The edit that adds pictures under free names, each contents once."""
    known = {kit.digest: name for name, kit in studio.project.pictures.items()}
    taken = {*studio.project.pictures, *studio.project.sequences}
    commands, names = [], []
    for wanted, kit in found:
        if kit.digest in known:
            names.append(known[kit.digest])
            continue
        path, name, number = Path(wanted), wanted, 2
        while name in taken:
            name, number = f"{path.stem} {number}{path.suffix}", number + 1
        taken.add(name)
        known[kit.digest] = name
        commands.append(AddPicture(name, kit))
        names.append(name)
    return Brought(
        Several(tuple(commands), named=label) if commands else None, tuple(dict.fromkeys(names)), tuple(notes)
    )
