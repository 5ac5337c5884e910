"""Steps about the kit itself: what is said of pictures, packs that are brought in, my kit on this computer."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import msgspec

from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.files import read_file
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.places import kept_picture
from lucky_fern.core.kit.arriving import into_my_kit, pack_into_my_kit, pack_into_project, said_of
from lucky_fern.core.kit.mine import MyKit, own_kit
from lucky_fern.core.kit.packs import read_pack
from lucky_fern.core.kit.palettes import palette_of, palette_text, read_palette
from lucky_fern.core.limits import MOST_SMALL_FILE
from lucky_fern.core.project.commands import Describe, KeepPalette, MergePictures, RemovePictures, RenamePicture
from lucky_fern.core.project.usage import duplicates
from lucky_fern.words import tr


class DescribeStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``describe``: tags (added), a folder, a favourite, another name; of pictures of the kit."""

    do: str
    pictures: list[str]
    tags: list[str] = []
    drop_tags: list[str] = []
    folder: str | None = None
    favourite: bool | None = None
    name: str | None = None


class RemovePictureStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``remove-pictures``: pictures of the kit that nothing shows; ``doubles`` merges what is there twice."""

    do: str
    pictures: list[str] = []
    doubles: bool = False


class PackStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``pack``: a folder or zip of pictures brought in whole, with its licence file."""

    do: str
    source: str = msgspec.field(name="from")
    to: Literal["project", "my-kit", "both"] = "project"
    my_kit: str | None = None


class KeepPictureStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``keep-picture``: pictures kept in my kit, on this computer; ``my_kit`` is another folder for it."""

    do: str
    pictures: list[str]
    my_kit: str | None = None


class PaletteStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``palette``: colours kept under a name: a list, those of a text file, or ``count`` that stand for a picture;
    ``out`` writes them as text.
    """

    do: str
    name: str
    colours: list[str] | None = None
    source: str | None = msgspec.field(name="from", default=None)
    picture: str | None = None
    count: int = 16
    out: str | None = None


def do_palette(here: Here, step: PaletteStep) -> str:
    """Do the step; the palette's name."""
    given = [one is not None for one in (step.colours, step.source, step.picture)]
    if sum(given) != 1:
        raise CommandError(tr("a palette is given by 'colours', 'from' or 'picture', one of them"))
    if step.source is not None:
        path = here.folder / step.source
        colours = read_palette(read_file(path, PictureError, MOST_SMALL_FILE), path.name)
    elif step.picture is not None:
        if not 1 <= step.count <= 256:
            raise CommandError(tr("'count' runs from 1 to 256, not {count}", count=step.count))
        name = kept_picture(here.studio, here.folder, step.picture)
        colours = palette_of(here.studio.sources.picture(here.studio.project.pictures[name]), step.count)
    else:
        colours = tuple(step.colours or ())
    here.studio.execute(KeepPalette(step.name, colours))
    if step.out is not None:
        path = here.folder / step.out
        here.later.append(lambda: {path: palette_text(colours)})
    return step.name


def do_describe(here: Here, step: DescribeStep) -> str:
    """Do the step; the pictures' names."""
    names = tuple(kept_picture(here.studio, here.folder, one) for one in step.pictures)
    here.studio.execute(Describe(names, tuple(step.tags), tuple(step.drop_tags), step.folder, step.favourite))
    if step.name is not None:
        if len(names) != 1:
            raise CommandError(tr("'name' is for one picture at a time"))
        here.studio.execute(RenamePicture(names[0], step.name))
        names = (step.name.strip(),)
    return ", ".join(names)


def do_remove_pictures(here: Here, step: RemovePictureStep) -> str:
    """Do the step; what is not there any more."""
    gone = list(step.pictures)
    if step.doubles:
        for first, *others in duplicates(here.studio.project):
            here.studio.execute(MergePictures(first, tuple(others)))
            gone += others
    if step.pictures:
        here.studio.execute(RemovePictures(tuple(step.pictures)))
    return ", ".join(gone)


def do_pack(here: Here, step: PackStep) -> str:
    """Do the step; the names of what came in."""
    pack, studio = read_pack(here.folder / step.source), here.studio
    names: tuple[str, ...] = ()
    if step.to != "my-kit":
        brought = pack_into_project(studio, pack)
        if brought.command is not None:
            studio.execute(brought.command)
        studio.notes.append(said_of(pack, brought))
        names = brought.names
    if step.to != "project":
        brought = pack_into_my_kit(_kit(here, step.my_kit), pack)
        names = names or brought.names
    return ", ".join(names)


def do_keep_picture(here: Here, step: KeepPictureStep) -> str:
    """Do the step; the files in my kit."""
    names = [kept_picture(here.studio, here.folder, one) for one in step.pictures]
    return ", ".join(into_my_kit(here.studio, names, _kit(here, step.my_kit)))


def _kit(here: Here, folder: str | None) -> MyKit:
    return MyKit(own_kit() if folder is None else Path(here.folder / folder))
