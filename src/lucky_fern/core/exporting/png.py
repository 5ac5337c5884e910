"""Pixels to PNG bytes (ISO/IEC 15948), 8 or 16 bits, grey, RGB or RGBA."""

import cv2
import numpy as np

from lucky_fern.core.arrays import U8, U16
from lucky_fern.core.errors import ExportError
from lucky_fern.words import tr

_TURN = {3: cv2.COLOR_RGB2BGR, 4: cv2.COLOR_RGBA2BGRA}  # OpenCV counts blue first


def encode_png(pixels: U8 | U16) -> bytes:
    """(rows, columns, 1, 3 or 4) uint8 or uint16, row 0 at the top, straight alpha."""
    count = pixels.shape[2]
    planes = cv2.cvtColor(pixels, _TURN[count]) if count in _TURN else np.ascontiguousarray(pixels)
    done, data = cv2.imencode(".png", planes)
    if not done:
        raise ExportError(tr("a picture could not be turned into PNG; try a smaller size."))
    return bytes(data)
