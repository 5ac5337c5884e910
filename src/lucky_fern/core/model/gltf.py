"""glTF 2.0 and GLB: scene graph, accessors and primitives to faces in world space.

Reference: Khronos Group, "glTF 2.0 Specification", sections 3.5 to 3.7.
"""

import base64
import json
import struct
from collections.abc import Callable
from typing import Any
from urllib.parse import unquote

import msgspec
import numpy as np

from lucky_fern.core.arrays import F32, F64, I64, U8, Array, unit_rows
from lucky_fern.core.colour import encode_srgb, to_hex
from lucky_fern.core.errors import ModelError
from lucky_fern.core.limits import DEEPEST_NODES, MOST_POINTS
from lucky_fern.core.model.assemble import RawFaces
from lucky_fern.core.model.gltf_document import (
    Document,
    Node,
    Primitive,
    TextureInfo,
    chunks_of,
)
from lucky_fern.core.model.model import Texture
from lucky_fern.words import tr

_DTYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_DRACO = "KHR_draco_mesh_compression"
_LOCKED = {"EXT_meshopt_compression", "KHR_meshopt_compression"}  # no package that reads them runs here
_BROKEN = (KeyError, IndexError, TypeError, ValueError, AttributeError, OverflowError, RecursionError, MemoryError,
           AssertionError, UnicodeDecodeError, struct.error, RuntimeError)  # fmt: skip


def read_gltf(data: bytes, name: str, fetch: Callable[[str], bytes]) -> RawFaces:
    """Read all meshes of the file's scene.

    Parameters
    ----------
    data : bytes of a ``.glb`` or ``.gltf`` file.
    name : the file's name, for sentences.
    fetch : returns the bytes of a file named relative to this one.

    Raises
    ------
    ModelError
        For files that are damaged, compressed in a way that is not read, or hold no triangles.
    """
    try:
        return _Reader(data, name, fetch).read()
    except ModelError:
        raise
    except _BROKEN as error:
        raise ModelError(
            tr("{name} is damaged: {error}. Export the model again as GLB.", name=name, error=error)
        ) from error


def picture_inside(data: bytes, name: str, fetch: Callable[[str], bytes], number: int) -> bytes:
    """The bytes of a picture that a glTF file carries itself (:attr:`~.model.Texture.inside`).

    Raises
    ------
    ModelError
        If the file is damaged there.
    """
    try:
        return _Reader(data, name, fetch).picture(number)
    except ModelError:
        raise
    except _BROKEN as error:
        raise ModelError(tr("{name} carries a picture that is damaged; export it again.", name=name)) from error


def _check_nodes(document: Any, name: str) -> None:
    """Refuse nodes that hang below each other in a long chain, before all of them are unpacked."""
    nodes = document.get("nodes") or []
    depth = [0] * len(nodes)
    parents = {child: number for number, node in enumerate(nodes) for child in node.get("children") or []}
    for number in range(len(nodes)):
        steps, at = 0, number
        while at in parents and not depth[at]:
            at, steps = parents[at], steps + 1
            if steps > DEEPEST_NODES + 1 or steps > len(nodes):
                raise ModelError(
                    tr("{name} is damaged: node {number} is its own ancestor.", name=name, number=number)
                    if steps > len(nodes)
                    else tr(
                        "{name} has nodes more than {DEEPEST_NODES} deep; export it flatter.",
                        name=name,
                        DEEPEST_NODES=DEEPEST_NODES,
                    )
                )
        depth[number] = depth[at] + steps
        if depth[number] > DEEPEST_NODES:
            raise ModelError(
                tr(
                    "{name} has nodes more than {DEEPEST_NODES} deep; export it flatter.",
                    name=name,
                    DEEPEST_NODES=DEEPEST_NODES,
                )
            )


