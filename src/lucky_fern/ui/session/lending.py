"""Sheets in another program's hands: they go out as files, and come back by themselves as those are saved."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import write_whole
from lucky_fern.core.lending import file_of, files_of, lend, read_back, take_back
from lucky_fern.core.project.commands import Lend, TakeBack
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.loans import Box, Loan
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_SETTLED = 500  # milliseconds after the last word of a file: programs write in several goes


class Lending(QObject):
    """``changed``: other loans than before; ``looked``: whether files were saved; ``lent``: files are written (the
    first is for the other program).
    """

    changed = Signal()
    looked = Signal()
    lent = Signal(Path)

    def __init__(self, work: Work, errands: Errands) -> None:
        super().__init__()
        self.work, self.errands = work, errands
        self._watcher = QFileSystemWatcher(self)
        self._seen: dict[str, tuple[int, int]] = {}  # file → when it was written last, and its size
        self._rest = QTimer(self, singleShot=True, interval=_SETTLED)
        self._rest.timeout.connect(self.look)
        self._watcher.fileChanged.connect(lambda _: self._rest.start())
        self._watcher.directoryChanged.connect(lambda _: self._rest.start())
        work.project_changed.connect(self._follow)

    @property
    def busy(self) -> bool:
        """Whether a file has changed and was not taken back so far."""
        return self._rest.isActive()

    def loans(self) -> dict[str, Loan]:
        """What is on loan."""
        project = self.work.project
        return {} if project is None else project.loans

    def lend(self, key: SheetKey, maps: tuple[str, ...], path: Path, box: Box | None = None) -> None:
        """Write a sheet's maps (a box of them, if one is given) as files, and wait for them to be saved elsewhere."""
        studio = self.work.studio
        if studio is None:
            return
        name = path.stem

        def work() -> Lend:
            command = lend(studio, name, str(key), box, maps, str(path.resolve()))
            assert command.loan is not None
            for place, data in files_of(studio, command.loan, path).items():
                write_whole(place, data)
            return command

        def done(command: Lend) -> None:
            if studio is self.work.studio and self.work.execute(command):
                assert command.loan is not None
                self.work.say(
                    tr("{name} is on loan: save it in the other program, and what you changed there comes back.",
                       name=path.name)
                )  # fmt: skip
                self.lent.emit(file_of(command.loan, path, next(iter(command.loan.lent))))

        self.errands.send(tr("Lending {name} …", name=path.name), work, done)

    def forget(self, name: str) -> None:
        """Wait for it no longer; what came back stays."""
        self.work.execute(Lend(name, None))

    def _follow(self, change: Change) -> None:
        """Watch the files of all loans, also of those that a project brings along."""
        if not change.touches("loans") or change.after is None:
            return
        before = self._watcher.files() + self._watcher.directories()
        if before:
            self._watcher.removePaths(before)
        files = [str(place) for loan in change.after.loans.values() for place in _places(loan)]
        there = [file for file in files if Path(file).exists()]
        folders = sorted({str(Path(file).parent) for file in files if Path(file).parent.is_dir()})
        if there or folders:
            self._watcher.addPaths([*there, *folders])
        known = _loans(change.before)
        for name, loan in change.after.loans.items():
            if not change.whole and (known.get(name) is None or known[name].lent != loan.lent):
                self._seen.update({str(place): mark for place in _places(loan) if (mark := _mark(place))})
        if change.whole and change.after.loans:  # lent before: it may have been saved since
            self._rest.start()
        self.changed.emit()

    def look(self) -> None:
        """Take back what was saved elsewhere since."""
        for name, loan in self.loans().items():
            marks = {str(place): mark for place in _places(loan) if (mark := _mark(place))}
            if any(self._seen.get(place) != mark for place, mark in marks.items()):
                self._seen.update(marks)
                self._take(name, loan)
        again = [file for loan in self.loans().values() for file in map(str, _places(loan))
                 if file not in self._watcher.files() and Path(file).exists()]  # fmt: skip
        if again:  # a program that puts another file in its place is watched on
            self._watcher.addPaths(again)
        self.looked.emit()

    def _take(self, name: str, loan: Loan) -> None:
        studio = self.work.studio
        if studio is None:
            return

        def done(command: TakeBack) -> None:
            if studio is not self.work.studio or name not in studio.project.loans:
                return
            if not _says_more(studio.project, name, command):
                return
            if self.work.execute(command):
                self.work.say(tr("{name} is back: what was changed lies in the layer of that name.", name=name))

        self.errands.send(
            tr("Taking {name} back …", name=name),
            lambda: take_back(studio, name, read_back(loan, Path(loan.file))),
            done,
        )


def _loans(project: Project | None) -> dict[str, Loan]:
    return {} if project is None else project.loans


def _places(loan: Loan) -> list[Path]:
    """The files that a loan lies in."""
    return [file_of(loan, Path(loan.file), name) for name in loan.lent] if loan.file else []


def _mark(place: Path) -> tuple[int, int] | None:
    """What tells that a file was written again."""
    try:
        found = place.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size


def _says_more(project: Project, name: str, command: TakeBack) -> bool:
    """Whether what came back is other than what is there already."""
    number = project.loans[name].layer
    try:
        layer = None if number is None else project.layer(number)
    except (KeyError, CommandError):
        layer = None
    there = {} if layer is None else layer.content.painted or {}
    return dict(there) != dict(command.sheets)
