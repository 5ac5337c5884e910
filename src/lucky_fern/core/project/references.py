"""The one walker over all that layers, masks and slides refer to, and over all that can be carried along."""

from __future__ import annotations

from collections.abc import Iterable
from functools import reduce
from operator import or_

from msgspec.structs import replace

from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import NOTHING, Carrying, Painted, References
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import Mask


def scope_refers(scope: Scope) -> References:
    """The selections that a scope names."""
    return References(selections=frozenset(scope.selections or ()))


def mask_refers(mask: Mask) -> References:
    """What the entries of a mask need."""
    return reduce(or_, (entry.shape.refers() for entry in mask.entries), NOTHING)


def layer_refers(project: Project, layer: Layer, deep: bool = True) -> References:
    """What a layer needs: its content, its channels, its scope, its mask and (``deep``) what the mask needs.

    Of a group the layers in it do not count. Sequences stand beside the pictures that they name.
    """
    found = layer.content.refers() | scope_refers(layer.scope)
    found |= References(pictures=frozenset(one.picture for one in layer.channels.values() if one.picture is not None))
    if layer.mask is not None:
        found |= References(masks=frozenset((layer.mask,)))
        if deep and layer.mask in project.masks:
            found |= mask_refers(project.masks[layer.mask])
    return with_sequences(project, found)


def with_sequences(project: Project, found: References) -> References:
    """With the pictures of the sequences among them."""
    more = [frozenset(project.sequences[name].values()) for name in found.pictures if name in project.sequences]
    return found | References(pictures=frozenset().union(*more)) if more else found


def everything_of(project: Project) -> References:
    """What all layers, all masks and all slides of a project need."""
    return reduce(
        or_,
        [
            *(layer_refers(project, layer, deep=False) for layer in project.walk()),
            *(with_sequences(project, mask_refers(mask)) for mask in project.masks.values()),
            *(References(pictures=frozenset((slide.picture,))) for slide in project.slides.values()),
        ],
        NOTHING,
    )


def paint_digests(painted: Iterable[Painted]) -> set[str]:
    """Digests of the chunks of painted sheets."""
    return {
        digest
        for sheets in painted
        for sheet in sheets.values()
        for chunks in sheet.maps.values()
        for digest in chunks.values()
    }


def painted_digests(project: Project) -> set[str]:
    """Digests of all painted chunks that a project shows."""
    painted = [layer.content.painted for layer in project.walk()]
    painted += [entry.shape.painted for mask in project.masks.values() for entry in mask.entries]
    return paint_digests(one for one in painted if one is not None)


def needed_digests(project: Project) -> set[str]:
    """Digests of all contents that a project needs: its model, its kit, and what is painted."""
    found = painted_digests(project) | {digest for kit in project.pictures.values() for digest in kit.digests}
    found |= {digest for loan in project.loans.values() for digest in loan.digests}
    found |= {view.lent for view in project.lent_views.values()}
    found |= set(project.recipes.values()) | ({project.measured} if project.measured is not None else set())
    if project.light is not None and project.light.panorama is not None:
        found.add(project.light.panorama.digest)
    if project.model is not None:
        found |= set(project.model.files.values())
        found |= {one for one in (project.model.arrays, project.model.layout) if one is not None}
    return found


def carried(project: Project, carrying: Carrying) -> Project:
    """A project with all that its layers, masks and slides hold brought along."""
    masks = {
        number: replace(
            mask, entries=tuple(replace(one, shape=one.shape.carried(carrying)) for one in mask.entries)
        )
        for number, mask in project.masks.items()
    }  # fmt: skip
    slides = {name: replace(slide, place=carrying.place(slide.place)) for name, slide in project.slides.items()}
    views = {
        name: replace(view, place=carrying.place(view.place), picture=view.picture and carrying.picture(view.picture))
        for name, view in project.lent_views.items()
    }
    loans = {name: replace(loan, sheet=carrying.sheet(loan.sheet)) for name, loan in project.loans.items()}
    layers = tuple(_carried(layer, carrying) for layer in project.layers)
    return replace(project, layers=layers, masks=masks, slides=slides, lent_views=views, loans=loans)


def _carried(layer: Layer, carrying: Carrying) -> Layer:
    content = layer.content.carried(carrying)
    if layer.children:
        content = content.holding(tuple(_carried(child, carrying) for child in layer.children))
    channels = {
        name: one if one.picture is None else replace(one, picture=carrying.picture(one.picture))
        for name, one in layer.channels.items()
    }
    return replace(layer, content=content, channels=channels, scope=carrying.scope(layer.scope))
