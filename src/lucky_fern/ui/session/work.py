"""The work: the project that is open, and the one way in which the window changes it."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import LuckyFernError, ProjectError
from lucky_fern.core.incoming import first_washes
from lucky_fern.core.model.model import Texture
from lucky_fern.core.parallel import Aside
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.first_look import Look
from lucky_fern.core.project.history import LIMIT
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.saving import Saves
from lucky_fern.words import tr

_ADJUSTING = 0.4  # seconds
_Opened = tuple[Studio, list[Texture]]  # with the pictures that its model names and that are nowhere


class Work(QObject):
    """Holds the studio and its file, and tells what changed; parts of the session hear it before any widget."""

    studio_changed = Signal()  # another one is open
    studio_left = Signal()  # … in place of one that was
    layout_changed = Signal()  # the same model, laid out or built otherwise
    project_changed = Signal(object)  # a Change
    undo_room_changed = Signal(int)  # bytes
    said = Signal(str, bool)  # a sentence; whether it is a warning

    def __init__(self, errands: Errands, saves: Saves, prepare_light: Callable[[], object] = lambda: None) -> None:
        """``prepare_light`` is done beside opening: what the first frame of a model would wait for."""
        super().__init__()
        self.studio: Studio | None = None
        self.path: Path | None = None
        self.missing: list[Texture] = []  # pictures that the model names and that are nowhere
        self.readers: set[object] = set()  # who reads older states of the project, or their pixels
        self.errands, self.saves = errands, saves
        self.undo_room = LIMIT  # bytes that steps to undo may take, in whatever project
        self.look_of: Callable[[Project], Look] = lambda _: {}  # what a project's maps look like, if anybody knows
        self.keep_previous = False  # whether saving leaves the file before it as NAME.fern~
        self.open_elsewhere: Callable[[Path], bool] = lambda path: False  # whether another window works on a file
        self.may_replace: Callable[[], bool] = lambda: True  # asks what to do with unsaved changes
        self._prepare_light = prepare_light
        self._adjusted = float("-inf")  # when an edit went on with the one before (time.monotonic)
        self._told: Project | None = None  # the state that everyone was told of last
        self._surface: Surface | None = None  # the one that everyone was told of last
        errands.failed.connect(self.warn)

    # --- reading --------------------------------------------------------------------------------------------

    @property
    def project(self) -> Project | None:
        return self.studio.project if self.studio is not None else None

    def pixel_art(self) -> frozenset[SheetKey]:
        """The sheets whose texels are meant to be seen."""
        return frozenset() if self.studio is None else self.studio.pixel_art

    def sheet_sizes(self) -> dict[SheetKey, Extent]:
        if self.studio is None:
            return {}
        return {key: self.studio.project.size_of(key) for key in self.studio.surface.keys}

    # --- saying ---------------------------------------------------------------------------------------------

    def say(self, sentence: str) -> None:
        """One quiet sentence for the person."""
        self.said.emit(sentence, False)

    def warn(self, sentence: str) -> None:
        """A sentence about what did not work, or needs a look."""
        self.said.emit(sentence, True)

    # --- editing --------------------------------------------------------------------------------------------

    def execute(self, command: Command, merge: bool = False) -> bool:
        """Do an edit; False, with a sentence shown, if it makes no sense."""
        if self.studio is None:
            return False
        try:
            self.studio.execute(command, merge)
        except LuckyFernError as error:
            self.warn(str(error))
            return False
        if merge:
            self._adjusted = time.monotonic()
        self.refresh(command)
        return True

    @property
    def adjusting(self) -> bool:
        """Whether a slider or a handle was moved just now: what comes of it is to be seen at once (any thread)."""
        return time.monotonic() - self._adjusted < _ADJUSTING

    def end_gesture(self) -> None:
        """A slider or a handle was let go: the next edit is a step of its own."""
        if self.studio is not None:
            self.studio.history.seal()

    def undo(self) -> None:
        self._step(back=True)

    def redo(self) -> None:
        self._step(back=False)

    def _step(self, back: bool) -> None:
        if self.studio is None:
            return
        history = self.studio.history
        label = history.undo_label if back else history.redo_label
        if label is None:
            return
        self.jump(history.at + (-1 if back else 1))
        self.say(f"{'Undone' if back else 'Done again'}: {label}")

    def jump(self, at: int) -> None:
        """Go to a step of the history."""
        if self.studio is None or at == self.studio.history.at:
            return
        self.studio.jump(at)
        self.refresh()

    def refresh(self, command: Command | None = None, whole: bool = False) -> None:
        """Have everything follow the project as it is now; ``command`` is what made it so."""
        studio = self.studio
        if studio is not None and studio.surface is not self._surface:
            self._surface = studio.surface
            self.layout_changed.emit()
        change = Change(self._told, self.project, command, whole)
        self._told = self.project
        self.project_changed.emit(change)

    # --- files ----------------------------------------------------------------------------------------------

    def take(self, studio: Studio, path: Path | None = None) -> None:
        """Work on another studio from now on."""
        left = self.studio is not None
        self.studio, self.path, self.missing = studio, path, []
        studio.history.limit = self.undo_room
        self._surface = studio.surface
        self._ready_light()
        self.studio_changed.emit()
        if left:
            self.studio_left.emit()
        self.refresh(whole=True)
        for warning in studio.warnings:
            self.warn(warning)

    def give_undo(self, room: int) -> None:
        """Let steps to undo take so many bytes, here and in what is opened later."""
        self.undo_room = room
        if self.studio is not None:
            self.studio.history.limit = room
        self.undo_room_changed.emit(room)

    def save(self, path: Path, then: Callable[[bool], object] = lambda done: None) -> None:
        """Save the project beside the window; ``then`` is told whether it was. What the disk refuses is said."""
        studio = self.studio
        if studio is None:
            then(False)
            return
        project, backup = studio.project, self.keep_previous

        def ended(why: str | None) -> None:
            if why is not None:
                self.warn(why)
                then(False)
                return
            studio.saved = project
            if studio is self.studio:
                self.path = path
                self.refresh(whole=True)
            self.say(tr("Saved {name}.", name=path.name))
            then(True)

        self.saves.send(
            tr("Saving {name} …", name=path.name),
            lambda told: studio.write(path, project, backup, told, self.look_of(project)),
            ended,
        )

    def open(self, path: Path) -> None:
        """Open a project, or start one on a model, beside the window; what fails is said."""
        own = path.suffix.lower() == ".fern"
        before = (self.studio, self.project)
        self.errands.send(
            tr("Opening {name} …", name=path.name),
            lambda: self._ready(lambda: (Studio.open(path), []) if own else _started(path)),
            lambda opened: self._arrived(before, *opened, path if own else None),
        )

    def _arrived(
        self, before: tuple[Studio | None, Project | None], studio: Studio, missing: list[Texture], path: Path | None
    ) -> None:
        """It is there; if something was done to the project of before meanwhile, that is not thrown away unasked."""
        if self.studio is before[0] and self.project is not before[1] and not self.may_replace():
            self.say(tr("Not opened: you went on working meanwhile."))
            return
        self._opened(studio, missing, path)

    def _opened(self, studio: Studio, missing: list[Texture], path: Path | None) -> None:
        """Show what was opened; its painted pixels are read in full while it composites."""
        copy = path is not None and self.open_elsewhere(path)
        self.take(studio, None if copy else path)
        self.missing = missing
        notes = [*studio.notes, *([_missing_sentence(missing)] if missing else [])]
        if copy and path is not None:
            notes.append(
                tr(
                    "{name} is open in another window; this is a copy of it: save it under another name.",
                    name=path.name,
                )
            )
        if notes:
            self.warn(" ".join(notes))
        if missing:
            self.refresh(whole=True)
        if path is not None:
            beside("Reading painted pixels", partial(self._fetch, studio.blobs))

    def _fetch(self, blobs: Blobs) -> None:
        try:
            blobs.fetch()
        except ProjectError as error:
            self.warn(str(error))

    def open_demo(self, which: str) -> None:
        """Open one of the demo projects, made first if need be."""

        def make() -> _Opened:
            from lucky_fern.demo.world import demo_studio  # not needed before the window shows

            return demo_studio(which), []

        self.errands.send(tr("Opening the demo …"), lambda: self._ready(make), lambda opened: self.take(opened[0]))

    def _ready(self, make: Callable[[], _Opened]) -> _Opened:
        """What ``make`` opens, with all that the window asks for at once worked out (the model keeps it)."""
        self._ready_light()
        studio, missing = make()
        model, surface = studio.model, studio.surface
        islands = Aside("fern-islands", lambda: model.islands)
        _ = model.tree, model.bounds, surface.nearest, studio.warnings, islands.found(None)
        return studio, missing

    def _ready_light(self) -> None:
        beside("Lighting", self._prepare_light)


def _started(path: Path) -> _Opened:
    """A project on a model file, with the pictures that the file names; and those that are nowhere."""
    studio = Studio.new(path)
    return studio, first_washes(studio, path.parent)


def _missing_sentence(missing: list[Texture]) -> str:
    names = ", ".join(dict.fromkeys(texture.file for texture in missing[:3]))
    return tr(
        "The model names pictures that are not beside it ({names}): point at them at the Model station.", names=names
    )
