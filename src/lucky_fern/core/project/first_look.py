"""The small look of a project's maps that lies in its file, so that it opens with its livery.

It is no part of the document: it names the document that it was made from, and is passed over where that is another,
where it is damaged, or where it was made by a program that composites otherwise.
"""

from __future__ import annotations

import zipfile
import zlib
from pathlib import Path

import msgspec
import numpy as np
import zstandard

from lucky_fern.core.arrays import Array
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.blobs import digest_of

MEMBER = "look.bin"
MOST = 2 << 20  # bytes in a file
LONGEST = 256  # texels across a sheet, at the most
_REVISION = 1  # goes up when the same project looks otherwise

Look = dict[tuple[str, str], Array]  # sheet and map → (rows, columns, n) uint8 or uint16, as maps are kept


class _Map(msgspec.Struct, frozen=True, array_like=True):
    sheet: str
    map: str
    rows: int
    columns: int
    texels: bytes  # 8 bits, compressed


class _Kept(msgspec.Struct, frozen=True):
    revision: int
    of: str
    maps: list[_Map]


def pack_look(look: Look, document: bytes) -> bytes | None:
    """The bytes of a look of a document; None where it would take too much room. What is large is made smaller."""
    for step in (1, 2, 4):
        maps = [_packed(sheet, name, pixels, step) for (sheet, name), pixels in sorted(look.items())]
        data = msgspec.msgpack.encode(_Kept(_REVISION, digest_of(document), maps))
        if len(data) <= MOST:
            return data
    return None


def _packed(sheet: str, name: str, pixels: Array, step: int) -> _Map:
    small = pixels[::step, ::step]
    if small.dtype == np.uint16:
        small = ((small.astype(np.uint32) + 128) // 257).astype(np.uint8)
    texels = zstandard.compress(np.ascontiguousarray(small).tobytes(), 3)
    rows, columns = small.shape[:2]
    return _Map(sheet, name, rows, columns, texels)


def unpack_look(data: bytes, document: bytes) -> Look:
    """The look of a document; empty where it is of another, damaged, or of another program."""
    try:
        kept = msgspec.msgpack.decode(data, type=_Kept)
        if kept.revision != _REVISION or kept.of != digest_of(document):
            return {}
        return {(one.sheet, one.map): _unpacked(one) for one in kept.maps}
    except (msgspec.MsgspecError, zstandard.ZstdError, KeyError, ValueError):
        return {}


def _unpacked(one: _Map) -> Array:
    spec = MAPS[one.map]
    if not (0 < one.rows <= LONGEST and 0 < one.columns <= LONGEST):
        raise ValueError("a look larger than any")
    size = one.rows * one.columns * spec.components
    texels = np.frombuffer(zstandard.decompress(one.texels, max_output_size=size), np.uint8)
    texels = texels.reshape(one.rows, one.columns, spec.components)
    return texels.astype(np.uint16) * np.uint16(257) if spec.wide else texels


def read_look(path: Path, document: str) -> Look:
    """The look in a project file whose document is the member of that name; empty where there is none that fits."""
    try:
        with zipfile.ZipFile(path) as archive:
            if MEMBER not in archive.namelist() or archive.getinfo(MEMBER).file_size > MOST:
                return {}
            return unpack_look(archive.read(MEMBER), archive.read(document))
    except (OSError, zipfile.BadZipFile, zlib.error, KeyError, EOFError, NotImplementedError, RuntimeError):
        return {}
