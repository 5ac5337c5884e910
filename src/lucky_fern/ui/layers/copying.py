"""Masks and adjustments copied from one layer to others, of this project or the next that is opened."""

from __future__ import annotations

from lucky_fern.core.project.commands import AddLayer, PasteMask, Several
from lucky_fern.core.project.document import Adjustment, Group, Layer
from lucky_fern.core.project.references import mask_refers, paint_digests
from lucky_fern.core.project.tree import outermost
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.words import counted, tr


def chosen_adjustments(matter: Matter) -> tuple[Layer, ...]:
    """The chosen layers that are adjustments, from the bottom up."""
    project, chosen = matter.work.project, matter.selection.chosen
    every = () if project is None else project.walk()
    return tuple(one for one in every if one.id in chosen and isinstance(one.content, Adjustment))


def copy_adjustments(matter: Matter) -> None:
    """Hold the chosen adjustments, to be put onto other layers, of this project or the next."""
    matter.clipboard.adjustments = chosen_adjustments(matter)
    matter.work.say(tr("Copied {count}.", count=counted(len(matter.clipboard.adjustments), "adjustment")))


def put_adjustments(matter: Matter) -> None:
    """Put what was copied onto each chosen layer, without masks: on top in a group, else above it."""
    project, edits = matter.work.project, list[AddLayer]()
    if project is None:
        return
    for target in outermost(project, matter.selection.chosen):
        inside = isinstance(target.content, Group)
        for one in matter.clipboard.adjustments if inside else reversed(matter.clipboard.adjustments):
            edits.append(
                AddLayer(one.name, one.content, one.channels, one.opacity, one.blend,
                         above=None if inside else target.id, into=target.id if inside else None)
            )  # fmt: skip
    if edits:
        matter.work.end_gesture()
        matter.work.execute(Several(tuple(edits), named=tr("Put adjustments")))


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
