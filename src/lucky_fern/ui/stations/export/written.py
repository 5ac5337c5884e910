"""A file that was written, looked at again for the list of an export."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.checking.found import told
from lucky_fern.core.exporting.formats import read_back
from lucky_fern.core.project.export_setup import FORMATS
from lucky_fern.ui.widgets.thumbnails import on_checker


@dataclass(frozen=True)
class Written:
    """A written file in words, with a small picture of it where there can be one."""

    path: Path
    words: str
    small: U8 | None


def looked_at(path: Path, size: int) -> Written:
    """Read a file back for the list; beside the window, as large ones take their time."""
    pixels = read_back(path.read_bytes(), path.name) if path.suffix[1:] in FORMATS else None
    if pixels is None or pixels.dtype != np.uint8 or pixels.shape[2] not in (1, 3, 4):
        return Written(path, f"{path.name}\n{told(size)}", None)
    kind = {1: "grey", 3: "RGB", 4: "RGBA"}[pixels.shape[2]]
    words = f"{path.name}\n{pixels.shape[1]} × {pixels.shape[0]}, {kind}, {told(size)}"
    return Written(path, words, on_checker(np.ascontiguousarray(pixels), 96, 8))
