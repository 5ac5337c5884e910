"""Reading picture files into one form: straight RGBA, 8 or 16 bits, row 0 at the top.

What a file is taken as decides how its numbers are read. ``colour``: brought to sRGB (embedded ICC
profiles, CMYK and palettes are resolved; floating-point files hold linear light and are encoded).
``data``: kept as stored. Photographs are turned upright by their EXIF tag. What was done is said in
``notes``.
"""

import io
import logging
import re
import struct
import warnings
import zlib
from dataclasses import dataclass, field, replace
from importlib import resources
from pathlib import PurePath
from typing import Any
from xml.etree import ElementTree
from xml.parsers import expat

import cv2
import numpy as np
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from lucky_fern.core.arrays import F32, U8, U16, Array
from lucky_fern.core.colour import encode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import DEEPEST_SVG, LONGEST_SIDE, MOST_PIXELS, MOST_SMALL_FILE, MOST_STRETCHED
from lucky_fern.core.markup import check_markup
from lucky_fern.core.pictures.apart import render
from lucky_fern.core.pictures.exr import MAGIC, read_exr
from lucky_fern.core.pictures.naming import Taken, is_data_name
from lucky_fern.words import tr

SVG_LONGEST = 1024
LARGEST_SIDE = 8192  # no sheet is larger, so no more is ever needed
SUFFIXES = (".png", ".jpg", ".jpeg", ".svg", ".webp", ".tif", ".tiff", ".tga", ".bmp", ".gif", ".exr", ".dds")
_UNMARKED = {72: 71, 75: 74, 78: 77, 91: 87}  # of the formats of a DDS file (DXGI)

Image.MAX_IMAGE_PIXELS = None  # size is checked here, before anything is unpacked
# What readers raise at files that are damaged or odd.
_BROKEN = (OSError, SyntaxError, ValueError, struct.error, EOFError, KeyError, IndexError, TypeError, AttributeError,
           OverflowError, ZeroDivisionError, AssertionError, NotImplementedError, RuntimeError, zlib.error,
           MemoryError, RecursionError)  # fmt: skip


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


def alpha_of(picture: Picture) -> F32:
    """(rows, columns) float32, 0…1."""
    alpha = picture.rgba[..., 3]
    return alpha.astype(np.float32) / np.float32(np.iinfo(alpha.dtype).max)


def is_drawing(name: str) -> bool:
    """Whether a picture is made of shapes, and so has no size of its own."""
    return PurePath(name).suffix.lower() == ".svg"


def check_any(data: bytes, name: str) -> None:
    """Refuse an empty file (PictureError)."""
    if not data:
        raise PictureError(tr("{name} is empty; copy it again from where it came.", name=name))


