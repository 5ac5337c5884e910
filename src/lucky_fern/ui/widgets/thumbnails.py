"""Small pictures: of maps as they are now, of kit pictures, of exported files."""

from __future__ import annotations

import cv2
import numpy as np
from PySide6.QtGui import QImage, QPixmap

from lucky_fern.core.arrays import U8, Array
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.levels import Levels
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import SheetKey


def to_pixmap(pixels: U8) -> QPixmap:
    """(rows, columns, 1, 3 or 4) uint8 as a pixmap."""
    if pixels.shape[2] == 1:
        pixels = np.repeat(pixels, 3, axis=2)
    kinds = {3: QImage.Format.Format_RGB888, 4: QImage.Format.Format_RGBA8888}
    data = np.ascontiguousarray(pixels)
    rows, columns, count = data.shape
    image = QImage(data.data, columns, rows, columns * count, kinds[count])
    return QPixmap.fromImage(image.copy())


def shrunk(pixels: Array, side: int) -> U8:
    """Any 8- or 16-bit picture as 8 bits, its longer side ``side`` pixels at the most."""
    longest = max(pixels.shape[:2])
    step = max(1, longest // (side * 4))
    small = np.ascontiguousarray(pixels[::step, ::step])
    if small.dtype == np.uint16:
        small = (small >> 8).astype(np.uint8)
    factor = min(1.0, side / max(small.shape[:2]))
    size = (max(1, round(small.shape[1] * factor)), max(1, round(small.shape[0] * factor)))
    out = cv2.resize(small, size, interpolation=cv2.INTER_AREA)
    result: U8 = out.reshape(size[1], size[0], -1)
    return result


def map_thumbnail(levels: Levels, sheets: list[SheetKey], name: str, side: int) -> U8:
    """A map of the first few sheets as a square (side, side, 3) picture."""
    spec = MAPS[name]
    count = 1 if len(sheets) < 2 else 2
    part = side // count
    out = np.empty((side, side, 3), np.uint8)
    out[:] = np.array(spec.start) * 255
    for number, key in enumerate(sheets[: count * count]):
        kept = levels.small(MapKey(key, name), part)
        if kept is not None:
            small = cv2.resize(shrunk(kept, part), (part, part), interpolation=cv2.INTER_AREA).reshape(part, part, -1)
            row, column = divmod(number, count)
            out[row * part : (row + 1) * part, column * part : (column + 1) * part] = small
    return out


def on_checker(rgba: U8, side: int, cell: int = 6) -> U8:
    """RGBA centred on a square checker, (side, side, 3)."""
    y, x = np.mgrid[0:side, 0:side] // cell
    out = np.where(((x + y) % 2)[..., None] == 0, 196, 214).astype(np.float64).repeat(3, axis=2)
    small = shrunk(rgba, side)
    larger = side // max(small.shape[:2])  # pixel art is shown larger, its pixels square
    small = small.repeat(larger, axis=0).repeat(larger, axis=1) if larger > 1 else small
    rows, columns = small.shape[:2]
    top, left = (side - rows) // 2, (side - columns) // 2
    alpha = small[..., 3:].astype(np.float64) / 255 if small.shape[2] == 4 else np.ones((rows, columns, 1))
    colour = small[..., :3] if small.shape[2] >= 3 else small[..., :1].repeat(3, axis=2)
    region = out[top : top + rows, left : left + columns]
    region[:] = colour * alpha + region * (1 - alpha)
    return out.astype(np.uint8)
