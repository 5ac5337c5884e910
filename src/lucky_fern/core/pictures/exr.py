"""OpenEXR files as planes of numbers; the package reads and writes files only."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import Array
from lucky_fern.core.errors import LuckyFernError

MAGIC = b"\x76\x2f\x31\x01"


def read_exr(data: bytes, check: Callable[[int, int], object]) -> dict[str, Array]:
    """Planes (rows, columns) by the last part of their names in capitals (``R``, ``Y``, ``A`` …), as they are stored.

    ``check`` is asked with width and height before any pixel is read; what it raises is raised here. Of planes of one
    name the first counts.

    Raises
    ------
    ValueError
        If the file is damaged or cut off.
    """
    import OpenEXR

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "one.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=True) as head:
                (left, top), (right, bottom) = head.header()["dataWindow"]
                check(int(right) - int(left) + 1, int(bottom) - int(top) + 1)
            with OpenEXR.File(str(path), separate_channels=True) as whole:
                return {name.rpartition(".")[2].upper(): np.asarray(one.pixels)
                        for name, one in reversed(whole.channels().items())}  # fmt: skip
        except LuckyFernError:
            raise
        except Exception as error:  # the package raises several kinds
            raise ValueError(str(error)) from error


def write_exr(channels: Mapping[str, Array]) -> bytes:
    """A file of planes (rows, columns) float16 or float32, or of one (rows, columns, 3) named ``RGB``."""
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "one.exr"
        with OpenEXR.File(header, dict(channels)) as made:
            made.write(str(path))
        return path.read_bytes()
