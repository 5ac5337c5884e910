"""DirectDraw surfaces: plain or compressed in blocks, with their halvings.

References: "Programming Guide for DDS" (header, DX10 extension) and "Texture Block Compression in
Direct3D 11" (BC1 to BC7). The blocks themselves are Pillow's, those of BC7 etcpak's.
"""

from __future__ import annotations

import struct

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.errors import ExportError
from lucky_fern.core.exporting.channels import Pixels
from lucky_fern.core.project.presets import Blocks
from lucky_fern.words import tr

_CAPS, _HEIGHT, _WIDTH, _PITCH, _FORMAT, _MIPS, _LINEAR = 0x1, 0x2, 0x4, 0x8, 0x1000, 0x20000, 0x80000
_TEXTURE, _COMPLEX, _MIPMAP = 0x1000, 0x8, 0x400000
_ALPHA, _FOURCC, _RGB, _LUMINANCE = 0x1, 0x4, 0x40, 0x20000
_BYTES = {"bc1": 8, "bc3": 16, "bc4": 8, "bc5": 16, "bc7": 16}  # of a block of 4 × 4 texels
_LETTERS = {"bc1": b"DXT1", "bc3": b"DXT5"}  # all others are named in the newer header
_DXGI = {"bc1": 71, "bc3": 77, "bc4": 80, "bc5": 83, "bc7": 98, "plain": 28}
_ENCODED = {71: 72, 77: 78, 28: 29, 98: 99}  # the same with colours marked as sRGB
_OPAQUE_MODE = 1 << 1  # of BC7: mode 1 has no alpha
_BAND = 64  # rows, an even number


def fitting(count: int, normal: bool) -> Blocks | None:
    """The blocks for so many channels; grey stays plain."""
    if count == 1:
        return None
    return "bc5" if normal and count == 3 else "bc1" if count == 3 else "bc3"


def encode_dds(
    pixels: Pixels, blocks: Blocks | None, mips: bool, encoded: bool, normal: bool, marked: bool = False
) -> bytes:
    """(rows, columns, 1, 3 or 4) of 8 bits as DDS, plain or in blocks.

    BC1 holds RGB, BC3 and BC7 RGBA, BC4 grey, BC5 two channels (of normals, whose third follows from them).
    ``encoded`` colours are halved as light, ``normal`` vectors are brought to length 1. ``marked`` says in the newer
    header, whatever the blocks, whether colours are sRGB-encoded; without it BC1, BC3 and plain files have the old
    one.

    Raises
    ------
    ExportError
        If there are channels that the blocks cannot hold.
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
    data = b"".join(_plain(level, marked) if blocks is None else _blocks(level, blocks, encoded) for level in levels)
    rows, columns = eight.shape[:2]
    pitched = _PITCH if blocks is None else _LINEAR
    flags = _CAPS | _HEIGHT | _WIDTH | _FORMAT | pitched | (_MIPS if len(levels) > 1 else 0)
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
    caps = _TEXTURE | ((_COMPLEX | _MIPMAP) if len(levels) > 1 else 0)
    header = b"DDS " + struct.pack("<7I44x", 124, flags, rows, columns, pitch, 0, len(levels))
    header += struct.pack("<2I4s5I", *kinds) + struct.pack("<5I", caps, 0, 0, 0, 0)
    if marked or (blocks is not None and blocks not in _LETTERS):
        number = _DXGI[blocks or "plain"]
        if encoded:
            number = _ENCODED.get(number, number)
        header += struct.pack("<5I", number, 3, 0, 1, 0)  # a texture of two dimensions, one of them
    return header + data


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


def _blocks(level: U8, blocks: Blocks, encoded: bool) -> bytes:
    """A level in blocks, row by row from its upper left."""
    from PIL import Image

    if blocks == "bc7":
        return _bc7(level, encoded)
    if blocks == "bc4":  # the first half of BC5, which is two of it
        twice = Image.fromarray(np.ascontiguousarray(np.repeat(level, 3, axis=2))).tobytes("bcn", (5,))
        return np.frombuffer(twice, np.uint8).reshape(-1, 16)[:, :8].tobytes()
    if blocks == "bc3" and level.shape[2] == 3:
        level = np.dstack([level, np.full(level.shape[:2], 255, np.uint8)]).astype(np.uint8)
    return Image.fromarray(np.ascontiguousarray(level)).tobytes("bcn", (int(blocks[2]),))


def _bc7(level: U8, encoded: bool) -> bytes:
    import etcpak

    rows, columns = level.shape[:2]
    # Whole blocks, their rest filled with the border's own texels.
    whole = np.pad(level, ((0, -rows % 4), (0, -columns % 4), (0, 0)), mode="edge")
    if whole.shape[2] == 3:
        whole = np.dstack([whole, np.full(whole.shape[:2], 255, np.uint8)]).astype(np.uint8)
    how = etcpak.BC7CompressBlockParams()
    if level.shape[2] == 3:
        how.m_mode_mask = _OPAQUE_MODE  # the others may leave it one step short of opaque
    how.m_perceptual = encoded  # data counts alike in every channel
    if not encoded:
        how.init_linear_weights()
    done: bytes = etcpak.compress_bc7(np.ascontiguousarray(whole).tobytes(), whole.shape[1], whole.shape[0], how)
    return done
