"""Reading picture files into one form: straight RGBA, 8 or 16 bits, row 0 at the top.

Colour is brought to sRGB (embedded ICC profiles, CMYK and palettes are resolved), photographs are
turned upright by their EXIF tag. What was done is said in ``notes``.
"""

import io
import re
import struct
from dataclasses import dataclass, field
from importlib import resources
from pathlib import PurePath
from typing import Any
from xml.etree import ElementTree

import cv2
import numpy as np
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from lucky_fern.core.arrays import U8, U16, Array
from lucky_fern.core.errors import PictureError

LARGEST_PIXELS = 400_000_000
SVG_LONGEST = 1024
SUFFIXES = (".png", ".jpg", ".jpeg", ".svg", ".webp", ".tif", ".tiff", ".tga", ".bmp", ".gif")

Image.MAX_IMAGE_PIXELS = None  # size is checked here, before anything is unpacked


@dataclass(frozen=True)
class Picture:
    """A picture as read: ``rgba`` (rows, columns, 4), uint8 or uint16, straight alpha, sRGB-encoded."""

    name: str
    rgba: U8 | U16
    has_alpha: bool
    notes: tuple[str, ...] = field(default=())

    @property
    def width(self) -> int:
        return int(self.rgba.shape[1])

    @property
    def height(self) -> int:
        return int(self.rgba.shape[0])


def read_picture(data: bytes, name: str) -> Picture:
    """Read PNG, JPEG, WebP, TIFF, TGA, BMP, GIF or SVG bytes.

    Raises
    ------
    PictureError
        With a sentence that names the file and the remedy.
    """
    suffix = PurePath(name).suffix.lower()
    if not data:
        raise PictureError(f"{name} is empty; copy it again from where it came.")
    if suffix == ".svg" or data.lstrip()[:5] in (b"<svg ", b"<?xml"):
        return _read_svg(data, name)
    if data[:8] == b"\x89PNG\r\n\x1a\n" and len(data) > 26 and data[24] == 16:
        return _read_deep_png(data, name)
    if data[:4] in (b"II*\0", b"MM\0*"):
        deep = _read_deep_tiff(data, name)
        if deep is not None:
            return deep
    return _read_common(data, name)


def _check_size(name: str, width: int, height: int) -> None:
    if width * height > LARGEST_PIXELS:
        raise PictureError(
            f"{name} is {width} × {height} pixels; up to {LARGEST_PIXELS // 1_000_000} million are read. "
            "Make it smaller first: no sheet shows more than 8192 × 8192."
        )


def _damaged(name: str, error: Exception) -> PictureError:
    return PictureError(f"{name} cannot be read as a picture ({error}); save it again as PNG.")


def _read_common(data: bytes, name: str) -> Picture:
    try:
        image: Image.Image = Image.open(io.BytesIO(data))
        _check_size(name, *image.size)
        image.load()
    except UnidentifiedImageError:
        raise PictureError(
            f"{name} is not a picture of a kind that is read; save it as PNG, JPEG, TIFF, WebP, TGA or SVG."
        ) from None
    except (OSError, SyntaxError, ValueError, struct.error, EOFError) as error:
        raise _damaged(name, error) from error
    notes: list[str] = []
    if getattr(image, "n_frames", 1) > 1:
        notes.append("only its first frame is used")
    upright = ImageOps.exif_transpose(image)
    if upright is not None and upright.size != image.size:
        notes.append("turned upright as its camera said")
    image = upright if upright is not None else image
    image = _to_srgb(image, name, notes)
    if image.mode in ("I;16", "I;16B", "I", "F"):
        return _from_levels(np.asarray(image), name, notes)
    alpha = "A" in image.getbands() or "transparency" in image.info
    return Picture(name, np.array(image.convert("RGBA")), alpha, tuple(notes))


def _from_levels(levels: Array, name: str, notes: list[str]) -> Picture:
    """One channel of integers (taken as 0…65535) or floats (taken as 0…1) as 16-bit grey."""
    if levels.dtype.kind == "f":
        grey = (np.clip(np.nan_to_num(levels), 0, 1) * 65535 + 0.5).astype(np.uint16)
    else:
        grey = np.clip(levels, 0, 65535).astype(np.uint16)
    return Picture(name, _expand(grey[..., None]), False, tuple(notes))


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
                    notes.append("its colour profile was resolved to sRGB")
                if alpha is not None:
                    result.putalpha(alpha)
                return result
        except (ImageCms.PyCMSError, OSError):
            notes.append("its colour profile is unreadable and was passed over")
    if image.mode == "CMYK":
        notes.append("printing colours (CMYK) were turned into sRGB without a profile")
        return image.convert("RGB")
    return image


