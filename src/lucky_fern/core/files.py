"""Reading files whole and within bounds; writing them so that they are either whole or absent; names for them."""

import contextlib
import hashlib
import os
import re
import secrets
import stat
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import BinaryIO

from lucky_fern.core.errors import ExportError, LuckyFernError
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.words import tr

_OURS = re.compile(r"\.fern-(\d+)-[0-9a-f]+\.(part|old)\Z")
_RESERVED = {"con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in range(1, 10))}
_LONGEST_PIECE = 120  # bytes of one name's part in a file name


# --- names --------------------------------------------------------------------------------------------------------


def safe_name(text: str, longest: int = _LONGEST_PIECE) -> str:
    """A name as part of a file name: what file systems refuse, or take for a path, becomes ``_``.

    Every name that a person, a model or a preset gives, and that makes a path, goes through here. Names that are too
    long keep their beginning and get a short sum of all of it.
    """
    cleaned = re.sub(r'[\x00-\x1f\x7f<>:"/\\|?*\ud800-\udfff]', "_", text).strip(" .") or "_"
    if cleaned.split(".")[0].lower() in _RESERVED:
        cleaned = f"_{cleaned}"
    raw = cleaned.encode()
    if len(raw) > longest:
        tail = "~" + hashlib.sha256(raw).hexdigest()[:8]
        cleaned = raw[: longest - len(tail)].decode(errors="ignore") + tail
    return cleaned


def target(folder: Path, name: str, error: type[LuckyFernError] = ExportError) -> Path:
    """Where a name that a person gave lies, links followed.

    Raises
    ------
    error
        If there can be no such path.
    """
    try:
        made = Path(os.path.realpath(folder / name))
        os.fsencode(made)
        if any(len(os.fsencode(part)) > 255 for part in made.parts):
            raise error(f"{_shown(made)} has a name longer than 255 bytes; choose a shorter one.")
    except (ValueError, OSError) as failure:
        raise error(f"{_shown(Path(name))} is no path that there can be; choose another.") from failure
    return made


def inside(folder: Path, name: str) -> Path | None:
    """The file that a name means in a folder, if it lies in or under it; links are followed."""
    try:
        path = folder / name
        if path.resolve().is_relative_to(folder.resolve()) and path.is_file():
            return path
    except (OSError, ValueError, RuntimeError):  # too long, with a NUL, or links in a circle
        return None
    return None


# --- reading ------------------------------------------------------------------------------------------------------


def read_file(path: Path, error: type[LuckyFernError] = LuckyFernError, most: int = MOST_FILE) -> bytes:
    """The bytes of a regular file.

    Raises
    ------
    error
        With a sentence that names the file, if it is missing, no plain file, too large, or cannot be read.
    """
    check_regular(path, error, most)
    try:
        with path.open("rb") as file:
            return file.read(most + 1)[:most]
    except OSError as failure:
        raise error(
            f"{_shown(path)} cannot be read ({failure.strerror}); check the path and its permissions."
        ) from failure


def check_regular(path: Path, error: type[LuckyFernError] = LuckyFernError, most: int = MOST_FILE) -> None:
    """Refuse what is no plain file of a size that is read; as :func:`read_file` does."""
    shown = _shown(path)
    try:
        found = os.stat(path)
    except FileNotFoundError:
        raise error(f"{shown} does not exist; check the path.") from None
    except OSError as failure:
        raise error(f"{shown} cannot be read ({failure.strerror}); check the path and its permissions.") from failure
    except ValueError as failure:  # a NUL in it
        raise error(f"{shown} is no path that there can be; check it.") from failure
    if stat.S_ISDIR(found.st_mode):
        raise error(f"{shown} is a folder; choose a file in it.")
    if not stat.S_ISREG(found.st_mode):
        raise error(f"{shown} is no plain file (a device or a pipe); choose a file.")
    if found.st_size > most:
        raise error(f"{shown} has {found.st_size / 1e6:.0f} MB; up to {most / 1e6:.0f} MB are read.")


def _shown(path: Path) -> str:
    """A path as a sentence can hold it."""
    text = str(path).encode(errors="replace").decode().replace("\0", "\\0")
    return text if len(text) <= 300 else text[:140] + " … " + text[-140:]


# --- writing ------------------------------------------------------------------------------------------------------


class WholeFiles:
    """A set of files that appear together: written under temporary names, renamed at the end.

    Use as a context manager; leaving it by an error removes what was written so far. Files that are there keep their
    rights, new ones get those that the system gives new files. What a run that was killed left behind is cleared
    away.
    """

    def __init__(self) -> None:
        self._waiting: list[tuple[Path, Path]] = []
        self._cleared: set[Path] = set()

    def __enter__(self) -> "WholeFiles":
        return self

    def __exit__(self, kind: object, *_: object) -> None:
        for temporary, _target in self._waiting:
            temporary.unlink(missing_ok=True)

    def write(self, target: Path, data: bytes | Iterable[bytes]) -> Path:
        """Write ``data``, whole or part after part, beside ``target`` and flush it to disk; where it lies until then.

        Raises
        ------
        ExportError
            If the disk refuses, or the target is no plain file; the sentence names the file.
        """

        def fill(file: BinaryIO) -> None:
            for part in (data,) if isinstance(data, bytes) else data:
                file.write(part)

        return self.fill(target, fill)

    def fill(self, target: Path, write: Callable[[BinaryIO], None]) -> Path:
        """As :meth:`write`, with what ``write`` puts into the file; what else it raises goes through."""
        try:
            target = target.resolve() if target.is_symlink() else target
            mode = _mode(target)
            target.parent.mkdir(parents=True, exist_ok=True)
            if target.parent not in self._cleared:
                self._cleared.add(target.parent)
                clear_leftovers(target.parent)
            temporary = target.parent / f".fern-{os.getpid()}-{secrets.token_hex(8)}.part"
            handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            self._waiting.append((temporary, target))
            with os.fdopen(handle, "wb") as file:
                write(file)
                file.flush()
                os.fsync(file.fileno())
            os.chmod(temporary, mode)
            return temporary
        except (OSError, ValueError, RuntimeError) as error:
            if isinstance(error, LuckyFernError):
                raise
            raise _refused(target, error) from error

    def publish(self) -> list[Path]:
        """Give every file its own name, or none: older files of those names are back then.

        Returns
        -------
        Their paths in the order of writing.

        Raises
        ------
        ExportError
            If the disk refuses one of them; the sentence names it.
        """
        older: dict[Path, Path] = {}  # second names of older files, for as long as they may have to come back
        fresh: list[Path] = []  # what was not there before
        try:
            for temporary, target in self._waiting:
                there = target.exists()
                if there:
                    older[target] = _second_name(target, temporary)
                os.replace(temporary, target)
                if not there:
                    fresh.append(target)
        except OSError as error:
            for name in fresh:
                name.unlink(missing_ok=True)
            for name, kept in older.items():
                if kept.exists():
                    os.replace(kept, name)
            raise _refused(target, error) from error
        finally:
            for kept in older.values():
                kept.unlink(missing_ok=True)
        done = [target for _, target in self._waiting]
        for folder in {target.parent for target in done}:
            _flush_folder(folder)
        self._waiting.clear()
        return done


def write_whole(target: Path, data: bytes) -> None:
    """Write one file atomically.

    Raises
    ------
    ExportError
        If the disk refuses; an older file of that name stays as it was.
    """
    with WholeFiles() as files:
        files.write(target, data)
        files.publish()


def clear_leftovers(folder: Path) -> None:
    """Remove the temporary files of runs that are no more."""
    with contextlib.suppress(OSError):
        for name in os.listdir(folder):
            found = _OURS.match(name)
            if found is not None and not _runs(int(found[1])):
                with contextlib.suppress(OSError):
                    (folder / name).unlink()


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True


def _mode(target: Path) -> int:
    """The rights that a file gets: those that it has, or those of a new one.

    Raises
    ------
    ExportError
        If what is there is no plain file.
    """
    try:
        found = os.stat(target)
    except FileNotFoundError:
        return 0o666 & ~_umask()
    if not stat.S_ISREG(found.st_mode):
        kind = "a folder" if stat.S_ISDIR(found.st_mode) else "no plain file (a device or a pipe)"
        raise ExportError(
            tr("{target} is {kind}, which is not written over; choose another name.", target=target, kind=kind)
        )
    return stat.S_IMODE(found.st_mode)


def _umask() -> int:
    """The process' mask of rights, without setting it: another thread may be making files."""
    try:
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("Umask:"):
                return int(line.split()[1], 8)
    except (OSError, ValueError):
        pass
    return 0o022


def _flush_folder(folder: Path) -> None:
    """Have the names in a folder on the disk, where that can be asked for."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _second_name(target: Path, temporary: Path) -> Path:
    older = temporary.with_suffix(".old")
    with contextlib.suppress(OSError):  # there are disks that know no second names
        os.link(target, older)
    return older


def _refused(target: Path, error: Exception) -> ExportError:
    why = getattr(error, "strerror", None) or error
    return ExportError(
        f"{target} cannot be written ({why}); choose another folder or make room.".replace("\0", "\\0")
    )
