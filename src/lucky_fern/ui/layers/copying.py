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
    """Put what was copied onto each chosen layer."""
    if matter.work.project is not None:
        _put(matter, matter.clipboard.adjustments, outermost(matter.work.project, matter.selection.chosen))


def put_copies(matter: Matter, layers: tuple[int, ...], onto: Layer) -> bool:
    """Put copies of adjustments that were dragged onto a layer right above it; whether there are any."""
    project = matter.work.project
    every = () if project is None else project.walk()
    held = tuple(one for one in every if one.id in layers and isinstance(one.content, Adjustment) and one is not onto)
    return _put(matter, held, (onto,))


def _put(matter: Matter, held: tuple[Layer, ...], targets: tuple[Layer, ...]) -> bool:
    """Copies of adjustments onto layers, without masks: on top in a group, else above it."""
    edits = list[AddLayer]()
    for target in targets:
        inside = isinstance(target.content, Group)
        for one in held if inside else reversed(held):
            edits.append(
                AddLayer(one.name, one.content, one.channels, one.opacity, one.blend,
                         above=None if inside else target.id, into=target.id if inside else None)
            )  # fmt: skip
    if not edits:
        return False
    matter.work.end_gesture()
    return matter.work.execute(Several(tuple(edits), named=tr("Put adjustments")))


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
