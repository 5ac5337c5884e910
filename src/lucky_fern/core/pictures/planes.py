"""What a picture file holds, and how it becomes a picture: the one place for depth, alpha, orientation and profile.

Readers of formats hand over planes as they are stored. Here they become straight RGBA of 8 or 16 bits, upright, and
sRGB-encoded where they are taken as colour.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass, field
from functools import cache
from typing import Literal

import numpy as np
from PIL import Image, ImageCms

from lucky_fern.core.arrays import F32, U8, U16, Array
from lucky_fern.core.colour import encode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import LONGEST_SIDE, MOST_PIXELS
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.words import tr

# What readers raise at files that are damaged or odd.
BROKEN = (OSError, SyntaxError, ValueError, struct.error, EOFError, KeyError, IndexError, TypeError, AttributeError,
          OverflowError, ZeroDivisionError, AssertionError, NotImplementedError, RuntimeError, zlib.error,
          MemoryError, RecursionError, ImportError)  # fmt: skip
Alpha = Literal["none", "straight", "premultiplied"]
_SPACES = {b"RGB ": "rgb", b"GRAY": "gray", b"CMYK": "cmyk"}  # of ICC profiles, by their headers
_RELATIVE = 1  # colorimetric intent


@dataclass(frozen=True)
class Picture:
    """A picture as read: ``rgba`` (rows, columns, 4), uint8 or uint16, straight alpha.

    sRGB-encoded where it was ``taken`` as colour, numbers as stored where as data. ``about`` is what the
    file held, in words.
    """

    name: str
    rgba: U8 | U16
    has_alpha: bool
    notes: tuple[str, ...] = field(default=())
    taken: Taken = "colour"
    about: str = ""

    @property
    def width(self) -> int:
        return int(self.rgba.shape[1])

    @property
    def height(self) -> int:
        return int(self.rgba.shape[0])


@dataclass(frozen=True)
class Planes:
    """A file's pixels as stored: ``values`` (rows, columns, n) uint8, uint16 or floats; row 0 is stored first.

    n is 1 (grey), 3 (RGB) or, with ``ink``, 4 (CMYK); one more where there is an ``alpha``. Floats are linear light
    where no ``profile`` (ICC) says otherwise. ``orientation`` is that of EXIF and TIFF, 1 … 8.
    """

    values: Array
    alpha: Alpha = "none"
    profile: bytes | None = None
    orientation: int = 1
    ink: bool = False
    notes: tuple[str, ...] = ()

    @property
    def grey(self) -> bool:
        return bool(self.values.shape[2] - (self.alpha != "none") == 1)


def check_size(name: str, width: int, height: int) -> None:
    """Refuse a picture that is too large, or has no pixels (PictureError)."""
    if width * height > MOST_PIXELS or max(width, height) > LONGEST_SIDE:
        raise PictureError(
            tr(
                "{name} is {width} × {height} pixels; up to {MOST_PIXELS} million are read, {LONGEST_SIDE} a "
                "side. Make it smaller first: no sheet shows more than 8192 × 8192.",
                name=name,
                width=width,
                height=height,
                MOST_PIXELS=MOST_PIXELS // 1_000_000,
                LONGEST_SIDE=LONGEST_SIDE,
            )
        )
    if width < 1 or height < 1:
        raise PictureError(tr("{name} has no pixels; save it again as PNG.", name=name))


def damaged(name: str, error: Exception | str) -> PictureError:
    """What to say of a file that cannot be read."""
    if isinstance(error, MemoryError):
        return PictureError(
            tr("there is too little memory to read {name}; make it smaller, or close other programs.", name=name)
        )
    return PictureError(
        tr("{name} cannot be read as a picture ({error}); save it again as PNG.", name=name, error=error)
    )


def resolved(planes: Planes, name: str, taken: Taken | None) -> Picture:
    """A file's planes as a picture; ``taken`` None lets them decide: deep grey is more often measured than seen."""
    values, notes = planes.values, list(planes.notes)
    floats = values.dtype.kind == "f"
    decided: Taken = taken or ("data" if planes.grey and values.dtype != np.uint8 else "colour")
    if floats:
        with np.errstate(all="ignore"):
            values = np.nan_to_num(values.astype(np.float64), nan=0.0, posinf=1.0, neginf=0.0)
    colours, alpha = (values, None) if planes.alpha == "none" else (values[..., :-1], values[..., -1:])
    if alpha is not None and planes.alpha == "premultiplied":
        colours = _straight(colours, alpha)
    if floats:
        if (colours > 1).any() or (colours < 0).any():
            notes.append(tr("values beyond 0 … 1 were cut off"))
        colours = np.clip(colours, 0, 1)
    # Inks are no colours that anything here could be laid with, whatever they are taken as.
    read = _by_profile(colours, planes.profile, notes) if decided == "colour" or planes.ink else None
    if read is not None:
        colours = read
    elif planes.ink:
        colours = np.asarray(Image.fromarray(colours, "CMYK").convert("RGB"))
        notes.append(tr("printing colours (CMYK) were turned into sRGB without a profile"))
    elif floats and decided == "colour":
        colours = encode_srgb(colours)
        notes.append(tr("its linear light was encoded as sRGB"))
    whole = colours if alpha is None else np.concatenate([colours, alpha.astype(colours.dtype)], axis=2)
    if floats:
        whole = (np.clip(whole, 0, 1) * 65535 + 0.5).astype(np.uint16)
    upright = _turned(whole, planes.orientation)
    if upright.shape[:2] != whole.shape[:2]:
        notes.append(tr("turned upright as its camera said"))
    return Picture(name, _expand(upright), alpha is not None, tuple(notes), decided)


