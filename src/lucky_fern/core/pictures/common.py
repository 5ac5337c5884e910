"""Pictures that Pillow reads, as planes."""

from __future__ import annotations

import io
import warnings

import numpy as np
from PIL import Image, UnidentifiedImageError

from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.planes import BROKEN, Planes, check_size, damaged
from lucky_fern.words import tr

Image.MAX_IMAGE_PIXELS = None  # size is checked here, before anything is unpacked
_UNMARKED = {72: 71, 75: 74, 78: 77, 91: 87}  # of the formats of a DDS file (DXGI)
_ORIENTATION = 0x0112  # a tag of EXIF
_DEEP = ("I;16", "I;16B", "I;16L", "I;16N", "I")


def unmarked(data: bytes) -> bytes:
    """A DDS file without the mark that its colours are sRGB: Pillow reads the same numbers without it, not with
    it.
    """
    if data[:4] == b"DDS " and data[84:88] == b"DX10" and len(data) > 132:
        number = _UNMARKED.get(int.from_bytes(data[128:132], "little"))
        if number is not None:
            return data[:128] + number.to_bytes(4, "little") + data[132:]
    return data


def common_planes(data: bytes, name: str) -> Planes:
    """Whatever Pillow opens; PictureError for all else."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # what is odd in a file and does not keep it from being read
            image: Image.Image = Image.open(io.BytesIO(unmarked(data)))
            check_size(name, *image.size)
            image.load()
            return _planes(image)
    except UnidentifiedImageError:
        raise PictureError(
            tr(
                "{name} is not a picture of a kind that is read; save it as PNG, JPEG, TIFF, WebP, TGA, EXR or SVG.",
                name=name,
            )
        ) from None
    except PictureError:
        raise
    except BROKEN as error:
        raise damaged(name, error) from error


def _planes(image: Image.Image) -> Planes:
    notes: list[str] = []
    try:
        frames = getattr(image, "n_frames", 1)
    except BROKEN:  # what comes after its first frame is damaged
        frames = 2
    if frames > 1:
        notes.append(tr("only its first frame is used"))
    orientation = 1
    try:
        orientation = int(image.getexif().get(_ORIENTATION, 1))
    except BROKEN:
        notes.append(tr("what its camera said about it is unreadable and was passed over"))
    profile = image.info.get("icc_profile")
    if image.mode == "F":
        return Planes(np.asarray(image)[..., None], profile=profile, orientation=orientation, notes=tuple(notes))
    if image.mode in _DEEP:
        grey = np.clip(np.asarray(image), 0, 65535).astype(np.uint16)
        return Planes(grey[..., None], profile=profile, orientation=orientation, notes=tuple(notes))
    alpha = "A" in image.getbands() or "a" in image.getbands() or "transparency" in image.info
    if image.mode == "La":  # grey multiplied by its alpha: Pillow knows no way from there
        both = np.asarray(image)
        return Planes(both, "premultiplied", profile, orientation, notes=tuple(notes))
    ink = image.mode == "CMYK"
    if not ink:
        grey = image.mode in ("1", "L", "LA")
        image = image.convert(("LA" if grey else "RGBA") if alpha else ("L" if grey else "RGB"))
    values = np.array(image)
    values = values[..., None] if values.ndim == 2 else values
    return Planes(values, "straight" if alpha and not ink else "none", profile, orientation, ink, tuple(notes))