def _read_deep_png(data: bytes, name: str) -> Picture:
    width, height = struct.unpack_from(">II", data, 16)
    _check_size(name, width, height)
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if decoded is None:
        raise _damaged(name, ValueError("its data is damaged or cut off"))
    alpha = data[25] in (4, 6)
    planes = decoded if decoded.ndim == 3 else decoded[..., None]
    if planes.shape[2] >= 3:
        planes = planes[..., [2, 1, 0, 3][: planes.shape[2]]]
    return Picture(name, _expand(planes), alpha)


def _read_deep_tiff(data: bytes, name: str) -> Picture | None:
    """A TIFF with more than 8 bits a channel; None for others, which Pillow reads well."""
    import tifffile

    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages.first
            if (
                page.dtype is None
                or page.dtype.itemsize == 1
                or page.photometric.name not in ("RGB", "MINISBLACK", "MINISWHITE")
            ):
                return None
            _check_size(name, page.imagewidth, page.imagelength)
            planes = page.asarray()
            if page.planarconfig.name == "SEPARATE" and planes.ndim == 3:
                planes = np.moveaxis(planes, 0, -1)
            inverted = page.photometric.name == "MINISWHITE"
    except PictureError:
        raise
    except (tifffile.TiffFileError, ValueError, OSError, KeyError, IndexError, struct.error) as error:
        raise _damaged(name, error) from error
    if planes.ndim == 2:
        planes = planes[..., None]
    planes = planes[..., :4]
    if planes.dtype.kind == "f":
        planes = (np.clip(np.nan_to_num(planes), 0, 1) * 65535 + 0.5).astype(np.uint16)
    elif planes.dtype != np.uint16:
        top = float(np.iinfo(planes.dtype).max)
        planes = (np.clip(planes / top, 0, 1) * 65535 + 0.5).astype(np.uint16)
    if inverted:
        planes = 65535 - planes
    return Picture(name, _expand(planes), planes.shape[2] in (2, 4))


def _expand(planes: Array) -> U16:
    """Grey, grey + alpha, RGB or RGBA (rows, columns, 1 to 4) as RGBA of the same dtype."""
    count = planes.shape[2]
    top = np.iinfo(planes.dtype).max
    out: U16 = np.full((*planes.shape[:2], 4), top, planes.dtype)
    out[..., :3] = planes[..., :1] if count < 3 else planes[..., :3]
    if count in (2, 4):
        out[..., 3] = planes[..., -1]
    return out


def _read_svg(data: bytes, name: str) -> Picture:
    import resvg_py

    try:
        text = data.decode("utf-8")
        fonts = resources.files("lucky_fern") / "fonts"
        # Only the fonts that ship are used: the same file looks the same on every machine.
        options: dict[str, Any] = {"skip_system_fonts": True, "font_dirs": [str(fonts)], "font_family": "Inter"}
        across, down = _svg_size(text)
        zoom = SVG_LONGEST / max(across, down)
        png = resvg_py.svg_to_bytes(svg_string=text, width=max(1, round(across * zoom)), **options)
    except (ValueError, OSError, ElementTree.ParseError) as error:
        raise PictureError(f"{name} is not a readable SVG ({error}); save it again as plain SVG.") from error
    return Picture(name, np.array(Image.open(io.BytesIO(bytes(png))).convert("RGBA")), True)


def _svg_size(text: str) -> tuple[float, float]:
    """Natural proportions of an SVG: its width and height, else its viewBox, else a square."""
    root = ElementTree.fromstring(text)
    lengths = [re.match(r"\s*([0-9.]+)(?:px|pt|mm|cm|in)?\s*\Z", root.get(key, "")) for key in ("width", "height")]
    box = re.findall(r"[-0-9.eE]+", root.get("viewBox", ""))
    if lengths[0] and lengths[1]:
        size = float(lengths[0][1]), float(lengths[1][1])
    elif len(box) == 4:
        size = float(box[2]), float(box[3])
    else:
        size = 100.0, 100.0
    if not (size[0] > 0 and size[1] > 0):
        raise ValueError("it has no size")
    return size
