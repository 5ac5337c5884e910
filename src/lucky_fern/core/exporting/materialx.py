"""The materials with their maps as a MaterialX document: a surface for each, fed by a graph of images.

Surfaces are ``gltf_pbr``; where a specular colour is given they are ``UsdPreviewSurface``, which knows that.
Reference: MaterialX Specification 1.39 (document, standard nodes) and its library; ``<UDIM>`` in file names as it has
them.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from xml.etree import ElementTree as Xml

from lucky_fern.core.exporting.wires import Wire

# What is wired to which input of the surface.
_METAL = {
    "colour": "base_color", "metallic": "metallic", "roughness": "roughness", "normal": "normal",
    "occlusion": "occlusion", "emissive": "emissive", "opacity": "alpha",
}  # fmt: skip
_SPECULAR = {
    "diffuse": "diffuseColor", "specular": "specularColor", "roughness": "roughness", "normal": "normal",
    "occlusion": "occlusion", "emissive": "emissiveColor", "opacity": "opacity",
}  # fmt: skip
_COLOURS = ("colour", "diffuse", "specular", "emissive")
_INDEX = {"r": 0, "g": 1, "b": 2, "a": 3}
_BLEND = 2  # of gltf_pbr's alpha_mode


def write_materialx(
    materials: Mapping[str, Mapping[str, Wire]], glow: float, repeats: Collection[str] = (),
    squares: Collection[str] = (),
) -> bytes:  # fmt: skip
    """The document's bytes: what each material is given, and how many times as bright it glows.

    The UVs of materials that ``repeats`` names go on over the tile; those in ``squares`` have texels to be seen.
    """
    root = Xml.Element("materialx", version="1.39", colorspace="lin_rec709")
    used: set[str] = set()
    for material, given in materials.items():
        name = _name(material, used)
        classic = "specular" in given
        words = _SPECULAR if classic else {**_METAL, "diffuse": "base_color"}
        graph = Xml.SubElement(root, "nodegraph", name=f"{name}_maps")
        node = "UsdPreviewSurface" if classic else "gltf_pbr"
        surface = Xml.Element(node, name=f"{name}_surface", type="surfaceshader")
        for what, wire in given.items():
            if what not in words:
                continue
            kind = "color3" if what in _COLOURS else "vector3" if what == "normal" else "float"
            read = {"uaddressmode": "periodic" if material in repeats else "clamp"}
            read["vaddressmode"] = read["uaddressmode"]
            if material in squares:
                read["filtertype"] = "closest"
            last = _node(graph, what, kind, wire, classic, glow, read)
            Xml.SubElement(graph, "output", name=f"{what}_out", type=kind, nodename=last)
            _input(surface, words[what], kind, nodegraph=f"{name}_maps", output=f"{what}_out")
        if classic:
            _input(surface, "useSpecularWorkflow", "integer", value="1")
        else:
            if "metallic" not in given:
                _input(surface, "metallic", "float", value="0")
            if "emissive" in given and glow != 1:
                _input(surface, "emissive_strength", "float", value=f"{glow:g}")
            if "opacity" in given:
                _input(surface, "alpha_mode", "integer", value=str(_BLEND))
        root.append(surface)
        made = Xml.SubElement(root, "surfacematerial", name=name, type="material")
        _input(made, "surfaceshader", "surfaceshader", nodename=f"{name}_surface")
    Xml.indent(root)
    return b'<?xml version="1.0"?>\n' + bytes(Xml.tostring(root, encoding="utf-8")) + b"\n"


def _name(text: str, used: set[str]) -> str:
    """A name as MaterialX allows it, once."""
    name = re.sub(r"[^A-Za-z0-9_]", "_", text) or "_"
    name = name if not name[0].isdigit() else f"_{name}"
    while name in used:
        name += "_"
    used.add(name)
    return name


def _input(node: Xml.Element, name: str, kind: str, **how: str) -> None:
    Xml.SubElement(node, "input", {"name": name, "type": kind, **how})


def _node(
    graph: Xml.Element, what: str, kind: str, wire: Wire, classic: bool, glow: float, read: Mapping[str, str]
) -> str:  # fmt: skip
    """Put the nodes of one wire into a graph, its image ``read`` that way; the name of the last one."""
    whole = wire.part == "rgb"
    sort = "float" if wire.components == 1 else ("color" if kind == "color3" else "vector") + str(wire.components)
    image = Xml.SubElement(graph, "image", name=f"{what}_image", type=sort)
    how = {"colorspace": "srgb_texture"} if wire.encoded else {}
    _input(image, "file", "filename", value=wire.file, **how)
    for word, value in read.items():
        _input(image, word, "string", value=value)
    last = f"{what}_image"

    def add(node: str, name: str, kind: str, **inputs: tuple[str, str]) -> None:
        nonlocal last
        made = Xml.SubElement(graph, node, name=f"{what}_{name}", type=kind)
        _input(made, "in" if "in2" not in inputs else "in1", sort, nodename=last)
        for word, (its, value) in inputs.items():
            _input(made, word, its, value=value)
        last = f"{what}_{name}"

    if whole and wire.components == 4:
        add("convert", "rgb", kind)
        sort = kind
    elif not whole and wire.components > 1:
        add("extract", "part", "float", index=("integer", str(_INDEX[wire.part])))
        sort = "float"
    if wire.inverted:
        add("invert", "inverted", "float")
    if kind == "vector3" and classic:  # it takes them from −1 to 1
        add("multiply", "wide", "vector3", in2=("vector3", "2, -2, 2" if wire.down else "2, 2, 2"))
        add("add", "level", "vector3", in2=("vector3", "-1, 1, -1" if wire.down else "-1, -1, -1"))
    elif kind == "vector3":
        if wire.down:
            add("multiply", "turned", "vector3", in2=("vector3", "1, -1, 1"))
            add("add", "up", "vector3", in2=("vector3", "0, 1, 0"))
        add("normalmap", "bent", "vector3")
    elif what == "emissive" and classic and glow != 1:
        add("multiply", "bright", "color3", in2=("float", f"{glow:g}"))
    return last
