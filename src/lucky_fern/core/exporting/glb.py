"""glTF 2.0 in one file (GLB): the model with its materials, and the maps inside it."""

from __future__ import annotations

import struct
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F64, I64, U8, Array, Bool, equal_rows
from lucky_fern.core.colour import decode_srgb, from_hex
from lucky_fern.core.model import gltf_document as gltf
from lucky_fern.core.model.as_written import Written
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of

_STRENGTH = "KHR_materials_emissive_strength"
# Numbers that glTF takes over from OpenGL (glTF 2.0, section 5).
_NEAREST, _LINEAR, _TRILINEAR, _CLAMP, _REPEAT = 9728, 9729, 9987, 33071, 10497
_WHOLE, _FLOAT, _POINTS, _INDICES = 5125, 5126, 34962, 34963


@dataclass(frozen=True)
class Image:
    """A PNG or the file that holds it, and whether its alpha says what is see-through."""

    data: bytes | Path
    see_through: bool = False


@dataclass(frozen=True)
class Skin:
    """One material of the file: its name, the model's triangles that have it ((T,) bool), and what it looks like.

    ``shift`` (2,) is taken from their UVs, which are meant to go on beyond the tile if it ``repeats``; its texels are
    meant to be seen with ``squares``. ``images`` by the words of the glTF preset; without them ``colour`` is its base
    colour. ``glow`` is how many times as bright it glows.
    """

    name: str
    triangles: Bool
    colour: str = "#ffffff"
    shift: tuple[float, float] = (0.0, 0.0)
    repeats: bool = False
    squares: bool = False
    images: Mapping[str, Image] = field(default_factory=dict)
    glow: float = 1.0


def plain_skins(model: Model) -> list[Skin]:
    """A skin for each material, with the colour that the model's file gave it."""
    return [
        Skin(name, np.asarray(model.material == number), model.colours.get(name, "#ffffff"))
        for number, name in enumerate(model.materials)
    ]


def sheet_skins(
    surface: Surface, written: Written, images: Mapping[SheetKey, Mapping[str, Image]], glow: float = 1.0,
    pixel_art: Collection[str] = (),
) -> list[Skin]:  # fmt: skip
    """A skin for each sheet with images, its UVs brought onto one tile, as glTF has but one; one for what is bare."""
    number_of = {key: number for number, key in enumerate(surface.keys)}
    skins = []
    sheets, repeats = surface.sheet_of_triangle[written.source], surface.model.repeats
    for key, found in images.items():
        alone = sum(other.material == key.material for other in images) == 1
        name = key.material if alone else f"{key.material}.{key.tile}"
        mine = np.asarray(sheets == number_of[key])
        column, row = corner_of(key.tile)
        shift = (float(column), float(row))
        squares = str(key) in pixel_art
        skins.append(Skin(name, mine, "#ffffff", shift, key.material in repeats, squares, found, glow))
    bare = np.asarray(sheets < 0)
    if bare.any():
        skins.append(Skin("bare", bare, "#cccccc"))
    return skins


def corners(
    model: Model, rows: I64, colours: U8 | None, shift: tuple[float, float] = (0.0, 0.0)
) -> tuple[dict[str, Array], I64]:
    """Corners of some triangles as points that differ in something, and (N, 3) rows of them."""
    uv = np.nan_to_num(model.uv[rows]) - shift
    keys = [model.corners[rows], model.normals[rows].astype(np.float64), uv]
    keys.append(model.tangents[rows].astype(np.float64))
    if colours is not None:
        keys.append(colours[rows].astype(np.float64))
    joined: F64 = np.concatenate(keys, axis=2).reshape(3 * len(rows), -1)
    first, number = equal_rows(joined)
    points = joined[first]
    found: dict[str, Array] = {"position": points[:, :3], "normal": points[:, 3:6], "uv": points[:, 6:8],
                               "tangent": points[:, 8:12]}  # fmt: skip
    if colours is not None:
        found["colour"] = points[:, 12:16]
    return found, number.reshape(-1, 3).astype(np.int64)


def write_glb(model: Model, skins: Sequence[Skin], colours: U8 | None = None) -> bytes:
    """The bytes of :func:`glb_parts` in one."""
    return b"".join(glb_parts(model, skins, colours))


