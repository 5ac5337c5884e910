"""What the row of an edit of the layout does: the new model, and what goes with it in the same step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np

from lucky_fern.core.arrays import F64, I64, Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.follow import followers
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.limits import FARTHEST_UV, MOST_TILES
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.tangents import mikk_tangents
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import SetPixelArt, SetSheetSize, Single
from lucky_fern.core.project.document import Project
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import tile_of
from lucky_fern.words import tr

Told = Callable[[float], None]
Followed = tuple[tuple[Single, ...], tuple[str, ...]]  # commands, and what cannot follow, in sentences


@dataclass(frozen=True)
class Edited:
    """A model with another layout, and what there is to say about it."""

    model: Model
    notes: tuple[str, ...]
    origin: I64 | None = None  # (T,) which face of the model before each is, or was part of, where faces were cut
    sized: tuple[SheetKey, Extent] | None = None  # a sheet that was made, and its size
    were: tuple[SheetKey, ...] = ()  # the sheets that are blocks of it
    back: dict[str, I64] | None = None  # material → faces of the model before that went back to it


@dataclass(frozen=True)
class Asked:
    """What an edit is worked out from: the chosen faces (``chosen`` (T,) bool; None for all) of a model.

    ``size_of`` says how large a sheet is, in texels, also of sheets that are not there yet; ``told`` hears the share
    that is done, of edits that take long, and ends them by raising; ``base`` is the model as it came.
    """

    model: Model
    chosen: Bool | None
    size_of: Callable[[SheetKey], Extent]
    told: Told = lambda share: None
    base: Model | None = None

    def size_at(self, material: str, corner: F64) -> Extent:
        """How large the sheet of a material is whose tile has this lower left corner."""
        return self.size_of(SheetKey(material, tile_of(int(corner[0]), int(corner[1]))))


@dataclass(frozen=True)
class Before:
    """What an edit was made to: the project, its surface, its contents.

    With ``stay``, what is painted or laid stays on the surface; without it where it is in UV space.
    """

    project: Project
    surface: Surface
    blobs: Blobs
    stay: bool


class EditRow:
    """Works one kind of edit out."""

    minds_repeats: ClassVar[bool] = False  # it keeps materials whose UVs repeat as their file has them
    in_place: bool = False  # it moves faces on purpose under what is painted

    def edited(self, asked: Asked, edit: Any) -> Edited:
        """The model with the edit done.

        Raises
        ------
        CommandError
            With a sentence, if the edit makes no sense for these faces.
        """
        raise NotImplementedError

    def after(self, before: Before, edited: Edited, edit: Any) -> Followed:
        """The commands that bring along what depends on the layout."""
        project, sizing = before.project, _sizing(before.project, edited)
        for command in sizing:
            project = command.apply(project)
        stay = (before.stay and not self.in_place) or bool(sizing)
        also, notes = followers(project, before.surface, Surface(edited.model), before.blobs, stay, hold=bool(sizing))
        return (*sizing, *also), tuple(notes)


class Laying(EditRow):
    """Gives the chosen faces other places in UV space."""

    def lay(self, layout: Layout, edit: Any, asked: Asked) -> None:
        """Do it to a layout, in place."""
        raise NotImplementedError

    def edited(self, asked: Asked, edit: Any) -> Edited:
        model, layout = asked.model, Layout.of(asked.model, asked.chosen)
        self.lay(layout, edit, asked)
        if (model.has_uv & ~np.isfinite(layout.uv).all(axis=(1, 2))).any():
            raise CommandError(tr("that would leave places that are no numbers; nothing was changed"))
        wide = np.ptp(np.nan_to_num(layout.uv), axis=1).max(initial=0.0)
        if wide > MOST_TILES or np.abs(np.nan_to_num(layout.uv)).max(initial=0.0) > FARTHEST_UV:
            raise CommandError(tr("that would make faces {wide:.3g} tiles wide; up to {MOST_TILES:g} are sensible",
                                  wide=wide, MOST_TILES=MOST_TILES))  # fmt: skip
        return Edited(with_layout(model, layout.uv), tuple(layout.notes))


def _sizing(project: Project, edited: Edited) -> tuple[SetSheetSize | SetPixelArt, ...]:
    """The commands that give a sheet that was made its size; pixel art where all were that came together."""
    if edited.sized is None:
        return ()
    key, size = edited.sized
    art = SetPixelArt(str(key), all(project.is_pixel_art(one) for one in edited.were))
    return SetSheetSize(size, str(key)), art


def with_layout(model: Model, uv: F64) -> Model:
    """The model with other UVs; tangents are made anew where the UVs changed."""
    # A half turn of UVs turns tangents too, so nothing short of comparing will do.
    same = np.array_equal(uv, model.uv, equal_nan=True)
    tangents = model.tangents if same else mikk_tangents(model.positions, model.triangles, uv, model.normals)
    return sharing(replace(model, uv=uv, tangents=tangents), model)


def sharing(new: Model, old: Model) -> Model:
    """Hand over what was worked out from positions alone."""
    for name in ("corners", "balls", "face_normals", "bounds", "outline_edges"):
        if name in old.__dict__:
            new.__dict__[name] = old.__dict__[name]
    return new
