"""Small glTF files made by hand: the JSON and the bytes, as the specification has them."""

from __future__ import annotations

import base64
import json
import struct
from typing import Any

import numpy as np

POINTS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], "<f4")
UV = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], "<f4")
FACES = np.array([0, 1, 2, 0, 2, 3], "<u2")


def parts(**more: np.ndarray) -> tuple[dict[str, Any], bytes]:
    """The document of a board and its one buffer; ``more`` are further attributes."""
    indices = more.pop("indices", FACES)
    arrays = {"POSITION": POINTS, "TEXCOORD_0": UV, **more, "indices": indices}
    blob, views, accessors = b"", [], []
    for array in arrays.values():
        views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": array.nbytes})
        kind = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[array.shape[1] if array.ndim == 2 else 1]
        accessors.append({"bufferView": len(views) - 1, "count": len(array), "type": kind,
                          "componentType": 5126 if array.dtype.kind == "f" else 5123})  # fmt: skip
        blob += array.tobytes()
        blob += b"\0" * (-len(blob) % 4)
    attributes = {name: number for number, name in enumerate(arrays) if name != "indices"}
    document = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0, "name": "board"}],
        "meshes": [{"primitives": [{"attributes": attributes, "indices": len(arrays) - 1, "material": 0}]}],
        "materials": [{"name": "paint"}], "buffers": [{"byteLength": len(blob)}], "bufferViews": views,
        "accessors": accessors,
    }  # fmt: skip
    return document, blob


def as_glb(document: dict[str, Any], blob: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    length = 12 + 8 + len(text) + 8 + len(blob)
    return (b"glTF" + struct.pack("<II", 2, length) + struct.pack("<I4s", len(text), b"JSON") + text
            + struct.pack("<I4s", len(blob), b"BIN\0") + blob)  # fmt: skip


def small_glb(**more: np.ndarray) -> bytes:
    return as_glb(*parts(**more))


def small_gltf(**more: np.ndarray) -> bytes:
    document, blob = parts(**more)
    document["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64.b64encode(blob).decode()
    return json.dumps(document).encode()
