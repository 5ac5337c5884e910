"""Files that other programs write: told once they rest, also where another file is put in a file's place."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

_SETTLED = 500  # milliseconds after the last word of a file: programs write in several goes


class WatchedFiles(QObject):
    """``rested``: something was written and rests; :meth:`news` tells what."""

    rested = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._watcher = QFileSystemWatcher(self)
        self._files: tuple[str, ...] = ()
        self._seen: dict[str, tuple[int, int]] = {}  # file → when it was written last, and its size
        self._rest = QTimer(self, singleShot=True, interval=_SETTLED)
        self._rest.timeout.connect(self.rested)
        self._watcher.fileChanged.connect(lambda _: self._rest.start())
        self._watcher.directoryChanged.connect(lambda _: self._rest.start())

    @property
    def busy(self) -> bool:
        """Whether a file has changed and does not rest yet."""
        return self._rest.isActive()

    def watch(self, files: Iterable[str]) -> None:
        """Watch these and no others."""
        self._files = tuple(dict.fromkeys(files))
        folders = {str(Path(file).parent) for file in self._files}
        wanted = {one for one in (*self._files, *folders) if Path(one).exists()}
        now = {*self._watcher.files(), *self._watcher.directories()}
        if now - wanted:
            self._watcher.removePaths(sorted(now - wanted))
        if wanted - now:
            self._watcher.addPaths(sorted(wanted - now))

    def look_soon(self) -> None:
        """Look as if something had been written: nobody watched until now."""
        self._rest.start()

    def know(self, files: Iterable[str]) -> None:
        """What these are now is no news."""
        self._seen.update({file: mark for file in files if (mark := _mark(file)) is not None})

    def news(self) -> set[str]:
        """The files that were written since they were looked at last; they are known from now on."""
        marks = {file: mark for file in self._files if (mark := _mark(file)) is not None}
        found = {file for file, mark in marks.items() if self._seen.get(file) != mark}
        self._seen.update(marks)
        again = [file for file in marks if file not in self._watcher.files()]
        if again:  # a program that puts another file in its place is watched on
            self._watcher.addPaths(again)
        return found


def _mark(file: str) -> tuple[int, int] | None:
    """What tells that a file was written again."""
    try:
        found = Path(file).stat()
    except (OSError, ValueError):
        return None
    return found.st_mtime_ns, found.st_size
