"""Pictures that layers take for normals and that hold none, with what mends it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from msgspec.structs import replace

from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.pictures.normals import not_normals
from lucky_fern.core.project.commands import SetChannel, Several
from lucky_fern.core.project.document import Layer, Project, Relief
from lucky_fern.words import tr


@dataclass(frozen=True)
class WrongNormals:
    """A layer whose normals are none: why, and taking the picture for height instead, which shapes normals."""

    layer: int
    sentence: str
    remedy: Several


def wrong_normals(sources: Sources, project: Project, layer: Layer) -> WrongNormals | None:
    """What is wrong with the picture that a layer takes for normals; None for nothing."""
    channel = layer.channels.get("normal")
    if channel is None or not channel.pictured:
        return None
    placed = layer.content.placed
    name = channel.picture or (placed[0] if placed is not None else None)
    if name is None:
        return None
    kit = project.pictures.get(name if name in project.pictures else next(iter(project.sequences[name].values())))
    if kit is None:
        return None

    def look() -> tuple[str | None]:
        return (not_normals(sources.picture(kit).rgba),)

    why = sources.kept.get(("no normals", kit.digest, kit.taken), look, lambda _: 256)[0]
    if why is None:
        return None
    height = replace(channel, relief=Relief(), strength=1.0, blend=None)
    return WrongNormals(
        layer.id,
        tr("'{layer}' takes {name} for normals, but {why}.", layer=layer.name, name=name, why=why),
        Several((SetChannel(layer.id, "normal", None), SetChannel(layer.id, "height", height)),
                tr("Take it for height")),
    )  # fmt: skip


def all_wrong_normals(sources: Sources, project: Project) -> Iterator[WrongNormals]:
    """Those of all layers."""
    for layer in project.walk():
        found = wrong_normals(sources, project, layer)
        if found is not None:
            yield found
