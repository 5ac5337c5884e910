"""A model's finished arrays as bytes, so that a project opens without reading its model file anew."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import zstandard

from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.model import Model

REVISION = 1  # raise it when the readers or the arrays change: older bytes are made anew then
_ARRAYS = ("positions", "triangles", "uv", "normals", "tangents", "material", "part", "polygon")


def encode_model(model: Model) -> bytes:
    """Zstandard (RFC 8878) over the head's length, a JSON head, and the arrays, raw and little-endian."""
    head: dict[str, Any] = {
        "name": model.name, "materials": model.materials, "parts": model.parts, "warnings": model.warnings,
        "colours": model.colours, "arrays": {},
    }  # fmt: skip
    raw = []
    for name in _ARRAYS:
        array = np.ascontiguousarray(getattr(model, name))
        head["arrays"][name] = [array.dtype.newbyteorder("<").str, list(array.shape)]
        raw.append(array.astype(array.dtype.newbyteorder("<"), copy=False).tobytes())
    text = msgspec.json.encode(head, order="deterministic")
    return zstandard.ZstdCompressor(level=3).compress(b"".join([len(text).to_bytes(8, "little"), text, *raw]))


def decode_model(data: bytes) -> Model:
    """The model that :func:`encode_model` was given.

    Raises
    ------
    ModelError
        If the bytes are not such a model.
    """
    try:
        raw = zstandard.ZstdDecompressor().decompress(data)
        length = int.from_bytes(raw[:8], "little")
        head = msgspec.json.decode(raw[8 : 8 + length])
        at = 8 + length
        arrays: dict[str, Any] = {}
        for name in _ARRAYS:
            kind, shape = head["arrays"][name]
            count = int(np.prod(shape))
            arrays[name] = np.frombuffer(raw, np.dtype(kind), count, at).reshape(shape)
            at += arrays[name].nbytes
        words: dict[str, Any] = {name: tuple(head[name]) for name in ("materials", "parts", "warnings")}
        return Model(name=head["name"], colours=head["colours"], **arrays, **words)
    except (zstandard.ZstdError, msgspec.DecodeError, KeyError, ValueError, TypeError) as error:
        raise ModelError("the stored model is damaged") from error
