"""A model's finished arrays as bytes, so that a project opens without reading its model file anew."""

from __future__ import annotations

import math
from dataclasses import astuple, replace
from typing import Any

import msgspec
import numpy as np
import zstandard

from lucky_fern.core.errors import ModelError
from lucky_fern.core.limits import FARTHEST_POINT, FARTHEST_UV, MOST_POINTS, unpacked_too_large
from lucky_fern.core.model.model import Model, Texture
from lucky_fern.words import tr

REVISION = 4  # raise it when the readers or the arrays change: older bytes are made anew then
_ARRAYS = ("positions", "triangles", "uv", "normals", "tangents", "material", "part", "polygon")
_LAYOUT = ("uv", "tangents", "material", "part")
_TURNED = ("triangles", "normals", "corner_colours")  # what is another once faces are turned over


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


def encode_layout(model: Model, base: Model) -> bytes:
    """What edits of the layout change on ``base``: UVs, tangents, materials, parts, faces turned over or cut."""
    words = {"materials": model.materials, "parts": model.parts, "colours": model.colours, "repeats": model.repeats}
    if not _same_faces(model, base):  # faces were cut, or are counted otherwise: all of it is another
        every = _ARRAYS if model.corner_colours is None else (*_ARRAYS, "corner_colours")
        return _encode(model, every, words)
    turned = () if np.array_equal(model.triangles, base.triangles) else _TURNED
    names = (*_LAYOUT, *(name for name in turned if getattr(model, name) is not None))
    return _encode(model, names, words)


def _same_faces(model: Model, base: Model) -> bool:
    """Whether two models have the same faces in the same order, turned over or not."""
    return np.array_equal(model.positions, base.positions) and np.array_equal(
        np.sort(model.triangles, axis=1), np.sort(base.triangles, axis=1)
    )


def decode_layout(data: bytes, model: Model) -> Model:
    """A model with the layout that :func:`encode_layout` was given.

    Raises
    ------
    ModelError
        If the bytes are not such a layout, or that of another model.
    """
    head, arrays = _decode(data, _LAYOUT)
    if "positions" not in arrays and arrays["uv"].shape != model.uv.shape:
        raise ModelError(tr("the stored layout is that of another model"))
    try:
        words: dict[str, Any] = {name: tuple(head[name]) for name in ("materials", "parts")}
        repeats = dict(head.get("repeats", {}))
        laid = replace(model, colours=head["colours"], repeats=repeats, file=model if repeats else None, **arrays,
                       **words)  # fmt: skip
    except (KeyError, TypeError) as error:
        raise ModelError(tr("the stored layout is damaged")) from error
    check_model(laid)
    return laid


def check_model(model: Model) -> None:
    """Refuse arrays that fit no model: other shapes, rows that point nowhere, numbers that are none.

    Raises
    ------
    ModelError
        If they are such.
    """
    count, points = len(model.triangles), len(model.positions)
    shapes = {"positions": (points, 3), "triangles": (count, 3), "uv": (count, 3, 2), "normals": (count, 3, 3),
              "tangents": (count, 3, 4), "material": (count,), "part": (count,), "polygon": (count,)}  # fmt: skip
    for name, shape in shapes.items():
        kind = "f" if name in ("positions", "uv", "normals", "tangents") else "iu"
        if getattr(model, name).shape != shape or getattr(model, name).dtype.kind not in kind:
            raise ModelError(tr("the stored model is damaged: {name} does not fit", name=name))
    if not count:
        raise ModelError(tr("the stored model is damaged: it holds no triangles"))
    for name, most in (("triangles", points), ("material", len(model.materials)), ("part", len(model.parts))):
        rows = getattr(model, name)
        if int(rows.min()) < 0 or int(rows.max()) >= most:
            raise ModelError(tr("the stored model is damaged: {name} points to what is not there", name=name))
    if not np.isfinite(model.positions).all() or np.abs(model.positions).max() > FARTHEST_POINT:
        raise ModelError(tr("the stored model is damaged: it has positions that are no numbers"))
    if not np.isfinite(model.normals).all() or not np.isfinite(model.tangents).all():
        raise ModelError(tr("the stored model is damaged: it has normals that are no numbers"))
    uv = model.uv[np.isfinite(model.uv)]
    if len(uv) and np.abs(uv).max() > FARTHEST_UV:
        raise ModelError(tr("the stored model is damaged: it has UVs far beyond all tiles"))
    if model.corner_colours is not None and model.corner_colours.shape != (count, 3, 4):
        raise ModelError(tr("the stored model is damaged: its colours do not fit"))


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
        model = Model(name=head["name"], colours=head["colours"], textures=textures, **arrays, **words)
        check_model(model)
        return model
    except (KeyError, TypeError) as error:
        raise ModelError(tr("the stored model is damaged")) from error


def _decode(data: bytes, names: tuple[str, ...]) -> tuple[dict[str, Any], dict[str, Any]]:
    """The head and the arrays of stored bytes."""
    try:
        size = zstandard.frame_content_size(data)
        if size < 0 or unpacked_too_large(len(data), size):
            raise ValueError(tr("it would unpack to {size} bytes", size=size))
        raw = zstandard.ZstdDecompressor().decompress(data, max_output_size=size)
        length = int.from_bytes(raw[:8], "little")
        head = msgspec.json.decode(raw[8 : 8 + length])
        at = 8 + length
        arrays: dict[str, Any] = {}
        for name, kind, shape in head["arrays"]:
            if np.dtype(kind).kind not in "iuf" or not all(
                isinstance(n, int) and 0 <= n <= MOST_POINTS for n in shape
            ):
                raise ValueError(tr("{name} is no array of numbers", name=name))
            count = math.prod(shape)
            arrays[name] = np.frombuffer(raw, np.dtype(kind), count, at).reshape(shape)
            at += arrays[name].nbytes
        if not arrays.keys() >= set(names):
            raise KeyError(names)
    except (
        zstandard.ZstdError,
        msgspec.DecodeError,
        KeyError,
        ValueError,
        TypeError,
        IndexError,
        OverflowError,
    ) as error:
        raise ModelError(tr("the stored model is damaged")) from error
    return head, arrays
