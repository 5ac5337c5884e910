"""All recipes that are at hand: the project's, those kept on this computer, and those that come with the program."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Literal

from lucky_fern.core.errors import ProjectError
from lucky_fern.core.files import read_file
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.file import pack
from lucky_fern.core.ready import SHELF, WEAR
from lucky_fern.core.recipes import SUFFIX, own_folder
from lucky_fern.core.studio import Studio

Whose = Literal["project", "mine", "made"]


@dataclass(frozen=True)
class Kept:
    """A recipe at hand: its name, whose it is, and what reads its file (LuckyFernError if that cannot be)."""

    name: str
    whose: Whose
    read: Callable[[], bytes]

    @property
    def key(self) -> str:
        """What tells it from all others."""
        return f"{self.whose}/{self.name}"


def at_hand(studio: Studio | None, folder: Path | None = None) -> list[Kept]:
    """Every recipe, the project's first; ``folder`` in place of this computer's own."""
    found: list[Kept] = []
    if studio is not None:
        blobs = studio.blobs
        found += [Kept(name, "project", partial(blobs.__getitem__, digest))
                  for name, digest in studio.project.recipes.items()]  # fmt: skip
    found += [Kept(path.stem, "mine", partial(read_file, path, ProjectError, MOST_FILE))
              for path in sorted((folder or own_folder()).glob(f"*{SUFFIX}"))]  # fmt: skip
    return found + made(WEAR) + made(SHELF)


def made(table: dict[str, tuple[str, Callable[[], Project]]]) -> list[Kept]:
    """Those of a table that come with the program."""
    return [Kept(title, "made", partial(_written, make)) for title, make in table.values()]


def _written(make: Callable[[], Project]) -> bytes:
    return packed(make())


def packed(recipe: Project) -> bytes:
    """The file of a recipe that refers to no contents."""
    return pack(recipe, Blobs())


def recipe_called(studio: Studio, name: str) -> Kept | None:
    """The one of a name, in whatever case; the project's before one's own before those that come along."""
    return next((one for one in at_hand(studio) if one.name.casefold() == name.casefold()), None)
