"""Edits of what the kit says of its pictures: tags, folders, names; and pictures that leave it."""

from __future__ import annotations

from pathlib import PurePath
from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.limits import LONGEST_NAME
from lucky_fern.core.project.commands.base import Command
from lucky_fern.core.project.document import KitPicture, Project
from lucky_fern.core.project.kinds import Carrying
from lucky_fern.core.project.references import carried
from lucky_fern.core.project.usage import where_used
from lucky_fern.words import tr

_MOST_TAGS = 100


class Describe(Command, frozen=True, tag="describe"):
    """Give pictures tags, a folder, a file to be read again from, or have them as favourites; what is None stays."""

    label: ClassVar[str] = tr("Describe pictures")
    pictures: tuple[str, ...]
    add: tuple[str, ...] = ()
    drop: tuple[str, ...] = ()
    folder: str | None = None
    favourite: bool | None = None
    file: str | None = None

    def apply(self, project: Project) -> Project:
        pictures = dict(project.pictures)
        for name in self.pictures:
            kit = _kit(project, name)
            pictures[name] = replace(
                kit,
                tags=with_tags(kit.tags, self.add, self.drop),
                folder=kit.folder if self.folder is None else clean_folder(self.folder),
                favourite=kit.favourite if self.favourite is None else self.favourite,
                file=kit.file if self.file is None else self.file,
            )
        return replace(project, pictures=pictures)


class RenamePicture(Command, frozen=True, tag="rename-picture"):
    """Call a picture otherwise, wherever it is shown."""

    label: ClassVar[str] = tr("Rename picture")
    picture: str
    name: str

    def apply(self, project: Project) -> Project:
        kit, name = _kit(project, self.picture), self.name.strip()
        if not name or len(name) > LONGEST_NAME or PurePath(name).name != name:
            raise CommandError(tr("a picture is called by up to {most} letters without a slash, not {name!r}",
                                  most=LONGEST_NAME, name=self.name))  # fmt: skip
        if name == self.picture:
            return project
        if name in project.pictures or name in project.sequences:
            raise CommandError(tr("there is a picture called {name!r} already", name=name))
        names = {self.picture: name}
        if kit.prepared is None or not kit.prepared.beside:  # what is made beside it is called after it
            for other, one in project.pictures.items():
                if one.prepared is not None and one.prepared.beside == self.picture:
                    names[other] = f"{name} {one.prepared.gives}"
        return renamed(project, names)


class RemovePictures(Command, frozen=True, tag="remove-pictures"):
    """Take pictures out of the kit that nothing shows."""

    label: ClassVar[str] = tr("Remove pictures")
    pictures: tuple[str, ...]

    def apply(self, project: Project) -> Project:
        for name in self.pictures:
            if name not in project.sequences:
                _kit(project, name)
            used = where_used(project, name)
            if used:
                raise CommandError(tr("'{name}' is still used: {places}", name=name, places=", ".join(used)))
        gone = set(self.pictures)
        for name in self.pictures:
            gone |= set(project.sequences.get(name, {}).values())
        kept = {name: one for name, one in project.pictures.items() if name not in gone}
        kept = {
            name: replace(one, prepared=replace(one.prepared, beside=""))
            if one.prepared is not None and one.prepared.beside in gone
            else one
            for name, one in kept.items()
        }  # what was made beside one stays, as a picture of its own
        sequences = {name: tiles for name, tiles in project.sequences.items() if name not in gone}
        pinned = {name: one for name, one in project.pinned.items() if name not in gone}
        return replace(project, pictures=kept, sequences=sequences, pinned=pinned)


class MergePictures(Command, frozen=True, tag="merge-pictures"):
    """Have one picture shown in the place of others that are the same, and take those out."""

    label: ClassVar[str] = tr("Merge doubles")
    keep: str
    others: tuple[str, ...]

    def apply(self, project: Project) -> Project:
        kept = _kit(project, self.keep)
        for name in self.others:
            if name == self.keep or _kit(project, name).digest != kept.digest:
                raise CommandError(tr("'{name}' and '{keep}' are not the same picture", name=name, keep=self.keep))
        tags = with_tags(kept.tags, tuple(tag for name in self.others for tag in project.pictures[name].tags), ())
        merged = renamed(project, dict.fromkeys(self.others, self.keep))
        return replace(merged, pictures={**merged.pictures, self.keep: replace(kept, tags=tags)})


class _Renaming(Carrying):
    """Pictures called otherwise."""

    def __init__(self, names: dict[str, str]) -> None:
        self.names = names

    def picture(self, name: str) -> str:
        return self.names.get(name, name)


def renamed(project: Project, names: dict[str, str]) -> Project:
    """A project with pictures called otherwise; several may come to one, of which the one of that name stays."""
    new = names.get
    pictures: dict[str, KitPicture] = {}
    for name, kit in project.pictures.items():
        if new(name, name) in pictures or (name in names and names[name] in project.pictures):
            continue
        made = kit.prepared
        if made is not None and made.beside in names:
            kit = replace(kit, prepared=replace(made, beside=names[made.beside]))
        pictures[new(name, name)] = kit
    sequences = {
        name: {tile: new(one, one) for tile, one in tiles.items()} for name, tiles in project.sequences.items()
    }
    slides = {
        name: replace(slide, picture=new(slide.picture, slide.picture)) for name, slide in project.slides.items()
    }
    pinned = {new(name, name): one for name, one in project.pinned.items()}
    renamed_everywhere = carried(replace(project, slides=slides, pinned=pinned), _Renaming(names))
    return replace(renamed_everywhere, pictures=pictures, sequences=sequences)


def with_tags(tags: tuple[str, ...], add: tuple[str, ...], drop: tuple[str, ...]) -> tuple[str, ...]:
    """Tags in the order in which they were given, each once, in lower case.

    Raises
    ------
    CommandError
        If one is no tag.
    """
    without = {tag.strip().lower() for tag in drop}
    found = [tag for tag in tags if tag not in without]
    for given in add:
        tag = " ".join(given.lower().split())
        if not tag or len(tag) > LONGEST_NAME or "," in tag:
            raise CommandError(tr("a tag is a word or a few without a comma, not {tag!r}", tag=given))
        if tag not in found:
            found.append(tag)
    if len(found) > _MOST_TAGS:
        raise CommandError(tr("a picture has up to {most} tags", most=_MOST_TAGS))
    return tuple(found)


def clean_folder(folder: str) -> str:
    """A folder of the kit, ``signs/old``; "" for none.

    Raises
    ------
    CommandError
        If it leads out of the kit.
    """
    parts = [part.strip() for part in folder.replace("\\", "/").split("/") if part.strip()]
    if any(part.startswith(".") for part in parts) or len(folder) > LONGEST_NAME:
        raise CommandError(tr("{folder!r} is no folder of the kit; write it like signs/old", folder=folder))
    return "/".join(parts)


def _kit(project: Project, name: str) -> KitPicture:
    if name not in project.pictures:
        raise CommandError(tr("picture {name!r} is not in the kit; add it first", name=name))
    return project.pictures[name]
