"""Faces that are cut, and cut faces made whole: along tiles where UVs repeat, along texels."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lucky_fern.core.arrays import I64
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.after_cut import after_cut, after_join, after_spread, renumbered
from lucky_fern.core.layout.cutting import cut_texels, wrapped
from lucky_fern.core.layout.islands import island_overlaps
from lucky_fern.core.layout.joining import join
from lucky_fern.core.layout.repeats import spread
from lucky_fern.core.layout.row import Asked, Before, Edited, EditRow, Followed
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.layouts import CutTexels, JoinCut, Spread, Wrap
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr


class Wrapping(EditRow):
    """UVs of materials repeat: all of such a one on one sheet."""

    minds_repeats = True

    def edited(self, asked: Asked, edit: Wrap) -> Edited:
        model, chosen = asked.model, asked.chosen
        if edit.materials:
            names = edit.materials
        else:
            names = tuple(
                model.materials[n] for n in np.unique(model.material[slice(None) if chosen is None else chosen])
            )
        for name in names:
            if name not in model.materials:
                raise CommandError(
                    tr(
                        "there is no material {name!r}; there are {names}",
                        name=name,
                        names=", ".join(model.materials),
                    )
                )
        names = tuple(name for name in names if name not in model.repeats)
        if not names:
            return Edited(model, ())
        if not model.has_uv[np.isin(model.material, [model.materials.index(name) for name in names])].any():
            raise CommandError(tr("{names} has no UVs that could repeat", names=", ".join(names)))
        cut = wrapped(model, names)
        notes = [tr("UVs of {name} repeat: one sheet, as the game reads it", name=name) for name in names]
        made = replace(cut.model, repeats={**model.repeats, **{name: name for name in names}})
        return Edited(made, tuple(notes), cut.origin)

    def after(self, before: Before, edited: Edited, edit: Wrap) -> Followed:
        if edited.origin is None:
            return super().after(before, edited, edit)
        new = Surface(edited.model)
        follow = renumbered(before.project, before.surface, new, edited.origin)
        return tuple(follow), tuple(_left_behind(before.project, new))


class SpreadingTiles(EditRow):
    """UVs of a material repeat no more."""

    minds_repeats = True

    def edited(self, asked: Asked, edit: Spread) -> Edited:
        cut = spread(asked.model, edit.material.strip())
        return Edited(cut.model, (), cut.origin)

    def after(self, before: Before, edited: Edited, edit: Spread) -> Followed:
        if edited.origin is None:
            return super().after(before, edited, edit)
        new = Surface(edited.model)
        return tuple(after_spread(before.project, before.surface, new, edited.origin, edit.material.strip())), ()


class CuttingTexels(EditRow):
    """Faces cut along texels, those inside given to a material of their own."""

    def edited(self, asked: Asked, edit: CutTexels) -> Edited:
        model, chosen, size_of = asked.model, asked.chosen, asked.size_of
        material, _, tile = edit.sheet.rpartition(":")
        name = edit.material.strip()
        if material not in model.materials:
            raise CommandError(tr("there is no sheet {sheet!r}", sheet=edit.sheet))
        if not name or ":" in name or name == material:
            raise CommandError(tr("the cut faces need a material of another name, without a colon"))
        key = SheetKey(material, int(tile))
        size = size_of(key)
        if (
            name in model.materials
            and size_of(SheetKey(name, key.tile)) != size
            and (model.has_uv & (model.material == model.materials.index(name))).any()
        ):
            raise CommandError(tr("{name} has a sheet of another size than {sheet}; take another name", name=name,
                                  sheet=edit.sheet))  # fmt: skip
        area = np.zeros(size.shape, np.bool_)
        for left, upper, right, lower in edit.boxes:
            area[max(upper, 0) : max(lower, 0), max(left, 0) : max(right, 0)] = True
        faces = np.ones(model.triangle_count, np.bool_) if chosen is None else chosen
        cut = cut_texels(model, key, size, area, faces, name)
        notes = []
        rows = np.unique(cut.origin[cut.model.material == cut.model.materials.index(name)])
        if len(np.unique(model.islands[rows])) > 1 and _stacked(model, rows):
            notes.append(
                tr("islands lie on each other there: all of them were cut; give a selection to cut just one")
            )
        return Edited(cut.model, tuple(notes), cut.origin)

    def after(self, before: Before, edited: Edited, edit: CutTexels) -> Followed:
        if edited.origin is None:
            return super().after(before, edited, edit)
        new = Surface(edited.model)
        return tuple(after_cut(before.project, before.surface, new, edited.origin, edit, before.blobs)), ()


class Joining(EditRow):
    """Cut faces back to what they were cut from, whole again."""

    def edited(self, asked: Asked, edit: JoinCut) -> Edited:
        joined = join(asked.model, asked.model if asked.base is None else asked.base, edit.material.strip())
        return Edited(joined.model, (), joined.origin, back=joined.back)

    def after(self, before: Before, edited: Edited, edit: JoinCut) -> Followed:
        if edited.origin is None:
            return super().after(before, edited, edit)
        joined, said = after_join(before.project, before.surface, Surface(edited.model), edited.origin,
                                  edit.material.strip(), edited.back or {}, before.blobs)  # fmt: skip
        return tuple(joined), tuple(said)


def _stacked(model: Model, rows: I64) -> bool:
    """Whether any of some faces lie on each other in UV space."""
    islands = set(np.unique(model.islands[rows]).tolist())
    return any(one in islands and other in islands for one, other, _ in island_overlaps(model))


def _left_behind(project: Project, new: Surface) -> list[str]:
    """What is painted on tiles that a material which repeats has no more; it is kept, and comes back with them."""
    there = {str(key) for key in new.keys}
    gone = {
        name for layer in project.walk() for name, sheet in (layer.content.painted or {}).items()
        if sheet.maps and name not in there and name.rpartition(":")[0] in new.model.repeats
    }  # fmt: skip
    return [tr("what is painted on {sheets} is not seen any more", sheets=", ".join(sorted(gone)))] if gone else []
