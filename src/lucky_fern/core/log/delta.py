"""A state of a project told as its difference from the one before: plain data, small where little changed.

A difference holds only the fields of the document that are other objects than before. Layers that stayed the same
are told by their number, entries of tables (pictures, masks …) by their absence. What is told is plain data of the
project format's version, so that a log can be read by a later program, which migrates the state as it migrates files.
"""

from __future__ import annotations

from typing import Any

import msgspec
from msgspec.structs import replace

from lucky_fern.core.project.document import Layer, Project, walk

Plain = dict[str, Any]


def told(before: Project | None, after: Project) -> Plain:
    """What made ``after`` of ``before`` (None: of nothing)."""
    found: Plain = {}
    for name in Project.__struct_fields__:
        new = getattr(after, name)
        old = None if before is None else getattr(before, name)
        if before is not None and new is old:
            continue
        if name == "layers":
            known = {} if before is None else {layer.id: layer for layer in walk(before.layers)}
            found[name] = [_layer(layer, known) for layer in after.layers]
        elif isinstance(old, dict) and isinstance(new, dict) and (table := _table(old, new)) is not None:
            found[name] = table
        else:
            found[name] = _plain(new)
    return found


def applied(before: Plain | None, difference: Plain) -> Plain:
    """The whole state as plain data; neither argument is changed.

    Raises
    ------
    KeyError, TypeError, ValueError
        If the difference does not fit what it is applied to.
    """
    state = dict(before or {})
    for name, value in difference.items():
        if name == "layers":
            known = {layer["id"]: layer for layer in _walk(state.get("layers", ()))}
            state[name] = [_whole(layer, known) for layer in value]
        elif isinstance(value, dict) and "$put" in value:
            gone = set(value["$gone"])
            kept = {key: one for key, one in state.get(name, {}).items() if key not in gone}
            state[name] = {**kept, **value["$put"]}
        else:
            state[name] = value
    return state


def _plain(value: object) -> Any:
    return msgspec.to_builtins(value, str_keys=True)


def _layer(layer: Layer, known: dict[int, Layer]) -> Any:
    """A number if it is what it was; else all of it, its children told in the same way."""
    if known.get(layer.id) is layer:
        return layer.id
    if not layer.content.holds_layers:
        return _plain(layer)
    alone = _plain(replace(layer, content=layer.content.holding(())))
    alone["content"]["layers"] = [_layer(child, known) for child in layer.children]
    return alone


def _whole(layer: Any, known: dict[int, Plain]) -> Plain:
    if isinstance(layer, int):
        return known[layer]
    inside = layer["content"].get("layers")
    if not inside:
        return dict(layer)
    return {**layer, "content": {**layer["content"], "layers": [_whole(child, known) for child in inside]}}


def _walk(layers: Any) -> Any:
    for layer in layers:
        yield layer
        yield from _walk(layer["content"].get("layers", ()))


def _table(old: dict[Any, Any], new: dict[Any, Any]) -> Plain | None:
    """The entries that came, changed or went; None if the rest does not stand in the same order."""
    gone = [key for key in old if key not in new]
    kept = [key for key in old if key in new]
    if list(new)[: len(kept)] != kept:
        return None
    put = {key: value for key, value in new.items() if key not in old or old[key] is not value}
    return {"$gone": [str(key) for key in gone], "$put": _plain(put)}
