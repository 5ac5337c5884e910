"""The desk: what the window works on, and the one way in which the window changes it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.placing.pose import drop_laid, drop_thrown
from lucky_fern.core.project.commands import AddLayer, Command, RemoveLayer
from lucky_fern.core.project.document import Channel, Decal, Layer, Place, Project, Scope, Wash, place_height
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit
from lucky_fern.core.studio import Studio, read_picture_file
from lucky_fern.ui.compositing_thread import CompositingThread
from lucky_fern.ui.errand import Errands

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
    said = Signal(str, bool)  # a sentence; whether it is a warning
    busy = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.studio: Studio | None = None
        self.path: Path | None = None
        self.store: MapStore | None = None
        self.compositing: CompositingThread | None = None
        self.selected: int | None = None
        self.shown_map: str | None = None
        self.marker: SurfaceHit | None = None
        self.marker_source: object = None
        self.station = "artwork"
        self.pending: Pending = {}
        self.errands = Errands()
        self.errands.failed.connect(lambda sentence: self.said.emit(sentence, True))

    # --- opening and closing --------------------------------------------------------------------------

    def take(self, studio: Studio, path: Path | None = None) -> None:
        """Work on another studio from now on."""
        self.close()
        self.studio, self.path = studio, path
        self.store = MapStore(studio.sources)
        self.pending = {}
        self.shown_map, self.marker = None, None
        layers = studio.project.layers
        self.selected = layers[-1].id if layers else None
        self.compositing = CompositingThread(studio.sources, self.store)
        self.compositing.chunks_done.connect(self._chunks_done)
        self.compositing.busy.connect(self.busy)
        self.compositing.failed.connect(lambda sentence: self.said.emit(sentence, True))
        self.studio_changed.emit()
        self._refresh()
        for warning in studio.warnings:
            self.said.emit(warning, True)

    def close(self) -> None:
        """End the work in the background."""
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
    def decal(self) -> tuple[Layer, Place, float] | None:
        """The selected layer with its place and height, if it is a decal that shows."""
        layer = self.layer
        if layer is None or not isinstance(layer.content, Decal) or self.studio is None:
            return None
        place = layer.content.place
        return layer, place, place_height(place, self.studio.project.pictures[layer.content.picture])

    def sheet_sizes(self) -> dict[SheetKey, int]:
        if self.studio is None:
            return {}
        return {key: self.studio.project.size_of(key) for key in self.studio.surface.keys}

    # --- editing ------------------------------------------------------------------------------------------

    def execute(self, command: Command, merge: bool = False) -> bool:
        """Do an edit; False, with a sentence shown, if it makes no sense."""
        if self.studio is None:
            return False
        try:
            self.studio.execute(command, merge)
        except LuckyFernError as error:
            self.said.emit(str(error), True)
            return False
        if isinstance(command, AddLayer):
            self.selected = self.studio.project.next_id - 1
            self.selection_changed.emit()
        elif isinstance(command, RemoveLayer) and command.layer == self.selected:
            layers = self.studio.project.layers
            self.selected = layers[-1].id if layers else None
            self.selection_changed.emit()
        self._refresh()
        return True

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
        if back:
            history.undo()
        else:
            history.redo()
        if self.layer is None:
            layers = self.studio.project.layers
            self.selected = layers[-1].id if layers else None
        self.selection_changed.emit()
        self._refresh()
        self.said.emit(f"{'Undone' if back else 'Done again'}: {label.lower()}", False)

    def _refresh(self) -> None:
        if self.studio is not None and self.compositing is not None:
            self.compositing.request(self.studio.project, self.shown_map or "colour")
        self.project_changed.emit()

    def select(self, layer_id: int | None) -> None:
        if layer_id != self.selected:
            self.selected = layer_id
            self.selection_changed.emit()

    def show_map(self, name: str | None) -> None:
        """Look at one map alone in both views, or at everything again."""
        self.shown_map = None if name == self.shown_map else name
        self.view_changed.emit()

    def mark(self, hit: SurfaceHit | None, source: object) -> None:
        """The pointer is over a point of the surface in one view; the other shows it."""
        self.marker, self.marker_source = hit, source
        self.marker_changed.emit()

    def go_to(self, station: str) -> None:
        if station != self.station:
            self.station = station
            self.station_changed.emit(station)

    # --- pictures -------------------------------------------------------------------------------------------

    def add_picture(self, path: Path, then: Callable[[str], object] | None = None) -> None:
        """Bring a picture file into the kit, beside the window; ``then`` gets its id."""
        studio = self.studio
        if studio is None:
            self.said.emit("Open a model first; pictures come after it.", True)
            return

        def keep(found: tuple[bytes, Picture]) -> None:
            if self.studio is not studio:
                return
            identity = studio.keep_picture(*found)
            self._refresh()
            if found[1].notes:
                self.said.emit(f"{path.name}: {'; '.join(found[1].notes)}.", False)
            if then is not None:
                then(identity)

        self.errands.send(f"Reading {path.name} …", lambda: read_picture_file(path), keep)

    def drop_on_surface(self, picture: str, hit: SurfaceHit, view_up: object) -> bool:
        """Place a kit picture where it was dropped in the model view."""
        import numpy as np

        if self.studio is None:
            return False
        kit = self.studio.project.pictures[picture]
        place = drop_thrown(self.studio.model, hit, kit.height / kit.width, np.asarray(view_up))
        return self._add_decal(picture, place)

    def drop_on_sheet(self, picture: str, key: SheetKey, uv: object) -> bool:
        """Place a kit picture where it was dropped in the sheet view."""
        import numpy as np

        if self.studio is None:
            return False
        return self._add_decal(picture, drop_laid(self.studio.surface, np.asarray(uv), key))

    def _add_decal(self, picture: str, place: Place) -> bool:
        assert self.studio is not None
        kit = self.studio.project.pictures[picture]
        small = max(kit.width, kit.height) <= 64
        content = Decal(picture, place, "nearest" if small else "smooth")
        name = _free_name(self.studio.project, Path(kit.name).stem.replace("-", " ").capitalize())
        return self.execute(AddLayer(name, content, {"colour": Channel("picture")}))

    def add_wash(self) -> bool:
        """A new wash above the selected layer."""
        if self.studio is None:
            return False
        name = _free_name(self.studio.project, "Wash")
        return self.execute(AddLayer(name, Wash(), {"colour": Channel("#8fa3ad")}, above=self.selected))

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
            lambda: Studio.open(path) if own else Studio.new(path),
            lambda studio: self.take(studio, path if own else None),
        )

    def open_demo(self, which: str) -> None:
        """Open one of the demo projects, made first if need be."""

        def make() -> Studio:
            from lucky_fern.demo.world import demo_studio  # not needed before the window shows

            return demo_studio(which)

        self.errands.send("Opening the demo …", make, self.take)


def _free_name(project: Project, name: str) -> str:
    taken = {layer.name for layer in project.layers}
    number, candidate = 2, name
    while candidate in taken:
        candidate, number = f"{name} {number}", number + 1
    return candidate
