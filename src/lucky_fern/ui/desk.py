"""The desk: what the window works on, and the one way in which the window changes it."""

from __future__ import annotations

import threading
from collections.abc import Callable
from collections.abc import Set as AbstractSet
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.errors import LuckyFernError, ProjectError
from lucky_fern.core.incoming import first_washes
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.model import Texture
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import (
    AddLayer,
    Command,
    DuplicateLayers,
    GroupLayers,
    Several,
    free_name,
)
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Layer, Project, Wash, walk
from lucky_fern.core.project.effects import Blur, Gradient, Shade, Sharpen
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.places import Along, Framed, place_height
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import Mask
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from lucky_fern.render import environment
from lucky_fern.ui.bringing import Bringing
from lucky_fern.ui.comparing import Comparing
from lucky_fern.ui.compositing_thread import CompositingThread
from lucky_fern.ui.errand import Errands
from lucky_fern.ui.exports import Exports
from lucky_fern.ui.faces import Faces
from lucky_fern.ui.filling import Filling
from lucky_fern.ui.laying import Laying
from lucky_fern.ui.layout_watch import LayoutWatch
from lucky_fern.ui.painting import Painting
from lucky_fern.ui.sliding import Sliding
from lucky_fern.ui.stripe_handles import StripeTool

_T = TypeVar("_T")
_S = TypeVar("_S")


def _with_light(make: Callable[[_T], _S], what: _T) -> _S:
    """A studio opened; the light of the model view is worked out meanwhile, or the first frame would wait for it."""
    threading.Thread(target=environment.reflections, name="fern-light", daemon=True).start()
    return make(what)


def _started(path: Path) -> tuple[Studio, list[Texture]]:
    """A project on a model file, with the pictures that the file names; and those that are nowhere."""
    studio = Studio.new(path)
    return studio, first_washes(studio, path.parent)


def _missing_sentence(missing: list[Texture]) -> str:
    names = ", ".join(dict.fromkeys(texture.file for texture in missing[:3]))
    return f"The model names pictures that are not beside it ({names}): point at them at the Model station."


Pending = dict[MapKey, set[Chunk]]


