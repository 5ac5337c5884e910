"""Documents of older versions brought up to this one: a small function a version.

Each takes the plain data of a project as JSON gave it and answers with that of the next version.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lucky_fern.core.project.document import FORMAT_VERSION

OLDEST = 3


def _from_3(project: dict[str, Any]) -> dict[str, Any]:
    """Version 4 reads masks, blurs and relief over seams; the document itself says what it said."""
    return {**project, "version": 4}


def _from_4(project: dict[str, Any]) -> dict[str, Any]:
    """Version 5 knows rules in masks and edgings."""
    return {**project, "version": 5}


def _from_5(project: dict[str, Any]) -> dict[str, Any]:
    """Version 6 has edgings run along several paths."""
    return {**project, "version": 6, "layers": _with_paths(project.get("layers"))}


def _from_6(project: dict[str, Any]) -> dict[str, Any]:
    """Version 7 knows pictures that are made ready from their originals."""
    return {**project, "version": 7}


def _from_7(project: dict[str, Any]) -> dict[str, Any]:
    """Version 8 knows tags, folders, favourites and licence files of pictures, patterns, palettes and lent views."""
    return {**project, "version": 8}


def _from_8(project: dict[str, Any]) -> dict[str, Any]:
    """Version 9 has sheets that are not square: sizes are width and height."""
    sizes = project.get("sheet_sizes")
    made = {**project, "version": 9, "sheet_size": _pair(project.get("sheet_size", 1024))}
    if isinstance(sizes, dict):
        made["sheet_sizes"] = {name: _pair(size) for name, size in sizes.items()}
    if isinstance(loans := project.get("loans"), dict):
        made["loans"] = {name: _paired(loan) for name, loan in loans.items()}
    for name in ("layers", "masks"):
        if name in project:
            made[name] = _with_pairs(project[name])
    return made


def _from_9(project: dict[str, Any]) -> dict[str, Any]:
    """Version 10 knows pinned pictures and guides."""
    return {**project, "version": 10}


def _from_10(project: dict[str, Any]) -> dict[str, Any]:
    """Version 11 has each layer say how strongly its height shapes normals; the project said so before."""
    made = {name: value for name, value in project.items() if name != "relief"}
    return {**made, "version": 11, "layers": _with_relief(project.get("layers", []), project.get("relief", {}))}


def _with_relief(layers: Any, relief: Any) -> Any:
    if not isinstance(layers, list):
        return layers  # what is damaged is told by those who read it
    made = []
    for layer in layers:
        if isinstance(layer, dict):
            layer = dict(layer)
            channels, content = layer.get("channels"), layer.get("content")
            if isinstance(channels, dict):
                layer["channels"] = {
                    name: {**one, "relief": relief if one.get("relief") else None} if isinstance(one, dict) else one
                    for name, one in channels.items()
                }
            if isinstance(content, dict) and "layers" in content:
                layer["content"] = {**content, "layers": _with_relief(content["layers"], relief)}
        made.append(layer)
    return made


def _pair(size: Any) -> Any:
    return [size, size] if isinstance(size, int) else size


def _paired(sized: Any) -> Any:
    return {**sized, "size": _pair(sized["size"])} if isinstance(sized, dict) and "size" in sized else sized


def _with_pairs(part: Any) -> Any:
    """Painted sheets, however deep."""
    if isinstance(part, list):
        return [_with_pairs(one) for one in part]
    if not isinstance(part, dict):
        return part
    return {
        name: {sheet: _paired(one) for sheet, one in value.items()}
        if name == "sheets" and isinstance(value, dict) else _with_pairs(value)
        for name, value in part.items()
    }  # fmt: skip


def _with_paths(layers: Any) -> Any:
    if not isinstance(layers, list):
        return layers  # what is damaged is told by those who read it
    made = []
    for layer in layers:
        content = layer.get("content") if isinstance(layer, dict) else None
        if isinstance(content, dict) and content.get("kind") == "edging" and "path" in content:
            content = dict(content)
            path = content.pop("path")
            content |= {} if path is None else {"paths": [path]}
            layer = {**layer, "content": content}
        elif isinstance(content, dict) and "layers" in content:
            layer = {**layer, "content": {**content, "layers": _with_paths(content["layers"])}}
        made.append(layer)
    return made


_STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    3: _from_3,
    4: _from_4,
    5: _from_5,
    6: _from_6,
    7: _from_7,
    8: _from_8,
    9: _from_9,
    10: _from_10,
}


def migrated(project: Any, version: int) -> Any:
    """A project's plain data, written by a program of some version, as this version writes it.

    Raises
    ------
    KeyError
        If that version is older than any that can be read.
    """
    while isinstance(project, dict) and version < FORMAT_VERSION:
        project = _STEPS[version](project)
        version += 1
    return project
