"""Pictures of more than 8 bits a channel, as planes: PNG, TIFF and EXR."""

from __future__ import annotations

import io
import logging
import struct
from typing import Any

import cv2
import numpy as np
from PIL import Image

from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import MOST_PIXELS
from lucky_fern.core.pictures.exr import MAGIC, read_exr
from lucky_fern.core.pictures.planes import BROKEN, Alpha, Planes, check_size, damaged
from lucky_fern.words import tr

_PROFILE, _ORIENTATION = 34675, 274  # tags of TIFF
_ASSOCIATED = 1  # an extra sample of TIFF: the colours are multiplied by it


def tells_exr(data: bytes) -> bool:
    """Whether a file is an EXR."""
    return data[:4] == MAGIC


def exr_planes(data: bytes, name: str) -> Planes:
    """An EXR; its alpha is premultiplied, as the format means it."""
    try:
        channels = read_exr(data, lambda width, height: check_size(name, width, height))
    except ValueError as error:
        raise damaged(name, tr("its data is damaged or cut off")) from error
    notes: tuple[str, ...] = ()
    if {"R", "G", "B"} <= set(channels):
        names = ["R", "G", "B"]
    else:
        names = ["Y"] if "Y" in channels else [next(key for key in channels if key != "A" or len(channels) == 1)]
        if len(channels) > 2:
            notes = (tr("only its channel {names} is used", names=names[0]),)
    alpha = "A" in channels and names != ["A"]
    values = np.stack([channels[key].astype(np.float64) for key in [*names, *(["A"] if alpha else [])]], axis=2)
    return Planes(values, "premultiplied" if alpha else "none", notes=notes)


def tells_deep_png(data: bytes) -> bool:
    """Whether a file is a PNG of 16 bits."""
    return data[:8] == b"\x89PNG\r\n\x1a\n" and len(data) > 26 and data[24] == 16


def deep_png_planes(data: bytes, name: str) -> Planes:
    """A PNG of 16 bits; Pillow reads what it says of itself, OpenCV its pixels."""
    width, height = struct.unpack_from(">II", data, 16)
    check_size(name, width, height)
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if decoded is None:
        raise damaged(name, tr("its data is damaged or cut off"))
    profile, orientation = None, 1
    try:
        with Image.open(io.BytesIO(data)) as head:
            profile = head.info.get("icc_profile")
            orientation = int(head.getexif().get(_ORIENTATION, 1))
    except BROKEN:
        pass  # its pixels are there all the same
    grey, alpha = data[25] in (0, 4), data[25] in (4, 6)
    planes = decoded if decoded.ndim == 3 else decoded[..., None]
    if planes.shape[2] >= 3:
        planes = planes[..., [2, 1, 0, 3][: planes.shape[2]]]
    if grey and planes.shape[2] > 2:  # OpenCV makes four of grey and alpha
        planes = planes[..., [0, 3]] if alpha else planes[..., :1]
    elif not alpha:
        planes = planes[..., :3]
    return Planes(planes, "straight" if alpha else "none", profile, orientation)


def tells_tiff(data: bytes) -> bool:
    """Whether a file is a TIFF."""
    return data[:4] in (b"II*\0", b"MM\0*")


def deep_tiff_planes(data: bytes, name: str) -> Planes | None:
    """A TIFF with more than 8 bits a channel; None for others, which Pillow reads well."""
    import tifffile

    # What the reader would print about odd tags is not for a terminal; what matters it raises.
    logging.getLogger("tifffile").setLevel(logging.CRITICAL)
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages.first
            check_size(name, int(page.imagewidth), int(page.imagelength))
            kind = _word(page.photometric)
            if (
                page.dtype is None
                or page.dtype.itemsize == 1
                or page.dtype.kind not in "uif"
                or kind not in ("RGB", "MINISBLACK", "MINISWHITE")
            ):
                return None
            if page.nbytes > 16 * MOST_PIXELS:
                raise PictureError(
                    tr(
                        "{name} unpacks to {nbytes:.0f} MB; save it again as PNG.",
                        name=name,
                        nbytes=page.nbytes / 1e6,
                    )
                )
            planes = page.asarray()
            # (planes, rows, columns), (rows, columns) or (rows, columns, planes), whatever the file's own order.
            if page.planarconfig == 2 and planes.ndim == 3:
                planes = np.moveaxis(planes, 0, -1)
            tags = {code: _value(page, code) for code in (_PROFILE, _ORIENTATION)}
            extra = [int(one) for one in page.extrasamples]
    except PictureError:
        raise
    except (tifffile.TiffFileError, *BROKEN) as error:
        raise damaged(name, error) from error
    if planes.ndim == 2:
        planes = planes[..., None]
    if planes.ndim != 3:
        raise PictureError(
            tr(
                "{name} is no flat picture (its data has {ndim} axes); save it again as PNG.",
                name=name,
                ndim=planes.ndim,
            )
        )
    own = 3 if kind == "RGB" else 1
    planes = planes[..., : own + 1]
    alpha: Alpha = "none"
    if planes.shape[2] > own:
        alpha = "premultiplied" if extra[:1] == [_ASSOCIATED] else "straight"
    if planes.dtype.kind != "f" and planes.dtype != np.uint16:
        top = float(np.iinfo(planes.dtype).max)
        planes = (np.clip(planes / top, 0, 1) * 65535 + 0.5).astype(np.uint16)
    if planes.dtype.kind == "u":
        planes = np.ascontiguousarray(planes, np.uint16)  # in this machine's own order of bytes
    if kind == "MINISWHITE":
        full = 1.0 if planes.dtype.kind == "f" else 65535
        planes = planes.copy()
        # What is multiplied by its alpha is dark by as much less.
        whole = planes[..., own:] if alpha == "premultiplied" else np.asarray(full, planes.dtype)
        planes[..., :own] = whole - planes[..., :own]
    profile, orientation = tags[_PROFILE], tags[_ORIENTATION]
    return Planes(
        planes, alpha, profile if isinstance(profile, bytes) else None,
        int(orientation) if isinstance(orientation, int) else 1,
    )  # fmt: skip


def _value(page: Any, code: int) -> Any:
    tag = page.tags.get(code)
    return None if tag is None else tag.value


def _word(value: Any) -> str:
    """The name of a tag's value: the reader gives plain numbers for some."""
    number = {0: "MINISWHITE", 1: "MINISBLACK", 2: "RGB"}
    return str(getattr(value, "name", number.get(value, value)))