class Desk(QObject):
    """Holds the studio, the selection and the view's choices, and tells the widgets what changed."""

    studio_changed = Signal()
    project_changed = Signal()
    selection_changed = Signal()
    maps_changed = Signal()
    view_changed = Signal()
    marker_changed = Signal()
    station_changed = Signal(str)
    layout_changed = Signal()  # the same model, laid out or built otherwise
    look_asked = Signal(object)  # a throw that the model view is to see straight
    said = Signal(str, bool)  # a sentence; whether it is a warning
    busy = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.studio: Studio | None = None
        self.path: Path | None = None
        self.store: MapStore | None = None
        self.compositing: CompositingThread | None = None
        self.selected: int | None = None
        self.chosen: tuple[int, ...] = ()  # all selected layers, the one above among them
        self.copied_mask: Mask | None = None
        self.copied_paint: dict[str, bytes] = {}  # what is painted on it, by digest
        self.comparing = Comparing(self)
        self.shown_map: str | None = None
        self.marker: SurfaceHit | None = None
        self.marker_source: object = None
        self.last_hit: SurfaceHit | None = None
        self.station = "artwork"
        self.pending: Pending = {}
        self.lookers: list[Callable[[], dict[SheetKey, AbstractSet[Chunk]]]] = []
        self.errands = Errands()
        self.bringing = Bringing(self)
        self.layout = LayoutWatch()
        self.faces = Faces(self)
        self.laying = Laying(self)
        self.scope_kind: str | None = None  # what clicks choose for the scope of the selected layers
        self.reach_shown = False  # whether the space that a throw reaches is drawn
        self.mask_entry: int | None = None  # which entry of the selected layer's mask has handles in the views
        self.pulling = False  # whether the points of a decal's warp are shown instead of its handles
        self.twins_readable = True  # whether mirror twins keep their lettering the right way round
        self.in_texels = False  # whether sizes of decals are told in texels
        self.fonts: dict[str, str] | None = None  # this computer's, once they were read
        self.label_style = Label()  # what the next label looks like: as the last one did
        self.figure_style = Figure()  # and the next figure
        self.striping = StripeTool(self)
        self.look: Eye | None = None  # of who looks at the model
        self.sliding = Sliding(self)
        self.painting = Painting(self)
        self.filling = Filling(self.painting)
        self.readers: set[object] = set()  # who reads the project's pixels from other threads
        self.exports = Exports(self)
        self.missing: list[Texture] = []  # pictures that the model names and that are nowhere
        self._surface: Surface | None = None  # the one that the maps are of
        self.layout.changed.connect(self.faces.changed)
        self.errands.failed.connect(lambda sentence: self.said.emit(sentence, True))

    # --- opening and closing --------------------------------------------------------------------------

    def take(self, studio: Studio, path: Path | None = None) -> None:
        """Work on another studio from now on."""
        self.close()
        self.studio, self.path = studio, path
        self.store = MapStore(studio.sources)
        self.pending = {}
        self.shown_map, self.marker, self.last_hit, self.missing = None, None, None, []
        self.comparing.forget()
        self.striping.arm(False)
        self.sliding.put_away()
        self._select_top()
        self._surface = studio.surface
        self._composite_with(CompositingThread(studio.sources, self.store))
        self.faces.take()
        self.studio_changed.emit()
        self.refresh()
        for warning in studio.warnings:
            self.said.emit(warning, True)

    def _composite_with(self, thread: CompositingThread) -> None:
        self.compositing = thread
        thread.chunks_done.connect(self._chunks_done)
        thread.busy.connect(self.busy)
        thread.failed.connect(lambda sentence: self.said.emit(sentence, True))

    def _follow_surface(self) -> None:
        """Go on over another surface if the layout or the model changed; sheets that are as they were are kept."""
        studio, before, thread = self.studio, self._surface, self.compositing
        if studio is None or before is None or thread is None or self.store is None or studio.surface is before:
            return
        self.comparing.unpin()
        done = thread.shown if thread.settled.is_set() else None
        thread.close()
        new = studio.surface.unlike(before)
        self.store.move_to(studio.sources)
        self._composite_with(CompositingThread(studio.sources, self.store, done, new))
        self._surface = studio.surface
        self.marker = self.last_hit = None
        self.faces.follow()
        self.layout_changed.emit()

    def close(self) -> None:
        """End the work in the background."""
        self.comparing.unpin()
        if self.compositing is not None:
            self.compositing.close()
            self.compositing = None

    def _chunks_done(self, key: MapKey, chunks: set[Chunk]) -> None:
        if self.sender() is not self.compositing:
            return  # a late answer for a studio that is gone
        self.pending.setdefault(key, set()).update(chunks)
        self.maps_changed.emit()

    # --- reading ----------------------------------------------------------------------------------------

    @property
    def project(self) -> Project | None:
        return self.studio.project if self.studio is not None else None

    @property
    def layer(self) -> Layer | None:
        """The selected layer."""
        if self.studio is None or self.selected is None:
            return None
        try:
            return self.studio.project.layer(self.selected)
        except KeyError:
            return None

    @property
    def layers(self) -> list[Layer]:
        """All selected layers, from the bottom up."""
        if self.studio is None:
            return []
        return [layer for layer in self.studio.project.walk() if layer.id in self.chosen]

    @property
    def decal(self) -> tuple[Layer, Framed, float] | None:
        """The selected layer with its place and height, if it is a decal (but for stripes)."""
        layer = self.layer
        if layer is None or not isinstance(layer.content, Decal) or self.studio is None:
            return None
        place = layer.content.place
        if not isinstance(place, Framed):
            return None
        return layer, place, place_height(place, self.studio.project.picture_size(layer.content.picture))

    @property
    def stripe(self) -> tuple[Layer, Along, float] | None:
        """The selected layer with its path and the length of one picture along it, if it is a stripe."""
        layer = self.layer
        if layer is None or not isinstance(layer.content, Decal) or self.studio is None:
            return None
        place = layer.content.place
        if not isinstance(place, Along):
            return None
        return layer, place, place_height(place, self.studio.project.picture_size(layer.content.picture))

    def sheet_sizes(self) -> dict[SheetKey, int]:
        if self.studio is None:
            return {}
        return {key: self.studio.project.size_of(key) for key in self.studio.surface.keys}

    # --- editing ------------------------------------------------------------------------------------------

    def execute(self, command: Command, merge: bool = False) -> bool:
        """Do an edit; False, with a sentence shown, if it makes no sense."""
        if self.studio is None:
            return False
        known = {layer.id for layer in self.studio.project.walk()}
        try:
            self.studio.execute(command, merge)
        except LuckyFernError as error:
            self.said.emit(str(error), True)
            return False
        self._follow_surface()
        if isinstance(command, AddLayer | GroupLayers):
            self.select(self.studio.project.next_id - 1)
        elif isinstance(command, DuplicateLayers):
            self._select_new(known)
        else:
            self._keep_selection()
        self.refresh()
        return True

    def execute_each(self, make: Callable[[Layer], Command | None], merge: bool = False) -> bool:
        """Do an edit to every selected layer that it fits, as one step."""
        made = [command for layer in self.layers if (command := make(layer)) is not None]
        commands = tuple(one for each in made for one in (each.commands if isinstance(each, Several) else (each,)))
        if not commands:
            return False
        return self.execute(commands[0] if len(commands) == 1 else Several(commands), merge)  # type: ignore[arg-type]

    def _select_top(self) -> None:
        layers = self.studio.project.layers if self.studio is not None else ()
        self.selected = layers[-1].id if layers else None
        self.chosen = () if self.selected is None else (self.selected,)

    def _select_new(self, known: set[int]) -> None:
        """Select what a command brought, without what it brought inside groups."""
        assert self.studio is not None
        new = [layer for layer in self.studio.project.walk() if layer.id not in known]
        inside = {inner.id for layer in new for inner in walk(layer.children)}
        outer = [layer.id for layer in new if layer.id not in inside]
        if outer:
            self.select(outer[-1], tuple(outer))

    def _keep_selection(self) -> None:
        """Forget selected layers that are gone."""
        assert self.studio is not None
        there = {layer.id for layer in self.studio.project.walk()}
        if self.selected in there:
            self.chosen = tuple(layer for layer in self.chosen if layer in there)
            return
        self._select_top()
        self.selection_changed.emit()

    def end_gesture(self) -> None:
        """A slider or a handle was let go: the next edit is a step of its own."""
        if self.studio is not None:
            self.studio.history.seal()

    def undo(self) -> None:
        self._step(back=True)

    def redo(self) -> None:
        self._step(back=False)

    def _step(self, back: bool) -> None:
        if self.studio is None:
            return
        history = self.studio.history
        label = history.undo_label if back else history.redo_label
        if label is None:
            return
        self.jump(history.at + (-1 if back else 1))
        self.said.emit(f"{'Undone' if back else 'Done again'}: {label}", False)

    def jump(self, at: int) -> None:
        """Go to a step of the history."""
        if self.studio is None or at == self.studio.history.at:
            return
        self.studio.jump(at)
        self._follow_surface()
        self._keep_selection()
        self.selection_changed.emit()
        self.refresh()

    def composite(self) -> None:
        """Have the maps brought to what is to be seen: the project, or the project without the selected layers."""
        if self.studio is None or self.compositing is None:
            return
        project = self.comparing.seen(self.studio.project)
        self.compositing.request(project, self.shown_map or "colour", self.selected, self.on_screen())

    def refresh(self) -> None:
        """Have everything follow the project as it is now."""
        self.composite()
        self.layout.follow(self.studio.surface if self.studio is not None else None, self.sheet_sizes())
        self.project_changed.emit()

    def finished(self, project: Project) -> MapStore | None:
        """The maps, if they are all composited and those of this project; asked by exports from their thread."""
        thread, store = self.compositing, self.store
        if thread is None or store is None or not thread.settled.is_set() or thread.shown is not project:
            return None
        return store

    @property
    def quiet(self) -> bool:
        """Whether nobody works on an older state of the project in the background, or holds on to its contents."""
        thread = self.compositing
        idle = thread is None or thread.settled.is_set()
        busy = self.errands.busy or self.exports.working or bool(self.readers)
        return idle and not busy and self.comparing.pinned is None and self.copied_mask is None

    def on_screen(self) -> dict[SheetKey, AbstractSet[Chunk]]:
        """The chunks that the views show now; they are composited first."""
        seen: dict[SheetKey, AbstractSet[Chunk]] = {}
        for look in self.lookers:
            for key, chunks in look().items():
                seen[key] = seen.get(key, frozenset()) | chunks
        return seen

    def select(self, layer_id: int | None, chosen: tuple[int, ...] | None = None) -> None:
        """Select a layer, and others together with it."""
        wanted = chosen if chosen is not None else (() if layer_id is None else (layer_id,))
        if (layer_id, wanted) != (self.selected, self.chosen):
            self.selected, self.chosen = layer_id, wanted
            self.selection_changed.emit()
            if self.comparing.mask_look is not None:
                self.composite()  # another layer's mask is to be seen

    def pick_scope(self, kind: str | None) -> None:
        """Have clicks choose parts, materials, tiles or islands for the selected layers; None ends it."""
        self.scope_kind = kind
        self.view_changed.emit()
        self.project_changed.emit()

    def show_reach(self, on: bool) -> None:
        """Draw the space that the selected throw reaches."""
        self.reach_shown = on
        self.view_changed.emit()

    def set_pulling(self, on: bool) -> None:
        """Show the points by which a decal is pulled, or its own handles."""
        if on != self.pulling:
            self.pulling = on
            self.view_changed.emit()
            self.project_changed.emit()

    # --- looking and pointing -----------------------------------------------------------------------------

    def show_map(self, name: str | None) -> None:
        """Look at one map alone in both views, or at everything again."""
        self.shown_map = None if name == self.shown_map else name
        self.view_changed.emit()

    def mark(self, hit: SurfaceHit | None, source: object) -> None:
        """The pointer is over a point of the surface in one view; the other shows it."""
        self.marker, self.marker_source = hit, source
        self.last_hit = hit or self.last_hit
        self.marker_changed.emit()

    def go_to(self, station: str) -> None:
        if station != self.station:
            self.station = station
            self.station_changed.emit(station)
            self.faces.changed.emit()

    # --- layers -----------------------------------------------------------------------------------------------

    def add_wash(self) -> bool:
        """A new wash above the selected layer."""
        if self.studio is None:
            return False
        name = free_name(self.studio.project, "Wash")
        return self.execute(AddLayer(name, Wash(), {"colour": Channel("#8fa3ad")}, above=self.selected))

    def add_brushwork(self) -> bool:
        """An empty layer to paint on, above the selected one."""
        if self.studio is None:
            return False
        name = free_name(self.studio.project, "Brushwork")
        return self.execute(AddLayer(name, Brushwork(), {}, above=self.selected))

    def add_adjustment(self, name: str, effect: Effect) -> bool:
        """An adjustment of the map that is looked at (or of colour), above the selected layer."""
        if self.studio is None:
            return False
        colours_only = isinstance(effect, Shade | Gradient)
        shown = self.shown_map or "colour"
        kind = MAPS[shown].kind
        fits = kind == "colour" or (kind == "scalar" and not colours_only) or isinstance(effect, Blur | Sharpen)
        channels = {shown if fits else "colour": Channel()}
        name = free_name(self.studio.project, name)
        return self.execute(AddLayer(name, Adjustment(effect), channels, above=self.selected))

    def add_file_colours(self) -> None:
        """One wash for each material to which the model's file gives a colour."""
        studio = self.studio
        for name, colour in studio.model.colours.items() if studio is not None else ():
            self.execute(AddLayer(name, Wash(), {"colour": Channel(colour)}, scope=Scope(materials=(name,))))

    # --- files ------------------------------------------------------------------------------------------------

    def save(self, path: Path) -> bool:
        """Save the project; False, with a sentence shown, if the disk refuses."""
        if self.studio is None:
            return False
        try:
            self.studio.save(path)
        except LuckyFernError as error:
            self.said.emit(str(error), True)
            return False
        self.path = path
        self.project_changed.emit()
        self.said.emit(f"Saved {path.name}.", False)
        return True

    def open(self, path: Path) -> None:
        """Open a project, or start one on a model, beside the window; what fails is said."""
        own = path.suffix.lower() == ".fern"
        self.errands.send(
            f"Opening {path.name} …",
            lambda: (_with_light(Studio.open, path), []) if own else _with_light(_started, path),
            lambda opened: self._opened(*opened, path if own else None),
        )

    def _opened(self, studio: Studio, missing: list[Texture], path: Path | None) -> None:
        """Show what was opened; its painted pixels are read in full while it composites."""
        self.take(studio, path)
        self.missing = missing
        notes = [*studio.notes, *([_missing_sentence(missing)] if missing else [])]
        if notes:
            self.said.emit(" ".join(notes), True)
        if missing:
            self.project_changed.emit()
        if path is not None:
            threading.Thread(target=self._fetch, args=(studio.blobs,), name="fern-fetch", daemon=True).start()

    def _fetch(self, blobs: Blobs) -> None:
        try:
            blobs.fetch()
        except ProjectError as error:
            self.said.emit(str(error), True)

    def open_demo(self, which: str) -> None:
        """Open one of the demo projects, made first if need be."""

        def make() -> Studio:
            from lucky_fern.demo.world import demo_studio  # not needed before the window shows

            return _with_light(demo_studio, which)

        self.errands.send("Opening the demo …", make, self.take)
