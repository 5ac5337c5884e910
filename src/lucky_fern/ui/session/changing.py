"""Pictures of the kit whose files change on disk: read again everywhere, if the person said so once."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import platformdirs
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.files import safe_name, write_whole
from lucky_fern.core.picturing import Reloaded, main_picture, preparation_of, reload
from lucky_fern.core.project.commands import Describe
from lucky_fern.core.project.document import Project
from lucky_fern.ui.session.answers import Answers
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.watched_files import WatchedFiles
from lucky_fern.ui.session.work import Work
from lucky_fern.words import counted, tr

Wish = Literal["ask", "yes", "no"]


class Changing(QObject):
    """``asked``: files of some pictures are other ones now, and what to do was never said; ``wish_changed``: it was;
    ``ready``: a file is there to be opened in another program; ``looked``: whether files are other ones.
    """

    asked = Signal(list)
    wish_changed = Signal()
    ready = Signal(Path)
    looked = Signal()

    def __init__(self, work: Work, errands: Errands, answers: Answers) -> None:
        super().__init__()
        self.work, self.errands, self.answers = work, errands, answers
        self.wish: Wish = "ask"
        self._files = WatchedFiles()
        self._files.rested.connect(self.look)
        self._waiting: dict[str, None] = {}  # pictures that were asked about
        work.project_changed.connect(self._follow)

    @property
    def busy(self) -> bool:
        """Whether a file has changed and was not looked at so far."""
        return self._files.busy

    def _follow(self, change: Change) -> None:
        if change.after is None or not (change.whole or change.touches("pictures")):
            return
        files = files_of(change.after)
        self._files.watch(files)
        if change.whole:
            self._waiting.clear()
            if files:  # they may have been written while nobody looked
                self._files.look_soon()
        else:
            before = set() if change.before is None else set(files_of(change.before))
            self._files.know(file for file in files if file not in before)

    def look(self) -> None:
        """See which pictures' files hold something else than they did."""
        studio, news = self.work.studio, self._files.news()
        if studio is None or not news or self.wish == "no":
            self.looked.emit()
            return
        names = tuple(name for name, kit in studio.project.pictures.items() if kit.file in news)

        def done(found: Reloaded) -> None:
            if studio is self.work.studio and found.command is not None:
                self._take(found)
            self.looked.emit()

        self.answers.ask("changed pictures", lambda: reload(studio, only=names, strict=False), done)

    def _take(self, found: Reloaded) -> None:
        if self.wish == "yes":
            assert found.command is not None
            if self.work.execute(found.command):
                self.work.say(_said(found.names))
        else:
            self._waiting.update(dict.fromkeys(found.names))
            self.asked.emit(list(self._waiting))

    def answer(self, wish: Wish) -> None:
        """What the person says: read them again now, and from now on by itself; or never."""
        self.wish = wish
        self.wish_changed.emit()
        studio, names = self.work.studio, tuple(self._waiting)
        self._waiting.clear()
        if wish != "yes" or studio is None or not names:
            return

        def done(found: Reloaded) -> None:
            if studio is self.work.studio and found.command is not None and self.work.execute(found.command):
                self.work.say(_said(found.names))

        self.errands.send(tr("Reading changed pictures …"), lambda: reload(studio, only=names), done)

    def edit_elsewhere(self, picture: str) -> None:
        """Have a picture's original as a file that another program can open; what is saved there is read again.

        A picture that has none gets one, in a folder of this program.
        """
        studio = self.work.studio
        if studio is None:
            return
        identity = main_picture(studio.project, picture)
        kit = studio.project.pictures[identity]
        if kit.file and Path(kit.file).is_file():
            self.ready.emit(Path(kit.file))
            return
        made = preparation_of(kit)
        place = _edited() / safe_name(studio.project.name) / safe_name(made.name)

        def done(_: None) -> None:
            if studio is self.work.studio and self.work.execute(Describe((identity,), file=str(place))):
                self.ready.emit(place)

        self.errands.send(
            tr("Writing {name} …", name=place.name), lambda: write_whole(place, studio.blobs[made.original]), done
        )


def files_of(project: Project) -> list[str]:
    """The files that a project's pictures were read from."""
    return [kit.file for kit in project.pictures.values() if kit.file]


def _edited() -> Path:
    return Path(platformdirs.user_data_dir("lucky-fern")) / "edited"


def _said(names: tuple[str, ...]) -> str:
    few = ", ".join(names) if len(names) < 6 else counted(len(names), "picture")
    return tr("Read again: {names}.", names=few)
