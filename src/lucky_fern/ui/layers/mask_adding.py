"""What a mask can be given: shapes of all kinds, each as an entry on top."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtWidgets import QMenu

from lucky_fern.core import taking
from lucky_fern.core.colour import to_hex
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddMaskEntry, SaveSelection
from lucky_fern.core.project.kinds import Place, Shape
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import Fill, HeardShape, MaskEntry, PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.picking import local_uv, sheet_of
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.rule_part import fill_rules
from lucky_fern.words import tr

_SOFT = 0.05  # beyond the tolerance, where a mask follows a colour

Add = Callable[[Shape], None]


def add_shape(matter: Matter, shape: Shape) -> None:
    """Put an entry on top of the selected layer's mask; the first one says all, later ones add."""
    layer, project = matter.selection.layer, matter.work.project
    if layer is None or project is None:
        return
    known = layer.mask is not None and project.masks[layer.mask].entries
    matter.work.end_gesture()
    matter.work.execute(AddMaskEntry(layer.id, MaskEntry(shape, "add" if known else "replace")))


def fill_add_menu(matter: Matter, menu: QMenu, add: Add) -> None:
    """Everything that can be added now."""
    project, layer = matter.work.project, matter.selection.layer
    menu.clear()
    menu.addAction(tr("Everything"), lambda: add(Fill(1.0)))
    menu.addAction(tr("Nothing"), lambda: add(Fill(0.0)))
    menu.addAction(tr("Materials, tiles or parts"), lambda: add(ScopeShape(Scope())))
    island = menu.addAction(tr("The island last pointed at"), lambda: _add_island(matter, add))
    island.setEnabled(matter.looking.last_hit is not None)
    chosen = menu.addAction(tr("The selected faces"), lambda: _add_selection(matter, add))
    chosen.setEnabled(matter.faces.any)
    menu.addAction(tr("Painted by hand"), lambda: add(PaintedShape()))
    rules = menu.addMenu(tr("A rule"))
    fill_rules(matter, rules, partial(_add_rule, matter, add))
    for use in ("alpha", "luminance"):
        pictures = menu.addMenu(tr("A picture's {use}", use=use))
        for name in project.pictures if project is not None else ():
            pictures.addAction(name, partial(_add_picture, matter, add, name, use))
        pictures.setEnabled(not pictures.isEmpty())
    maps = menu.addMenu(tr("As bright as a map is"))
    for name, spec in MAPS.items():
        maps.addAction(spec.title, partial(_add_map, matter, add, name))
    like = menu.addAction(tr("Where the map is as at the point last pointed at"), lambda: _add_alike(matter, add))
    like.setEnabled(matter.looking.last_hit is not None)
    heard = menu.addMenu(tr("As bright as a map is below, live"))
    for name, spec in MAPS.items():
        heard.addAction(spec.title, partial(add, HeardShape(name)))
    follow = menu.addAction(tr("Where it is as at that point, live"), lambda: _add_alike(matter, add, live=True))
    follow.setEnabled(matter.looking.last_hit is not None)
    for action in (maps.menuAction(), like, heard.menuAction(), follow):
        action.setEnabled(action.isEnabled() and layer is not None)


def _add_rule(matter: Matter, add: Add, shape: Shape) -> None:
    """A rule is seen in colour from the first moment on."""
    add(shape)
    matter.comparing.show_mask("colour")


def _add_island(matter: Matter, add: Add) -> None:
    """The UV island that the pointer was over last, in either view."""
    hit, studio = matter.looking.last_hit, matter.work.studio
    if hit is not None and studio is not None:
        add(ScopeShape(Scope(islands=(int(studio.model.islands[hit.triangle]),))))


def _add_selection(matter: Matter, add: Add) -> None:
    """The selected faces, kept under a name of their own."""
    project, layer = matter.work.project, matter.selection.layer
    if project is None or layer is None:
        return
    number = 1
    while (
        name := tr("Mask of {name}", name=layer.name) + (f" {number}" if number > 1 else "")
    ) in project.selections:
        number += 1
    if matter.work.execute(SaveSelection(name, pack_faces(matter.faces.chosen))):
        add(ScopeShape(Scope(selections=(name,))))


def _add_picture(matter: Matter, add: Add, name: str, use: str) -> None:
    """A kit picture as a shape: where the layer's own picture lies, or over its first sheet."""
    layer, studio = matter.selection.layer, matter.work.studio
    if layer is None or studio is None or not studio.surface.keys:
        return
    if layer.content.place is not None:
        place: Place = layer.content.place
    else:
        key = next((key for key in studio.surface.keys if layer.scope.holds_sheet(key)), studio.surface.keys[0])
        place = Lay(key.material, key.tile, (0.5, 0.5), 1.0, 1.0)
    add(PictureShape(name, place, "alpha" if use == "alpha" else "luminance"))


def _add_map(matter: Matter, add: Add, name: str) -> None:
    """As bright as a map is without the layer; worked out beside the window."""
    studio, layer = matter.work.studio, matter.selection.layer
    if studio is not None and layer is not None:
        number = layer.id
        matter.errands.send(tr("Taking the map as a mask …"), lambda: taking.shape_of_map(studio, number, name), add)


def _add_alike(matter: Matter, add: Add, live: bool = False) -> None:
    """Where the map that is looked at is as at the point that was pointed at last."""
    studio, layer, hit, store = matter.work.studio, matter.selection.layer, matter.looking.last_hit, matter.maps.store
    key = None if hit is None or studio is None else sheet_of(studio.surface, hit)
    if studio is None or layer is None or hit is None or key is None or store is None:
        return
    shown = matter.looking.shown_map or "colour"
    u, v = local_uv(hit, key)
    wanted = taking.value_at(studio, layer.id, key, shown, u, v)
    tolerance, number = matter.filling.tolerance, layer.id
    if live:
        value = (
            round(float(wanted[0]), 4)
            if len(wanted) == 1
            else to_hex((float(wanted[0]), float(wanted[1]), float(wanted[2])))
        )
        add(HeardShape(shown, value, tolerance, _SOFT))
        return

    def work() -> PaintedShape:
        return taking.shape_of_colour(studio, number, shown, np.asarray(wanted).tolist(), tolerance, _SOFT)

    matter.errands.send(tr("Looking for that value …"), work, add)
