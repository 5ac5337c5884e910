"""A model's finished arrays as bytes, so that a project opens without reading its model file anew."""

from __future__ import annotations

from dataclasses import astuple, replace
from typing import Any

import msgspec
import numpy as np
import zstandard

from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.model import Model, Texture

REVISION = 3  # raise it when the readers or the arrays change: older bytes are made anew then
_ARRAYS = ("positions", "triangles", "uv", "normals", "tangents", "material", "part", "polygon")
_LAYOUT = ("uv", "tangents", "material", "part")


def encode_model(model: Model) -> bytes:
    """Zstandard (RFC 8878) over the head's length, a JSON head, and the arrays, raw and little-endian."""
    head = {
        "name": model.name, "materials": model.materials, "parts": model.parts, "warnings": model.warnings,
        "colours": model.colours, "textures": [astuple(texture) for texture in model.textures],
    }  # fmt: skip
    return _encode(model, _ARRAYS if model.corner_colours is None else (*_ARRAYS, "corner_colours"), head)


def _encode(model: Model, names: tuple[str, ...], words: dict[str, Any]) -> bytes:
    head: dict[str, Any] = {**words, "arrays": []}
    raw = []
    for name in names:
        array = np.ascontiguousarray(getattr(model, name))
        head["arrays"].append([name, array.dtype.newbyteorder("<").str, list(array.shape)])
        raw.append(array.astype(array.dtype.newbyteorder("<"), copy=False).tobytes())
    text = msgspec.json.encode(head, order="deterministic")
    return zstandard.ZstdCompressor(level=3).compress(b"".join([len(text).to_bytes(8, "little"), text, *raw]))


def encode_layout(model: Model) -> bytes:
    """What edits of the layout change: UVs, tangents, materials and parts."""
    return _encode(model, _LAYOUT, {"materials": model.materials, "parts": model.parts, "colours": model.colours})


def decode_layout(data: bytes, model: Model) -> Model:
    """A model with the layout that :func:`encode_layout` was given.

    Raises
    ------
    ModelError
        If the bytes are not such a layout, or that of another model.
    """
    head, arrays = _decode(data, _LAYOUT)
    if arrays["uv"].shape != model.uv.shape:
        raise ModelError("the stored layout is that of another model")
    words: dict[str, Any] = {name: tuple(head[name]) for name in ("materials", "parts")}
    return replace(model, colours=head["colours"], **arrays, **words)


def decode_model(data: bytes) -> Model:
    """The model that :func:`encode_model` was given.

    Raises
    ------
    ModelError
        If the bytes are not such a model.
    """
    head, arrays = _decode(data, _ARRAYS)
    try:
        words: dict[str, Any] = {name: tuple(head[name]) for name in ("materials", "parts", "warnings")}
        textures = tuple(Texture(*fields) for fields in head["textures"])
        return Model(name=head["name"], colours=head["colours"], textures=textures, **arrays, **words)
    except (KeyError, TypeError) as error:
        raise ModelError("the stored model is damaged") from error


def _decode(data: bytes, names: tuple[str, ...]) -> tuple[dict[str, Any], dict[str, Any]]:
    """The head and the arrays of stored bytes."""
    try:
        raw = zstandard.ZstdDecompressor().decompress(data)
        length = int.from_bytes(raw[:8], "little")
        head = msgspec.json.decode(raw[8 : 8 + length])
        at = 8 + length
        arrays: dict[str, Any] = {}
        for name, kind, shape in head["arrays"]:
            count = int(np.prod(shape))
            arrays[name] = np.frombuffer(raw, np.dtype(kind), count, at).reshape(shape)
            at += arrays[name].nbytes
        if not arrays.keys() >= set(names):
            raise KeyError(names)
    except (zstandard.ZstdError, msgspec.DecodeError, KeyError, ValueError, TypeError) as error:
        raise ModelError("the stored model is damaged") from error
    return head, arrays
