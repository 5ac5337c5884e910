"""The model written out with its UVs, materials and parts as they are now: OBJ with MTL, GLB, PLY."""

from __future__ import annotations

import io

import numpy as np

from lucky_fern.core.arrays import F64, I64, U8, Array, equal_rows
from lucky_fern.core.colour import decode_srgb, from_hex
from lucky_fern.core.errors import ExportError
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.outlines import outlines

SUFFIXES = (".obj", ".glb", ".ply")


def model_files(model: Model, name: str, colours: U8 | None = None) -> dict[str, bytes]:
    """File name → bytes for a model file called ``name`` (its ending says the kind).

    Parameters
    ----------
    colours : (T, 3, 4) uint8, sRGB-encoded, colours of corners to write along; OBJ cannot carry them.

    Raises
    ------
    ExportError
        If the ending is of no kind that is written.
    """
    stem, _, ending = name.rpartition(".")
    if ending.lower() == "obj" and stem:
        return {name: _obj(model, f"{stem}.mtl"), f"{stem}.mtl": _mtl(model)}
    if ending.lower() == "glb" and stem:
        return {name: _glb(model, colours)}
    if ending.lower() == "ply" and stem:
        return {name: _ply(model, colours)}
    raise ExportError(f"{name} is no kind of model that is written; end its name with {', '.join(SUFFIXES)}.")


def _rows(values: Array, form: str) -> list[str]:
    return [form.format(*row) for row in values.tolist()]


def _obj(model: Model, library: str) -> bytes:
    """Faces as they came (polygons whole), parts as objects, v up as OBJ counts."""
    sizes, corner, _ = outlines(model)
    triangle = corner // 3
    uv = model.uv.reshape(-1, 2)
    with_uv = np.asarray(np.isfinite(uv).all(axis=1), np.bool_)
    uv_first, uv_number = equal_rows(np.where(with_uv[:, None], uv, 0.0))
    normals = model.normals.reshape(-1, 3).astype(np.float64)
    n_first, n_number = equal_rows(normals)
    out = [f"mtllib {library}"]
    out += _rows(model.positions, "v {:.9g} {:.9g} {:.9g}")
    out += _rows(uv[uv_first], "vt {:.9g} {:.9g}")
    out += _rows(normals[n_first], "vn {:.6g} {:.6g} {:.6g}")
    starts = np.concatenate([[0], np.cumsum(sizes)])
    points = model.triangles.reshape(-1)
    part = material = -1
    # Faces stand part by part, as readers begin a new object at every "o".
    owner = triangle[starts[:-1]]
    for face in np.lexsort((model.material[owner], model.part[owner])).tolist():
        mine = corner[starts[face] : starts[face + 1]]
        first = int(mine[0]) // 3
        if model.part[first] != part:
            part, material = int(model.part[first]), -1
            out.append(f"o {model.parts[part]}")
        if model.material[first] != material:
            material = int(model.material[first])
            out.append(f"usemtl {model.materials[material]}")
        words = [f"{points[c] + 1}/{uv_number[c] + 1 if with_uv[c] else ''}/{n_number[c] + 1}" for c in mine.tolist()]
        out.append("f " + " ".join(words))
    return ("\n".join(out) + "\n").encode()


def _mtl(model: Model) -> bytes:
    out = []
    for name in model.materials:
        red, green, blue = from_hex(model.colours.get(name, "#cccccc"))
        out += [f"newmtl {name}", f"Kd {red:.6g} {green:.6g} {blue:.6g}", "Ks 0 0 0", "d 1", ""]
    return "\n".join(out).encode()


def _corners(model: Model, rows: I64, colours: U8 | None) -> tuple[dict[str, Array], I64]:
    """Corners of some triangles as points that differ in something, and (N, 3) rows of them."""
    keys = [model.corners[rows], model.normals[rows].astype(np.float64), np.nan_to_num(model.uv[rows])]
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


