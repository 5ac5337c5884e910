"""Settings of tools and presets of one's own, from one time to the next."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.painting.brush import Brush, check_brush
from lucky_fern.core.painting.tips import BUILT_IN
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.project.presets import preset_from_json, preset_to_json
from lucky_fern.ui.window.parts import Parts
from lucky_fern.ui.window.remembered import Remembered

_LARGEST = 0.5  # the radius of a brush, of the model's size


def note_tools(what: Remembered, parts: Parts) -> None:
    """Write down how tools are set."""
    painting = parts.painting
    brush = painting.brush
    if brush.tip is not None and brush.tip not in BUILT_IN:
        brush = msgspec.structs.replace(brush, tip=None)  # a picture of the project's
    what.tools = {
        "brush": msgspec.to_builtins(brush),
        "size": painting.size,
        "paint": dict(painting.values),
        "onto": sorted(painting.used),
        "label": msgspec.to_builtins(parts.habits.label_style),
        "figure": msgspec.to_builtins(parts.habits.figure_style),
        "in_texels": parts.habits.in_texels,
        "levels_over": parts.levelling.over,
    }
    what.presets = {name: preset_to_json(own).decode() for name, own in parts.exports.shelf.items()}


def recall_tools(what: Remembered, parts: Parts) -> None:
    """Set tools as they were; what cannot be understood is as at first."""
    kept, painting, habits = what.tools, parts.painting, parts.habits
    known: dict[str, tuple[Any, Callable[[Any], object]]] = {
        "brush": (Brush, lambda brush: setattr(painting, "brush", _checked(brush))),
        "size": (float, lambda size: setattr(painting, "size", min(max(size, 0.0), _LARGEST) or painting.size)),
        "paint": (dict[str, float | str], lambda kept: painting.values.update(_same_kind(painting.values, kept))),
        "onto": (set[str], lambda used: setattr(painting, "used", used & set(painting.values) or painting.used)),
        "label": (Label, lambda style: setattr(habits, "label_style", style)),
        "figure": (Figure, lambda style: setattr(habits, "figure_style", style)),
        "in_texels": (bool, lambda on: setattr(habits, "in_texels", on)),
        "levels_over": (bool, parts.levelling.set_over),
    }
    for name, (kind, take) in known.items():
        if name in kept:
            try:
                take(msgspec.convert(kept[name], kind))
            except (msgspec.MsgspecError, LuckyFernError):
                continue
    for name, text in what.presets.items():
        try:
            parts.exports.shelf[name] = preset_from_json(text.encode(), name)
        except LuckyFernError:
            continue
    painting.changed.emit()


def _checked(brush: Brush) -> Brush:
    check_brush(brush)
    return brush


def _same_kind(first: dict[str, Any], new: dict[str, Any]) -> dict[str, Any]:
    """Of the new values those that there are, and that are of the kind that they are at first."""
    return {name: value for name, value in new.items() if name in first and isinstance(value, type(first[name]))}
