"""The selection: which layers are worked on."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.edging import with_path
from lucky_fern.core.project.commands import (
    Command,
    SetPlace,
    Several,
)
from lucky_fern.core.project.document import Layer, walk
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.places import Along, Framed, place_height
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.work import Work


class Selection(QObject):
    """Follows the work: what a command brought is selected, what is gone is not any more."""

    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.work = work
        self.selected: int | None = None
        self.chosen: tuple[int, ...] = ()  # all selected layers, the one above among them
        work.studio_changed.connect(self._select_top)
        work.project_changed.connect(self._follow)

    @property
    def layer(self) -> Layer | None:
        """The selected layer."""
        if self.work.studio is None or self.selected is None:
            return None
        try:
            return self.work.studio.project.layer(self.selected)
        except KeyError:
            return None

    @property
    def layers(self) -> list[Layer]:
        """All selected layers, from the bottom up."""
        if self.work.studio is None:
            return []
        return [layer for layer in self.work.studio.project.walk() if layer.id in self.chosen]

    @property
    def decal(self) -> tuple[Layer, Framed, float] | None:
        """The selected layer with its place and height, if it is a decal (but for stripes)."""
        found = self._placed()
        return None if found is None or not isinstance(found[1], Framed) else (found[0], found[1], found[2])

    @property
    def stripe(self) -> tuple[Layer, Along, float] | None:
        """The selected layer with its path and the length of one picture along it, if it is a stripe."""
        found = self._placed()
        return None if found is None or found[1].framed else (found[0], cast(Along, found[1]), found[2])

    @property
    def path(self) -> tuple[Layer, Along, float] | None:
        """The path that points are dragged on: a stripe's, or the last one of an edging that runs along some."""
        layer = self.layer
        if layer is None or not layer.content.repeats:
            return self.stripe
        paths = cast(Edging, layer.content).paths
        return (layer, cast(Along, paths[-1]), paths[-1].width) if paths else None

    def path_edit(self, layer: Layer, path: Along) -> Command:
        """The edit that has the path that points are dragged on run otherwise."""
        if layer.content.repeats:
            return with_path(layer, path, len(cast(Edging, layer.content).paths) - 1)
        return SetPlace(layer.id, path)

    def _placed(self) -> tuple[Layer, Framed | Along, float] | None:
        layer, studio = self.layer, self.work.studio
        if layer is None or layer.content.place is None or studio is None:
            return None
        place: Framed | Along = layer.content.place
        return layer, place, place_height(place, studio.project.picture_size(layer.content.picture))

    def select(self, layer_id: int | None, chosen: tuple[int, ...] | None = None) -> None:
        """Select a layer, and others together with it."""
        wanted = chosen if chosen is not None else (() if layer_id is None else (layer_id,))
        if (layer_id, wanted) != (self.selected, self.chosen):
            self.selected, self.chosen = layer_id, wanted
            self.changed.emit()

    def execute_each(self, make: Callable[[Layer], Command | None], merge: bool = False) -> bool:
        """Do an edit to every selected layer that it fits, as one step."""
        made = [command for layer in self.layers if (command := make(layer)) is not None]
        commands = tuple(one for each in made for one in each.parts)
        if not commands:
            return False
        # Any command may be one of several; the type lists those that a file may hold.
        one = commands[0] if len(commands) == 1 else Several(commands)  # type: ignore[arg-type]
        return self.work.execute(one, merge)

    # --- following the work -----------------------------------------------------------------------------------

    def _follow(self, change: Change) -> None:
        project, command = change.after, change.command
        if project is None:
            return
        if command is not None and command.adds == "layer":
            self.select(project.next_id - 1)
        elif command is not None and command.adds == "layers" and change.before is not None:
            self._select_new({layer.id for layer in change.before.walk()})
        elif change.stack:
            self._keep()

    def _select_top(self) -> None:
        layers = self.work.studio.project.layers if self.work.studio is not None else ()
        self.selected = layers[-1].id if layers else None
        self.chosen = () if self.selected is None else (self.selected,)
        self.changed.emit()

    def _select_new(self, known: set[int]) -> None:
        """Select what a command brought, without what it brought inside groups."""
        assert self.work.studio is not None
        new = [layer for layer in self.work.studio.project.walk() if layer.id not in known]
        inside = {inner.id for layer in new for inner in walk(layer.children)}
        outer = [layer.id for layer in new if layer.id not in inside]
        if outer:
            self.select(outer[-1], tuple(outer))

    def _keep(self) -> None:
        """Forget selected layers that are gone."""
        assert self.work.studio is not None
        there = {layer.id for layer in self.work.studio.project.walk()}
        if self.selected not in there:
            self._select_top()
        elif any(layer not in there for layer in self.chosen):
            self.chosen = tuple(layer for layer in self.chosen if layer in there)
            self.changed.emit()
