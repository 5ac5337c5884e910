"""File contents by digest: what the document names and the project file carries."""

import hashlib


class Blobs:
    """A store that only grows; equal contents are kept once."""

    def __init__(self) -> None:
        self._contents: dict[str, bytes] = {}

    def add(self, data: bytes) -> str:
        """Keep ``data``; its digest (SHA-256, hexadecimal)."""
        digest = hashlib.sha256(data).hexdigest()
        self._contents.setdefault(digest, data)
        return digest

    def __getitem__(self, digest: str) -> bytes:
        return self._contents[digest]

    def __contains__(self, digest: object) -> bool:
        return digest in self._contents
