"""Which sheets are to be read as squares: what a glTF model's samplers say of its materials."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

_NEAREST = 9728  # magFilter, of OpenGL as glTF has it
_JSON = 0x4E4F534A  # a GLB's first chunk


def nearest_materials(model: Path) -> frozenset[str]:
    """The materials whose base colour (or glow) is read without smoothing; none of other kinds of files."""
    try:
        document = _document(model)
        samplers, textures = document.get("samplers", []), document.get("textures", [])
        found = set()
        for material in document.get("materials", []):
            base = material.get("pbrMetallicRoughness", {}).get("baseColorTexture")
            used = base or material.get("emissiveTexture")
            if used is None:
                continue
            number = textures[used["index"]].get("sampler")
            if number is not None and samplers[number].get("magFilter") == _NEAREST:
                found.add(str(material.get("name", "")))
        return frozenset(found)
    except (OSError, ValueError, KeyError, IndexError, TypeError, AttributeError, struct.error):
        return frozenset()  # whoever reads the model itself says what is wrong with it


def _document(model: Path) -> dict[str, Any]:
    kind = model.suffix.lower()
    if kind not in (".glb", ".gltf"):
        return {}
    data = model.read_bytes()
    if kind == ".glb":
        length, what = struct.unpack_from("<II", data, 12)
        data = data[20 : 20 + length] if what == _JSON else b"{}"
    document = json.loads(data)
    return document if isinstance(document, dict) else {}
