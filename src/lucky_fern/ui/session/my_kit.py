"""My kit in the window: what lies in its folder, looked at beside the window whenever that changes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from lucky_fern.core.errors import PictureError
from lucky_fern.core.files import read_file
from lucky_fern.core.kit.arriving import (
    Brought,
    from_my_kit,
    into_my_kit,
    pack_into_my_kit,
    pack_into_project,
    said_of,
)
from lucky_fern.core.kit.mine import Mine, MyKit, own_kit
from lucky_fern.core.kit.packs import read_pack
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.ui.session.answers import Answers
from lucky_fern.ui.session.bringing import Bringing
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.words import counted, tr

_SETTLED = 300  # milliseconds after the last word of the folder
_MOST_WATCHED = 500  # folders


class MyKitAtHand(QObject):
    """``changed``: other files than before, or other words about them."""

    changed = Signal()

    def __init__(self, work: Work, errands: Errands, answers: Answers, bringing: Bringing) -> None:
        super().__init__()
        self.work, self.errands, self.answers = work, errands, answers
        self.kit = MyKit(own_kit())
        self.files: list[Mine] = []
        self.looked = False
        self._watcher = QFileSystemWatcher(self)
        self._rest = QTimer(self, singleShot=True, interval=_SETTLED)
        self._rest.timeout.connect(self.look)
        self._watcher.directoryChanged.connect(lambda _: self._rest.start())
        bringing.shelves.append(self._takes)

    @property
    def busy(self) -> bool:
        """Whether the folder has changed and was not looked at since."""
        return self._rest.isActive()

    def move_to(self, folder: str) -> None:
        """Another folder is my kit ("" for the usual one)."""
        place = Path(folder).expanduser() if folder else own_kit()
        if place != self.kit.folder:
            self.kit = MyKit(place)
            if self.looked:
                self.look()

    def look(self) -> None:
        """List what there is, beside the window, and go on watching."""
        kit, self.looked = self.kit, True

        def done(found: list[Mine]) -> None:
            if kit is not self.kit:
                return
            self._watch(found)
            for note in kit.notes:
                self.work.warn(note)
            kit.notes.clear()
            if found != self.files:
                self.files = found
                self.changed.emit()

        self.answers.ask("my kit", kit.files, done)

    def find(self, name: str) -> Mine | None:
        return next((one for one in self.files if one.name == name), None)

    def _watch(self, found: list[Mine]) -> None:
        folders = {str(self.kit.folder), *(str(one.path.parent) for one in found)}
        wanted = {one for one in sorted(folders)[:_MOST_WATCHED] if Path(one).is_dir()}
        now = set(self._watcher.directories())
        if now - wanted:
            self._watcher.removePaths(sorted(now - wanted))
        if wanted - now:
            self._watcher.addPaths(sorted(wanted - now))

    def _takes(self, path: Path, then: Callable[[str], object]) -> bool:
        """Whether a file that is dropped is one of mine: what is known of it comes along."""
        if not path.is_relative_to(self.kit.folder):
            return False
        self.take_out(path.relative_to(self.kit.folder).as_posix(), then)
        return True

    # --- pictures on their way ------------------------------------------------------------------------------------

    def take_out(self, name: str, then: Callable[[str], object] = lambda _: None) -> None:
        """Copy a picture into the project, with what is known of it; ``then`` gets its name there."""
        studio, kit = self.work.studio, self.kit
        if studio is None:
            self.work.warn(tr("Open a model first; pictures come after it."))
            return

        def done(brought: Brought) -> None:
            if self.work.studio is studio and (brought.command is None or self.work.execute(brought.command)):
                then(brought.names[0])

        self.errands.send(tr("Reading {name} …", name=name), lambda: from_my_kit(studio, kit, name), done)

    def keep(self, names: list[str]) -> None:
        """Keep pictures of the project in my kit."""
        studio, kit = self.work.studio, self.kit
        if studio is not None:
            self.errands.send(tr("Keeping pictures …"), lambda: into_my_kit(studio, names, kit), self._kept)

    def keep_files(self, paths: list[Path]) -> None:
        """Copy picture files into my kit, as they are; what cannot be read stays out and is told."""
        kit = self.kit

        def work() -> list[str]:
            done = []
            for path in paths:
                data = read_file(path, PictureError)
                read_picture(data, path.name)  # nobody wants a file that is none
                done.append(kit.add(data, path.name))
            return done

        self.errands.send(tr("Keeping pictures …"), work, self._kept)

    def _kept(self, names: list[str]) -> None:
        self.work.say(tr("In my kit: {count}.", count=counted(len(names), "picture")))
        self.look()

    def bring_pack(self, path: Path, to: str) -> None:
        """Bring a folder or zip in whole: into the ``project``, ``mine`` or ``both``."""
        studio, kit = self.work.studio, self.kit
        if studio is None and to != "mine":
            self.work.warn(tr("Open a model first; pictures come after it."))
            return

        def work(told: Callable[[float], None]) -> tuple[str, Brought]:
            pack = read_pack(path)
            kept = pack_into_my_kit(kit, pack, told) if to != "project" else None
            brought = pack_into_project(studio, pack, told) if studio is not None and to != "mine" else kept
            assert brought is not None
            return said_of(pack, brought), brought

        def done(found: tuple[str, Brought]) -> None:
            said, brought = found
            if brought.command is not None and self.work.studio is studio:
                self.work.execute(brought.command)
            self.work.say(said)
            if to != "project":
                self.look()

        self.errands.send_long(tr("Bringing in {name} …", name=path.name), work, done)

    # --- what is said of them -------------------------------------------------------------------------------------

    def change(self, work: Callable[[MyKit], object]) -> None:
        """Change something in my kit beside the window; what goes wrong is told."""
        kit = self.kit
        self.errands.send(tr("Changing my kit …"), lambda: work(kit), lambda _: self.look())