def read_picture(data: bytes, name: str, taken: Taken | None = None, longest: int = SVG_LONGEST) -> Picture:
    """Read PNG, JPEG, WebP, TIFF, TGA, BMP, GIF, EXR or SVG bytes.

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
    suffix = PurePath(name).suffix.lower()
    if suffix == ".svg" or data.lstrip()[:4] == b"<svg" or (data.lstrip()[:5] == b"<?xml" and b"<svg" in data[:4096]):
        return replace(_read_svg(data, name, longest), taken=taken or "colour")
    if data[:4] == MAGIC:
        return _read_exr(data, name, taken)
    if data[:8] == b"\x89PNG\r\n\x1a\n" and len(data) > 26 and data[24] == 16:
        return _read_deep_png(data, name, taken)
    if data[:4] in (b"II*\0", b"MM\0*"):
        deep = _read_deep_tiff(data, name, taken)
        if deep is not None:
            return deep
    return _read_common(data, name, taken)


def _about(picture: Picture) -> str:
    """What a file held, in words: ``grey + alpha, 16 bits``."""
    rgb = picture.rgba[..., :3]
    grey = bool((rgb[..., 0] == rgb[..., 1]).all() and (rgb[..., 0] == rgb[..., 2]).all())
    words = ("grey" if grey else "colour") + (" + alpha" if picture.has_alpha else "")
    return f"{words}, {picture.rgba.itemsize * 8} bits"


def _grey_taken(taken: Taken | None, grey: bool) -> Taken:
    """Deep grey pictures are measurements more often than not."""
    return taken or ("data" if grey else "colour")


def _from_float(planes: Array, name: str, taken: Taken | None, notes: list[str]) -> Picture:
    """(rows, columns, 1 to 4) floats: linear light where taken as colour, plain numbers as data."""
    count = planes.shape[2]
    decided = _grey_taken(taken, count < 3)
    with np.errstate(all="ignore"):
        values = np.nan_to_num(planes.astype(np.float64), nan=0.0, posinf=1.0, neginf=0.0)
    colours = values[..., :3] if count >= 3 else values[..., :1]
    if (colours > 1).any() or (colours < 0).any():
        notes.append(tr("values beyond 0 … 1 were cut off"))
    values = np.clip(values, 0, 1)
    if decided == "colour":
        shown = slice(0, 3) if count >= 3 else slice(0, 1)
        values[..., shown] = encode_srgb(values[..., shown])
        notes.append(tr("its linear light was encoded as sRGB"))
    deep = (values * 65535 + 0.5).astype(np.uint16)
    return Picture(name, _expand(deep), count in (2, 4), tuple(notes), decided)


def _read_exr(data: bytes, name: str, taken: Taken | None) -> Picture:
    try:
        channels = read_exr(data, lambda width, height: _check_size(name, width, height))
    except ValueError as error:
        raise _damaged(name, ValueError(tr("its data is damaged or cut off"))) from error
    notes: list[str] = []
    if {"R", "G", "B"} <= set(channels):
        names = ["R", "G", "B"]
    else:
        names = ["Y"] if "Y" in channels else [next(key for key in channels if key != "A" or len(channels) == 1)]
        if len(channels) > 2:
            notes.append(tr("only its channel {names} is used", names=names[0]))
    if "A" in channels and names != ["A"]:
        names.append("A")
    planes = np.stack([channels[key].astype(np.float64) for key in names], axis=2)
    if names[-1] == "A" and len(names) > 1:  # OpenEXR's alpha is premultiplied; ours is straight
        alpha = planes[..., -1:]
        planes[..., :-1] = np.divide(planes[..., :-1], alpha, out=np.zeros_like(planes[..., :-1]), where=alpha > 0)
    return _from_float(planes, name, taken, notes)


def _check_size(name: str, width: int, height: int) -> None:
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


def _damaged(name: str, error: Exception) -> PictureError:
    return PictureError(
        tr("{name} cannot be read as a picture ({error}); save it again as PNG.", name=name, error=error)
    )


def unmarked(data: bytes) -> bytes:
    """A DDS file without the mark that its colours are sRGB: Pillow reads the same numbers without it, not with
    it.
    """
    if data[:4] == b"DDS " and data[84:88] == b"DX10" and len(data) > 132:
        number = _UNMARKED.get(int.from_bytes(data[128:132], "little"))
        if number is not None:
            return data[:128] + number.to_bytes(4, "little") + data[132:]
    return data


def _read_common(data: bytes, name: str, taken: Taken | None) -> Picture:
    data = unmarked(data)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # what is odd in a file and does not keep it from being read
            image: Image.Image = Image.open(io.BytesIO(data))
            _check_size(name, *image.size)
            image.load()
    except UnidentifiedImageError:
        raise PictureError(
            tr(
                "{name} is not a picture of a kind that is read; save it as PNG, JPEG, TIFF, WebP, TGA, EXR or SVG.",
                name=name,
            )
        ) from None
    except PictureError:
        raise
    except _BROKEN as error:
        raise _damaged(name, error) from error
    notes: list[str] = []
    if getattr(image, "n_frames", 1) > 1:
        notes.append(tr("only its first frame is used"))
    try:
        upright = ImageOps.exif_transpose(image)
    except _BROKEN:
        upright = None
        notes.append(tr("what its camera said about it is unreadable and was passed over"))
    if upright is not None and upright.size != image.size:
        notes.append(tr("turned upright as its camera said"))
    image = upright if upright is not None else image
    if taken != "data" or image.mode == "CMYK":
        image = _to_srgb(image, name, notes)
    if image.mode == "F":
        return _from_float(np.asarray(image)[..., None], name, taken, notes)
    if image.mode in ("I;16", "I;16B", "I"):
        grey = np.clip(np.asarray(image), 0, 65535).astype(np.uint16)
        return Picture(name, _expand(grey[..., None]), False, tuple(notes), _grey_taken(taken, True))
    alpha = "A" in image.getbands() or "transparency" in image.info
    return Picture(name, np.array(image.convert("RGBA")), alpha, tuple(notes), taken or "colour")


def _to_srgb(image: Image.Image, name: str, notes: list[str]) -> Image.Image:
    """Resolve an embedded colour profile and CMYK."""
    profile = image.info.get("icc_profile")
    if profile and image.mode in ("RGB", "RGBA", "CMYK", "L", "P"):
        try:
            source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
            if image.mode == "P":
                image = image.convert("RGBA" if "transparency" in image.info else "RGB")
            alpha = image.getchannel("A") if image.mode == "RGBA" else None
            plain = image.convert("RGB") if image.mode == "RGBA" else image
            result = ImageCms.profileToProfile(
                plain, source, ImageCms.createProfile("sRGB"), ImageCms.Intent.RELATIVE_COLORIMETRIC, "RGB"
            )
            if result is not None:
                if "sRGB" not in ImageCms.getProfileDescription(source):
                    notes.append(tr("its colour profile was resolved to sRGB"))
                if alpha is not None:
                    result.putalpha(alpha)
                return result
        except (ImageCms.PyCMSError, OSError):
            notes.append(tr("its colour profile is unreadable and was passed over"))
    if image.mode == "CMYK":
        notes.append(tr("printing colours (CMYK) were turned into sRGB without a profile"))
        return image.convert("RGB")
    return image


def _read_deep_png(data: bytes, name: str, taken: Taken | None) -> Picture:
    width, height = struct.unpack_from(">II", data, 16)
    _check_size(name, width, height)
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if decoded is None:
        raise _damaged(name, ValueError(tr("its data is damaged or cut off")))
    alpha = data[25] in (4, 6)
    planes = decoded if decoded.ndim == 3 else decoded[..., None]
    if planes.shape[2] >= 3:
        planes = planes[..., [2, 1, 0, 3][: planes.shape[2]]]
    return Picture(name, _expand(planes), alpha, taken=_grey_taken(taken, planes.shape[2] < 3))


def _read_deep_tiff(data: bytes, name: str, taken: Taken | None) -> Picture | None:
    """A TIFF with more than 8 bits a channel; None for others, which Pillow reads well."""
    import tifffile

    _quiet_tiff()
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages.first
            _check_size(name, int(page.imagewidth), int(page.imagelength))
            if (
                page.dtype is None
                or page.dtype.itemsize == 1
                or page.dtype.kind not in "uif"
                or _word(page.photometric) not in ("RGB", "MINISBLACK", "MINISWHITE")
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
            inverted = _word(page.photometric) == "MINISWHITE"
    except PictureError:
        raise
    except (tifffile.TiffFileError, *_BROKEN) as error:
        raise _damaged(name, error) from error
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
    grey = _word(page.photometric) != "RGB"
    planes = planes[..., : (2 if grey else 4)]
    if planes.dtype.kind == "f":
        return _from_float(planes, name, taken, [])
    if planes.dtype != np.uint16:
        top = float(np.iinfo(planes.dtype).max)
        planes = (np.clip(planes / top, 0, 1) * 65535 + 0.5).astype(np.uint16)
    planes = np.ascontiguousarray(planes, np.uint16)  # in this machine's own order of bytes
    if inverted:
        planes = np.asarray(65535 - planes, np.uint16)
    return Picture(name, _expand(planes), planes.shape[2] in (2, 4), taken=_grey_taken(taken, planes.shape[2] < 3))


def _word(value: Any) -> str:
    """The name of a tag's value: the reader gives plain numbers for some."""
    number = {0: "MINISWHITE", 1: "MINISBLACK", 2: "RGB"}
    return str(getattr(value, "name", number.get(value, value)))


