"""The model written out with its UVs, materials and parts as they are now: OBJ with MTL, GLB, PLY."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F64, I32, U8, Array, equal_rows
from lucky_fern.core.colour import from_hex
from lucky_fern.core.errors import ExportError
from lucky_fern.core.exporting.glb import corners, plain_skins, write_glb
from lucky_fern.core.model.as_written import as_written
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.outlines import outlines
from lucky_fern.core.model.ply_rows import write_rows
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of
from lucky_fern.words import tr

SUFFIXES = (".obj", ".glb", ".ply")
# What maps are called in an MTL: the words of its first description, and those of its extension for metal and rough.
_MTL_WORDS = {
    "colour": ("map_Kd",), "diffuse": ("map_Kd",), "specular": ("map_Ks",), "gloss": ("map_Ns",),
    "roughness": ("map_Pr",), "metallic": ("map_Pm",), "emissive": ("map_Ke",), "normal": ("norm",),
    "height": ("map_bump",), "opacity": ("map_d",),
}  # fmt: skip


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
    if colours is None:  # those are of the faces that are painted on
        model = as_written(model).model
    if ending.lower() == "obj" and stem:
        names = list(model.materials)
        return {name: _obj(model, f"{stem}.mtl", names, model.material), f"{stem}.mtl": _mtl(model)}
    if ending.lower() == "glb" and stem:
        return {name: write_glb(model, plain_skins(model), colours)}
    if ending.lower() == "ply" and stem:
        return {name: _ply(model, colours)}
    raise ExportError(
        tr(
            "{name} is no kind of model that is written; end its name with {SUFFIXES}.",
            name=name,
            SUFFIXES=", ".join(SUFFIXES),
        )
    )


def write_model(model: Model, name: str, folder: Path) -> Path:
    """Write a model's files into a folder; where the one that names the others is."""
    for part, data in model_files(model, name).items():
        (folder / part).write_bytes(data)
    return folder / name


def _rows(values: Array, form: str) -> list[str]:
    return [form.format(*row) for row in values.tolist()]


def textured_obj(surface: Surface, name: str, files: Mapping[SheetKey, Mapping[str, str]]) -> dict[str, bytes]:
    """File name → bytes of an OBJ, and of an MTL with the maps on it: ``files`` are their names, by what they hold.

    A material of its own for each sheet, its UVs brought onto one tile, as MTL knows no more.
    """
    written, keys = as_written(surface.model), list(surface.keys)
    model, sheets = written.model, surface.sheet_of_triangle[written.source]
    alone = {key: sum(other.material == key.material for other in keys) == 1 for key in keys}
    names = [key.material if alone[key] else f"{key.material}.{key.tile}" for key in keys] + ["bare"]
    number = np.where(sheets < 0, len(keys), sheets)
    corner = np.array([*(corner_of(key.tile) for key in keys), (0, 0)], np.float64)
    library = f"{name.rpartition('.')[0]}.mtl"
    text = []
    for key, own in zip(keys, names, strict=False):
        found = files.get(key, {})
        text += [f"newmtl {own}", "Kd 1 1 1", "Ks 0 0 0", "d 1"]
        text += [f"{word} {found[kind]}" for kind, words in _MTL_WORDS.items() for word in words if kind in found]
        if "opacity" not in found and "opacity in alpha" in found:
            text.append(f"map_d -imfchan m {found['opacity in alpha']}")  # the matte channel, as MTL calls an alpha
        text.append("")
    if (number == len(keys)).any():
        text += ["newmtl bare", "Kd 0.8 0.8 0.8", "d 1", ""]
    obj = _obj(model, library, names, number.astype(np.int32), corner[number])
    return {name: obj, library: "\n".join(text).encode()}


def _obj(model: Model, library: str, names: list[str], skin: I32, shift: F64 | None = None) -> bytes:
    """Faces as they came (polygons whole), parts as objects, v up as OBJ counts.

    ``skin`` (T,) numbers the material of each triangle among ``names``; ``shift`` (T, 2) is taken from its UVs.
    """
    sizes, corner, _ = outlines(model)
    triangle = corner // 3
    uv = (model.uv if shift is None else model.uv - shift[:, None]).reshape(-1, 2)
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
    for face in np.lexsort((skin[owner], model.part[owner])).tolist():
        mine = corner[starts[face] : starts[face + 1]]
        first = int(mine[0]) // 3
        if model.part[first] != part:
            part, material = int(model.part[first]), -1
            out.append(f"o {model.parts[part]}")
        if skin[first] != material:
            material = int(skin[first])
            out.append(f"usemtl {names[material]}")
        words = [f"{points[c] + 1}/{uv_number[c] + 1 if with_uv[c] else ''}/{n_number[c] + 1}" for c in mine.tolist()]
        out.append("f " + " ".join(words))
    return ("\n".join(out) + "\n").encode()


def _mtl(model: Model) -> bytes:
    out = []
    for name in model.materials:
        red, green, blue = from_hex(model.colours.get(name, "#cccccc"))
        out += [f"newmtl {name}", f"Kd {red:.6g} {green:.6g} {blue:.6g}", "Ks 0 0 0", "d 1", ""]
    return "\n".join(out).encode()


def _ply(model: Model, colours: U8 | None) -> bytes:
    """Binary little-endian PLY: points with normals, UVs as s and t, and colours."""
    points, faces = corners(model, np.arange(model.triangle_count), colours)
    fields: list[tuple[str, Array, str]] = [
        ("x", points["position"][:, 0], "f4"), ("y", points["position"][:, 1], "f4"),
        ("z", points["position"][:, 2], "f4"), ("nx", points["normal"][:, 0], "f4"),
        ("ny", points["normal"][:, 1], "f4"), ("nz", points["normal"][:, 2], "f4"),
    ]  # fmt: skip
    if model.has_uv.any():
        fields += [("s", points["uv"][:, 0], "f4"), ("t", points["uv"][:, 1], "f4")]
    if colours is not None:
        fields += [(n, points["colour"][:, k], "u1") for k, n in enumerate(("red", "green", "blue", "alpha"))]
    return write_rows({name: values.astype(kind) for name, values, kind in fields}, faces)
