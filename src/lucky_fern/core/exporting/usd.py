"""The model with its maps as a USD text file (.usda): meshes, and materials of UsdPreviewSurface.

References: Pixar's and the Alliance for OpenUSD's "UsdPreviewSurface Specification" 2.6; UDIM textures are named with
``<UDIM>`` as it has them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import numpy as np

from lucky_fern.core.arrays import Array
from lucky_fern.core.exporting.glb import corners
from lucky_fern.core.model.model import Model

# What a map is wired to: the surface's input, its type, the texture's output, and how its numbers are stored.
_INPUTS = {
    "colour": ("diffuseColor", "color3f", "rgb", "sRGB"), "metallic": ("metallic", "float", "r", "raw"),
    "roughness": ("roughness", "float", "r", "raw"), "normal": ("normal", "normal3f", "rgb", "raw"),
    "occlusion": ("occlusion", "float", "r", "raw"), "emissive": ("emissiveColor", "color3f", "rgb", "sRGB"),
    "diffuse": ("diffuseColor", "color3f", "rgb", "sRGB"),
}  # fmt: skip


def write_usd(model: Model, files: Mapping[str, Mapping[str, str]]) -> bytes:
    """A mesh for each part and material; ``files`` are the maps' names, by material and by what they hold."""
    out = ["#usda 1.0", "(", '    defaultPrim = "Item"', '    upAxis = "Y"', "    metersPerUnit = 1", ")", "",
           'def Xform "Item"', "{"]  # fmt: skip
    materials = _names(model.materials)
    for name in model.materials:
        out += _material(materials[name], files.get(name, {}))
    parts = _names(model.parts)
    for part, part_name in enumerate(model.parts):
        for number, material in enumerate(model.materials):
            rows = np.flatnonzero((model.part == part) & (model.material == number))
            if len(rows):
                out += _mesh(f"{parts[part_name]}_{materials[material]}", model, rows, materials[material])
    return ("\n".join([*out, "}", ""])).encode()


def _names(texts: tuple[str, ...] | list[str]) -> dict[str, str]:
    """Names as USD allows them, each once."""
    found: dict[str, str] = {}
    for text in texts:
        name = re.sub(r"[^A-Za-z0-9_]", "_", text) or "_"
        name = name if not name[0].isdigit() else f"_{name}"
        while name in found.values():
            name += "_"
        found[text] = name
    return found


def _listed(values: Array) -> str:
    if values.ndim == 1:
        return ", ".join(str(value) for value in values.tolist())
    return ", ".join("(" + ", ".join(f"{part:.9g}" for part in row) + ")" for row in values.tolist())


def _mesh(name: str, model: Model, rows: Array, material: str) -> list[str]:
    points, faces = corners(model, rows, None)
    vertex = '            interpolation = "vertex"'
    return [
        f'    def Mesh "{name}" (', '        prepend apiSchemas = ["MaterialBindingAPI"]', "    )", "    {",
        f"        int[] faceVertexCounts = [{_listed(np.full(len(faces), 3))}]",
        f"        int[] faceVertexIndices = [{_listed(faces.reshape(-1))}]",
        f"        point3f[] points = [{_listed(points['position'])}]",
        f"        normal3f[] normals = [{_listed(points['normal'])}] (", vertex, "        )",
        f"        texCoord2f[] primvars:st = [{_listed(points['uv'])}] (", vertex, "        )",
        '        uniform token subdivisionScheme = "none"',
        f"        rel material:binding = </Item/{material}>", "    }",
    ]  # fmt: skip


def _material(name: str, files: Mapping[str, str]) -> list[str]:
    here = f"/Item/{name}"
    used = {kind: file for kind, file in files.items() if kind in _INPUTS}
    inputs = []
    for kind in used:
        word, sort, output, _ = _INPUTS[kind]
        inputs.append(f"            {sort} inputs:{word}.connect = <{here}/{kind}.outputs:{output}>")
    if "roughness" not in used:
        inputs.append("            float inputs:roughness = 1")
    out = [
        f'    def Material "{name}"', "    {",
        f"        token outputs:surface.connect = <{here}/Surface.outputs:surface>",
        '        def Shader "Surface"', "        {",
        '            uniform token info:id = "UsdPreviewSurface"', *inputs,
        "            token outputs:surface", "        }", '        def Shader "Place"', "        {",
        '            uniform token info:id = "UsdPrimvarReader_float2"', '            string inputs:varname = "st"',
        "            float2 outputs:result", "        }",
    ]  # fmt: skip
    for kind, file in used.items():
        _, _, output, space = _INPUTS[kind]
        sort = "float3" if output == "rgb" else "float"
        out += [
            f'        def Shader "{kind}"', "        {", '            uniform token info:id = "UsdUVTexture"',
            f"            asset inputs:file = @{file}@", f'            token inputs:sourceColorSpace = "{space}"',
            f"            float2 inputs:st.connect = <{here}/Place.outputs:result>",
            '            token inputs:wrapS = "clamp"', '            token inputs:wrapT = "clamp"',
        ]  # fmt: skip
        if kind == "normal":  # from 0…1 to −1…1
            out += [
                "            float4 inputs:scale = (2, 2, 2, 1)",
                "            float4 inputs:bias = (-1, -1, -1, 0)",
            ]
        out += [f"            {sort} outputs:{output}", "        }"]
    return [*out, "    }"]
