"""Reading what other programs save: pictures of any kind, and OpenRaster archives with their layers.

OpenRaster is freedesktop.org's specification, 0.0.6.
"""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import PurePath
from xml.etree import ElementTree

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import MOST_FILE, MOST_PIXELS, MOST_SMALL_FILE, unpacked_too_large
from lucky_fern.core.markup import check_markup
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.words import tr

_DEEPEST = 100  # stacks in stacks
OVER = "svg:src-over"
_BROKEN = (zipfile.BadZipFile, KeyError, ValueError, OSError, EOFError, zlib.error, ElementTree.ParseError,
           NotImplementedError)  # fmt: skip


@dataclass(frozen=True)
class RasterLayer:
    """A layer of an archive that is shown: its picture, where its corner lies, how strongly and how it is laid."""

    name: str
    picture: Picture
    x: int
    y: int
    opacity: float
    operator: str

    @property
    def marks(self) -> tuple[str, str]:
        """What tells it again: its name, and what it shows, whatever clear border is round it."""
        rgba = np.array(self.picture.rgba)
        rgba[rgba[..., 3] == 0] = 0
        rows, columns = np.nonzero(rgba[..., 3].any(axis=1))[0], np.nonzero(rgba[..., 3].any(axis=0))[0]
        if not len(rows):
            return f"name {self.name}", "shows nothing"
        part = np.ascontiguousarray(rgba[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1])
        at = f"{self.x + columns[0]} {self.y + rows[0]} {part.shape} {part.dtype}".encode()
        return f"name {self.name}", "shows " + hashlib.sha256(at + part.tobytes()).hexdigest()[:32]


@contextmanager
def _opened(data: bytes, file: str) -> Iterator[zipfile.ZipFile]:
    """An archive; whatever is wrong with it is told with the remedy (PictureError)."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            yield archive
    except PictureError:
        raise
    except _BROKEN as error:
        raise PictureError(
            tr("{name} cannot be read; it may be half written: save it again in the other program.", name=file)
        ) from error


def returned(data: bytes, file: str) -> Picture:
    """A file that came back, its numbers as stored.

    Raises
    ------
    PictureError
        If it is damaged, half written, or none.
    """
    if PurePath(file).suffix.lower() != ".ora" and not data.startswith(b"PK"):
        return read_picture(data, file, "data")
    with _opened(data, file) as archive:
        return _merged(archive, file)


def layers_laid(data: bytes, file: str) -> Picture | None:
    """The layers of an OpenRaster archive laid over each other; None for other files, and where they are blended
    otherwise (PictureError if it is damaged).
    """
    found = layers_of(data, file)
    return None if found is None else over_each_other(found[0], *found[1], file)


def _member(archive: zipfile.ZipFile, name: str, most: int, file: str) -> bytes:
    info = archive.getinfo(name)
    if info.file_size > most or unpacked_too_large(info.compress_size, info.file_size):
        raise PictureError(tr("{name} would unpack to {size:.0f} MB; save it again, smaller.", name=file,
                              size=info.file_size / 1e6))  # fmt: skip
    return archive.read(info)


def _merged(archive: zipfile.ZipFile, file: str) -> Picture:
    """What an OpenRaster archive shows: its merged picture, which the specification asks of every program, else its
    layers.
    """
    if "mergedimage.png" in archive.namelist():
        return read_picture(_member(archive, "mergedimage.png", MOST_FILE, file), f"{file} (mergedimage.png)", "data")
    layers, size = _layers(archive, file)
    found = over_each_other(layers, *size, file)
    if found is None:
        raise PictureError(tr("{name} has no merged picture; save it again as OpenRaster or PNG.", name=file))
    return found


def _layers(archive: zipfile.ZipFile, file: str) -> tuple[list[RasterLayer], tuple[int, int]]:
    """From the bottom; width and height of the whole."""
    text = _member(archive, "stack.xml", MOST_SMALL_FILE, file)
    check_markup(text, _DEEPEST)
    root = ElementTree.fromstring(text)
    wide, high = int(root.get("w", "0")), int(root.get("h", "0"))
    if not (0 < wide * high <= MOST_PIXELS):
        raise PictureError(tr("{name} is said to have {wide} × {high} pixels; save it again.", name=file, wide=wide,
                              high=high))  # fmt: skip
    found = []
    for layer in reversed(list(root.iter("layer"))):
        name = layer.get("src", "")
        if layer.get("visibility", "visible") != "visible":
            continue
        picture = read_picture(_member(archive, name, MOST_FILE, file), name, "data")
        x, y = int(layer.get("x", "0")), int(layer.get("y", "0"))
        opacity, operator = float(layer.get("opacity", "1")), layer.get("composite-op", OVER)
        found.append(RasterLayer(layer.get("name", ""), picture, x, y, opacity, operator))
    return found, (wide, high)


def layers_of(data: bytes, file: str) -> tuple[list[RasterLayer], tuple[int, int]] | None:
    """The shown layers of an OpenRaster archive, from the bottom, and its size; None for other files.

    Raises
    ------
    PictureError
        If it is damaged or half written.
    """
    if not data.startswith(b"PK"):
        return None
    with _opened(data, file) as archive:
        return _layers(archive, file) if "stack.xml" in archive.namelist() else None


def over_each_other(layers: list[RasterLayer], wide: int, high: int, file: str) -> Picture | None:
    """Layers laid over each other; None where one is blended otherwise."""
    whole = np.zeros((high, wide, 4), np.float64)
    for layer in layers:
        if layer.operator != OVER:
            return None
        _lay(whole, layer.picture, layer.x, layer.y, layer.opacity)
    alpha = whole[..., 3:]
    whole[..., :3] = np.divide(whole[..., :3], alpha, out=np.zeros_like(whole[..., :3]), where=alpha > 0)
    return Picture(file, np.rint(whole * 65535).astype(np.uint16), True, taken="data")


def _lay(whole: F64, picture: Picture, x: int, y: int, opacity: float) -> None:
    """A picture over what is there, premultiplied, in place."""
    rows, columns = picture.rgba.shape[:2]
    top, left, bottom, right = max(y, 0), max(x, 0), min(y + rows, whole.shape[0]), min(x + columns, whole.shape[1])
    if top >= bottom or left >= right:
        return
    part = picture.rgba[top - y : bottom - y, left - x : right - x] / float(np.iinfo(picture.rgba.dtype).max)
    alpha = part[..., 3:] * opacity
    under = whole[top:bottom, left:right]
    under *= 1 - alpha
    under[..., :3] += part[..., :3] * alpha
    under[..., 3:] += alpha
