"""Recipes at hand: which there are, putting one on the stack, keeping a layer as one, and their pictures."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np
import platformdirs
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import U8
from lucky_fern.core.errors import ProjectError
from lucky_fern.core.files import read_file, safe_name, write_whole
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.project.commands import KeepRecipe
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.recipe_shelf import Kept, at_hand
from lucky_fern.core.recipes import SUFFIX, keep_in_kit, keep_recipe, own_folder, read_recipe, take_recipe
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

SIDE = 120  # pixels of a picture
_REVISION = 2  # of how they are drawn


class Recipes(QObject):
    """``changed``: there are others than before."""

    changed = Signal()

    def __init__(self, work: Work, selection: Selection, errands: Errands) -> None:
        super().__init__()
        self.work, self.selection, self.errands = work, selection, errands
        work.studio_changed.connect(self.changed)
        work.project_changed.connect(self._follow)

    def _follow(self, change: Change) -> None:
        before = {} if change.before is None else change.before.recipes
        if change.after is not None and change.after.recipes is not before and change.after.recipes != before:
            self.changed.emit()

    def listed(self) -> list[Kept]:
        """All of them, the project's first."""
        return at_hand(self.work.studio)

    def find(self, key: str) -> Kept | None:
        return next((one for one in self.listed() if one.key == key), None)

    # --- putting on -------------------------------------------------------------------------------------------------

    def put(self, kept: Kept, scope: Scope | None = None) -> None:
        """Put one above the selected layer, on all of the model or on a part of it; its file is read beside the
        window."""
        self._take(kept.name, kept.read, scope)

    def put_file(self, path: Path) -> None:
        """The same with a file from anywhere."""
        self._take(path.name, lambda: read_file(path, ProjectError, MOST_FILE), None)

    def _take(self, name: str, read: Callable[[], bytes], scope: Scope | None) -> None:
        studio, above = self.work.studio, self.selection.selected
        if studio is None:
            return
        self.work.end_gesture()
        self.errands.send(
            tr("Reading {name} …", name=name),
            lambda: take_recipe(studio, read(), name, scope=scope, above=above),
            self.work.execute,
        )

    # --- keeping ----------------------------------------------------------------------------------------------------

    def keep(self, layer: Layer, place: Path | None) -> None:
        """Keep a layer: in a file, or in the project's kit. What stays behind is said."""
        studio = self.work.studio
        if studio is None:
            return

        def work() -> tuple[KeepRecipe | None, list[str]]:
            if place is None:
                return keep_in_kit(studio, layer.id)
            data, told = keep_recipe(studio, layer.id, place.stem)
            write_whole(place, data)
            return None, told

        def done(made: tuple[KeepRecipe | None, list[str]]) -> None:
            command, told = made
            if command is not None:
                self.work.execute(command)
                said = tr("Kept {name} in the project's kit.", name=layer.name)
            else:
                said = tr("Kept {name} as {file}.", name=layer.name, file="" if place is None else place.name)
                self.changed.emit()
            more = " ".join(f"{one[:1].upper()}{one[1:]}." for one in told)
            self.work.said.emit(f"{said} {more}" if told else said, bool(told))

        self.errands.send(tr("Keeping {name} …", name=layer.name), work, done)

    def keep_mine(self, kept: Kept) -> None:
        """Copy one of the project's onto this computer."""
        place = own_folder() / f"{safe_name(kept.name)}{SUFFIX}"

        def work() -> None:
            place.parent.mkdir(parents=True, exist_ok=True)
            write_whole(place, kept.read())

        def done(_: None) -> None:
            self.work.say(tr("Kept {name} on this computer.", name=kept.name))
            self.changed.emit()

        self.errands.send(tr("Keeping {name} …", name=kept.name), work, done)

    def forget(self, kept: Kept) -> None:
        """Be rid of one: out of the project (that can be undone), or its file put aside."""
        if kept.whose == "project":
            self.work.execute(KeepRecipe(kept.name, None))
            return
        path = own_folder() / f"{kept.name}{SUFFIX}"
        with suppress(OSError):
            path.replace(path.with_name(path.name + "~"))
        self.work.say(tr("{name} lies beside the others as {file} now.", name=kept.name, file=path.name + "~"))
        self.changed.emit()

    # --- pictures ---------------------------------------------------------------------------------------------------

    def picture(self, kept: Kept) -> U8:
        """(120, 120, 4) uint8 what it looks like; kept on disk. Takes a moment: not for the window's thread.

        Raises
        ------
        LuckyFernError
            If its file cannot be read.
        """
        from lucky_fern.core.recipe_look import look_of  # a whole compositor: only where pictures are drawn

        data = kept.read()
        name = hashlib.sha256(data + bytes([_REVISION])).hexdigest()[:32]
        path = Path(platformdirs.user_cache_dir("lucky-fern")) / "recipes" / f"{name}.png"
        with suppress(OSError, cv2.error):
            found = cv2.imdecode(np.frombuffer(path.read_bytes(), np.uint8), cv2.IMREAD_UNCHANGED)
            if found is not None and found.shape == (SIDE, SIDE, 4):
                return np.asarray(cv2.cvtColor(found, cv2.COLOR_BGRA2RGBA), np.uint8)
        made = look_of(*read_recipe(data, kept.name), SIDE)
        with suppress(OSError):
            path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(path, cv2.imencode(".png", cv2.cvtColor(made, cv2.COLOR_RGBA2BGRA))[1].tobytes())
        return made
