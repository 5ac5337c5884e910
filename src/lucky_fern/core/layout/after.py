"""What goes with an edit of the layout in the same step: paint, laid pictures, scopes, selections, sizes."""

from __future__ import annotations

from lucky_fern.core.layout.after_cut import after_cut, after_join, after_spread, renumbered
from lucky_fern.core.layout.edit import Edited
from lucky_fern.core.layout.follow import followers
from lucky_fern.core.project import layouts as ask
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import SetPixelArt, SetSheetSize, Single
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.layouts import LayoutEdit
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

_IN_PLACE = (ask.TurnOver, ask.Vary)  # what moves faces on purpose under what is painted


def after_edit(
    project: Project, old: Surface, edited: Edited, edit: LayoutEdit, blobs: Blobs, stay: bool
) -> tuple[tuple[Single, ...], tuple[str, ...]]:
    """The commands that bring along what depends on the layout, and what cannot follow, in sentences.

    With ``stay``, what is painted or laid stays on the surface; without it where it is in UV space.
    """
    if isinstance(edit, ask.RenameMaterial | ask.RenamePart):  # the layout's own command does it
        return (), ()
    new, origin = Surface(edited.model), edited.origin
    if origin is not None and isinstance(edit, ask.Wrap):
        return tuple(renumbered(project, old, new, origin)), tuple(_left_behind(project, new))
    if origin is not None and isinstance(edit, ask.Spread):
        return tuple(after_spread(project, old, new, origin, edit.material.strip())), ()
    if origin is not None and isinstance(edit, ask.CutTexels):
        return tuple(after_cut(project, old, new, origin, edit, blobs)), ()
    if origin is not None and isinstance(edit, ask.JoinCut):
        joined, said = after_join(project, old, new, origin, edit.material.strip(), edited.back or {}, blobs)
        return tuple(joined), tuple(said)
    sizing = _sizing(project, edited)
    for command in sizing:
        project = command.apply(project)
    stay = (stay and not isinstance(edit, _IN_PLACE)) or bool(sizing)
    also, notes = followers(project, old, new, blobs, stay, hold=bool(sizing))
    return (*sizing, *also), tuple(notes)


def _left_behind(project: Project, new: Surface) -> list[str]:
    """What is painted on tiles that a material which repeats has no more; it is kept, and comes back with them."""
    there = {str(key) for key in new.keys}
    gone = {
        name for layer in project.walk() for name, sheet in (layer.content.painted or {}).items()
        if sheet.maps and name not in there and name.rpartition(":")[0] in new.model.repeats
    }  # fmt: skip
    return [tr("what is painted on {sheets} is not seen any more", sheets=", ".join(sorted(gone)))] if gone else []


def _sizing(project: Project, edited: Edited) -> tuple[SetSheetSize | SetPixelArt, ...]:
    """The commands that give a sheet that was made its size; pixel art where all were that came together."""
    if edited.sized is None:
        return ()
    key, size = edited.sized
    art = SetPixelArt(str(key), all(project.is_pixel_art(one) for one in edited.were))
    return SetSheetSize(size, str(key)), art
