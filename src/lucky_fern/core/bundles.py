"""Layers with all that they refer to, as bytes that another project, or another window, can take in.

A bundle is a project file without a model that holds those layers alone: what is damaged or of a newer version is
met as it is in project files.
"""

from __future__ import annotations

import tempfile
from functools import reduce
from operator import or_
from pathlib import Path

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.taking import TakeLayers
from lucky_fern.core.project.document import Layer, Project, walk
from lucky_fern.core.project.file import SUFFIX, pack, unpack
from lucky_fern.core.project.kinds import NOTHING
from lucky_fern.core.project.references import layer_refers, paint_digests
from lucky_fern.core.project.tree import outermost, with_children
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

MIME = "application/x-lucky-fern-layers"


def bundle_of(studio: Studio, layers: tuple[int, ...]) -> bytes:
    """The bytes of a bundle of layers (by id), in the order of the stack.

    Raises
    ------
    CommandError
        If a layer is not there, or none is given.
    """
    return pack(bundled(studio, layers), studio.blobs)


def bundled(studio: Studio, layers: tuple[int, ...]) -> Project:
    """A project that holds nothing but layers (by id) and what they refer to, in the order of the stack."""
    project = studio.project
    chosen = outermost(project, layers)
    if not chosen:
        raise CommandError(tr("choose the layers to copy"))
    every = [*walk(tuple(chosen))]
    needs = reduce(or_, (layer_refers(project, layer) for layer in every), NOTHING)
    sequences = {name: tiles for name, tiles in project.sequences.items() if name in needs.pictures}
    return Project(
        _named(studio),
        layers=tuple(chosen),
        pictures={name: kit for name, kit in project.pictures.items() if name in needs.pictures},
        sequences=sequences,
        masks={number: mask for number, mask in project.masks.items() if number in needs.masks},
        selections={name: kept for name, kept in project.selections.items() if name in needs.selections},
        next_id=project.next_id,
    )


def take_bundle(studio: Studio, data: bytes, above: int | None = None) -> tuple[TakeLayers, list[str]]:
    """The edit that takes a bundle's layers in, its contents being there already; and what stays behind, in words.

    Raises
    ------
    ProjectError
        If it is damaged, or of a newer version.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"copied layers{SUFFIX}"
        path.write_bytes(data)
        part, blobs = unpack(path)
        blobs.fetch()
    told = []
    sheets = tuple(str(key) for key in studio.surface.keys)
    painted = {
        sheet
        for shape in (*(layer.content.painted for layer in walk(part.layers)),
                      *(entry.shape.painted for mask in part.masks.values() for entry in mask.entries))
        for sheet in shape or {}
    }  # fmt: skip
    if painted - set(sheets):
        told.append(f"What was painted on {', '.join(sorted(painted - set(sheets)))} stayed behind: there is no "
                    "such sheet here.")  # fmt: skip
    if part.name != _named(studio):
        layers = tuple(_unbound(layer) for layer in part.layers)
        if layers != part.layers:
            told.append("Layers that were confined to selections or islands of the other model are hidden: they "
                        "would cover all of this one.")  # fmt: skip
        part = replace(part, layers=layers, selections={})
    for digest in {*(digest for kit in part.pictures.values() for digest in kit.digests), *paint_digests(
        [layer.content.painted for layer in walk(part.layers) if layer.content.painted is not None]
        + [e.shape.painted for mask in part.masks.values() for e in mask.entries if e.shape.painted is not None]
    )}:  # fmt: skip
        studio.blobs.add(blobs[digest])
    return TakeLayers(part, sheets, above), told


def _named(studio: Studio) -> str:
    """What a bundle is called: after the model, for that is what selections are of."""
    source = studio.project.model
    return "layers" if source is None else f"layers of {source.files.get(source.name, source.name)}"


def _unbound(layer: Layer) -> Layer:
    """A layer without selections and islands of another model; hidden, if it was confined to any."""
    if layer.children:
        layer = with_children(layer, tuple(_unbound(child) for child in layer.children))
    if layer.scope.selections is None and layer.scope.islands is None:
        return layer
    return replace(layer, scope=replace(layer.scope, selections=None, islands=None), visible=False)