class _Reader:
    def __init__(self, data: bytes, name: str, fetch: Callable[[str], bytes]) -> None:
        self.name = name
        self.fetch = fetch
        try:
            self.parse(data)
        except ModelError:
            raise
        except _BROKEN as error:
            raise ModelError(
                tr("{name} is not a readable glTF file. Export the model again as GLB.", name=name)
            ) from error
        locked = set(self.doc.extensionsRequired) & _LOCKED
        if locked:
            raise ModelError(
                tr(
                    "{name} keeps its mesh compressed ({sorted}), which is not read here. Export it again "
                    "without mesh compression.",
                    name=name,
                    sorted=", ".join(sorted(locked)),
                )
            )
        self.buffers: dict[int, bytes] = {}

    def parse(self, data: bytes) -> None:
        text, self.blob = data, b""
        if data[:4] == b"glTF":
            if len(data) < 12 or struct.unpack_from("<I", data, 8)[0] > len(data):
                raise ModelError(
                    tr("{name} is cut off: the file is shorter than it says. Copy it again.", name=self.name)
                )
            chunks = chunks_of(data)
            text, self.blob = chunks[b"JSON"], chunks.get(b"BIN\0", b"")
        plain = {key: value for key, value in json.loads(text.decode("utf-8-sig")).items() if value is not None}
        _check_nodes(plain, self.name)
        self.doc = msgspec.convert(plain, Document)

    def read(self) -> RawFaces:
        self.pieces: list[tuple[F64, I64, F64, F64, int, int]] = []
        self.painted: list[U8 | None] = []
        self.leaning: list[F32] = []  # tangents
        self.parts: list[str] = []
        self.skipped = 0
        doc = self.doc
        scene = doc.scenes[doc.scene or 0] if doc.scenes else None
        children = {child for node in doc.nodes for child in node.children or []}
        roots = scene.nodes if scene is not None else [n for n in range(len(doc.nodes)) if n not in children]
        visited: set[int] = set()
        waiting = [(node, np.eye(4), 0) for node in reversed(roots or [])]
        while waiting:
            index, parent, depth = waiting.pop()
            if not isinstance(index, int) or not 0 <= index < len(doc.nodes):
                raise ModelError(
                    tr("{name} is damaged: it names node {index}, which is not there.", name=self.name, index=index)
                )
            if index in visited:
                raise ModelError(
                    tr("{name} is damaged: node {index} is its own ancestor.", name=self.name, index=index)
                )
            if depth > DEEPEST_NODES:
                raise ModelError(
                    tr(
                        "{name} has nodes more than {DEEPEST_NODES} deep; export it flatter.",
                        name=self.name,
                        DEEPEST_NODES=DEEPEST_NODES,
                    )
                )
            visited.add(index)
            node = doc.nodes[index]
            with np.errstate(all="ignore"):  # what is no number is left out later, and told
                world = parent @ _node_matrix(node)
            if node.mesh is not None:
                self.mesh(node, world)
            waiting += [(child, world, depth + 1) for child in reversed(node.children or [])]
        if not self.pieces:
            raise ModelError(tr("{name} holds no triangles; export it again with its mesh included.", name=self.name))
        return self.join()

    def mesh(self, node: Node, world: F64) -> None:
        if node.mesh is None or not 0 <= node.mesh < len(self.doc.meshes):
            raise ModelError(
                tr("{name} is damaged: it names mesh {mesh}, which is not there.", name=self.name, mesh=node.mesh)
            )
        mesh = self.doc.meshes[node.mesh]
        self.parts.append(node.name or mesh.name or "")
        for primitive in mesh.primitives or []:
            self.primitive(primitive, world, len(self.parts) - 1)

    def primitive(self, primitive: Primitive, world: F64, part: int) -> None:
        if primitive.mode not in (None, 4, 5, 6):
            self.skipped += 1
            return
        packed = (primitive.extensions or {}).get(_DRACO)
        held = self.draco(packed) if packed is not None else self.attributes(primitive.attributes)
        local = held.get("POSITION")
        if local is None or local.shape[1] != 3:
            raise ModelError(
                tr("{name} is damaged: a mesh has no positions. Export it again as GLB.", name=self.name)
            )
        if packed is not None:
            index = held["indices"].ravel().astype(np.int64)
        elif primitive.indices is None:
            index = np.arange(len(local))
        else:
            index = self.accessor(primitive.indices).ravel().astype(np.int64)
        if index.size and not 0 <= int(index.min()) <= int(index.max()) < len(local):
            raise ModelError(
                tr(
                    "{name}: a mesh names vertex {max}, but it has {local}. Export it again.",
                    name=self.name,
                    max=int(index.max()),
                    local=len(local),
                )
            )
        triangles = _as_triangles(index, primitive.mode)
        with np.errstate(all="ignore"):  # what is no number is left out later, and told
            flip = bool(np.linalg.det(world[:3, :3]) < 0)
            points = local @ world[:3, :3].T + world[:3, 3]
        if flip:
            triangles = triangles[:, ::-1]
        count = len(local)
        uv = np.full((count, 2), np.nan)
        if "TEXCOORD_0" in held:
            uv = held["TEXCOORD_0"][:, :2].copy()
            uv[:, 1] = 1.0 - uv[:, 1]  # glTF counts v downwards
        normals, tangents = np.full((count, 3), np.nan), np.full((count, 4), np.nan, np.float32)
        sound = bool(np.isfinite(world).all())
        if "NORMAL" in held and sound:
            normals = unit_rows(held["NORMAL"] @ np.linalg.pinv(world[:3, :3]))
        if "TANGENT" in held and held["TANGENT"].shape[1] == 4 and sound:
            tangents[:, :3] = unit_rows(held["TANGENT"][:, :3] @ world[:3, :3].T)
            tangents[:, 3] = held["TANGENT"][:, 3] * (-1 if flip else 1)
        material = -1 if primitive.material is None else primitive.material
        if not -1 <= material < len(self.doc.materials):
            raise ModelError(
                tr(
                    "{name} is damaged: a mesh names material {material}, but there are {value}. Export it again.",
                    name=self.name,
                    material=material,
                    value=len(self.doc.materials),
                )
            )
        self.pieces.append((points, triangles, uv, normals, material, part))
        self.leaning.append(tangents)
        self.painted.append(self.point_colours(held.get("COLOR_0"), count))

    def attributes(self, named: dict[str, int]) -> dict[str, F64]:
        """What a primitive holds for each of its points, as far as it is read here."""
        found: dict[str, F64] = {}
        for name in ("POSITION", "NORMAL", "TANGENT", "TEXCOORD_0", "COLOR_0"):
            number = named.get(name)
            if number is not None:
                found[name] = self.accessor(number)
        if any(len(values) != len(found.get("POSITION", values)) for values in found.values()):
            raise ModelError(
                tr("{name} is damaged: a mesh has fewer normals or UVs than points. Export it again.", name=self.name)
            )
        return found

    def draco(self, packed: dict[str, Any]) -> dict[str, F64]:
        """The same from a mesh that is kept compressed (Khronos, KHR_draco_mesh_compression)."""
        import DracoPy

        view = self.doc.bufferViews[packed["bufferView"]]
        start = view.byteOffset or 0
        data = bytes(self.buffer(view.buffer)[start : start + view.byteLength])
        try:
            mesh = DracoPy.decode(data)
        except Exception as error:  # the decoder's own errors have no common base
            raise ModelError(
                tr("{name} has a compressed mesh that is damaged; export it again.", name=self.name)
            ) from error
        found: dict[str, F64] = {"indices": np.asarray(mesh.faces, np.float64)}
        for name, number in packed["attributes"].items():
            values = mesh.get_attribute_by_unique_id(number)["data"]
            if name == "COLOR_0" and values.dtype.kind == "u":
                found[name] = values / float(np.iinfo(values.dtype).max)
            else:
                found[name] = np.asarray(values, np.float64)
        return found

    def point_colours(self, light: F64 | None, count: int) -> U8 | None:
        """(V, 4) sRGB-encoded colours of points; the file holds them as linear light."""
        if light is None or len(light) != count or light.shape[1] not in (3, 4):
            return None
        light = np.nan_to_num(light)
        out = np.full((count, 4), 255, np.uint8)
        out[:, :3] = np.round(encode_srgb(light[:, :3]) * 255)
        if light.shape[1] == 4:
            out[:, 3] = np.round(np.clip(light[:, 3], 0, 1) * 255)
        return out

    def join(self) -> RawFaces:
        names = [material.name or f"material {i + 1}" for i, material in enumerate(self.doc.materials)]
        offset, vertices, material, part = 0, [], [], []
        for points, triangles, _, _, owner, piece in self.pieces:
            vertices.append(triangles.ravel() + offset)
            offset += len(points)
            material.append(np.full(len(triangles), owner if owner >= 0 else len(names)))
            part.append(np.full(len(triangles), piece))
        all_vertices = np.concatenate(vertices).astype(np.int64)
        warnings = []
        if self.skipped:
            warnings.append(
                tr(
                    "{name}: {skipped} piece(s) made of points or lines were left out.",
                    name=self.name,
                    skipped=self.skipped,
                )
            )
        return RawFaces(
            name=self.name,
            positions=np.concatenate([piece[0] for piece in self.pieces]),
            sizes=np.full(len(all_vertices) // 3, 3, np.int64),
            vertices=all_vertices,
            uv=np.concatenate([piece[2] for piece in self.pieces])[all_vertices],
            normals=np.concatenate([piece[3] for piece in self.pieces])[all_vertices],
            material=np.concatenate(material),
            materials=[*names, "default"],
            part=np.concatenate(part),
            parts=self.parts,
            warnings=warnings,
            colours=self.colours(names),
            corner_colours=self.corner_colours(all_vertices),
            textures=self.textures(names),
            tangents=self.tangents(all_vertices),
        )

    def tangents(self, vertices: I64) -> F32 | None:
        if not any(np.isfinite(one).any() for one in self.leaning):
            return None
        return np.concatenate(self.leaning)[vertices]

    def corner_colours(self, vertices: I64) -> U8 | None:
        if all(one is None for one in self.painted):
            return None
        white = [np.full((len(piece[0]), 4), 255, np.uint8) for piece in self.pieces]
        found = [blank if one is None else one for one, blank in zip(self.painted, white, strict=True)]
        return np.concatenate(found)[vertices]

    def textures(self, names: list[str]) -> list[Texture]:
        """What the materials name (glTF 2.0, section 3.9): which picture, and which plane of it."""
        found = []
        for name, material in zip(names, self.doc.materials, strict=True):
            surface = material.pbrMetallicRoughness
            asked = [
                ("colour", surface.baseColorTexture if surface is not None else None, ""),
                ("roughness", surface.metallicRoughnessTexture if surface is not None else None, "g"),
                ("metallic", surface.metallicRoughnessTexture if surface is not None else None, "b"),
                ("normal", material.normalTexture, ""),
                ("occlusion", material.occlusionTexture, "r"),
                ("emissive", material.emissiveTexture, ""),
            ]
            if surface is not None and material.alphaMode in ("MASK", "BLEND"):
                asked.append(("opacity", surface.baseColorTexture, "a"))
            for map_name, info, component in asked:
                source = self.picture_of(info)
                if source is not None:
                    picture = self.doc.images[source]
                    if picture.uri is not None and not picture.uri.startswith("data:"):
                        found.append(Texture(name, map_name, unquote(picture.uri), component))
                    else:
                        kind = "jpg" if "jpeg" in (picture.mimeType or picture.uri or "") else "png"
                        found.append(Texture(name, map_name, f"{picture.name or source}.{kind}", component, source))
        return found

    def picture_of(self, info: TextureInfo | None) -> int | None:
        if info is None or info.index is None or not 0 <= info.index < len(self.doc.textures):
            return None
        source = self.doc.textures[info.index].source
        return source if source is not None and 0 <= source < len(self.doc.images) else None

    def picture(self, source: int) -> bytes:
        """The bytes of a picture that the file carries itself."""
        image = self.doc.images[source]
        if image.uri is not None:
            return base64.b64decode(image.uri.partition(",")[2])
        if image.bufferView is None:
            raise ValueError("it is nowhere")
        view = self.doc.bufferViews[image.bufferView]
        start = view.byteOffset or 0
        return self.buffer(view.buffer)[start : start + view.byteLength]

    def colours(self, names: list[str]) -> dict[str, str]:
        """Base colours that differ from the format's white; the file holds them as linear light."""
        found = {}
        for name, material in zip(names, self.doc.materials, strict=True):
            surface = material.pbrMetallicRoughness
            factor = surface.baseColorFactor if surface is not None else None
            if factor is not None and len(factor) > 2 and np.isfinite(factor).all() and list(factor[:3]) != [1, 1, 1]:
                red, green, blue = encode_srgb(np.asarray(factor[:3])).tolist()
                found[name] = to_hex((red, green, blue))
        return found

    def buffer(self, index: int) -> bytes:
        if index not in self.buffers:
            uri = self.doc.buffers[index].uri
            if uri is None:
                self.buffers[index] = self.blob
            elif uri.startswith("data:"):
                self.buffers[index] = base64.b64decode(uri.partition(",")[2])
            else:
                self.buffers[index] = self.fetch(unquote(uri))
        return self.buffers[index]

    def view(self, index: int, offset: int, count: int, dtype: Any, width: int) -> Array:
        """``count`` elements of ``width`` numbers from a buffer view, its stride respected."""
        view = self.doc.bufferViews[index]
        data = self.buffer(view.buffer)
        start = (view.byteOffset or 0) + offset
        step = np.dtype(dtype).itemsize * width
        stride = view.byteStride or step
        if not (start >= 0 and 0 < stride <= 1 << 16 and 0 <= count <= MOST_POINTS):
            raise ModelError(tr("{name} is damaged: its data lies nowhere. Export it again.", name=self.name))
        if count and start + stride * (count - 1) + step > len(data):
            raise ModelError(
                tr("{name} is cut off: its data ends too early. Copy or export it again.", name=self.name)
            )
        return np.ndarray((count, width), dtype, data, start, (stride, np.dtype(dtype).itemsize))

    def accessor(self, index: int) -> F64:
        if not isinstance(index, int) or not 0 <= index < len(self.doc.accessors):
            raise ModelError(
                tr("{name} is damaged: it names accessor {index}, which is not there.", name=self.name, index=index)
            )
        accessor = self.doc.accessors[index]
        if not isinstance(accessor.count, int) or not 0 <= accessor.count <= MOST_POINTS:
            raise ModelError(
                tr(
                    "{name} says that it has {count} points; up to {MOST_POINTS} are read.",
                    name=self.name,
                    count=accessor.count,
                    MOST_POINTS=MOST_POINTS,
                )
            )
        if accessor.bufferView is None and accessor.count > len(self.blob) + 4 * sum(map(len, self.buffers.values())):
            raise ModelError(
                tr(
                    "{name} is damaged: it says that it has {count} points and holds none.",
                    name=self.name,
                    count=accessor.count,
                )
            )
        dtype, width = _DTYPES[accessor.componentType], _WIDTH[accessor.type]
        if accessor.bufferView is None:
            values = np.zeros((accessor.count, width))
        else:
            raw = self.view(accessor.bufferView, accessor.byteOffset or 0, accessor.count, dtype, width)
            values = raw.astype(np.float64)
        if accessor.sparse is not None:
            where, what = accessor.sparse.indices, accessor.sparse.values
            count = accessor.sparse.count
            rows = self.view(where.bufferView, where.byteOffset or 0, count, _DTYPES[where.componentType], 1)
            values[rows.ravel()] = self.view(what.bufferView, what.byteOffset or 0, count, dtype, width)
        if accessor.normalized and dtype is not np.float32:
            values = np.maximum(values / float(np.iinfo(np.dtype(dtype).type).max), -1.0)
        return values


def _node_matrix(node: Node) -> F64:
    """The 4 × 4 matrix of a node, from its matrix (column-major) or its translation, rotation and scale."""
    if node.matrix is not None:
        return np.array(node.matrix, np.float64).reshape(4, 4).T
    x, y, z, w = node.rotation or (0.0, 0.0, 0.0, 1.0)
    rotation = np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip
    matrix = np.eye(4)
    matrix[:3, :3] = rotation * np.array(node.scale or (1.0, 1.0, 1.0))
    matrix[:3, 3] = node.translation or (0.0, 0.0, 0.0)
    return matrix


def _as_triangles(index: I64, mode: int | None) -> I64:
    """(T, 3) vertex numbers from a list (4), strip (5) or fan (6) of triangles."""
    if mode == 5:
        triangles = np.stack([index[:-2], index[1:-1], index[2:]], axis=1)
        triangles[1::2] = triangles[1::2, [1, 0, 2]]
        return triangles
    if mode == 6:
        return np.stack([np.full(len(index) - 2, index[0]), index[1:-1], index[2:]], axis=1)
    return index[: len(index) // 3 * 3].reshape(-1, 3)
