"""Masks and adjustments copied from one layer to others, materials and projects."""

from __future__ import annotations

from lucky_fern.core.project.adjustments import onto_layers
from lucky_fern.core.project.commands import PasteMask
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.references import mask_refers, paint_digests
from lucky_fern.core.project.tree import outermost
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.session.adjustments import copied_adjustments, put
from lucky_fern.words import tr


def chosen_adjustments(matter: Matter) -> tuple[Layer, ...]:
    """The chosen layers that are adjustments or echoes, from the bottom up."""
    project, chosen = matter.work.project, matter.selection.chosen
    every = () if project is None else project.walk()
    return tuple(one for one in every if one.id in chosen and one.content.links)


def put_adjustments(matter: Matter) -> None:
    """Put what was copied onto each chosen layer."""
    if matter.work.project is not None:
        targets = outermost(matter.work.project, matter.selection.chosen)
        put(matter.work, onto_layers(matter.work.project, copied_adjustments(), targets))


def copy_mask(matter: Matter, layer: Layer) -> None:
    if matter.work.studio is not None and layer.mask is not None:
        mask = matter.work.studio.project.masks[layer.mask]
        painted = paint_digests(mask_refers(mask).paint)
        blobs = matter.work.studio.blobs
        matter.clipboard.hold(mask, {digest: blobs[digest] for digest in painted})
        matter.work.say(tr("Copied the mask of {name}.", name=layer.name))


def paste_mask(matter: Matter, inverted: bool) -> None:
    if matter.clipboard.mask is not None and matter.selection.chosen and matter.work.studio is not None:
        for data in matter.clipboard.paint.values():  # the mask may be that of another project
            matter.work.studio.blobs.add(data)
        matter.work.execute(PasteMask(matter.selection.chosen, matter.clipboard.mask, inverted))
