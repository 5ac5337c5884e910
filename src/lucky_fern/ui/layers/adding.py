"""New layers from the board's buttons and menus."""

from __future__ import annotations

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddLayer, free_name
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Wash
from lucky_fern.core.project.kinds import Effect
from lucky_fern.ui.layers.matter import Matter


def add_wash(matter: Matter) -> bool:
    """A new wash above the selected layer."""
    project = matter.work.project
    if project is None:
        return False
    channels = {"colour": Channel("#8fa3ad")}
    return matter.work.execute(
        AddLayer(free_name(project, "Wash"), Wash(), channels, above=matter.selection.selected)
    )


def add_brushwork(matter: Matter) -> bool:
    """An empty layer to paint on, above the selected one."""
    project = matter.work.project
    if project is None:
        return False
    name = free_name(project, "Brushwork")
    return matter.work.execute(AddLayer(name, Brushwork(), {}, above=matter.selection.selected))


def add_adjustment(matter: Matter, name: str, effect: Effect) -> bool:
    """An adjustment of the map that is looked at (or of colour), above the selected layer."""
    project = matter.work.project
    if project is None:
        return False
    shown = matter.looking.shown_map or "colour"
    fits = next(name for name in (shown, "colour", *MAPS) if _fits(effect, name))
    channels = {one: Channel() for one in effect.usual_maps or (fits,)}
    name = free_name(project, name)
    return matter.work.execute(AddLayer(name, Adjustment(effect), channels, above=matter.selection.selected))


def _fits(effect: Effect, map_name: str) -> bool:
    try:
        effect.check_on(map_name)
    except CommandError:
        return False
    return True