def _straight(colours: Array, alpha: Array) -> Array:
    """Colours divided by their alpha; nothing where that is 0."""
    full = 1.0 if colours.dtype.kind == "f" else float(np.iinfo(colours.dtype).max)
    share = alpha.astype(np.float64) / full
    divided = np.divide(colours, share, out=np.zeros(colours.shape, np.float64), where=share > 0)
    return divided if colours.dtype.kind == "f" else np.clip(divided + 0.5, 0, full).astype(colours.dtype)


def _turned(values: Array, orientation: int) -> Array:
    """(rows, columns, n) upright: EXIF 2.32, tag 0x0112, and TIFF 6.0."""
    if orientation in (5, 6, 7, 8):
        values = values.swapaxes(0, 1)
    if orientation in (3, 4, 7, 8):
        values = values[::-1]
    if orientation in (2, 3, 6, 7):
        values = values[:, ::-1]
    return np.ascontiguousarray(values)


def _by_profile(colours: Array, profile: bytes | None, notes: list[str]) -> Array | None:
    """(rows, columns, 1 or 3) sRGB-encoded colours of the same dtype; None where no profile says how."""
    if not profile:
        return None
    import imagecodecs

    space = _SPACES.get(profile[16:20], "")
    try:
        if _is_srgb(profile):
            return colours
        given = colours.astype(np.float32) if colours.dtype.kind == "f" else colours
        if space == "rgb" and colours.shape[2] == 1:
            given = given.repeat(3, axis=2)
        made = imagecodecs.cms_transform(
            np.ascontiguousarray(given if given.shape[2] > 1 else given[..., 0]), profile, _srgb(), colorspace=space,
            outcolorspace="rgb", intent=_RELATIVE,
        )  # fmt: skip
        notes.append(tr("its colour profile was resolved to sRGB"))
        return np.asarray(made, colours.dtype)
    except (imagecodecs.CmsError, ImageCms.PyCMSError, ValueError, OSError):
        notes.append(tr("its colour profile is unreadable and was passed over"))
        return None


@cache
def _srgb() -> bytes:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


@cache
def _is_srgb(profile: bytes) -> bool:
    """Whether a profile leaves every colour where it is: such pictures keep their numbers exactly."""
    import imagecodecs

    if _SPACES.get(profile[16:20]) != "rgb":
        return False
    steps = np.arange(0, 256, 51, dtype=np.uint8)
    cube = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(-1, 1, 3)
    made = imagecodecs.cms_transform(
        np.ascontiguousarray(cube), profile, _srgb(), colorspace="rgb", outcolorspace="rgb", intent=_RELATIVE
    )
    return bool(np.abs(made.astype(int) - cube).max() <= 1)


def _expand(planes: Array) -> U8 | U16:
    """Grey, grey + alpha, RGB or RGBA (rows, columns, 1 to 4) as RGBA of the same dtype."""
    count = planes.shape[2]
    top = np.iinfo(planes.dtype).max
    out: U16 = np.full((*planes.shape[:2], 4), top, planes.dtype)
    out[..., :3] = planes[..., :1] if count < 3 else planes[..., :3]
    if count in (2, 4):
        out[..., 3] = planes[..., -1]
    return out


def alpha_of(picture: Picture) -> F32:
    """(rows, columns) float32, 0…1."""
    alpha = picture.rgba[..., 3]
    return alpha.astype(np.float32) / np.float32(np.iinfo(alpha.dtype).max)