def _glb(model: Model, colours: U8 | None) -> bytes:
    """glTF 2.0 in one file: a mesh for each part, a primitive for each of its materials; v counted downwards."""
    import pygltflib as gltf

    document = gltf.GLTF2(asset=gltf.Asset(version="2.0", generator="Lucky Fern"))
    blob = bytearray()

    def add(values: Array, kind: str, target: int, bounds: bool = False) -> int:
        data = np.ascontiguousarray(values)
        document.bufferViews.append(
            gltf.BufferView(buffer=0, byteOffset=len(blob), byteLength=data.nbytes, target=target)
        )
        blob.extend(data.tobytes() + b"\0" * (-data.nbytes % 4))
        component = {"float32": gltf.FLOAT, "uint32": gltf.UNSIGNED_INT}[data.dtype.name]
        accessor = gltf.Accessor(
            bufferView=len(document.bufferViews) - 1, componentType=component, count=len(data), type=kind
        )
        if bounds:
            accessor.min, accessor.max = data.min(axis=0).tolist(), data.max(axis=0).tolist()
        document.accessors.append(accessor)
        return len(document.accessors) - 1

    for name in model.materials:
        base = [*decode_srgb(np.array(from_hex(model.colours.get(name, "#ffffff")))).tolist(), 1.0]
        surface = gltf.PbrMetallicRoughness(baseColorFactor=base, metallicFactor=0.0)
        document.materials.append(gltf.Material(name=name, pbrMetallicRoughness=surface))
    for part, part_name in enumerate(model.parts):
        primitives = []
        for material in range(len(model.materials)):
            rows = np.flatnonzero((model.part == part) & (model.material == material))
            if not len(rows):
                continue
            points, faces = _corners(model, rows, colours)
            attributes = gltf.Attributes(
                POSITION=add(points["position"].astype(np.float32), gltf.VEC3, gltf.ARRAY_BUFFER, True),
                NORMAL=add(points["normal"].astype(np.float32), gltf.VEC3, gltf.ARRAY_BUFFER),
            )
            if model.has_uv[rows].any():
                flipped = np.stack([points["uv"][:, 0], 1 - points["uv"][:, 1]], axis=1)
                attributes.TEXCOORD_0 = add(flipped.astype(np.float32), gltf.VEC2, gltf.ARRAY_BUFFER)
                attributes.TANGENT = add(points["tangent"].astype(np.float32), gltf.VEC4, gltf.ARRAY_BUFFER)
            if colours is not None:
                light = np.concatenate(
                    [decode_srgb(points["colour"][:, :3] / 255), points["colour"][:, 3:] / 255], axis=1
                )
                attributes.COLOR_0 = add(light.astype(np.float32), gltf.VEC4, gltf.ARRAY_BUFFER)
            indices = add(faces.reshape(-1).astype(np.uint32), gltf.SCALAR, gltf.ELEMENT_ARRAY_BUFFER)
            primitives.append(gltf.Primitive(attributes=attributes, indices=indices, material=material))
        if primitives:
            document.meshes.append(gltf.Mesh(name=part_name, primitives=primitives))
            document.nodes.append(gltf.Node(name=part_name, mesh=len(document.meshes) - 1))
    document.scenes.append(gltf.Scene(nodes=list(range(len(document.nodes)))))
    document.scene = 0
    document.buffers.append(gltf.Buffer(byteLength=len(blob)))
    document.set_binary_blob(bytes(blob))
    return b"".join(document.save_to_bytes())


def _ply(model: Model, colours: U8 | None) -> bytes:
    """Binary little-endian PLY: points with normals, UVs as s and t, and colours."""
    import plyfile

    points, faces = _corners(model, np.arange(model.triangle_count), colours)
    fields: list[tuple[str, Array, str]] = [
        ("x", points["position"][:, 0], "f4"), ("y", points["position"][:, 1], "f4"),
        ("z", points["position"][:, 2], "f4"), ("nx", points["normal"][:, 0], "f4"),
        ("ny", points["normal"][:, 1], "f4"), ("nz", points["normal"][:, 2], "f4"),
    ]  # fmt: skip
    if model.has_uv.any():
        fields += [("s", points["uv"][:, 0], "f4"), ("t", points["uv"][:, 1], "f4")]
    if colours is not None:
        fields += [(n, points["colour"][:, k], "u1") for k, n in enumerate(("red", "green", "blue", "alpha"))]
    vertex = np.empty(len(points["position"]), [(name, kind) for name, _, kind in fields])
    for name, values, _ in fields:
        vertex[name] = values
    face = np.empty(len(faces), [("vertex_indices", "i4", (3,))])
    face["vertex_indices"] = faces
    elements = [plyfile.PlyElement.describe(vertex, "vertex"), plyfile.PlyElement.describe(face, "face")]
    out = io.BytesIO()
    plyfile.PlyData(elements, byte_order="<").write(out)
    return out.getvalue()
