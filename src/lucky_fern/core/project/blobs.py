"""File contents and painted chunks by digest: what the document names and the project file carries."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Iterable

FRESH = 256 << 20  # bytes of contents that wait for the edit which they were prepared for


def digest_of(data: bytes) -> str:
    """SHA-256, hexadecimal."""
    return hashlib.sha256(data).hexdigest()


class Blobs:
    """Bytes under their own digest, equal contents once. Some may wait in a file until they are asked for.

    Any thread may add and ask while another one forgets.
    """

    def __init__(self) -> None:
        self._changing = threading.Lock()  # held while what is kept changes, never while something is read
        self._contents: dict[str, bytes] = {}
        self._waiting: dict[str, Callable[[], bytes]] = {}
        self.filed: set[str] = set()  # those that the project file holds from which they were read
        self._fresh: dict[str, None] = {}  # prepared for an edit that is not done yet; the oldest first

    def add(self, data: bytes) -> str:
        """Keep ``data``; its digest (SHA-256, hexadecimal)."""
        digest = digest_of(data)
        with self._changing:
            self._contents.setdefault(digest, data)
            self._fresh[digest] = None
        return digest

    def used(self, digests: Iterable[str]) -> None:
        """These are part of a project now: they go when no project shows them."""
        with self._changing:
            for digest in digests:
                self._fresh.pop(digest, None)

    def put(self, digest: str, data: bytes) -> None:
        """Keep bytes whose digest is known."""
        with self._changing:
            self._contents.setdefault(digest, data)

    def put_later(self, digest: str, read: Callable[[], bytes]) -> None:
        """Keep bytes that ``read`` gives when they are first asked for."""
        with self._changing:
            self._waiting[digest] = read

    def fetch(self) -> None:
        """Read all that still waits; whatever ``read`` raises is raised."""
        with self._changing:
            waiting = list(self._waiting)
        for digest in waiting:
            self._read(digest)

    def keep_only(self, digests: set[str]) -> None:
        """Forget everything else, but for what was prepared lately and not used yet."""
        with self._changing:
            spent = 0
            for digest in reversed(list(self._fresh)):
                spent += len(self._contents.get(digest, b""))
                if spent > FRESH:
                    del self._fresh[digest]
            digests = digests | self._fresh.keys()
            for kept in (self._contents, self._waiting):
                for digest in kept.keys() - digests:
                    del kept[digest]

    def size_of(self, digest: str) -> int | None:
        """How many bytes they are; None where they still wait in a file."""
        found = self._contents.get(digest)
        return None if found is None else len(found)

    def __getitem__(self, digest: str) -> bytes:
        found = self._contents.get(digest)
        found = self._read(digest) if found is None else found
        if found is None:
            raise KeyError(digest)
        return found

    def _read(self, digest: str) -> bytes | None:
        """Bytes that waited in a file, or that another thread has fetched meanwhile; None if nobody has them."""
        with self._changing:
            read = self._waiting.get(digest)
            if read is None:
                return self._contents.get(digest)
        data = read()
        with self._changing:
            if self._waiting.pop(digest, None) is not None:  # else it was forgotten, or fetched, meanwhile
                self._contents.setdefault(digest, data)
        return data

    def __contains__(self, digest: object) -> bool:
        return digest in self._contents or digest in self._waiting
