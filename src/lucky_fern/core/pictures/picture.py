"""Reading picture files into one form: straight RGBA, 8 or 16 bits, row 0 at the top.

What a file is taken as decides how its numbers are read. ``colour``: brought to sRGB (embedded ICC
profiles, CMYK and palettes are resolved; floating-point files hold linear light and are encoded).
``data``: kept as stored. Photographs are turned upright by their EXIF tag. What was done is said in
``notes``. A format is a row of :data:`FORMATS`; what its planes become is said in one place (:mod:`.planes`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.common import common_planes, unmarked
from lucky_fern.core.pictures.deep import (
    deep_png_planes,
    deep_tiff_planes,
    exr_planes,
    tells_deep_png,
    tells_exr,
    tells_tiff,
)
from lucky_fern.core.pictures.drawing import SVG_LONGEST, is_drawing, read_svg, tells_svg
from lucky_fern.core.pictures.naming import Taken, is_data_name
from lucky_fern.core.pictures.planes import Picture, Planes, alpha_of, resolved
from lucky_fern.words import tr

__all__ = [
    "FORMATS",
    "SUFFIXES",
    "SVG_LONGEST",
    "Picture",
    "alpha_of",
    "check_any",
    "is_drawing",
    "read_picture",
    "unmarked",
]
LARGEST_SIDE = 8192  # no sheet is larger, so no more is ever needed


class PictureFormat(NamedTuple):
    """A kind of picture file: the ends of names that it goes by, how its bytes are told, and what reads them.

    ``planes`` answers None for files of the kind that the next row reads as well.
    """

    suffixes: tuple[str, ...]
    tells: Callable[[bytes], bool]
    planes: Callable[[bytes, str], Planes | None]


FORMATS = (
    PictureFormat((".exr",), tells_exr, exr_planes),
    PictureFormat((".png",), tells_deep_png, deep_png_planes),
    PictureFormat((".tif", ".tiff"), tells_tiff, deep_tiff_planes),
    PictureFormat((".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".tga", ".bmp", ".gif", ".dds"),
                  lambda data: True, common_planes),
)  # fmt: skip
SUFFIXES = (".svg", *dict.fromkeys(suffix for one in FORMATS for suffix in one.suffixes))


def check_any(data: bytes, name: str) -> None:
    """Refuse an empty file (PictureError)."""
    if not data:
        raise PictureError(tr("{name} is empty; copy it again from where it came.", name=name))


def read_picture(data: bytes, name: str, taken: Taken | None = None, longest: int = SVG_LONGEST) -> Picture:
    """Read PNG, JPEG, WebP, TIFF, TGA, BMP, GIF, EXR, DDS or SVG bytes.

    ``taken`` None lets the file's name and kind decide: names that tell a data map, and grey pictures
    with more than 8 bits, are data; all else is colour. ``longest`` is the longer side of an SVG in pixels.

    Raises
    ------
    PictureError
        With a sentence that names the file and the remedy.
    """
    check_any(data, name)
    wish: Taken | None = taken or ("data" if is_data_name(name) else None)
    found = _read(data, name, wish, longest)
    notes = list(found.notes)
    if found.width * found.height == 1:
        notes.append(tr("it is a single pixel and gives one flat value"))
    if max(found.width, found.height) > LARGEST_SIDE:
        notes.append(
            tr(
                "{width} × {height} pixels is more than any sheet shows; it is halved to fit",
                width=found.width,
                height=found.height,
            )
        )
    return replace(found, notes=tuple(notes), about=_about(found))


def _read(data: bytes, name: str, taken: Taken | None, longest: int) -> Picture:
    if tells_svg(data, name):
        return read_svg(data, name, taken, longest)
    made = (one.planes(data, name) for one in FORMATS if one.tells(data))
    return resolved(next(planes for planes in made if planes is not None), name, taken)


def _about(picture: Picture) -> str:
    """What a file held, in words: ``grey + alpha, 16 bits``."""
    rgb = picture.rgba[..., :3]
    grey = bool((rgb[..., 0] == rgb[..., 1]).all() and (rgb[..., 0] == rgb[..., 2]).all())
    words = ("grey" if grey else "colour") + (" + alpha" if picture.has_alpha else "")
    return f"{words}, {picture.rgba.itemsize * 8} bits"
