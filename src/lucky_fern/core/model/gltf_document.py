"""The document of a glTF file as typed structs, by the names of the format; what is not read here is passed over.

Reference: Khronos Group, "glTF 2.0 Specification", sections 4.4 and 5.
"""

from __future__ import annotations

import struct
from typing import Any

import msgspec

Extensions = dict[str, Any]


class Part(msgspec.Struct, omit_defaults=True):
    """Base of all that a document holds."""


class Asset(Part):
    version: str = ""
    generator: str | None = None


class Buffer(Part):
    byteLength: int = 0
    uri: str | None = None


class BufferView(Part):
    buffer: int
    byteLength: int = 0
    byteOffset: int | None = None
    byteStride: int | None = None
    target: int | None = None


class SparseIndices(Part):
    bufferView: int
    componentType: int
    byteOffset: int | None = None


class SparseValues(Part):
    bufferView: int
    byteOffset: int | None = None


class Sparse(Part):
    count: int
    indices: SparseIndices
    values: SparseValues


class Accessor(Part):
    componentType: int
    count: int
    type: str
    bufferView: int | None = None
    byteOffset: int | None = None
    normalized: bool | None = None
    min: list[float] | None = None
    max: list[float] | None = None
    sparse: Sparse | None = None


class Image(Part):
    name: str | None = None
    uri: str | None = None
    mimeType: str | None = None
    bufferView: int | None = None


class Sampler(Part):
    magFilter: int | None = None
    minFilter: int | None = None
    wrapS: int | None = None
    wrapT: int | None = None


class Texture(Part):
    sampler: int | None = None
    source: int | None = None


class TextureInfo(Part):
    """Of any kind: what they have beside the index is not used here."""

    index: int | None = None


class PbrMetallicRoughness(Part):
    baseColorFactor: list[float] | None = None
    metallicFactor: float | None = None
    roughnessFactor: float | None = None
    baseColorTexture: TextureInfo | None = None
    metallicRoughnessTexture: TextureInfo | None = None


class Material(Part):
    name: str | None = None
    pbrMetallicRoughness: PbrMetallicRoughness | None = None
    normalTexture: TextureInfo | None = None
    occlusionTexture: TextureInfo | None = None
    emissiveTexture: TextureInfo | None = None
    emissiveFactor: list[float] | None = None
    alphaMode: str | None = None
    alphaCutoff: float | None = None
    doubleSided: bool | None = None
    extensions: Extensions | None = None


class Primitive(Part):
    attributes: dict[str, int] = {}
    indices: int | None = None
    material: int | None = None
    mode: int | None = None
    extensions: Extensions | None = None


class Mesh(Part):
    primitives: list[Primitive] | None = None
    name: str | None = None


class Node(Part):
    name: str | None = None
    mesh: int | None = None
    children: list[int] | None = None
    matrix: list[float] | None = None
    translation: list[float] | None = None
    rotation: list[float] | None = None
    scale: list[float] | None = None


class Scene(Part):
    nodes: list[int] | None = None


class Document(Part):
    """All of a file; lists that it lacks are empty."""

    asset: Asset
    scene: int | None = None
    scenes: list[Scene] = []
    nodes: list[Node] = []
    meshes: list[Mesh] = []
    materials: list[Material] = []
    textures: list[Texture] = []
    samplers: list[Sampler] = []
    images: list[Image] = []
    accessors: list[Accessor] = []
    bufferViews: list[BufferView] = []
    buffers: list[Buffer] = []
    extensionsUsed: list[str] = []
    extensionsRequired: list[str] = []

    def encoded(self) -> bytes:
        """As JSON, equal documents alike."""
        return msgspec.json.encode(self)


def chunks_of(data: bytes) -> dict[bytes, bytes]:
    """The first chunk of each kind (``JSON``, ``BIN\\0``) of a GLB's bytes.

    Raises
    ------
    struct.error, ValueError
        If there is no whole one.
    """
    found: dict[bytes, bytes] = {}
    at = 12
    while at + 8 <= len(data):
        length, kind = struct.unpack_from("<I4s", data, at)
        if at + 8 + length > len(data):
            raise ValueError("a chunk is cut off")
        found.setdefault(kind, data[at + 8 : at + 8 + length])
        at += 8 + length + -length % 4
    return found
