"""Painted pixels of a chunk as bytes.

A chunk is stored whole, 256 × 256, as Zstandard-compressed raw little-endian texels (RFC 8878): the
map's components, then the coverage. Height and normal have 16 bits, all else 8; masks hold coverage only.
"""

from __future__ import annotations

from functools import cache

import numpy as np
import zstandard

from lucky_fern.core.arrays import Array
from lucky_fern.core.errors import ProjectError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import CHUNK, Chunk
from lucky_fern.words import tr

MASK = "mask"


def chunk_layout(map_name: str) -> tuple[type[np.generic], int]:
    """Dtype and components of a painted chunk of a map (or of a mask), coverage last."""
    if map_name == MASK:
        return np.uint8, 1
    spec = MAPS[map_name]
    return (np.uint16 if spec.wide else np.uint8), spec.components + 1


def encode_chunk(texels: Array) -> bytes:
    """(256, 256, n) uint8 or uint16 as bytes to keep."""
    data = np.ascontiguousarray(texels, texels.dtype.newbyteorder("<")).tobytes()
    # The compressor's own answer holds on to all the room that it might have needed; a copy does not.
    return bytes(memoryview(zstandard.ZstdCompressor(level=1).compress(data)))


def decode_chunk(data: bytes, map_name: str) -> Array:
    """(256, 256, n) texels of a chunk that :func:`encode_chunk` made.

    Raises
    ------
    ProjectError
        If the bytes are not such a chunk.
    """
    dtype, count = chunk_layout(map_name)
    size = CHUNK * CHUNK * count * np.dtype(dtype).itemsize
    try:
        raw = zstandard.ZstdDecompressor().decompress(data, max_output_size=size)
    except zstandard.ZstdError as error:
        raise ProjectError(tr("painted pixels in this project are damaged; take an older copy of it.")) from error
    if len(raw) != size:
        raise ProjectError(tr("painted pixels in this project are damaged; take an older copy of it."))
    return np.frombuffer(raw, np.dtype(dtype).newbyteorder("<")).reshape(CHUNK, CHUNK, count)


def place_name(chunk: Chunk) -> str:
    """A chunk's place as documents write it."""
    return f"{chunk.row},{chunk.column}"


@cache
def place_of(name: str) -> Chunk:
    """The chunk at a place as documents write it."""
    row, column = name.split(",")
    return Chunk(int(row), int(column))
