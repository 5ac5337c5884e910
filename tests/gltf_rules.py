"""What glTF 2.0 and its binary container ask of a file, as a table and a few rules: a reader that believes nothing.

After the specification and its JSON schemas (Khronos, glTF 2.0.1), as far as files of models with materials go.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

# Object → property → (type, required, lowest or None, allowed values or None); "#x" is an index into the root's x.
_TABLE: dict[str, dict[str, tuple[str, bool, float | None, tuple[Any, ...] | None]]] = {
    "asset": {"version": ("str", True, None, ("2.0",)), "generator": ("str", False, None, None)},
    "scenes": {"nodes": ("[#nodes", False, None, None), "name": ("str", False, None, None)},
    "nodes": {"mesh": ("#meshes", False, None, None), "name": ("str", False, None, None)},
    "meshes": {"primitives": ("[dict", True, None, None), "name": ("str", False, None, None)},
    "primitives": {"attributes": ("dict", True, None, None), "indices": ("#accessors", False, None, None),
                   "material": ("#materials", False, None, None), "mode": ("int", False, 0, (0, 1, 2, 3, 4, 5, 6))},
    "accessors": {"bufferView": ("#bufferViews", False, None, None), "byteOffset": ("int", False, 0, None),
                  "componentType": ("int", True, None, (5120, 5121, 5122, 5123, 5125, 5126)),
                  "normalized": ("bool", False, None, None), "count": ("int", True, 1, None),
                  "type": ("str", True, None, ("SCALAR", "VEC2", "VEC3", "VEC4", "MAT2", "MAT3", "MAT4")),
                  "max": ("[num", False, None, None), "min": ("[num", False, None, None)},
    "bufferViews": {"buffer": ("#buffers", True, None, None), "byteOffset": ("int", False, 0, None),
                    "byteLength": ("int", True, 1, None), "byteStride": ("int", False, 4, None),
                    "target": ("int", False, None, (34962, 34963)), "name": ("str", False, None, None)},
    "buffers": {"byteLength": ("int", True, 1, None)},
    "materials": {"name": ("str", False, None, None), "pbrMetallicRoughness": ("dict", False, None, None),
                  "normalTexture": ("dict", False, None, None), "occlusionTexture": ("dict", False, None, None),
                  "emissiveTexture": ("dict", False, None, None), "emissiveFactor": ("[num", False, None, None),
                  "alphaMode": ("str", False, None, ("OPAQUE", "MASK", "BLEND")), "alphaCutoff": ("num", False, 0, None),
                  "doubleSided": ("bool", False, None, None), "extensions": ("dict", False, None, None)},
    "pbrMetallicRoughness": {"baseColorFactor": ("[num", False, None, None), "metallicFactor": ("num", False, 0, None),
                             "roughnessFactor": ("num", False, 0, None), "baseColorTexture": ("dict", False, None, None),
                             "metallicRoughnessTexture": ("dict", False, None, None)},
    "textureInfo": {"index": ("#textures", True, None, None), "texCoord": ("int", False, 0, None),
                    "scale": ("num", False, None, None), "strength": ("num", False, 0, None)},
    "textures": {"sampler": ("#samplers", False, None, None), "source": ("#images", False, None, None),
                 "name": ("str", False, None, None)},
    "samplers": {"magFilter": ("int", False, None, (9728, 9729)),
                 "minFilter": ("int", False, None, (9728, 9729, 9984, 9985, 9986, 9987)),
                 "wrapS": ("int", False, None, (33071, 33648, 10497)), "wrapT": ("int", False, None, (33071, 33648, 10497))},
    "images": {"bufferView": ("#bufferViews", False, None, None), "mimeType": ("str", False, None, ("image/png", "image/jpeg")),
               "uri": ("str", False, None, None), "name": ("str", False, None, None)},
}  # fmt: skip
_ROOT = {"asset", "scene", "scenes", "nodes", "meshes", "accessors", "bufferViews", "buffers", "materials", "textures",
         "samplers", "images", "extensionsUsed", "extensionsRequired"}  # fmt: skip
_KINDS = {"str": str, "int": int, "bool": bool, "dict": dict, "num": (int, float)}
_BYTES = {5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
_DTYPE = {5121: "<u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
_ATTRIBUTES = {"POSITION": "VEC3", "NORMAL": "VEC3", "TANGENT": "VEC4", "TEXCOORD_0": "VEC2", "COLOR_0": "VEC4"}


def problems(data: bytes) -> list[str]:
    """What a GLB does against the rules; empty where it is sound."""
    magic, version, length = struct.unpack("<4s2I", data[:12])
    if (magic, version, length) != (b"glTF", 2, len(data)) or length % 4:
        return ["header"]
    size, kind = struct.unpack("<I4s", data[12:20])
    rest = data[20 + size :]
    if kind != b"JSON" or size % 4 or rest[4:8] != b"BIN\0" or len(rest) - 8 != struct.unpack("<I", rest[:4])[0]:
        return ["chunks"]
    root, blob, found = json.loads(data[20 : 20 + size]), rest[8:], list[str]()
    found += [f"root has {name}" for name in root if name not in _ROOT]
    for name in root:
        things = root[name] if isinstance(root[name], list) else [root[name]]
        for number, one in enumerate(things if name in _TABLE else ()):
            found += _against(root, name, one, f"{name}/{number}")
    if found:
        return found  # what follows relies on it
    for number, mesh in enumerate(root.get("meshes", ())):
        for part in mesh["primitives"]:
            found += _against(root, "primitives", part, f"meshes/{number}") + _primitive(root, blob, part)
    for number, material in enumerate(root.get("materials", ())):
        found += _material(root, material, f"materials/{number}")
    for number, view in enumerate(root.get("bufferViews", ())):
        if view.get("byteOffset", 0) + view["byteLength"] > root["buffers"][view["buffer"]]["byteLength"]:
            found.append(f"bufferViews/{number} reaches beyond")
    for number, image in enumerate(root.get("images", ())):
        start = _bytes_of(root, blob, image["bufferView"])[:8]
        if image.get("mimeType") != "image/png" or start != b"\x89PNG\r\n\x1a\n":
            found.append(f"images/{number} is not what it says")
    used = {name for thing in root.get("materials", ()) for name in thing.get("extensions", ())}
    if used - set(root.get("extensionsUsed", ())):
        found.append("extensionsUsed")
    if root["buffers"][0]["byteLength"] > len(blob) or len(blob) - root["buffers"][0]["byteLength"] > 3:
        found.append("the buffer's length")
    return found


def _against(root: dict[str, Any], kind: str, thing: dict[str, Any], where: str) -> list[str]:
    table, found = _TABLE[kind], list[str]()
    found += [f"{where} has {name}" for name in thing if name not in table]
    for name, (sort, needed, low, values) in table.items():
        if name not in thing:
            found += [f"{where} lacks {name}"] if needed else []
            continue
        value = thing[name]
        for one in value if sort.startswith("[") else [value]:
            plain = sort.removeprefix("[")
            if plain.startswith("#"):
                good = isinstance(one, int) and 0 <= one < len(root.get(plain[1:], ()))
            else:
                good = isinstance(one, _KINDS[plain]) and (plain == "bool" or not isinstance(one, bool))
            good = good and (low is None or one >= low) and (values is None or one in values)
            found += [] if good else [f"{where}/{name} is {one!r}"]
    return found


def _material(root: dict[str, Any], material: dict[str, Any], where: str) -> list[str]:
    surface = material.get("pbrMetallicRoughness", {})
    found = _against(root, "pbrMetallicRoughness", surface, where)
    infos = [material.get(name) for name in ("normalTexture", "occlusionTexture", "emissiveTexture")]
    infos += [surface.get(name) for name in ("baseColorTexture", "metallicRoughnessTexture")]
    for info in infos:
        found += _against(root, "textureInfo", info, where) if info is not None else []
    for name, count in (("emissiveFactor", 3), ("baseColorFactor", 4)):
        factor = material.get(name, surface.get(name))
        if factor is not None and (len(factor) != count or min(factor) < 0 or max(factor) > 1):
            found.append(f"{where}/{name} is {factor}")
    for name in ("metallicFactor", "roughnessFactor"):
        if surface.get(name, 0) > 1:
            found.append(f"{where}/{name}")
    strength = material.get("extensions", {}).get("KHR_materials_emissive_strength", {}).get("emissiveStrength", 1)
    return [*found, *([f"{where} glows {strength}"] if strength < 0 else [])]


def _bytes_of(root: dict[str, Any], blob: bytes, view: int) -> bytes:
    start = root["bufferViews"][view].get("byteOffset", 0)
    return blob[start : start + root["bufferViews"][view]["byteLength"]]


def _values(root: dict[str, Any], blob: bytes, number: int) -> np.ndarray:
    one = root["accessors"][number]
    width, start = _WIDTH[one["type"]], one.get("byteOffset", 0)
    raw = _bytes_of(root, blob, one["bufferView"])[start:]
    return np.frombuffer(raw, _DTYPE[one["componentType"]], one["count"] * width).reshape(-1, width)


def _primitive(root: dict[str, Any], blob: bytes, part: dict[str, Any]) -> list[str]:
    found, counts = list[str](), set[int]()
    for name, number in part["attributes"].items():
        one = root["accessors"][number]
        if _ATTRIBUTES.get(name) != one["type"] or one["componentType"] != 5126:
            found.append(f"{name} is {one['type']} of {one['componentType']}")
            continue
        start = one.get("byteOffset", 0) + root["bufferViews"][one["bufferView"]].get("byteOffset", 0)
        if start % _BYTES[one["componentType"]]:
            found.append(f"{name} is not aligned")
        values = _values(root, blob, number)
        counts.add(len(values))
        if not np.isfinite(values).all():
            found.append(f"{name} is not finite")
        if name in ("NORMAL", "TANGENT") and np.abs(np.linalg.norm(values[:, :3], axis=1) - 1).max() > 1e-4:
            found.append(f"{name} is not of length 1")
        if name == "TANGENT" and not np.isin(values[:, 3], (-1, 1)).all():
            found.append("handedness")
        if name == "POSITION" and not (
            np.array_equal(np.float32(one.get("min", [])), values.min(axis=0))
            and np.array_equal(np.float32(one.get("max", [])), values.max(axis=0))
        ):
            found.append("bounds of POSITION")
        if root["bufferViews"][one["bufferView"]].get("target") not in (None, 34962):
            found.append(f"target of {name}")
    if "POSITION" not in part["attributes"] or len(counts) != 1:
        found.append("attributes of different lengths")
    if "indices" in part:
        indices = _values(root, blob, part["indices"])[:, 0]
        if root["accessors"][part["indices"]]["componentType"] not in (5121, 5123, 5125):
            found.append("kind of indices")
        if len(indices) % 3 or (len(indices) and indices.max() >= max(counts, default=0)):
            found.append("indices reach beyond")
    textured = any(
        "index" in info
        for info in (root["materials"][part["material"]].get("pbrMetallicRoughness", {}).get("baseColorTexture", {}),)
    )
    if textured and "TEXCOORD_0" not in part["attributes"]:
        found.append("textures without UVs")
    return found
