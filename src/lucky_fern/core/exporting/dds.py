"""DirectDraw surfaces: plain or compressed in blocks, with their halvings.

References: "Programming Guide for DDS" (header, DX10 extension) and "Texture Block Compression in
Direct3D 11" (BC1 to BC7). Those of BC7 and BC6H are a package's, the others :mod:`.texel_blocks` makes.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.errors import ExportError
from lucky_fern.core.exporting.channels import Pixels
from lucky_fern.core.exporting.opaque_blocks import opaque_line_blocks
from lucky_fern.core.exporting.texel_blocks import colour_blocks, grey_blocks
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.presets import Blocks
from lucky_fern.words import tr

_CAPS, _HEIGHT, _WIDTH, _PITCH, _FORMAT, _MIPS, _LINEAR = 0x1, 0x2, 0x4, 0x8, 0x1000, 0x20000, 0x80000
_TEXTURE, _COMPLEX, _MIPMAP = 0x1000, 0x8, 0x400000
_ALPHA, _FOURCC, _RGB, _LUMINANCE = 0x1, 0x4, 0x40, 0x20000
_BYTES = {"bc1": 8, "bc3": 16, "bc4": 8, "bc5": 16, "bc6h": 16, "bc7": 16}  # of a block of 4 × 4 texels
_LETTERS = {"bc1": b"DXT1", "bc3": b"DXT5"}  # all others are named in the newer header
_DXGI = {"bc1": 71, "bc3": 77, "bc4": 80, "bc5": 83, "bc6h": 95, "bc7": 98, "plain": 28}
_ENCODED = {71: 72, 77: 78, 28: 29, 98: 99}  # the same with colours marked as sRGB
_BAND = 64  # rows, an even number
_EFFORTS = ((85, "basic"), (50, "fast"), (0, "veryfast"))  # from a quality on: how long BC7 and BC6H search
_WORST = 8  # one of so many blocks of a band is searched for longer
Cancel = Callable[[], bool] | None


def fitting(count: int, normal: bool) -> Blocks | None:
    """The blocks for so many channels; grey stays plain."""
    if count == 1:
        return None
    return "bc5" if normal and count == 3 else "bc1" if count == 3 else "bc3"


def encode_dds(
    pixels: Pixels, blocks: Blocks | None, mips: bool, encoded: bool, normal: bool, marked: bool = False,
    quality: int = 92, cancelled: Cancel = None,
) -> bytes:  # fmt: skip
    """(rows, columns, 1, 3 or 4) of 8 bits as DDS, plain or in blocks.

    BC1 holds RGB, BC3 and BC7 RGBA, BC4 grey, BC5 two channels (of normals, whose third follows from them).
    ``encoded`` colours are halved as light, ``normal`` vectors are brought to length 1. ``marked`` says in the newer
    header, whatever the blocks, whether colours are sRGB-encoded; without it BC1, BC3 and plain files have the old
    one. ``quality`` (1 … 100) says how long BC7 searches.

    Raises
    ------
    ExportError
        If there are channels that the blocks cannot hold.
    Cancelled
        If ``cancelled()`` answers True.
    """
    eight = pixels.astype(np.uint8)
    count = eight.shape[2]
    if blocks is not None and (blocks == "bc4") != (count == 1):
        kind = "grey" if count == 1 else "colour"
        raise ExportError(
            tr("{upper} holds no {kind}; choose other blocks, or none.", upper=blocks.upper(), kind=kind)
        )
    levels = [eight]
    while mips and max(levels[-1].shape[:2]) > 1:
        levels.append(halved(levels[-1], encoded, normal))
    marked = marked and count > 1  # grey has no colours to say anything of
    made = [
        _plain(level, marked) if blocks is None else _blocks(level, blocks, quality, cancelled) for level in levels
    ]
    return _header(eight.shape, len(levels), blocks, encoded, marked) + b"".join(made)


def encode_light(light: F32, mips: bool, quality: int = 92, cancelled: Cancel = None) -> bytes:
    """(rows, columns, 3) float32 linear light, from 0 up, as DDS in blocks of half floats (BC6H)."""
    levels = [light]
    while mips and max(levels[-1].shape[:2]) > 1:
        rows, columns = levels[-1].shape[:2]
        levels.append(_shrunk(levels[-1], (max(columns // 2, 1), max(rows // 2, 1))))
    made = [_light_blocks(level, quality, cancelled) for level in levels]
    return _header(light.shape, len(levels), "bc6h", False, True) + b"".join(made)


def _header(shape: tuple[int, ...], levels: int, blocks: Blocks | None, encoded: bool, marked: bool) -> bytes:
    rows, columns, count = shape
    pitched = _PITCH if blocks is None else _LINEAR
    flags = _CAPS | _HEIGHT | _WIDTH | _FORMAT | pitched | (_MIPS if levels > 1 else 0)
    if blocks is not None:
        pitch = ((columns + 3) // 4) * ((rows + 3) // 4) * _BYTES[blocks]
        kinds = (32, _FOURCC, b"DX10" if marked else _LETTERS.get(blocks, b"DX10"), 0, 0, 0, 0, 0)
    elif marked:
        pitch = columns * (4 if count > 1 else 1)
        kinds = (32, _FOURCC, b"DX10", 0, 0, 0, 0, 0)
    else:
        pitch = columns * (4 if count > 1 else 1)
        masks = (0xFF0000, 0xFF00, 0xFF, 0xFF000000) if count > 1 else (0xFF, 0, 0, 0)
        kinds = (32, (_RGB | _ALPHA) if count > 1 else _LUMINANCE, b"\0\0\0\0", 32 if count > 1 else 8, *masks)
    caps = _TEXTURE | ((_COMPLEX | _MIPMAP) if levels > 1 else 0)
    header = b"DDS " + struct.pack("<7I44x", 124, flags, rows, columns, pitch, 0, levels)
    header += struct.pack("<2I4s5I", *kinds) + struct.pack("<5I", caps, 0, 0, 0, 0)
    if marked or (blocks is not None and blocks not in _LETTERS):
        number = _DXGI[blocks or "plain"]
        if encoded:
            number = _ENCODED.get(number, number)
        header += struct.pack("<5I", number, 3, 0, 1, 0)  # a texture of two dimensions, one of them
    return header


def halved(pixels: U8, encoded: bool, normal: bool) -> U8:
    """The next halving: means of 2 × 2 texels, of light or of vectors where it is that."""
    rows, columns, count = pixels.shape
    if rows % 2 == 0 and rows > _BAND:  # band by band, or floats of a large sheet would fill the memory
        bands = (pixels[top : top + _BAND] for top in range(0, rows, _BAND))
        return np.concatenate([halved(band, encoded, normal) for band in bands])
    values: F32 = pixels.astype(np.float32) / np.float32(255)
    weight: F32 | None = values[..., 3:] if count == 4 else None
    colour = values[..., :3] if count > 1 else values
    if encoded:
        colour = decode_srgb(colour).astype(np.float32)
    if weight is not None:
        colour = colour * weight
    size = (max(columns // 2, 1), max(rows // 2, 1))
    small = _shrunk(colour, size)
    alpha = None if weight is None else _shrunk(weight, size)
    if alpha is not None:
        small = np.divide(small, alpha, out=np.zeros_like(small), where=alpha > 0)
    if encoded:
        small = encode_srgb(small).astype(np.float32)
    if normal:
        vector = small * 2 - 1
        small = vector / np.maximum(np.linalg.norm(vector, axis=2, keepdims=True), 1e-6) * 0.5 + 0.5
    whole = small if alpha is None else np.concatenate([small, alpha], axis=2)
    return np.asarray(np.clip(whole, 0, 1) * 255 + 0.5).astype(np.uint8)


def _shrunk(values: F32, size: tuple[int, int]) -> F32:
    small = cv2.resize(np.ascontiguousarray(values), size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32).reshape(size[1], size[0], values.shape[2])


def _plain(level: U8, red_first: bool = False) -> bytes:
    """Grey; or blue, green, red and alpha, in the newer header red, green, blue and alpha."""
    if level.shape[2] == 1:
        return level.tobytes()
    rows, columns, count = level.shape
    out = np.full((rows, columns, 4), 255, np.uint8)
    out[..., :3] = level[..., :3] if red_first else level[..., 2::-1]
    if count == 4:
        out[..., 3] = level[..., 3]
    return out.tobytes()


def _blocks(level: U8, blocks: Blocks, quality: int, cancelled: Cancel) -> bytes:
    """A level in blocks, row by row from its upper left."""
    if blocks == "bc7":
        return _searched(level, quality, cancelled)
    if blocks == "bc1":
        return colour_blocks(level, cancelled).tobytes()
    if blocks == "bc4":
        return grey_blocks(level[..., 0], cancelled).tobytes()
    if blocks == "bc5":
        halves = [grey_blocks(level[..., at], cancelled) for at in (0, 1)]
    else:
        alpha = level[..., 3] if level.shape[2] == 4 else np.full(level.shape[:2], 255, np.uint8)
        halves = [grey_blocks(alpha, cancelled), colour_blocks(level, cancelled)]
    return np.concatenate(halves, axis=1).tobytes()


def _searched(level: U8, quality: int, cancelled: Cancel) -> bytes:
    """BC7, by a search through its modes; without an alpha every texel is wholly opaque."""
    import ispc_texcomp

    opaque = level.shape[2] == 3
    how: Any = ("" if opaque else "alpha_") + _effort(quality)
    settings = ispc_texcomp.BC7EncSettings.from_profile(how)
    if opaque:
        level = np.dstack([level, np.full(level.shape[:2], 255, np.uint8)]).astype(np.uint8)

    def encode(band: Any) -> bytes:
        made = _bc7_blocks(band, settings)
        return _made_nearer(band, made) if opaque else made

    return b"".join(for_each(encode, _bands(level), cancelled))


def _bc7_blocks(band: U8, settings: Any) -> bytes:
    import ispc_texcomp

    surface = ispc_texcomp.RGBASurface(np.ascontiguousarray(band).tobytes(), band.shape[1], band.shape[0])
    return bytes(ispc_texcomp.compress_blocks_bc7(surface, settings))


def _made_nearer(band: U8, made: bytes) -> bytes:
    """Opaque blocks, those made again whose alpha came out a step short of it, and the worst of a band."""
    import ispc_texcomp

    read, all_tiles = _read_back(made, band.shape), _tiles(band)
    short = (read[..., 3] < 255).any(axis=(1, 2))
    off = _errors(read, all_tiles)
    again = short | ((off > 0) & (off >= np.partition(off, -len(off) // _WORST)[-len(off) // _WORST]))
    if not again.any():
        return made
    tiles = all_tiles[again]
    strip = tiles.swapaxes(0, 1).reshape(4, -1, 4)  # side by side
    # With alpha counted, which often leads to another end; every way of parting a block; without the mode that
    # makes alphas short; and our own.
    ways = (
        ispc_texcomp.BC7EncSettings.from_profile("alpha_slow"),
        ispc_texcomp.BC7EncSettings.from_profile("slow"),
        ispc_texcomp.BC7EncSettings([True, True, True, False], [2] * 8, True, 12, 8, 0, 0, 2, 3),
    )
    blocks = np.frombuffer(made, np.uint8).reshape(-1, 16).copy()
    found, least = opaque_line_blocks(tiles)
    kept = np.where(short[again], np.inf, off[again]) <= least
    found[kept], least[kept] = blocks[again][kept], off[again][kept]
    for settings in ways:
        tried = _bc7_blocks(strip, settings)
        back = _read_back(tried, strip.shape)
        error = np.where((back[..., 3] == 255).all(axis=(1, 2)), _errors(back, tiles), np.inf)
        nearer = error < least
        found[nearer] = np.frombuffer(tried, np.uint8).reshape(-1, 16)[nearer]
        least[nearer] = error[nearer]
    blocks[again] = found
    return blocks.tobytes()


def _errors(read: Any, tiles: Any) -> Any:
    """(N,) squared errors of the colours of blocks (N, 4, 4, 4)."""
    return ((read[..., :3].astype(np.float32) - tiles[..., :3]) ** 2).sum(axis=(1, 2, 3))


def _tiles(band: Any) -> Any:
    """(N, 4, 4, 4) the blocks of a band, row by row."""
    rows, columns = band.shape[:2]
    return band.reshape(rows // 4, 4, columns // 4, 4, 4).swapaxes(1, 2).reshape(-1, 4, 4, 4)


def _read_back(made: bytes, shape: tuple[int, ...]) -> Any:
    import imagecodecs

    return _tiles(imagecodecs.bcn_decode(made, imagecodecs.BCN.FORMAT.BC7, shape=(shape[0], shape[1], 4)))


def _light_blocks(level: F32, quality: int, cancelled: Cancel) -> bytes:
    """BC6H without signs, by a search through its modes."""
    import ispc_texcomp

    settings = ispc_texcomp.BC6HEncSettings.from_profile(_effort(quality))
    half = np.ones((*level.shape[:2], 4), np.float16)
    half[..., :3] = np.clip(level, 0, np.finfo(np.float16).max)

    def encode(band: Any) -> bytes:
        surface = ispc_texcomp.RGBASurface(band.tobytes(), band.shape[1], band.shape[0], 8 * band.shape[1])
        return bytes(ispc_texcomp.compress_blocks_bc6h(surface, settings))

    return b"".join(for_each(encode, _bands(half), cancelled))


def _effort(quality: int) -> Any:
    return next(word for least, word in _EFFORTS if quality >= least)


def _bands(level: Any) -> list[Any]:
    """Whole blocks of a level in bands of rows, what is missing at its borders filled with their own texels."""
    whole = np.pad(level, ((0, -level.shape[0] % 4), (0, -level.shape[1] % 4), (0, 0)), mode="edge")
    return [np.ascontiguousarray(whole[top : top + _BAND]) for top in range(0, len(whole), _BAND)]
