"""Where logs lie: one folder for each session, locked while its program runs."""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import shutil
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from lucky_fern.core.errors import ProjectError
from lucky_fern.words import tr

LINES, CONTENTS, BASE, PATH, LOCK = "log.jsonl", "contents.bin", "base.fern", "path", "lock"
_NAME = re.compile(r"\d{8}-\d{6}-\d+(-\d+)?\Z")


def sessions_folder() -> Path:
    """In the person's state folder (XDG_STATE_HOME); made when a session begins."""
    return Path(platformdirs.user_state_dir("lucky-fern")) / "sessions"


@dataclass
class Held:
    """A session's folder with its lock; nobody else takes it for one that has ended."""

    folder: Path
    lock: int

    def release(self) -> None:
        os.close(self.lock)


def new_session(root: Path | None = None) -> Held:
    """A folder for a session that begins now, with its lock held.

    Raises
    ------
    OSError
        If there is no room for it.
    """
    root = root or sessions_folder()
    root.mkdir(parents=True, exist_ok=True, mode=0o700)
    stamp = time.strftime("%Y%m%d-%H%M%S")
    for number in range(1000):
        folder = root / (f"{stamp}-{os.getpid()}" + (f"-{number}" if number else ""))
        with contextlib.suppress(FileExistsError):
            folder.mkdir(mode=0o700)
            held = _held(folder)
            assert held is not None
            return held
    raise OSError(tr("{root} takes no more sessions", root=root))


def ended(root: Path | None = None) -> Iterator[Held]:
    """The folders of sessions whose program runs no more, newest first; each is held until the next is asked for."""
    for folder in _folders(root):
        held = _held(folder)
        if held is not None:
            try:
                yield held
            finally:
                with contextlib.suppress(OSError):  # whoever asked may have let go of it
                    held.release()


def running(root: Path | None = None) -> Iterator[Path]:
    """The folders of sessions whose program still runs."""
    for folder in _folders(root):
        held = _held(folder)
        if held is None:
            yield folder
        else:
            held.release()


def session_of(name: str, root: Path | None = None) -> Held:
    """The ended session of a name, held.

    Raises
    ------
    ProjectError
        If there is none, or its program still runs.
    """
    root = root or sessions_folder()
    folder = root / name
    if not _NAME.match(name) or not folder.is_dir():
        raise ProjectError(tr("there is no session {name}; ask for the list with `lucky-fern recover`.", name=name))
    held = _held(folder)
    if held is None:
        raise ProjectError(tr("the session {name} is still open in a window; save it there.", name=name))
    return held


def drop(held: Held) -> None:
    """Forget a session."""
    shutil.rmtree(held.folder, ignore_errors=True)
    held.release()


def _folders(root: Path | None) -> list[Path]:
    root = root or sessions_folder()
    try:
        found = [path for path in root.iterdir() if _NAME.match(path.name) and path.is_dir()]
    except OSError:
        return []
    return sorted(found, key=lambda path: path.name, reverse=True)


def _held(folder: Path) -> Held | None:
    try:
        lock = os.open(folder / LOCK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError:
        return None
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(lock)
        return None
    return Held(folder, lock)
