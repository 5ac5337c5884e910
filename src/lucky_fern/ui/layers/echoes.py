"""Echoes ready in one click: what practitioners make of one map most often."""

from __future__ import annotations

from lucky_fern.core.maps import raises
from lucky_fern.core.project.commands import AddLayer, free_name
from lucky_fern.core.project.document import Channel, Relief
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.words import tr

_EMBER = ((0.0, "#000000"), (0.35, "#7a2200"), (0.7, "#ff9a30"), (1.0, "#fff1c0"))
READY: dict[str, tuple[Echo, tuple[str, ...]]] = {
    tr("Roughness from colour"): (Echo("colour", low=0.25, high=0.9, invert=True), ("roughness",)),
    tr("Roughness from height"): (
        Echo("height", black=0.35, white=0.65, low=0.3, high=0.9, invert=True), ("roughness",)
    ),
    tr("Metallic from a colour"): (Echo("colour", "like", colour="#b58a3c", near=0.35, white=0.4), ("metallic",)),
    tr("Occlusion from height"): (Echo("height", black=0.25, white=0.5, low=0.3), ("occlusion",)),
    tr("Glow from one grey"): (Echo("colour", "value", black=0.6, ramp=_EMBER), ("emissive",)),
    tr("Height from colour"): (Echo("colour", low=0.35, high=0.65), ("height",)),
    tr("Height from normals"): (Echo("normal", "rise"), ("height",)),
    tr("Wear from the bends of normals"): (Echo("normal", "bend", black=0.45, white=0.6, low=0.3), ("roughness",)),
}  # fmt: skip


def add_echo(matter: Matter, title: str) -> bool:
    """One of them above the selected layer."""
    project = matter.work.project
    if project is None:
        return False
    echo, maps = READY[title]
    channels = {name: Channel(ECHO, relief=Relief() if raises(name) else None) for name in maps}
    return matter.work.execute(AddLayer(free_name(project, title), echo, channels, above=matter.selection.selected))
