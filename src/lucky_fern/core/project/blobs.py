"""File contents and painted chunks by digest: what the document names and the project file carries."""

from __future__ import annotations

import hashlib


def digest_of(data: bytes) -> str:
    """SHA-256, hexadecimal."""
    return hashlib.sha256(data).hexdigest()


class Blobs:
    """Bytes under their own digest; equal contents are kept once."""

    def __init__(self) -> None:
        self._contents: dict[str, bytes] = {}

    def add(self, data: bytes) -> str:
        """Keep ``data``; its digest (SHA-256, hexadecimal)."""
        digest = digest_of(data)
        self._contents.setdefault(digest, data)
        return digest

    def put(self, digest: str, data: bytes) -> None:
        """Keep bytes whose digest is known."""
        self._contents.setdefault(digest, data)

    def keep_only(self, digests: set[str]) -> None:
        """Forget everything else."""
        self._contents = {digest: data for digest, data in self._contents.items() if digest in digests}

    def __getitem__(self, digest: str) -> bytes:
        return self._contents[digest]

    def __contains__(self, digest: object) -> bool:
        return digest in self._contents
