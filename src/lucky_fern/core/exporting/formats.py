"""Pixels to the bytes of a file, by format. The same pixels always give the same bytes."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np

from lucky_fern.core.errors import ExportError
from lucky_fern.core.exporting.channels import Pixels, as_floats, plane_as_floats
from lucky_fern.core.exporting.dds import Cancel, encode_dds, encode_light, fitting
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.maps import directs
from lucky_fern.core.pictures.exr import write_exr
from lucky_fern.core.pictures.picture import unmarked
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.presets import MapFile
from lucky_fern.words import tr

_JPEG_SIDE, _WEBP_SIDE = 65535, 16383  # the most that these formats can hold


def encode(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel = None) -> bytes:
    """A file's bytes from its pixels (rows, columns, 1, 3 or 4), row 0 at the top; ``setup`` is the file's own.

    Raises
    ------
    ExportError
        If the format cannot hold them.
    Cancelled
        If ``cancelled()`` answers True; only formats that take long ask.
    """
    return _WRITERS[setup.format_of(file)](file, pixels, setup, cancelled)


def _png(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel) -> bytes:
    return encode_png(pixels)


def _image(pixels: Pixels) -> Any:
    from PIL import Image

    planes = np.ascontiguousarray(pixels[..., 0] if pixels.shape[2] == 1 else pixels)
    return Image.fromarray(planes)


def _saved(pixels: Pixels, kind: str, **options: object) -> bytes:
    out = io.BytesIO()
    _image(pixels).save(out, kind, **options)
    return out.getvalue()


def _tga(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel) -> bytes:
    return _saved(pixels, "TGA", compression="tga_rle")


def _jpeg(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel) -> bytes:
    """Colours at full resolution; JPEG has no alpha, so that is left out."""
    if max(pixels.shape[:2]) > _JPEG_SIDE:
        raise ExportError(
            tr("JPEG holds {JPEG_SIDE} texels a side at most; choose a smaller size.", JPEG_SIDE=_JPEG_SIDE)
        )
    return _saved(pixels[..., :3], "JPEG", quality=setup.quality, subsampling=0, optimize=True)


def _webp(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel) -> bytes:
    if max(pixels.shape[:2]) > _WEBP_SIDE:
        raise ExportError(
            tr("WebP holds {WEBP_SIDE} texels a side at most; choose a smaller size.", WEBP_SIDE=_WEBP_SIDE)
        )
    grey = pixels.shape[2] == 1
    whole: Pixels = np.dstack([pixels] * 3) if grey else pixels  # type: ignore[assignment]  # stubs lose the type
    lossless = setup.quality == 100 or not file.encoded
    return _saved(whole, "WEBP", lossless=lossless, quality=60 if lossless else setup.quality, exact=True)


def _tiff(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel) -> bytes:
    """Deflate-compressed (TIFF 6.0 and its technical notes); with ``full`` linear 32-bit floats."""
    import tifffile

    planes: Any = as_floats(file, pixels) if setup.full else pixels
    planes = planes[..., 0] if planes.shape[2] == 1 else planes
    alpha = "assocalpha" if file.blend == "premultiplied" else "unassalpha"
    out = io.BytesIO()
    tifffile.imwrite(
        out, np.ascontiguousarray(planes), photometric="minisblack" if planes.ndim == 2 else "rgb",
        extrasamples=[alpha] if planes.ndim == 3 and planes.shape[2] == 4 else None,
        compression="zlib", predictor=not setup.full, metadata=None, software="", byteorder="<",
    )  # fmt: skip
    return out.getvalue()


def _exr(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel) -> bytes:
    """Scene-linear, half floats or with ``full`` floats of 32 bits; grey as the one channel Y."""
    kind = np.float32 if setup.full else np.float16
    names = {1: "Y", 3: "RGB", 4: "RGBA"}[pixels.shape[2]]
    channels = {name: plane_as_floats(file, pixels, at).astype(kind, copy=False) for at, name in enumerate(names)}
    return write_exr(channels)


def _dds(file: MapFile, pixels: Pixels, setup: ExportSetup, cancelled: Cancel = None) -> bytes:
    if setup.in_light(file):
        return encode_light(as_floats(file, pixels), setup.mips, setup.quality, cancelled)
    normal = all(directs(pick.of) for pick in file.channels)
    count = pixels.shape[2]
    fits = setup.blocks not in (None, "bc6h") and (setup.blocks == "bc4") == (count == 1)
    blocks = (setup.blocks if fits else fitting(count, normal)) if setup.compress else None
    return encode_dds(
        pixels, blocks, setup.mips, file.encoded, normal, setup.marked, setup.quality, cancelled
    )  # fmt: skip


_WRITERS: dict[str, Callable[[MapFile, Pixels, ExportSetup, Cancel], bytes]] = {
    "png": _png, "tga": _tga, "tiff": _tiff, "jpeg": _jpeg, "webp": _webp, "exr": _exr, "dds": _dds,
}  # fmt: skip


def read_back(data: bytes, name: str) -> np.ndarray | None:
    """(rows, columns, 1, 3 or 4) of a written file, 8 bits or floats; None where that fails."""
    pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if pixels is None and data[:4] == b"DDS " and data[128:132] == b"\x5f\0\0\0":  # BC6H: half floats
        import imagecodecs

        rows, columns = (int.from_bytes(data[at : at + 4], "little") for at in (12, 16))
        whole = (-(-rows // 4) * 4, -(-columns // 4) * 4, 3)
        size = whole[0] * whole[1]
        light = imagecodecs.bcn_decode(data[148 : 148 + size], imagecodecs.BCN.FORMAT.BC6HU, shape=whole)
        return np.asarray(light, np.float32)[:rows, :columns]
    if pixels is None:
        from PIL import Image, UnidentifiedImageError

        try:
            pixels = np.asarray(Image.open(io.BytesIO(unmarked(data))))
        except (UnidentifiedImageError, OSError, NotImplementedError):
            return None
        return pixels if pixels.ndim == 3 else pixels[..., None]
    planes = pixels if pixels.ndim == 3 else pixels[..., None]
    planes = planes[..., [2, 1, 0, 3][: planes.shape[2]]] if planes.shape[2] >= 3 else planes
    if planes.dtype == np.uint16:
        return np.asarray((planes.astype(np.uint32) + 128) // 257, np.uint8)
    return np.asarray(planes)