def _quiet_tiff() -> None:
    """What the reader would print about odd tags is not for a terminal; what matters it raises."""
    logging.getLogger("tifffile").setLevel(logging.CRITICAL)


def _expand(planes: Array) -> U16:
    """Grey, grey + alpha, RGB or RGBA (rows, columns, 1 to 4) as RGBA of the same dtype."""
    count = planes.shape[2]
    top = np.iinfo(planes.dtype).max
    out: U16 = np.full((*planes.shape[:2], 4), top, planes.dtype)
    out[..., :3] = planes[..., :1] if count < 3 else planes[..., :3]
    if count in (2, 4):
        out[..., 3] = planes[..., -1]
    return out


def _read_svg(data: bytes, name: str, longest: int) -> Picture:
    notes: tuple[str, ...] = ()
    try:
        if len(data) > MOST_SMALL_FILE:
            raise ValueError(tr("it has {data:.0f} MB", data=len(data) / 1e6))
        check_markup(data, DEEPEST_SVG)
        text, left_out = _without_outside(data)
        if left_out:
            notes = (f"{left_out} picture(s) outside of it were left out; a drawing carries its pictures itself",)
        fonts = resources.files("lucky_fern") / "fonts"
        # Only the fonts that ship are used: the same file looks the same on every machine.
        options: dict[str, Any] = {"skip_system_fonts": True}
        if "<text" in text or ":text" in text:  # reading the fonts takes longer than most drawings do
            options |= {"font_dirs": [str(fonts)], "font_family": "Inter"}
        across, down = _svg_size(text)
        if max(across, down) > MOST_STRETCHED * min(across, down):
            raise ValueError(
                tr(
                    "it is {across:g} × {down:g}, more than {MOST_STRETCHED:g} times as long as wide",
                    across=across,
                    down=down,
                    MOST_STRETCHED=MOST_STRETCHED,
                )
            )
        zoom = longest / max(across, down)
        size = max(1, round(across * zoom)), max(1, round(down * zoom))
        # Its own size says nothing more: lengths in other units would ask for as many pixels as they like.
        sized = _with_size(text, *size)
        png = render({"svg_string": sized, "width": size[0], **options})
        pixels = np.array(Image.open(io.BytesIO(png)).convert("RGBA"))
    except (ElementTree.ParseError, expat.ExpatError, *_BROKEN) as error:
        raise PictureError(
            tr("{name} is not a readable SVG ({error}); save it again as plain SVG.", name=name, error=error)
        ) from error
    return Picture(name, pixels, True, notes)


