"""Edits of masks, and of who uses which."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Self

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command, layer_of, with_layer
from lucky_fern.core.project.commands.stack import without_unused_masks
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.ground import refuse_circles
from lucky_fern.core.project.references import mask_refers, paint_digests
from lucky_fern.core.project.shapes import Mask, MaskEntry
from lucky_fern.words import tr


class AddMaskEntry(Command, frozen=True, tag="add-mask-entry"):
    """Put an entry on top of a layer's mask; a layer without one gets one."""

    label: ClassVar[str] = tr("Add to mask")
    layer: int
    entry: MaskEntry

    def brings(self) -> Iterable[str]:
        return paint_digests(self.entry.shape.refers().paint)

    def apply(self, project: Project) -> Project:
        self.entry.check(project)
        layer = layer_of(project, self.layer)
        if layer.mask is not None:
            mask = project.masks[layer.mask]
            return refuse_circles(_with_mask(project, layer.mask, replace(mask, entries=(*mask.entries, self.entry))))
        number = project.next_id
        project = replace(project, masks={**project.masks, number: Mask((self.entry,))}, next_id=number + 1)
        return refuse_circles(with_layer(project, self.layer, mask=number))


class SetMaskEntry(Command, frozen=True, tag="set-mask-entry"):
    """Change one entry of a mask, counted from the bottom; None takes it out."""

    label: ClassVar[str] = tr("Change mask")
    mask: int
    at: int
    entry: MaskEntry | None

    def brings(self) -> Iterable[str]:
        return () if self.entry is None else paint_digests(self.entry.shape.refers().paint)

    def apply(self, project: Project) -> Project:
        mask = mask_of(project, self.mask)
        if not 0 <= self.at < len(mask.entries):
            raise CommandError(tr("the mask has no entry {at}", at=self.at))
        new = () if self.entry is None else (self.entry,)
        if self.entry is not None:
            self.entry.check(project)
        entries = (*mask.entries[: self.at], *new, *mask.entries[self.at + 1 :])
        return refuse_circles(_with_mask(project, self.mask, replace(mask, entries=entries)))

    def goes_on_with(self, earlier: Self) -> bool:
        return (earlier.mask, earlier.at) == (self.mask, self.at)


class MoveMaskEntry(Command, frozen=True, tag="move-mask-entry"):
    """Put an entry of a mask at another place, counted from the bottom."""

    label: ClassVar[str] = tr("Reorder mask")
    mask: int
    at: int
    to: int

    def apply(self, project: Project) -> Project:
        mask = mask_of(project, self.mask)
        if not (0 <= self.at < len(mask.entries) and 0 <= self.to < len(mask.entries)):
            raise CommandError(tr("the mask has no such place"))
        entries = list(mask.entries)
        entries.insert(self.to, entries.pop(self.at))
        return _with_mask(project, self.mask, replace(mask, entries=tuple(entries)))


class SetMask(Command, frozen=True, tag="set-mask"):
    """Switch a mask on or off, or turn it inside out."""

    label: ClassVar[str] = tr("Change mask")
    mask: int
    on: bool | None = None
    invert: bool | None = None

    def apply(self, project: Project) -> Project:
        mask = mask_of(project, self.mask)
        on = mask.on if self.on is None else self.on
        invert = mask.invert if self.invert is None else self.invert
        return _with_mask(project, self.mask, replace(mask, on=on, invert=invert))


class GiveMask(Command, frozen=True, tag="give-mask"):
    """Let layers use a mask that is there already (they share it), or none."""

    label: ClassVar[str] = tr("Share mask")
    layers: tuple[int, ...]
    mask: int | None

    def apply(self, project: Project) -> Project:
        if self.mask is not None:
            mask_of(project, self.mask)
        for layer in self.layers:
            project = with_layer(project, layer, mask=self.mask)
        return refuse_circles(without_unused_masks(project))


class PasteMask(Command, frozen=True, tag="paste-mask"):
    """Give layers a copy of a mask, one of its own each; ``inverted`` turns it inside out."""

    label: ClassVar[str] = tr("Paste mask")
    layers: tuple[int, ...]
    mask: Mask
    inverted: bool = False

    def brings(self) -> Iterable[str]:
        return paint_digests(mask_refers(self.mask).paint)

    def apply(self, project: Project) -> Project:
        for entry in self.mask.entries:
            entry.check(project)
        copy = replace(self.mask, invert=self.mask.invert != self.inverted)
        for layer in self.layers:
            number = project.next_id
            project = replace(project, masks={**project.masks, number: copy}, next_id=number + 1)
            project = with_layer(project, layer, mask=number)
        return refuse_circles(without_unused_masks(project))


def mask_of(project: Project, number: int) -> Mask:
    """A mask by its number.

    Raises
    ------
    CommandError
        If there is none of that number.
    """
    if number not in project.masks:
        raise CommandError(tr("there is no mask {number} any more", number=number))
    return project.masks[number]


def _with_mask(project: Project, number: int, mask: Mask) -> Project:
    return replace(project, masks={**project.masks, number: mask})
