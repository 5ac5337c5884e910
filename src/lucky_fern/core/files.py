"""Writing files so that they are either whole or absent."""

import contextlib
import os
import tempfile
from collections.abc import Iterable
from pathlib import Path

from lucky_fern.core.errors import ExportError


class WholeFiles:
    """A set of files that appear together: written under temporary names, renamed at the end.

    Use as a context manager; leaving it by an error removes what was written so far.
    """

    def __init__(self) -> None:
        self._waiting: list[tuple[Path, Path]] = []

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
            If the disk refuses; the sentence names the file.
        """
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
            self._waiting.append((Path(name), target))
            with os.fdopen(handle, "wb") as file:
                for part in (data,) if isinstance(data, bytes) else data:
                    file.write(part)
                file.flush()
                os.fsync(file.fileno())
            os.chmod(name, 0o644)
            return Path(name)
        except OSError as error:
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
        self._waiting.clear()
        return done


def _second_name(target: Path, temporary: Path) -> Path:
    older = temporary.with_suffix(".old")
    with contextlib.suppress(OSError):  # there are disks that know no second names
        os.link(target, older)
    return older


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


def _refused(target: Path, error: OSError) -> ExportError:
    return ExportError(f"{target} cannot be written ({error.strerror}); choose another folder or make room.")
