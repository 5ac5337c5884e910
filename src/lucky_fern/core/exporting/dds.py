"""DirectDraw surfaces: plain or compressed in blocks, with their halvings.

References: Microsoft, "Programming Guide for DDS" (header, DX10 extension) and "Texture Block Compression in
Direct3D 11" (BC1, BC3, BC5). The blocks themselves are Pillow's.
"""

from __future__ import annotations

import struct

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.exporting.channels import Pixels

_CAPS, _HEIGHT, _WIDTH, _PITCH, _FORMAT, _MIPS, _LINEAR = 0x1, 0x2, 0x4, 0x8, 0x1000, 0x20000, 0x80000
_TEXTURE, _COMPLEX, _MIPMAP = 0x1000, 0x8, 0x400000
_ALPHA, _FOURCC, _RGB, _LUMINANCE = 0x1, 0x4, 0x40, 0x20000
_BC5_UNORM = 83  # DXGI
_BLOCKS = {"DXT1": (1, 8), "DXT5": (3, 16), "DX10": (5, 16)}  # four letters → number of Pillow's codec, bytes a block


def encode_dds(pixels: Pixels, compress: bool, mips: bool, encoded: bool, normal: bool) -> bytes:
    """(rows, columns, 1, 3 or 4) of 8 bits as DDS.

    In blocks RGB is BC1, RGBA is BC3, and normals are BC5 (two channels, the third follows from them); grey stays
    plain, as one byte a texel. ``encoded`` colours are halved as light, ``normal`` vectors are brought to length 1.
    """
    eight = pixels.astype(np.uint8)
    levels = [eight]
    while mips and max(levels[-1].shape[:2]) > 1:
        levels.append(halved(levels[-1], encoded, normal))
    count = eight.shape[2]
    code = "" if not compress or count == 1 else "DX10" if normal and count == 3 else "DXT1" if count == 3 else "DXT5"
    data = b"".join(_blocks(level, code) if code else _plain(level) for level in levels)
    rows, columns = eight.shape[:2]
    flags = _CAPS | _HEIGHT | _WIDTH | _FORMAT | (_LINEAR if code else _PITCH) | (_MIPS if len(levels) > 1 else 0)
    if code:
        pitch = ((columns + 3) // 4) * ((rows + 3) // 4) * _BLOCKS[code][1]
        kind = (32, _FOURCC, code.encode(), 0, 0, 0, 0, 0)
    else:
        pitch = columns * (4 if count > 1 else 1)
        masks = (0xFF0000, 0xFF00, 0xFF, 0xFF000000) if count > 1 else (0xFF, 0, 0, 0)
        kind = (32, (_RGB | _ALPHA) if count > 1 else _LUMINANCE, b"\0\0\0\0", 32 if count > 1 else 8, *masks)
    caps = _TEXTURE | ((_COMPLEX | _MIPMAP) if len(levels) > 1 else 0)
    header = b"DDS " + struct.pack("<7I44x", 124, flags, rows, columns, pitch, 0, len(levels))
    header += struct.pack("<2I4s5I", *kind) + struct.pack("<5I", caps, 0, 0, 0, 0)
    if code == "DX10":
        header += struct.pack("<5I", _BC5_UNORM, 3, 0, 1, 0)  # a texture of two dimensions, one of them
    return header + data


def halved(pixels: U8, encoded: bool, normal: bool) -> U8:
    """The next halving: means of 2 × 2 texels, of light or of vectors where it is that."""
    rows, columns, count = pixels.shape
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


def _plain(level: U8) -> bytes:
    """Grey, or blue, green, red and alpha."""
    if level.shape[2] == 1:
        return level.tobytes()
    rows, columns, count = level.shape
    out = np.full((rows, columns, 4), 255, np.uint8)
    out[..., :3] = level[..., 2::-1]
    if count == 4:
        out[..., 3] = level[..., 3]
    return out.tobytes()


def _blocks(level: U8, code: str) -> bytes:
    from PIL import Image

    return Image.fromarray(np.ascontiguousarray(level)).tobytes("bcn", (_BLOCKS[code][0],))
