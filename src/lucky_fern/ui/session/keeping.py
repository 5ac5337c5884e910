"""The log of what is open: begun with it, told of every change, gone when it ends well."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.log.place import new_session, running
from lucky_fern.core.log.reading import Lost, forget, lost_sessions, path_of, recovered
from lucky_fern.core.log.writing import SessionLog, Snapshot
from lucky_fern.core.studio import Studio
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr


class Keeping(QObject):
    """Keeps what is done against a crash, and brings back what an earlier session left."""

    lost_found = Signal(list)  # sessions that did not end well
    _failed = Signal(str)

    def __init__(self, work: Work, errands: Errands) -> None:
        super().__init__()
        self.work, self.errands = work, errands
        self._log: SessionLog | None = None
        work.studio_changed.connect(self._begin)
        work.project_changed.connect(self._note)
        work.open_elsewhere = self.open_elsewhere
        self._failed.connect(work.warn)

    def _begin(self) -> None:
        self.end()
        studio, path = self.work.studio, self.work.path
        assert studio is not None
        try:
            base = path if path is not None and studio.blobs.filed else None
            self._log = SessionLog(new_session(), studio.blobs, base, self._failed.emit)
            self._log.begin(studio.project, studio.project.name, path)
        except OSError as error:
            self._log = None
            self.work.warn(
                tr("What you do cannot be kept against a crash ({strerror}); save often.", strerror=error.strerror)
            )

    def _note(self) -> None:
        studio = self.work.studio
        if self._log is not None and studio is not None:
            self._log.note(Snapshot(studio.history.steps, studio.history.at, studio.saved, self.work.path))

    def end(self) -> None:
        """What is open is saved, or not wanted: nothing of it is kept any more."""
        if self._log is not None:
            self._log.end()
            self._log = None

    def open_elsewhere(self, path: Path) -> bool:
        """Whether another window works on a project file."""
        own = None if self._log is None else self._log.folder
        return any(path_of(folder) == path.resolve() for folder in running() if folder != own)

    # --- after a crash ----------------------------------------------------------------------------------------

    def look_for_lost(self) -> None:
        """Tell of sessions that did not end well, if there are any."""
        self.errands.send("", lost_sessions, lambda found: self.lost_found.emit(found) if found else None)

    def bring_back(self, lost: Lost) -> None:
        """Go on where a session ended."""

        def take(found: tuple[Studio, Path | None]) -> None:
            self.work.take(*found)
            log = self._log
            if log is not None:  # kept anew from here on: what was is forgotten once that is on the disk
                self.errands.send("", lambda: forget(lost.id) if log.flush() else None, lambda _: None)
            self.work.say(tr("{name} is back as it was; it is not saved yet.", name=lost.name))

        self.errands.send(tr("Bringing back {name} …", name=lost.name), lambda: recovered(lost.id), take)

    def forget(self, lost: Lost) -> None:
        """Nobody wants it."""
        self.errands.send("", lambda: forget(lost.id), lambda _: None)
