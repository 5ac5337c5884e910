"""What moving layers about the stack means: each answers with the command, or None where nothing can move."""

from __future__ import annotations

from lucky_fern.core.project.commands import MoveLayers
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.tree import home_of, homes


def moved_into(group: Layer, layers: tuple[int, ...]) -> MoveLayers | None:
    """Layers on top of what a group holds; None where the group is one of them."""
    if group.id in layers:
        return None
    rest = [child for child in group.children if child.id not in layers]
    return MoveLayers(layers, len(rest), group.id)


def moved_above(project: Project, layers: tuple[int, ...], below: int | None, group: int | None = None) -> MoveLayers:
    """Layers right above another one; ``below`` None: to the very bottom of a group, or of the stack."""
    if below is None:
        return MoveLayers(layers, 0, group)
    parent, _ = home_of(project, below)
    rest = [layer.id for layer in dict(homes(project))[parent] if layer.id not in layers]
    return MoveLayers(layers, rest.index(below) + 1, parent)


def shifted(project: Project, layers: tuple[int, ...], up: bool) -> MoveLayers | None:
    """Layers one step among their neighbours, or out of their group at its end; None at the end of the stack."""
    if not layers:
        return None
    parent, at = home_of(project, layers[-1] if up else layers[0])
    inside = dict(homes(project))[parent]
    rest = [layer.id for layer in inside if layer.id not in layers]
    lower = sum(1 for layer in inside[: at + 1] if layer.id not in layers)
    to = lower + (1 if up else -1)
    if 0 <= to <= len(rest):
        return MoveLayers(layers, to, parent)
    if parent is None:
        return None
    outer, place = home_of(project, parent)
    return MoveLayers(layers, place + (1 if up else 0), outer)
