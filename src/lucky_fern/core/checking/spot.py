"""What made a texel: each layer that gives to a map there, from the bottom up, with the value before and after it."""

from __future__ import annotations

from dataclasses import dataclass

from lucky_fern.core.arrays import F32
from lucky_fern.core.colour import to_hex
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.compositing.sources import Sources, triangles_in
from lucky_fern.core.compositing.stack import composite_rect
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey
from lucky_fern.core.sheets.region import Rect

_SAME = 0.5 / 255


@dataclass(frozen=True)
class Step:
    """What one layer did: how strongly it may, how far mask and scope let it (0…1), the map before and after."""

    layer: int
    name: str
    inside: tuple[str, ...]  # the groups that hold it, from the outermost
    strength: float
    mask: float
    before: tuple[float, ...]
    after: tuple[float, ...]

    @property
    def changed(self) -> bool:
        """Whether anything of it is seen (by more than half a step of 8 bits)."""
        return any(abs(one - other) > _SAME for one, other in zip(self.before, self.after, strict=True))


def what_made(sources: Sources, project: Project, key: SheetKey, map_name: str, row: int, column: int) -> list[Step]:
    """The steps of a texel of a map, from the bottom; values 0…1, colours sRGB-encoded."""
    sheet = sources.surface.sheet(key, project.size_of(key))
    rect = Rect(row, row + 1, column, column + 1)
    found: list[Step] = []

    def value(layer: Layer, with_it: bool) -> tuple[float, ...]:
        values: F32 = composite_rect(sources, project, map_name, sheet, rect, under=layer.id, with_it=with_it)
        return tuple(float(one) for one in values[0, 0])

    def let(layer: Layer) -> float:
        mask = mask_values(sources, project, layer, sheet, rect)
        share = 1.0 if mask is None else float(mask[0, 0]) / 65535
        part = sources.scope_mask(triangles_in(project, layer.scope), sheet, Chunk(row // CHUNK, column // CHUNK))
        return share if part is None else share * float(part[row % CHUNK, column % CHUNK]) / 65535

    def go(layers: tuple[Layer, ...], inside: tuple[str, ...], strength: float, mask: float) -> None:
        for layer in layers:
            if not layer.visible or layer.opacity <= 0 or not layer.scope.holds_sheet(key):
                continue
            if layer.content.holds_layers:
                channel = layer.channels.get(map_name)
                if channel is None or channel.on:
                    share = layer.opacity * (1.0 if channel is None else channel.opacity)
                    go(layer.children, (*inside, layer.name), strength * share, mask * let(layer))
                continue
            own = layer.active_channels().get(map_name)
            if own is None:
                continue
            before = found[-1].after if found else value(layer, False)
            found.append(
                Step(layer.id, layer.name, inside, strength * layer.opacity * own.opacity, mask * let(layer), before,
                     value(layer, True))
            )  # fmt: skip

    go(project.layers, (), 1.0, 1.0)
    return found


def told(value: tuple[float, ...], map_name: str) -> str:
    """A value in few characters: ``#rrggbb``, or numbers."""
    if MAPS[map_name].encoded:
        return to_hex((value[0], value[1], value[2]))
    if MAPS[map_name].directional:
        return " ".join(f"{one * 2 - 1:+.2f}" for one in value)
    return f"{value[0]:.3f}"
