"""How the rest of the project follows a new layout: paint, laid pictures and scopes by island."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import I32, Bool
from lucky_fern.core.layout.carry import Carrier
from lucky_fern.core.placing.way import way_of
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import GivePaint, SaveSelection, SetLayer, SetMaskEntry, SetPlace
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import Carrying, Place
from lucky_fern.core.project.plain import PaintedSheet, Scope
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

Following = GivePaint | SaveSelection | SetLayer | SetMaskEntry | SetPlace


def followers(
    project: Project, old: Surface, new: Surface, blobs: Blobs, stay: bool, hold: bool = False
) -> tuple[list[Following], list[str]]:
    """The commands that bring what depends on the layout along, and what cannot follow, in sentences.

    With ``stay``, paint and laid pictures stay on the surface; without it they stay where they are in UV space.
    Scopes by island always mean the same faces as before; with ``hold`` those by material and tile do too.
    """
    commands: list[Following] = []
    notes: list[str] = []
    scopes = HeldScopes(project, old, new) if hold else Scopes(project, old.model.islands, new.model.islands)
    carrier = Carrier(old, new, project.size_of, blobs)
    washed = []
    for layer in project.walk():
        scope = scopes.changed(layer.scope)
        if scope is not layer.scope:
            commands.append(SetLayer(layer.id, scope=scope))
        if not stay:
            continue
        painted, placed = layer.content.painted, layer.content.placed
        if painted is not None:
            sheets = carrier.sheets(painted)
            if sheets != painted:
                commands.append(GivePaint(layer.id, sheets))
        if placed is not None:
            place = way_of(placed[1]).carried(old, new, placed[1])
            if place is None:
                notes.append(
                    tr("'{name}' is laid in UV space and cannot follow there; place it anew", name=layer.name)
                )
            elif place != placed[1]:
                commands.append(SetPlace(layer.id, place))
        if (
            layer.content.by_uv
            and any(channel.pictured for channel in layer.channels.values())
            and (carrier.moved & _inside(project, old, layer.scope)).any()
        ):
            washed.append(layer.name)
    for number, mask in project.masks.items():
        for at, entry in enumerate(mask.entries):
            shape = entry.shape.carried(_Following(carrier, scopes, stay))
            if shape is not entry.shape:
                commands.append(SetMaskEntry(number, at, replace(entry, shape=shape)))
    if washed:
        verbs = ("lie", "show") if len(washed) > 1 else ("lies", "shows")
        notes.append(
            tr(
                "{washed} {verbs} by UV and {verbs_2} otherwise there now",
                washed=", ".join(washed[:3]),
                verbs=verbs[0],
                verbs_2=verbs[1],
            )
        )
    return [*scopes.made, *commands], notes


def brought(
    project: Project, carrying: Carrying, before: Callable[[Layer], object] = lambda layer: None
) -> list[Following]:
    """The commands that have layers and masks hold what ``carrying`` makes of it; ``before`` sees each first."""
    commands: list[Following] = []
    for layer in project.walk():
        before(layer)
        scope = carrying.scope(layer.scope)
        if scope != layer.scope:
            commands.append(SetLayer(layer.id, scope=scope))
        painted, placed = layer.content.painted, layer.content.placed
        if painted is not None and (sheets := carrying.paint(dict(painted))) != painted:
            commands.append(GivePaint(layer.id, sheets))
        if placed is not None and (place := carrying.place(placed[1])) != placed[1]:
            commands.append(SetPlace(layer.id, place))
    for number, mask in project.masks.items():
        for at, entry in enumerate(mask.entries):
            shape = entry.shape.carried(carrying)
            if shape != entry.shape:
                commands.append(SetMaskEntry(number, at, replace(entry, shape=shape)))
    return commands


def _inside(project: Project, surface: Surface, scope: Scope) -> Bool:
    """(T,) bool, the faces that a scope lets a layer show on."""
    model = surface.model
    packed = (
        None if scope.selections is None else tuple(project.selections.get(name, "") for name in scope.selections)
    )
    named = surface.triangles_of((scope.parts, scope.islands, packed))
    inside = np.ones(model.triangle_count, np.bool_) if named is None else named.copy()
    for number, key in enumerate(surface.keys):
        if not scope.holds_sheet(key):
            inside &= surface.sheet_of_triangle != number
    return inside


class _Following(Carrying):
    """What masks hold, on a new layout."""

    def __init__(self, carrier: Carrier, scopes: Scopes, stay: bool) -> None:
        self.carrier, self.scopes, self.stay = carrier, scopes, stay

    def scope(self, scope: Scope) -> Scope:
        return self.scopes.changed(scope)

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        return self.carrier.sheets(sheets) if self.stay else sheets

    def place(self, place: Place) -> Place:
        if not self.stay:
            return place
        return way_of(place).carried(self.carrier.old, self.carrier.new, place) or place


class Scopes:
    """Scopes by island that go on meaning the same faces."""

    def __init__(self, project: Project, old: I32, new: I32) -> None:
        """``old`` and ``new`` (T,) are the islands of the same faces, before and after."""
        self.project, self.old, self.new = project, old, new
        self.made: list[SaveSelection] = []

    def changed(self, scope: Scope) -> Scope:
        if scope.islands is None:
            return scope
        faces: Bool = np.isin(self.old, scope.islands)
        numbers = np.unique(self.new[faces])
        if np.array_equal(np.isin(self.new, numbers[numbers >= 0]), faces):
            islands = tuple(numbers.tolist())
            return scope if islands == scope.islands else replace(scope, islands=islands)
        # They are no islands of their own any more: a selection holds them from now on.
        return replace(scope, islands=None, selections=(self._kept(faces, "Former island"),))

    def _kept(self, faces: Bool, name: str) -> str:
        """The name of a selection that holds some faces."""
        packed = pack_faces(faces)
        for made in self.made:
            if made.faces == packed:
                return made.name
        taken, first, number = {*self.project.selections, *(made.name for made in self.made)}, name, 2
        while name in taken:
            name, number = f"{first} {number}", number + 1
        self.made.append(SaveSelection(name, packed))
        return name


class HeldScopes(Scopes):
    """Scopes of all kinds that go on meaning the same faces, where materials and tiles are others."""

    def __init__(self, project: Project, old: Surface, new: Surface) -> None:
        super().__init__(project, old.model.islands, new.model.islands)
        self.surfaces = old, new

    def changed(self, scope: Scope) -> Scope:
        if scope.materials is None and scope.tiles is None:
            return super().changed(scope)
        faces, now = (_inside(self.project, surface, scope) for surface in self.surfaces)
        if np.array_equal(faces, now):
            return scope
        return Scope(selections=(self._kept(faces, "Former sheets"),))
