"""Work on pictures band by band, on all cores: floats of a few rows at a time, never of a whole photograph.

Filters see beyond a band's border; beyond the picture's own they see it mirrored or, if it repeats, its other side.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8, U16, Array
from lucky_fern.core.colour import DECODE_8, DECODE_16, ENCODE_16, LUMINANCE, encode_srgb
from lucky_fern.core.compiled import kernel
from lucky_fern.core.parallel import for_each
from lucky_fern.core.pictures.pyramid import Flavour

_ENCODE_8: U8 = ((ENCODE_16.astype(np.int32) + 128) // 257).astype(np.uint8)  # encoded, by light in steps of 65535
_BAND = 128  # rows
_MOST = 256  # … where what lies round would be most of the work otherwise


def bands(rows: int, least: int = _BAND) -> list[tuple[int, int]]:
    """First row and the row after the last of each band."""
    return [(top, min(top + least, rows)) for top in range(0, rows, least)]


def with_border(pixels: Array, top: int, bottom: int, reach: int, wraps: bool) -> Array:
    """Rows ``top`` … ``bottom`` of a picture with ``reach`` pixels more on each side."""
    rows = pixels.shape[0]
    at = np.arange(top - reach, bottom + reach)
    if wraps:
        at %= rows
    else:
        period = max(2 * (rows - 1), 1)
        at = np.abs(at) % period
        at = np.minimum(at, period - at) if rows > 1 else at * 0
    inner = np.asarray(pixels[at[0] : at[-1] + 1] if at[0] + len(at) - 1 == at[-1] and (np.diff(at) == 1).all()
                       else pixels[at])  # fmt: skip
    if reach == 0:
        return inner
    across = np.arange(-reach, pixels.shape[1] + reach)
    if wraps:
        return np.asarray(inner[:, across % pixels.shape[1]])
    return np.asarray(cv2.copyMakeBorder(inner, 0, 0, reach, reach, cv2.BORDER_REFLECT_101)) if (
        pixels.shape[1] > 1) else np.repeat(inner, 1 + 2 * reach, axis=1)  # fmt: skip


def by_bands(rgba: U8 | U16, work: Callable[[Array], Array], reach: int = 0, wraps: bool = False) -> U8 | U16:
    """A new picture: ``work`` is given pixels of some rows with ``reach`` more all round, and answers with as many,
    of the same type, without those.
    """
    out = np.empty_like(rgba)

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        out[top:bottom] = work(with_border(rgba, top, bottom, reach, wraps))

    for_each(one, bands(rgba.shape[0], max(_BAND, min(16 * reach, _MOST), 2 * reach)))
    return out


def inner(values: Array, reach: int) -> Array:
    """Without the pixels all round."""
    return np.asarray(values[reach : values.shape[0] - reach, reach : values.shape[1] - reach])


def as_shares(rgba: Array) -> F32:
    """Encoded colours (r, c, 3) float32 0 … 1, alpha left out."""
    return np.asarray(rgba[..., :3] * np.float32(1 / np.iinfo(rgba.dtype).max), np.float32)


def brightness(rgba: Array) -> F32:
    """How bright pixels are, (r, c) float32 0 … 1, by the encoded values."""
    weights = (LUMINANCE / np.iinfo(rgba.dtype).max).astype(np.float32)
    return np.asarray(cv2.transform(rgba[..., :3].astype(np.float32), weights[None, :]), np.float32).reshape(
        rgba.shape[:2]
    )


def light(rgba: Array, flavour: Flavour) -> F32:
    """Straight RGBA as premultiplied float32 RGBA: linear light in the colour flavour."""
    out = np.empty(rgba.shape, np.float32)
    _to_light(rgba, decoding(rgba, flavour), out)
    return out


def decoding(rgba: Array, flavour: Flavour) -> F32:
    """What each stored number is as light, or as a plain number."""
    top = int(np.iinfo(rgba.dtype).max)
    if flavour == "colour":
        return DECODE_8 if top == 255 else DECODE_16
    return np.asarray(np.arange(top + 1) / top, np.float32)


@kernel
def _to_light(rgba: Array, decode: F32, out: F32) -> None:
    part = np.float32(1) / np.float32(len(decode) - 1)
    for r in range(rgba.shape[0]):
        for c in range(rgba.shape[1]):
            alpha = rgba[r, c, 3] * part
            for k in range(3):
                out[r, c, k] = decode[rgba[r, c, k]] * alpha
            out[r, c, 3] = alpha


def from_light(values: F32, kind: np.dtype[np.uint8] | np.dtype[np.uint16], flavour: Flavour) -> U8 | U16:
    """Premultiplied float32 RGBA as straight RGBA of 8 or 16 bits; black where nothing is."""
    if kind == np.uint8:
        out = np.empty(values.shape, np.uint8)
        _to_8(values, _ENCODE_8, flavour == "colour", out)
        return out
    alpha = np.clip(values[..., 3:], 0, 1)
    straight = np.divide(values[..., :3], alpha, out=np.zeros_like(values[..., :3]), where=alpha > 0)
    straight = np.clip(straight, 0, 1)
    shown = encode_srgb(straight) if flavour == "colour" else straight
    return (np.concatenate([shown, alpha], axis=2) * 65535 + 0.5).astype(np.uint16)


@kernel
def _to_8(values: F32, encode: U8, colours: bool, out: U8) -> None:
    for r in range(values.shape[0]):
        for c in range(values.shape[1]):
            alpha = min(max(values[r, c, 3], np.float32(0)), np.float32(1))
            out[r, c, 3] = np.uint8(alpha * np.float32(255) + np.float32(0.5))
            by = np.float32(1) / alpha if alpha > 0 else np.float32(0)
            for k in range(3):
                value = min(max(values[r, c, k] * by, np.float32(0)), np.float32(1))
                if colours:
                    out[r, c, k] = encode[np.int32(value * np.float32(65535) + np.float32(0.5))]
                else:
                    out[r, c, k] = np.uint8(value * np.float32(255) + np.float32(0.5))


def repeats(rgba: U8 | U16) -> bool:
    """Whether a picture's left meets its right and its top its bottom: no seam shows that neighbours do not show."""
    rows, columns = rgba.shape[:2]
    if min(rows, columns) < 4:
        return False
    values = rgba.astype(np.float32, copy=False) if rgba.size < 1 << 16 else rgba
    for axis in (0, 1):
        first, second = (np.take(values, at, axis).astype(np.float32) for at in (0, 1))
        last, before = (np.take(values, at, axis).astype(np.float32) for at in (-1, -2))
        seam = float(np.abs(first - last).mean())
        beside = (float(np.abs(first - second).mean()) + float(np.abs(last - before).mean())) / 2
        if seam > 1.5 * beside + np.iinfo(rgba.dtype).max / 255:
            return False
    return True
