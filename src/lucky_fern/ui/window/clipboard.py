"""Pictures from and to other programs, by the desktop's clipboard."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QBuffer, QIODevice, QMimeData
from PySide6.QtGui import QImage

from lucky_fern.core.arrays import Array
from lucky_fern.core.pictures.picture import SUFFIXES

_SVG = ("image/svg+xml", "image/svg")


def pasted(mime: QMimeData) -> list[Path] | tuple[bytes, str] | None:
    """Picture files that were copied, or a picture's bytes with a name for it; None where there is no picture."""
    files = [Path(url.toLocalFile()) for url in mime.urls()]
    files = [path for path in files if path.suffix.lower() in SUFFIXES]
    if files:
        return files
    for kind in _SVG:
        if mime.hasFormat(kind):
            return bytes(mime.data(kind).data()), "pasted.svg"
    if mime.hasFormat("image/png"):
        return bytes(mime.data("image/png").data()), "pasted.png"
    image = mime.imageData()
    if not isinstance(image, QImage) or image.isNull():
        return None
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data().data()), "pasted.png"


def as_image(pixels: Array) -> QImage:
    """(rows, columns, 1 or 3) of 8 or 16 bits as a picture to be copied."""
    if pixels.dtype == np.uint16:
        pixels = ((pixels.astype(np.uint32) * 255 + 32895) >> 16).astype(np.uint8)
    if pixels.shape[2] == 1:
        pixels = np.repeat(pixels, 3, axis=2)
    data = np.ascontiguousarray(pixels)
    rows, columns, _ = data.shape
    return QImage(data.data, columns, rows, columns * 3, QImage.Format.Format_RGB888).copy()
