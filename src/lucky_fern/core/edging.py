"""What is done to edgings in one step: their groove, and sizes that fit on every run."""

from __future__ import annotations

from typing import cast

from msgspec.structs import replace

from lucky_fern.core.compositing.layers.edged import laid, sizes_of
from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands import AddLayer, MoveLayers, SetContent, Several
from lucky_fern.core.project.commands.base import layer_of
from lucky_fern.core.project.document import Channel, Layer, Relief
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.numbers import significant
from lucky_fern.core.project.tree import home_of
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

SUNKEN = 0.42  # of height, where 0.5 is level
_WIDER, _SOFTER = 1.7, 0.6  # of the motif's width: a groove, and how far its sides slope


def edging_of(layer: Layer) -> Edging:
    """The settings of an edging (CommandError for layers of other kinds)."""
    if not layer.content.repeats:
        raise CommandError(tr("{name!r} is no edging", name=layer.name))
    return cast(Edging, layer.content)


def groove_of(studio: Studio, layer: int, depth: float = SUNKEN, width: float | None = None) -> Several:
    """The edit that puts an edging's sunken partner right below it: the same line unbroken, wider, its sides soft.

    Both share one mask. ``depth`` is its height 0…1 (0.5 is level), ``width`` is in model units.

    Raises
    ------
    CommandError
        If the layer is no edging.
    """
    own = layer_of(studio.project, layer)
    edging = edging_of(own)
    narrow = sizes_of(studio.sources, edging)[1]
    wide = narrow * _WIDER if width is None else width
    line = replace(edging, motif="line", picture=None, width=significant(wide), jitter=0.0, corners="bend",
                   corner_picture=None, blur=significant(narrow * _SOFTER), whole=False)  # fmt: skip
    name = tr("Groove of {name}", name=own.name)
    channels = {"height": Channel(depth, relief=Relief())}
    add = AddLayer(name, line, channels, scope=own.scope, above=own.id, mask=own.mask)
    parent, at = home_of(studio.project, own.id)
    return Several((add, MoveLayers((studio.project.next_id,), at, parent)), named=name)


def fitted(studio: Studio, layer: int) -> SetContent | None:
    """The edit that makes an edging's motif so short that every run holds one; None where all do.

    Raises
    ------
    CommandError
        If the layer is no edging.
    """
    own = layer_of(studio.project, layer)
    edging = edging_of(own)
    made = laid(studio.sources, edging)
    if made.fits >= made.length:
        return None
    share = made.fits / made.length
    return SetContent(
        layer, replace(edging, length=made.fits, width=made.width * share, gap=made.gap * share)
    )  # fmt: skip


def with_path(layer: Layer, path: Place, at: int | None = None) -> SetContent:
    """The edit that gives an edging one more path, or another in place of the one at ``at``.

    Raises
    ------
    CommandError
        If the layer is no edging, or does not run along paths.
    """
    edging = edging_of(layer)
    if edging.along != "path":
        raise CommandError(tr("{name!r} runs along {along}, not along paths", name=layer.name, along=edging.along))
    number = len(edging.paths) if at is None else at
    paths = (*edging.paths[:number], path, *edging.paths[number + 1 :])
    return SetContent(layer.id, replace(edging, paths=paths))


def along_path(layer: Layer, path: Place) -> SetContent:
    """The edit that has an edging run along one more path; one that runs along borders runs along it alone then.

    Raises
    ------
    CommandError
        If the layer is no edging.
    """
    edging = edging_of(layer)
    if edging.along == "path":
        return with_path(layer, path)
    return SetContent(layer.id, replace(edging, along="path", paths=(path,)))