def glb_parts(model: Model, skins: Sequence[Skin], colours: U8 | None = None) -> Iterator[bytes]:
    """A mesh for each part, a primitive for each of its skins; v counted downwards. Bytes one part after the other.

    ``colours`` (T, 3, 4) uint8, sRGB-encoded, are those of corners. Pictures in files are read when their turn comes.
    """
    document = gltf.Document(asset=gltf.Asset(version="2.0", generator="Lucky Fern"))
    kept: list[bytes | Path] = []
    length = 0

    def keep(data: bytes | Path, target: int | None = None) -> int:
        nonlocal length
        size = len(data) if isinstance(data, bytes) else data.stat().st_size
        document.bufferViews.append(gltf.BufferView(buffer=0, byteOffset=length, byteLength=size, target=target))
        kept.extend([data, b"\0" * (-size % 4)])
        length += size + -size % 4
        return len(document.bufferViews) - 1

    def add(values: Array, kind: str, target: int, bounds: bool = False) -> int:
        data = np.ascontiguousarray(values)
        component = {"float32": _FLOAT, "uint32": _WHOLE}[data.dtype.name]
        accessor = gltf.Accessor(
            bufferView=keep(data.tobytes(), target), componentType=component, count=len(data), type=kind
        )
        if bounds:
            accessor.min, accessor.max = data.min(axis=0).tolist(), data.max(axis=0).tolist()
        document.accessors.append(accessor)
        return len(document.accessors) - 1

    def texture(skin: Skin, word: str) -> int | None:
        if word not in skin.images:
            return None
        ends = _REPEAT if skin.repeats else _CLAMP  # a tile ends at its border
        near, far = (_NEAREST, _NEAREST) if skin.squares else (_LINEAR, _TRILINEAR)
        known = [(sampler.wrapS, sampler.magFilter) for sampler in document.samplers]
        if (ends, near) not in known:
            document.samplers.append(gltf.Sampler(magFilter=near, minFilter=far, wrapS=ends, wrapT=ends))
            known.append((ends, near))
        view = keep(skin.images[word].data)
        document.images.append(gltf.Image(bufferView=view, mimeType="image/png", name=f"{skin.name} {word}"))
        document.textures.append(gltf.Texture(sampler=known.index((ends, near)), source=len(document.images) - 1))
        return len(document.textures) - 1

    for skin in skins:
        document.materials.append(_material(skin, {word: texture(skin, word) for word in skin.images}))
        if skin.glow > 1 and "emissive" in skin.images and _STRENGTH not in document.extensionsUsed:
            document.extensionsUsed.append(_STRENGTH)
    for part, part_name in enumerate(model.parts):
        primitives = []
        for number, skin in enumerate(skins):
            rows = np.flatnonzero((model.part == part) & skin.triangles)
            if not len(rows):
                continue
            points, faces = corners(model, rows, colours, skin.shift)
            attributes = {
                "POSITION": add(points["position"].astype(np.float32), "VEC3", _POINTS, True),
                "NORMAL": add(points["normal"].astype(np.float32), "VEC3", _POINTS),
            }
            if model.has_uv[rows].any():
                flipped = np.stack([points["uv"][:, 0], 1 - points["uv"][:, 1]], axis=1)
                attributes["TEXCOORD_0"] = add(flipped.astype(np.float32), "VEC2", _POINTS)
                if "normal" in skin.images:  # nothing else reads them
                    attributes["TANGENT"] = add(points["tangent"].astype(np.float32), "VEC4", _POINTS)
            if colours is not None:
                light = np.concatenate(
                    [decode_srgb(points["colour"][:, :3] / 255), points["colour"][:, 3:] / 255], axis=1
                )
                attributes["COLOR_0"] = add(light.astype(np.float32), "VEC4", _POINTS)
            indices = add(faces.reshape(-1).astype(np.uint32), "SCALAR", _INDICES)
            primitives.append(gltf.Primitive(attributes=attributes, indices=indices, material=number))
        if primitives:
            document.meshes.append(gltf.Mesh(name=part_name, primitives=primitives))
            document.nodes.append(gltf.Node(name=part_name, mesh=len(document.meshes) - 1))
    document.scenes.append(gltf.Scene(nodes=list(range(len(document.nodes)))))
    document.scene = 0
    document.buffers.append(gltf.Buffer(byteLength=length))
    # Put together by hand (glTF 2.0, section 4.4), so that the maps never lie in memory together.
    text = document.encoded()
    text += b" " * (-len(text) % 4)
    yield struct.pack("<4s2I", b"glTF", 2, 28 + len(text) + length) + struct.pack("<I4s", len(text), b"JSON")
    yield text
    yield struct.pack("<I4s", length, b"BIN\0")
    for one in kept:
        yield one if isinstance(one, bytes) else one.read_bytes()


def _material(skin: Skin, numbers: Mapping[str, int | None]) -> gltf.Material:
    def info(word: str) -> gltf.TextureInfo | None:
        return None if numbers.get(word) is None else gltf.TextureInfo(index=numbers[word])

    base = [*decode_srgb(np.array(from_hex(skin.colour))).tolist(), 1.0]
    surface = gltf.PbrMetallicRoughness(baseColorFactor=base, metallicFactor=0.0)
    material = gltf.Material(name=skin.name, pbrMetallicRoughness=surface)
    surface.baseColorTexture = info("baseColor")
    if numbers.get("metallicRoughness") is not None:
        surface.metallicRoughnessTexture = info("metallicRoughness")
        surface.metallicFactor = surface.roughnessFactor = 1.0
    if numbers.get("normal") is not None:
        material.normalTexture = gltf.TextureInfo(index=numbers["normal"])
    if numbers.get("occlusion") is not None:
        material.occlusionTexture = gltf.TextureInfo(index=numbers["occlusion"])
    if numbers.get("emissive") is not None:
        material.emissiveTexture = info("emissive")
        material.emissiveFactor = [min(skin.glow, 1.0)] * 3
        if skin.glow > 1:  # factors end at 1
            material.extensions = {_STRENGTH: {"emissiveStrength": skin.glow}}
    if "baseColor" in skin.images and skin.images["baseColor"].see_through:
        material.alphaMode = "BLEND"
    return material
