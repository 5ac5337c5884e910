"""Tips of brushes: those made by the program, and those taken from pictures."""

from __future__ import annotations

import zipfile
import zlib
from functools import cache
from pathlib import Path, PurePath

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, Array
from lucky_fern.core.errors import PictureError
from lucky_fern.core.files import read_file
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.words import tr

SIZE = 128  # pixels
BUILT_IN = ("chalk", "splatter", "scratches", "rag", "drips", "edge chip")


@cache
def built_in(name: str) -> F32:
    """(128, 128) float32, 0…1, of one of the :data:`BUILT_IN` tips; the same on every machine.

    Raises
    ------
    KeyError
        If there is no such tip.
    """
    made = {"chalk": _chalk, "splatter": _splatter, "scratches": _scratches, "rag": _rag, "drips": _drips,
            "edge chip": _edge_chip}[name]()  # fmt: skip
    inside = np.hypot(*_grid()) <= 1
    return np.ascontiguousarray(np.clip(made, 0, 1) * inside, np.float32)


def tip_of(rgba: Array) -> F32:
    """(128, 128) float32 tip of a picture: its alpha where it has holes, else how dark it is; kept in proportion."""
    top = float(np.iinfo(rgba.dtype).max)
    pixels = rgba.astype(np.float32) / top
    if pixels[..., 3].min() < 0.99:
        values = pixels[..., 3]
    else:
        values = 1 - pixels[..., :3] @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    longest = max(values.shape)
    square = np.zeros((longest, longest), np.float32)
    top_, left = (longest - values.shape[0]) // 2, (longest - values.shape[1]) // 2
    square[top_ : top_ + values.shape[0], left : left + values.shape[1]] = values
    how = cv2.INTER_AREA if longest > SIZE else cv2.INTER_LINEAR
    return np.ascontiguousarray(cv2.resize(square, (SIZE, SIZE), interpolation=how), np.float32)


def read_tips(path: Path) -> dict[str, bytes]:
    """Name → bytes of the pictures of a file, of a folder, or of a zip of them.

    Raises
    ------
    PictureError
        If there is none in it, or it cannot be read.
    """
    found: dict[str, bytes] = {}
    try:
        if path.is_dir():
            found = {
                one.name: read_file(one, PictureError)
                for one in sorted(path.iterdir())
                if one.suffix.lower() == ".png"
            }
        elif path.suffix.lower() == ".zip":
            with zipfile.ZipFile(path) as archive:
                for name in sorted(archive.namelist()):
                    info = archive.getinfo(name)
                    if PurePath(name).suffix.lower() == ".png" and info.file_size < 64 * 1024 * 1024:
                        found[PurePath(name).name] = archive.read(name)
        else:
            found = {path.name: read_file(path, PictureError)}
    except (
        OSError,
        zipfile.BadZipFile,
        RuntimeError,
        ValueError,
        NotImplementedError,
        zlib.error,
        EOFError,
    ) as error:
        if isinstance(error, PictureError):
            raise
        raise PictureError(
            tr("{name} cannot be read ({error}); give a PNG, a folder or a zip of them.", name=path.name, error=error)
        ) from error
    if not found:
        raise PictureError(tr("{name} holds no PNG; tips are PNG pictures.", name=path.name))
    for name, data in found.items():
        read_picture(data, name)  # says what is wrong with it
    return found


def pyramid(tip: F32) -> tuple[F32, Array]:
    """A tip and its halved copies down to one pixel, flat one after the other, and where each begins."""
    levels = [tip]
    while levels[-1].shape[0] > 1:
        size = levels[-1].shape[0] // 2
        levels.append(cv2.resize(levels[-1], (size, size), interpolation=cv2.INTER_AREA))
    starts = np.concatenate([[0], np.cumsum([level.size for level in levels])[:-1]]).astype(np.int64)
    return np.concatenate([level.ravel() for level in levels]).astype(np.float32), starts


@cache
def grain_field() -> F32:
    """(256, 256) float32, 0…1: a rough ground that repeats without a seam."""
    rng = np.random.default_rng(11)
    total = np.zeros((256, 256))
    for size, weight in ((8, 0.3), (32, 0.5), (128, 0.7)):
        noise = np.tile(rng.random((size, size)), (3, 3)).astype(np.float32)
        large = cv2.resize(noise, (768, 768), interpolation=cv2.INTER_CUBIC)
        total += weight * large[256:512, 256:512]
    total -= np.quantile(total, 0.05)
    return np.clip(total / np.quantile(total, 0.95), 0, 1).astype(np.float32)


def _grid() -> tuple[Array, Array]:
    line = (np.arange(SIZE) + 0.5) / SIZE * 2 - 1
    x, y = np.meshgrid(line, line)
    return x, y


def _noise(seed: int, cells: int) -> Array:
    rng = np.random.default_rng(seed)
    small = rng.random((cells, cells)).astype(np.float32)
    return np.asarray(cv2.resize(small, (SIZE, SIZE), interpolation=cv2.INTER_CUBIC))


def _chalk() -> Array:
    far = np.hypot(*_grid())
    rough = 0.55 * _noise(1, 48) + 0.45 * _noise(2, 16)
    return np.asarray(np.clip((rough - 0.42 - 0.35 * far**4) * 6, 0, 1))


def _splatter() -> Array:
    rng = np.random.default_rng(3)
    out = np.zeros((SIZE, SIZE), np.float32)
    for _ in range(70):
        angle, far = rng.uniform(0, 2 * np.pi), rng.beta(1.2, 1.6)
        radius = max(0.8, 9 * rng.beta(1, 5) * (1.2 - far))
        at = (64 + np.cos(angle) * far * 58, 64 + np.sin(angle) * far * 58)
        cv2.circle(out, (round(at[0] * 16), round(at[1] * 16)), round(radius * 16), 1.0, -1, cv2.LINE_AA, 4)
    return out


def _scratches() -> Array:
    rng = np.random.default_rng(5)
    out = np.zeros((SIZE, SIZE), np.float32)
    for _ in range(16):
        y, x, long = rng.uniform(14, 114), rng.uniform(10, 60), rng.uniform(25, 65)
        end = (x + long, y + rng.uniform(-6, 6))
        cv2.line(out, (round(x * 16), round(y * 16)), (round(end[0] * 16), round(end[1] * 16)),
                 float(rng.uniform(0.4, 1)), 1, cv2.LINE_AA, 4)  # fmt: skip
    return out


def _rag() -> Array:
    far = np.hypot(*_grid())
    rough = 0.6 * _noise(7, 9) + 0.4 * _noise(8, 22)
    return np.asarray(np.clip(1.6 * (rough - 0.35), 0, 1) * np.clip(1.25 - far**2, 0, 1))


def _drips() -> Array:
    x, y = _grid()
    rng = np.random.default_rng(9)
    out = np.zeros((SIZE, SIZE))
    for _ in range(9):
        at, long, wide = rng.uniform(-0.8, 0.8), rng.uniform(0.3, 1.6), rng.uniform(0.03, 0.1)
        down = (y + 0.9) / long
        out = np.maximum(out, (np.abs(x - at) < wide * np.clip(1 - down, 0, 1) ** 0.4) * (down > 0) * (down < 1))
    return np.asarray(cv2.GaussianBlur(out.astype(np.float32), (0, 0), 0.8))


def _edge_chip() -> Array:
    x, y = _grid()
    edge = 0.45 * _noise(13, 14) + 0.25 * _noise(14, 40)
    return np.asarray(np.clip((0.62 - np.abs(y) - edge * (0.6 + 0.8 * np.abs(x))) * 14, 0, 1))