def _without_outside(data: bytes) -> tuple[str, int]:
    """The text of a drawing without pictures that lie in other files, and how many those were."""
    root, found = ElementTree.fromstring(data), 0
    for element in root.iter():
        for key in [key for key in element.attrib if key.rpartition("}")[2] == "href"]:
            wanted = element.attrib[key].strip()
            if not wanted.startswith("#") and not re.match(r"data:image/(?!svg)", wanted, re.IGNORECASE):
                del element.attrib[key]
                found += element.tag.rpartition("}")[2] in ("image", "feImage", "use")
    if not found:
        try:
            return data.decode("utf-8"), 0
        except UnicodeDecodeError:
            pass
    return ElementTree.tostring(root, encoding="unicode"), found


_LENGTH = re.compile(r"\s*([0-9]*\.?[0-9]+(?:[eE][-+]?[0-9]+)?)(px|pt|pc|mm|cm|in|em|ex)?\s*\Z")
_PIXELS = {"pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0, "em": 16.0, "ex": 8.0}


def _svg_size(text: str) -> tuple[float, float]:
    """Natural proportions of an SVG: its width and height, else its viewBox, else a square."""
    root = ElementTree.fromstring(text)
    lengths = [_LENGTH.match(root.get(key, "")) for key in ("width", "height")]
    box = re.findall(r"[-+0-9.eE]+", root.get("viewBox", ""))
    if lengths[0] and lengths[1]:
        size = tuple(float(one[1]) * _PIXELS.get(one[2] or "px", 1.0) for one in lengths if one)
    elif len(box) == 4:
        size = float(box[2]), float(box[3])
    else:
        size = 100.0, 100.0
    if not all(0 < one < 1e9 for one in size):
        raise ValueError(tr("it has no size"))
    return size[0], size[1]


def _with_size(text: str, width: int, height: int) -> str:
    """A drawing with its own size replaced; what it shows is that of its viewBox, or of the size it had."""
    root = ElementTree.fromstring(text)
    lengths = [root.get(key, "") for key in ("width", "height")]
    plain = [re.fullmatch(r"\s*[0-9]*\.?[0-9]+(?:px)?\s*", one) for one in lengths]
    if all(plain) or not any(lengths):
        return text
    start = re.search(r"<([A-Za-z0-9_.]+:)?svg\b[^>]*>", text)
    if start is None:
        return text
    across, down = _svg_size(text)
    tag = re.sub(r"""\s(width|height)\s*=\s*("[^"]*"|'[^']*')""", "", start[0])
    more = "" if root.get("viewBox") else f' viewBox="0 0 {across:g} {down:g}"'
    closing = "/>" if tag.endswith("/>") else ">"
    tag = tag[: -len(closing)] + f' width="{width}" height="{height}"{more}{closing}'
    return text[: start.start()] + tag + text[start.end() :]
