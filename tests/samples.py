"""Pictures for tests, and reading back what was written."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

Runner = Callable[..., subprocess.CompletedProcess[str]]
PLANE = """o board
v -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0
vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1
usemtl paint\nf 1/1 2/2 3/3 4/4
"""


def made_world() -> Path | None:
    """The demo world if it was made already for all processes that test (see all.sh)."""
    folder = os.environ.get("FERN_WORLD")
    return None if folder is None else Path(folder)


def save_png(path: Path, pixels: np.ndarray) -> Path:
    """(rows, columns, 3 or 4) uint8."""
    Image.fromarray(pixels).save(path)
    return path


def read_png(path: Path) -> np.ndarray:
    """Pixels as written, RGB(A) order, with a last axis for grey."""
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    assert pixels is not None, path
    if pixels.ndim == 2:
        return pixels[..., None]
    return pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]


def soft_noise(size: tuple[int, int], seed: int = 1, cells: int = 8) -> np.ndarray:
    """(rows, columns, 3) uint8 of smooth random colours."""
    rng = np.random.default_rng(seed)
    small = rng.integers(30, 226, (cells, cells, 3), dtype=np.uint8)
    return np.asarray(cv2.resize(small, size[::-1], interpolation=cv2.INTER_CUBIC))
