"""What shows: the one walk over the layers that give something to the maps."""

from __future__ import annotations

from collections.abc import Iterator
from collections.abc import Set as AbstractSet

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Layer, Relief
from lucky_fern.core.sheets.grid import SheetKey

EVERY_MAP = frozenset(MAPS)


def showing(
    layers: tuple[Layer, ...], sheet: SheetKey | None = None, maps: AbstractSet[str] = EVERY_MAP
) -> Iterator[tuple[Layer, frozenset[str]]]:
    """Every layer that is no group and shows, from the bottom up, with those of some ``maps`` that it gives to.

    A layer shows where it and all groups that hold it are visible, stronger than 0, in scope of the ``sheet`` (None:
    of any) and switched on for the map.
    """
    for layer in layers:
        if not layer.visible or layer.opacity <= 0 or not (sheet is None or layer.scope.holds_sheet(sheet)):
            continue
        if layer.content.holds_layers:
            shut = {name for name, one in layer.channels.items() if not one.on or one.opacity <= 0}
            yield from showing(layer.children, sheet, maps - shut)
        else:
            given = frozenset(maps & layer.active_channels().keys())
            if given:
                yield layer, given


def has_relief(layers: tuple[Layer, ...]) -> bool:
    """Whether some layer's height shapes the normal map."""
    return any(layer.channels["height"].relief is not None for layer, _ in showing(layers, maps={"height"}))


def reliefs(layers: tuple[Layer, ...]) -> list[Relief]:
    """The units in which heights of a stack shape normals, each with the greatest strength of any layer."""
    found: dict[str, float] = {}
    for layer, _ in showing(layers, maps={"height"}):
        relief = layer.channels["height"].relief
        if relief is not None and relief.strength:
            found[relief.unit] = max(found.get(relief.unit, 0.0), abs(relief.strength))
    return [Relief(found[unit], unit) for unit in ("texels", "units") if unit in found]
