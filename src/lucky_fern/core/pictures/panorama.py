"""Panoramas of light: read from HDR and EXR files (or any picture), made sound and small enough to keep."""

from __future__ import annotations

from pathlib import PurePath

import cv2
import numpy as np

from lucky_fern.core.arrays import F32
from lucky_fern.core.colour import decode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.exr import MAGIC, read_exr, write_exr
from lucky_fern.core.pictures.picture import check_any, read_picture
from lucky_fern.words import tr

SUFFIXES = (".hdr", ".exr", ".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")
WIDEST = 2048  # pixels that are kept; what is reflected needs far fewer
LARGEST = 32768  # pixels a side that are read
BRIGHTEST = 60000.0  # what half floats hold; a sun is hardly ever more
_BAND = 128  # rows
_HDR = (b"#?RADIANCE", b"#?RGBE")


def read_panorama(data: bytes, name: str) -> tuple[F32, tuple[str, ...]]:
    """(rows, 2 · rows, 3) float32 linear light of a panorama, up to :data:`WIDEST` across; and what is to be said.

    Light that is no number, endless or below nothing is put right, and told.

    Raises
    ------
    PictureError
        With a sentence that names the file and the remedy.
    """
    check_any(data, name)
    if data.startswith(_HDR):
        light = _radiance(data, name)
    elif data[:4] == MAGIC:
        light = _exr(data, name)
    elif PurePath(name).suffix.lower() in SUFFIXES:
        picture = read_picture(data, name, "colour")
        light = decode_srgb(picture.rgba[..., :3] / float(np.iinfo(picture.rgba.dtype).max)).astype(np.float32)
    else:
        raise PictureError(tr("{name} is no panorama; take an HDR or EXR file.", name=name))
    rows, columns = light.shape[:2]
    if not 1.9 <= columns / rows <= 2.1 or rows < 4:
        raise PictureError(
            tr("{name} is {columns} × {rows}: a panorama all round is twice as wide as high. Turn it into an "
               "equirectangular one first.", name=name, columns=columns, rows=rows)
        )  # fmt: skip
    return _sound(light)


def _sound(light: F32) -> tuple[F32, tuple[str, ...]]:
    """Brought to a size that is kept, without what is no light."""
    notes, odd, below, lit = [], 0, 0, False
    light = np.ascontiguousarray(light, np.float32)
    for top in range(0, light.shape[0], _BAND):  # in place: the largest ones are there just once
        band = light[top : top + _BAND]
        wrong = ~np.isfinite(band)
        if wrong.any():
            odd += int(wrong.sum())
            np.nan_to_num(band, copy=False, nan=0.0, posinf=BRIGHTEST, neginf=0.0)
        below += int((band < 0).sum())
        np.clip(band, 0, BRIGHTEST, out=band)
        lit = lit or bool(band.any())
    if odd:
        notes.append(tr("{count} of its values are endless or no numbers; they are the brightest there is, or none",
                        count=odd))  # fmt: skip
    if below:
        notes.append(tr("{count} of its values lie below nothing; they are dark now", count=below))
    if not lit:
        notes.append(tr("it is black all over"))
    columns = light.shape[1]
    if columns > WIDEST:
        notes.append(tr("{columns} pixels across are more than anything reflects; {kept} are kept",
                        columns=columns, kept=WIDEST))  # fmt: skip
        columns = WIDEST
    wanted = (2 * max(columns // 2, 2), max(columns // 2, 2))
    if (light.shape[1], light.shape[0]) != wanted:
        light = cv2.resize(light, wanted, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(light, np.float32), tuple(notes)


def _radiance(data: bytes, name: str) -> F32:
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if found is None or found.ndim != 3 or found.dtype != np.float32:
        raise _damaged(name)
    return np.asarray(found[..., 2::-1], np.float32)


def _exr(data: bytes, name: str) -> F32:
    def check(width: int, height: int) -> None:
        if max(width, height) > LARGEST:
            raise PictureError(tr("{name} is over {most} pixels wide; make it smaller first.",
                                  name=name, most=LARGEST))  # fmt: skip

    try:
        channels = read_exr(data, check)
    except ValueError as error:
        raise _damaged(name) from error
    if not {"R", "G", "B"} <= set(channels):
        channels = dict.fromkeys("RGB", channels.get("Y", next(iter(channels.values()))))
    light = np.empty((*channels["R"].shape, 3), np.float32)
    for at, key in enumerate("RGB"):
        light[..., at] = channels[key]
    return light


def _damaged(name: str) -> PictureError:
    return PictureError(tr("{name} is damaged or cut off; take another copy.", name=name))


def panorama_bytes(light: F32) -> bytes:
    """An OpenEXR file of half floats, as it is kept."""
    return write_exr({"RGB": np.ascontiguousarray(light, np.float16)})
