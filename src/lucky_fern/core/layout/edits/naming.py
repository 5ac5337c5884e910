"""Materials and parts given to faces and called otherwise; faces turned over, and brought along with their canvas."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout import arrange
from lucky_fern.core.layout.row import Asked, Before, Edited, EditRow, Followed, sharing, with_layout
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.tangents import mikk_tangents
from lucky_fern.core.project.layouts import GiveMaterial, Reframe, RenameMaterial, RenamePart, TurnOver
from lucky_fern.words import tr


class GivingMaterial(EditRow):
    """Faces to another material."""

    def edited(self, asked: Asked, edit: GiveMaterial) -> Edited:
        model, chosen = asked.model, asked.chosen
        name = edit.name.strip()
        if not name or ":" in name:
            raise CommandError(tr("a material needs a name without a colon"))
        materials = model.materials if name in model.materials else (*model.materials, name)
        material = model.material.copy()
        material[slice(None) if chosen is None else chosen] = materials.index(name)
        used = np.unique(material)
        kept = tuple(materials[number] for number in used)
        material = np.searchsorted(used, material).astype(np.int32)
        gone = [old for old in model.materials if old not in kept]
        notes = (f"{', '.join(gone)} has no faces any more and is gone",) if gone else ()
        return Edited(sharing(replace(model, material=material, materials=kept), model), notes)


class Renaming(EditRow):
    """A material or a part called otherwise; the project follows by the command itself."""

    minds_repeats = True

    def after(self, before: Before, edited: Edited, edit: RenameMaterial | RenamePart) -> Followed:
        return (), ()


class RenamingMaterial(Renaming):
    """A material."""

    def edited(self, asked: Asked, edit: RenameMaterial) -> Edited:
        model = asked.model
        new = _new_name("material", model.materials, edit.old, edit.new)
        renamed = tuple(new if name == edit.old else name for name in model.materials)
        colours = {new if name == edit.old else name: value for name, value in model.colours.items()}
        repeats = {new if name == edit.old else name: value for name, value in model.repeats.items()}
        return Edited(sharing(replace(model, materials=renamed, colours=colours, repeats=repeats), model), ())


class RenamingPart(Renaming):
    """A part."""

    def edited(self, asked: Asked, edit: RenamePart) -> Edited:
        model = asked.model
        new = _new_name("part", model.parts, edit.old, edit.new)
        renamed = tuple(new if name == edit.old else name for name in model.parts)
        return Edited(sharing(replace(model, parts=renamed), model), ())


class TurningOver(EditRow):
    """Faces seen from their other side."""

    in_place = True

    def edited(self, asked: Asked, edit: TurnOver) -> Edited:
        return Edited(_turned(asked.model, asked.chosen), ())


class Reframing(EditRow):
    """UVs that stay on their texels as the canvas changes."""

    def edited(self, asked: Asked, edit: Reframe) -> Edited:
        return Edited(with_layout(asked.model, arrange.reframed(asked.model, edit)), ())


def _new_name(what: str, names: tuple[str, ...], old: str, new: str) -> str:
    """A name that is free, without blanks round it.

    Raises
    ------
    CommandError
        If it is not, or nothing has the old one.
    """
    new = new.strip()
    if old not in names:
        raise CommandError(
            tr("there is no {what} {old!r}; there are {names}", what=what, old=old, names=", ".join(names[:12]))
        )
    if not new or ":" in new:
        raise CommandError(tr("a {what} needs a name without a colon", what=what))
    if new in names and new != old:
        raise CommandError(tr("another {what} is called {new!r} already; take another name", what=what, new=new))
    return new


def _turned(model: Model, chosen: Bool | None) -> Model:
    """The model with faces seen from their other side."""
    rows = slice(None) if chosen is None else chosen
    other = [0, 2, 1]
    changes = {}
    for name in ("triangles", "uv", "normals", "corner_colours"):
        values = getattr(model, name)
        if values is not None:
            changes[name] = values.copy()
            changes[name][rows] = values[rows][:, other]
    changes["normals"][rows] *= -1
    turned = replace(model, **changes)
    return replace(turned, tangents=mikk_tangents(turned.positions, turned.triangles, turned.uv, turned.normals))
