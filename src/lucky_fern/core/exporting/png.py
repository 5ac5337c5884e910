"""Pixels to PNG bytes (ISO/IEC 15948), 8 or 16 bits, grey, RGB or RGBA."""

import cv2
import numpy as np

from lucky_fern.core.arrays import U8, U16
from lucky_fern.core.errors import ExportError

_ORDER = {1: [0], 3: [2, 1, 0], 4: [2, 1, 0, 3]}  # OpenCV counts blue first


def encode_png(pixels: U8 | U16) -> bytes:
    """(rows, columns, 1, 3 or 4) uint8 or uint16, row 0 at the top, straight alpha."""
    planes = np.ascontiguousarray(pixels[..., _ORDER[pixels.shape[2]]])
    done, data = cv2.imencode(".png", planes)
    if not done:
        raise ExportError("a picture could not be turned into PNG; try a smaller size.")
    return bytes(data)
