"""Sheets in another program's hands: they go out as files, and come back by themselves as those are saved."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import write_whole
from lucky_fern.core.lending import file_of, files_of, lend, read_back, take_back
from lucky_fern.core.project.commands import Lend, TakeBack
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.loans import Box, Loan
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.watched_files import WatchedFiles
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr


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
        self._files = WatchedFiles()
        self._files.rested.connect(self.look)
        work.project_changed.connect(self._follow)

    @property
    def busy(self) -> bool:
        """Whether a file has changed and was not taken back so far."""
        return self._files.busy

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
        self._files.watch(place for loan in change.after.loans.values() for place in _places(loan))
        known = _loans(change.before)
        for name, loan in change.after.loans.items():
            if not change.whole and (known.get(name) is None or known[name].lent != loan.lent):
                self._files.know(_places(loan))
        if change.whole and change.after.loans:  # lent before: it may have been saved since
            self._files.look_soon()
        self.changed.emit()

    def look(self) -> None:
        """Take back what was saved elsewhere since."""
        news = self._files.news()
        for name, loan in self.loans().items():
            if news.intersection(_places(loan)):
                self._take(name, loan)
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


def _places(loan: Loan) -> list[str]:
    """The files that a loan lies in."""
    return [str(file_of(loan, Path(loan.file), name)) for name in loan.lent] if loan.file else []


def _says_more(project: Project, name: str, command: TakeBack) -> bool:
    """Whether what came back is other than what is there already."""
    number = project.loans[name].layer
    try:
        layer = None if number is None else project.layer(number)
    except (KeyError, CommandError):
        layer = None
    there = {} if layer is None else layer.content.painted or {}
    return dict(there) != dict(command.sheets)
