"""Writing files so that they are either whole or absent."""

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
        """Give every file its own name; their paths in the order of writing."""
        done = []
        while self._waiting:
            temporary, target = self._waiting[0]
            try:
                os.replace(temporary, target)
            except OSError as error:
                raise _refused(target, error) from error
            self._waiting.pop(0)
            done.append(target)
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


def _refused(target: Path, error: OSError) -> ExportError:
    return ExportError(f"{target} cannot be written ({error.strerror}); choose another folder or make room.")
