"""Measured chunks on disk, so that nothing is measured twice: a folder with a bound."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import numpy as np
import platformdirs
import zstandard

from lucky_fern.core.arrays import F32

_ROOM = 2 << 30  # bytes
_LOOK_EVERY = 64  # chunks that are kept between two looks at how full it is
_STEPS = 32767  # for values from −1 to 1


def rounded(values: F32) -> F32:
    """Values as they are kept: the same whether they were measured just now or not."""
    steps = np.rint(values * np.float32(_STEPS)).astype(np.int16)
    return np.asarray(steps.astype(np.float32) / np.float32(_STEPS), np.float32)


def packed(values: F32) -> bytes:
    """An array that is :func:`rounded`, as few bytes."""
    return zstandard.ZstdCompressor(3).compress(np.rint(values * _STEPS).astype(np.int16).tobytes())


def unpacked(data: bytes, shape: tuple[int, int]) -> F32 | None:
    """What :func:`packed` made; None where it is damaged or of another shape."""
    try:
        steps = np.frombuffer(zstandard.ZstdDecompressor().decompress(data), np.int16)
    except (zstandard.ZstdError, ValueError):
        return None
    if steps.size != shape[0] * shape[1]:
        return None
    return steps.reshape(shape).astype(np.float32) / np.float32(_STEPS)


class Shelf:
    """Keeps (r, c) arrays of −1…1 by name, to a 32767th. Whatever the disk refuses is only not kept."""

    def __init__(self, folder: Path, room: int = _ROOM) -> None:
        self.folder, self._room, self._count = folder, room, 0

    def find(self, name: str, shape: tuple[int, int]) -> F32 | None:
        """What is kept under a name, if it is of that shape."""
        path = self._path(name)
        try:
            data = path.read_bytes()
            os.utime(path)  # it was used: others go first
        except OSError:
            return None
        return unpacked(data, shape)

    def keep(self, name: str, values: F32) -> None:
        """Keep an array that is :func:`rounded`."""
        path = self._path(name)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            half = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
            half.write_bytes(packed(values))
            half.replace(path)
        except OSError:
            return
        self._count += 1
        if self._count % _LOOK_EVERY == 0:
            self._make_room()

    def _path(self, name: str) -> Path:
        return self.folder / name[:2] / name

    def _make_room(self) -> None:
        """Take out what was not used for longest, down to nine tenths of the room."""
        found = []
        for path in self.folder.glob("??/*"):
            try:
                told = path.stat()
            except OSError:
                continue
            found.append((told.st_mtime, told.st_size, path))
        size = sum(one[1] for one in found)
        if size <= self._room:
            return
        for _, bytes_, path in sorted(found):
            path.unlink(missing_ok=True)
            size -= bytes_
            if size <= 0.9 * self._room:
                return


def own_shelf() -> Shelf:
    """The one of this computer (XDG_CACHE_HOME)."""
    return Shelf(Path(platformdirs.user_cache_dir("lucky-fern")) / "survey")
