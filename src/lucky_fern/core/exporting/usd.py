"""The model with its maps as a USD text file (.usda): meshes, and materials of UsdPreviewSurface.

References: "UsdPreviewSurface Specification" 2.6; UDIM textures are named with
``<UDIM>`` as it has them.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping

import numpy as np

from lucky_fern.core.arrays import Array
from lucky_fern.core.exporting.glb import corners
from lucky_fern.core.exporting.wires import Wire
from lucky_fern.core.model.model import Model

# What is wired to which input of the surface, and its type.
_INPUTS = {
    "colour": ("diffuseColor", "color3f"), "diffuse": ("diffuseColor", "color3f"), "metallic": ("metallic", "float"),
    "roughness": ("roughness", "float"), "normal": ("normal", "normal3f"), "occlusion": ("occlusion", "float"),
    "emissive": ("emissiveColor", "color3f"), "specular": ("specularColor", "color3f"),
    "opacity": ("opacity", "float"),
}  # fmt: skip


def write_usd(
    model: Model, wired: Mapping[str, Mapping[str, Wire]], glow: float = 1.0, repeats: Collection[str] = ()
) -> bytes:
    """A mesh for each part and material; ``wired`` says what files give to each material.

    ``glow`` is how many times as bright it glows; the UVs of materials that ``repeats`` names go on over the tile.
    """
    out = ["#usda 1.0", "(", '    defaultPrim = "Item"', '    upAxis = "Y"', "    metersPerUnit = 1", ")", "",
           'def Xform "Item"', "{"]  # fmt: skip
    taken: set[str] = set()  # of all that stands below the item
    materials = _names(model.materials, taken)
    for name in model.materials:
        out += _material(materials[name], wired.get(name, {}), glow, name in repeats)
    parts = _names(model.parts, set())
    for part, part_name in enumerate(model.parts):
        for number, material in enumerate(model.materials):
            rows = np.flatnonzero((model.part == part) & (model.material == number))
            if len(rows):
                name = _free(f"{parts[part_name]}_{materials[material]}", taken)
                out += _mesh(name, model, rows, materials[material])
    return ("\n".join([*out, "}", ""])).encode()


def _names(texts: tuple[str, ...] | list[str], taken: set[str]) -> dict[str, str]:
    """Names as USD allows them, each once."""
    found: dict[str, str] = {}
    for text in texts:
        name = re.sub(r"[^A-Za-z0-9_]", "_", text) or "_"
        found[text] = _free(name if not name[0].isdigit() else f"_{name}", taken)
    return found


def _free(name: str, taken: set[str]) -> str:
    """A name that nothing beside it has; it is taken from then on."""
    while name in taken:
        name += "_"
    taken.add(name)
    return name


def _listed(values: Array) -> str:
    if values.ndim == 1:
        return ", ".join(str(value) for value in values.tolist())
    return ", ".join("(" + ", ".join(f"{part:.9g}" for part in row) + ")" for row in values.tolist())


def _mesh(name: str, model: Model, rows: Array, material: str) -> list[str]:
    points, faces = corners(model, rows, None)
    at = points["position"]
    vertex = '            interpolation = "vertex"'
    return [
        f'    def Mesh "{name}" (', '        prepend apiSchemas = ["MaterialBindingAPI"]', "    )", "    {",
        f"        float3[] extent = [{_listed(np.stack([at.min(axis=0), at.max(axis=0)]))}]",
        f"        int[] faceVertexCounts = [{_listed(np.full(len(faces), 3))}]",
        f"        int[] faceVertexIndices = [{_listed(faces.reshape(-1))}]",
        f"        point3f[] points = [{_listed(points['position'])}]",
        f"        normal3f[] normals = [{_listed(points['normal'])}] (", vertex, "        )",
        f"        texCoord2f[] primvars:st = [{_listed(points['uv'])}] (", vertex, "        )",
        '        uniform token subdivisionScheme = "none"',
        f"        rel material:binding = </Item/{material}>", "    }",
    ]  # fmt: skip


def _material(name: str, wired: Mapping[str, Wire], glow: float, repeats: bool) -> list[str]:
    ends = "repeat" if repeats else "clamp"
    here = f"/Item/{name}"
    used = {what: wire for what, wire in wired.items() if what in _INPUTS}
    inputs = []
    for what, wire in used.items():
        word, sort = _INPUTS[what]
        inputs.append(f"            {sort} inputs:{word}.connect = <{here}/{what}.outputs:{wire.part}>")
    if "roughness" not in used:
        inputs.append("            float inputs:roughness = 1")
    if "specular" in used:
        inputs.append("            int inputs:useSpecularWorkflow = 1")
    out = [
        f'    def Material "{name}"', "    {",
        f"        token outputs:surface.connect = <{here}/Surface.outputs:surface>",
        '        def Shader "Surface"', "        {",
        '            uniform token info:id = "UsdPreviewSurface"', *inputs,
        "            token outputs:surface", "        }", '        def Shader "Place"', "        {",
        '            uniform token info:id = "UsdPrimvarReader_float2"', '            string inputs:varname = "st"',
        "            float2 outputs:result", "        }",
    ]  # fmt: skip
    for what, wire in used.items():
        sort = "float3" if wire.part == "rgb" else "float"
        out += [
            f'        def Shader "{what}"', "        {", '            uniform token info:id = "UsdUVTexture"',
            f"            asset inputs:file = @{wire.file}@",
            f'            token inputs:sourceColorSpace = "{"sRGB" if wire.encoded else "raw"}"',
            f"            float2 inputs:st.connect = <{here}/Place.outputs:result>",
            f'            token inputs:wrapS = "{ends}"', f'            token inputs:wrapT = "{ends}"',
            *_scaled(what, wire, glow),
            f"            {sort} outputs:{wire.part}", "        }",
        ]  # fmt: skip
    return [*out, "    }"]


def _scaled(what: str, wire: Wire, glow: float) -> list[str]:
    """What the texture's numbers are multiplied by, and what is added."""
    scale, bias = (1.0, 1.0, 1.0, 1.0), (0.0, 0.0, 0.0, 0.0)
    if what == "normal":  # from 0…1 to −1…1
        scale, bias = ((2, -2, 2, 1), (-1, 1, -1, 0)) if wire.down else ((2, 2, 2, 1), (-1, -1, -1, 0))
    elif what == "emissive" and glow != 1:
        scale = (glow, glow, glow, 1)
    elif wire.inverted:
        scale, bias = (-1, -1, -1, 1), (1, 1, 1, 0)
    else:
        return []
    return [
        f"            float4 inputs:{word} = ({', '.join(f'{value:g}' for value in values)})"
        for word, values in (("scale", scale), ("bias", bias))
    ]
