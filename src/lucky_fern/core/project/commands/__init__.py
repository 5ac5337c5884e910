"""Every edit a person would name, as plain data that makes a new project from an old one.

The window, the job runner and undo all go through these. A command never changes the project it is
given; it answers with the next one or raises :class:`~lucky_fern.core.errors.CommandError`.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, ClassVar, Self

import msgspec

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command, free_name
from lucky_fern.core.project.commands.exports import SetCredit, SetExports
from lucky_fern.core.project.commands.helps import PinPicture, SetGuides
from lucky_fern.core.project.commands.kit import (
    AddPicture,
    AddSequence,
    KeepPaint,
    KeepPalette,
    KeepRecipe,
    PreparePicture,
    SetFigure,
    SetLabel,
    SetTaken,
)
from lucky_fern.core.project.commands.layout import (
    LayOut,
    RemoveSelection,
    RenameSelection,
    ReplaceModel,
    SaveSelection,
)
from lucky_fern.core.project.commands.lending import Lend, LendView, TakeBack, TakeViewBack
from lucky_fern.core.project.commands.light import SetLight, SetNumbers
from lucky_fern.core.project.commands.masks import (
    AddMaskEntry,
    GiveMask,
    MoveMaskEntry,
    PasteMask,
    SetMask,
    SetMaskEntry,
)
from lucky_fern.core.project.commands.painting import GivePaint, PaintMask, PaintPixels
from lucky_fern.core.project.commands.settings import (
    KeepMeasured,
    LinkLayer,
    SetChannel,
    SetContent,
    SetGroup,
    SetLayer,
    SetPlace,
)
from lucky_fern.core.project.commands.sheets import SetPixelArt, SetSheetSize
from lucky_fern.core.project.commands.shelving import Describe, MergePictures, RemovePictures, RenamePicture
from lucky_fern.core.project.commands.slides import KeepSlide
from lucky_fern.core.project.commands.stack import (
    AddLayer,
    DuplicateLayers,
    GroupLayers,
    MoveLayers,
    RemoveLayers,
    RenameLayer,
    Ungroup,
)
from lucky_fern.core.project.commands.taking import TakeLayers
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.kinds import convert
from lucky_fern.words import tr

__all__ = [
    "AddLayer",
    "AddMaskEntry",
    "AddPicture",
    "AddSequence",
    "AnyCommand",
    "Command",
    "Describe",
    "DuplicateLayers",
    "GiveMask",
    "GivePaint",
    "GroupLayers",
    "KeepMeasured",
    "KeepPaint",
    "KeepPalette",
    "KeepRecipe",
    "KeepSlide",
    "LayOut",
    "Lend",
    "LendView",
    "LinkLayer",
    "MergePictures",
    "MoveLayers",
    "MoveMaskEntry",
    "PaintMask",
    "PaintPixels",
    "PasteMask",
    "PinPicture",
    "PreparePicture",
    "RemoveLayers",
    "RemovePictures",
    "RemoveSelection",
    "RenameLayer",
    "RenamePicture",
    "RenameSelection",
    "ReplaceModel",
    "SaveSelection",
    "SetChannel",
    "SetContent",
    "SetCredit",
    "SetExports",
    "SetFigure",
    "SetGroup",
    "SetGuides",
    "SetLabel",
    "SetLayer",
    "SetLight",
    "SetMask",
    "SetMaskEntry",
    "SetNumbers",
    "SetPixelArt",
    "SetPlace",
    "SetSheetSize",
    "SetTaken",
    "Several",
    "TakeBack",
    "TakeLayers",
    "TakeViewBack",
    "Ungroup",
    "free_name",
    "from_plain",
    "to_plain",
]  # fmt: skip

Single = (
    AddLayer | AddMaskEntry | AddPicture | AddSequence | Describe | DuplicateLayers | GiveMask | GivePaint
    | GroupLayers | KeepMeasured | KeepPaint | KeepPalette | KeepRecipe | KeepSlide | LayOut | Lend | LendView
    | LinkLayer | MergePictures | MoveLayers | MoveMaskEntry | PaintMask | PaintPixels | PasteMask | PinPicture
    | PreparePicture | RemoveLayers | RemovePictures | RemoveSelection | RenameLayer | RenamePicture
    | RenameSelection | ReplaceModel | SaveSelection | SetChannel | SetContent | SetCredit | SetExports
    | SetFigure | SetGroup | SetGuides | SetLabel | SetLayer | SetLight | SetMask | SetMaskEntry | SetNumbers
    | SetPixelArt | SetPlace | SetSheetSize | SetTaken | TakeBack | TakeLayers | TakeViewBack | Ungroup
)  # fmt: skip


class Several(Command, frozen=True, tag="several"):
    """Edits done together, one step of undo: the same change to many layers, or one act of many parts."""

    label: ClassVar[str] = tr("Change layers")
    commands: tuple[Single, ...]
    named: str | None = None

    def brings(self) -> Iterable[str]:
        return [digest for command in self.commands for digest in command.brings()]

    def apply(self, project: Project) -> Project:
        for command in self.commands:
            project = command.apply(project)
        return project

    @property
    def parts(self) -> tuple[Command, ...]:
        return self.commands

    def goes_on_with(self, earlier: Self) -> bool:
        if self.named == earlier.named and self._paints and earlier._paints:
            return True  # one stroke goes on
        return len(earlier.commands) == len(self.commands) and all(
            new.merges_with(old) for new, old in zip(self.commands, earlier.commands, strict=True)
        )

    @property
    def _paints(self) -> bool:
        return all(command.paints for command in self.commands)

    @property
    def title(self) -> str:
        return self.named or (self.commands[0].title if self.commands else self.label)


AnyCommand = Single | Several


def to_plain(command: Command) -> dict[str, Any]:
    """A command as JSON-ready data."""
    plain: dict[str, Any] = msgspec.to_builtins(command, str_keys=True)
    return plain


def from_plain(data: object) -> Command:
    """A command from the data that :func:`to_plain` gave.

    Raises
    ------
    CommandError
        If the data is not a command.
    """
    try:
        command: Command = convert(data, AnyCommand)
    except msgspec.ValidationError as error:
        raise CommandError(tr("not a command: {error}", error=error)) from error
    return command
