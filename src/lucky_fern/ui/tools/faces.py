"""The faces of the model at hand: which are selected, which are hidden, what is marked on them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import F64, I32, Array, Bool
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.sources import triangles_in
from lucky_fern.core.layout.findings import Finding
from lucky_fern.core.layout.heat import Heat, density_heat, heat_of_stretch, stretch_heat
from lucky_fern.core.placing.facts import stretch_of
from lucky_fern.core.selecting.colour import like_colour, mean_colours
from lucky_fern.core.selecting.spread import Unit, facing, grown, like_normal, whole
from lucky_fern.core.sheets.faces import unpack_faces
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.session.layout_watch import LayoutWatch
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

How = Literal["new", "add", "less"]
Tool = Literal["pick", "paint", "rectangle", "lasso"]
MARK = np.array([0.85, 0.25, 0.10, 0.70])  # of what a sentence is about
_FAINT = 0.45  # of marks that nobody asked for
_CHOSEN = np.array([0.10, 0.60, 0.36, 0.50])


@dataclass(frozen=True)
class Tinted:
    """Triangles coloured over the views, (N, 4) red to alpha; ``heat`` brings a legend."""

    triangles: I32
    colours: F64
    heat: Heat | None


class Faces(QObject):
    """Selection, visibility and marks of the Model station; all arrays have a row a triangle."""

    changed = Signal()  # what is selected or marked
    shown_changed = Signal()  # what is hidden
    preview_changed = Signal()
    tool_changed = Signal()

    def __init__(
        self,
        work: Work,
        selection: Selection,
        looking: Looking,
        maps: Maps,
        layout_watch: LayoutWatch,
    ) -> None:
        super().__init__()
        self.work = work
        self.selection = selection
        self.looking = looking
        self.maps = maps
        self.layout_watch = layout_watch
        self.chosen: Bool = np.zeros(0, np.bool_)
        self.hidden: Bool = np.zeros(0, np.bool_)
        self.last: int | None = None  # the face that was clicked last
        self.tool: Tool = "pick"
        self.unit: Unit = "face"
        self.through = False  # also take faces that others hide
        self.radius = 12.0  # pixels, of the painting tool
        self.finding: Finding | None = None
        self.heat: str | None = None  # "stretch", "density" or "checker" over the model
        self.preview: F64 | None = None  # (T, 3, 2) UVs while islands are being dragged
        self.stretch_shown = False
        work.project_changed.connect(self._follow_decal)
        selection.changed.connect(self._follow_decal)
        self._tinted: tuple[Tinted | None] | None = None
        self.changed.connect(self._forget)  # the first to hear of it: whoever asks then gets what is true now
        work.studio_changed.connect(self.take)
        work.layout_changed.connect(self.follow)
        looking.station_changed.connect(lambda _: self.changed.emit())
        layout_watch.changed.connect(self.changed)

    def take(self) -> None:
        """Another model is there: nothing is selected or hidden on it."""
        count = self.work.studio.model.triangle_count if self.work.studio is not None else 0
        self.chosen, self.hidden = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
        self.last, self.finding, self.preview = None, None, None
        self.changed.emit()
        self.shown_changed.emit()

    def follow(self) -> None:
        """The same model has another layout; a sentence about the old one is no longer true."""
        studio = self.work.studio
        if studio is None or studio.model.triangle_count != len(self.chosen):
            self.take()
            return
        self.finding, self.preview = None, None
        self.changed.emit()
        if self.hidden.any():
            self.shown_changed.emit()

    @property
    def any(self) -> bool:
        return bool(self.chosen.any())

    @property
    def shown(self) -> Bool | None:
        """(T,) bool, the faces that are not hidden; None for all."""
        return ~self.hidden if self.hidden.any() else None

    def use(self, **tool: object) -> None:
        """Take another tool in hand, or change how it works (``tool``, ``unit``, ``through``, ``radius``)."""
        for name, value in tool.items():
            setattr(self, name, value)
        self.tool_changed.emit()

    # --- selecting ------------------------------------------------------------------------------------------

    def choose(self, faces: Bool, how: How = "new", whole_units: bool = True) -> None:
        """Select faces, as whole units of the kind in hand."""
        studio = self.work.studio
        if studio is None:
            return
        if whole_units and faces.any():
            faces = whole(studio.model, faces, self.unit)
        faces = faces & ~self.hidden
        if how == "add":
            faces = self.chosen | faces
        elif how == "less":
            faces = self.chosen & ~faces
        self._set(faces)

    def _set(self, faces: Bool) -> None:
        if not np.array_equal(faces, self.chosen):
            self.chosen = faces
            self.changed.emit()

    def click(self, triangle: int | None, how: How) -> None:
        """A click on a face, or beside the model."""
        faces = np.zeros(len(self.chosen), np.bool_)
        if triangle is not None:
            faces[triangle] = True
            self.last = triangle
        elif how != "new":
            return
        self.choose(faces, how)

    def all(self) -> None:
        self._set(~self.hidden)

    def none(self) -> None:
        self._set(np.zeros(len(self.chosen), np.bool_))

    def invert(self) -> None:
        self._set(~self.chosen & ~self.hidden)

    def grow(self, steps: int) -> None:
        """More faces round the selection, or fewer."""
        if self.work.studio is not None and self.any:
            self._set(grown(self.work.studio.model, self.chosen, steps) & ~self.hidden)

    def widen(self, unit: Unit) -> None:
        """From some faces to the whole islands, pieces, parts or materials that they belong to."""
        if self.work.studio is not None and self.any:
            self._set(whole(self.work.studio.model, self.chosen, unit) & ~self.hidden)

    def face_alike(self, angle: float) -> None:
        """All faces that look the way the clicked one (or most of the selection) does."""
        studio = self.work.studio
        if studio is None or not self.any:
            self._ask_for_face()
            return
        normals = studio.model.face_normals
        direction = normals[self.last] if self.last is not None else normals[self.chosen].sum(axis=0)
        self._set(facing(studio.model, direction, angle) & ~self.hidden)

    def smooth(self, angle: float) -> None:
        """All that can be reached from the selection without a turn sharper than ``angle`` degrees."""
        if self.work.studio is None or not self.any:
            self._ask_for_face()
            return
        self._set(like_normal(self.work.studio.model, self.chosen, angle) & ~self.hidden)

    def colour_alike(self, source: str, tolerance: float) -> None:
        """All faces with the same colour on them as the one clicked last.

        ``source`` is a map, as it is shown now, or a kit picture, as it lies over every tile.
        """
        studio, store = self.work.studio, self.maps.store
        if studio is None or store is None or self.last is None:
            self._ask_for_face()
            return
        picture = studio.project.pictures.get(source)
        over = None if picture is None else np.ascontiguousarray(studio.sources.picture(picture).rgba)

        def texels(key: SheetKey) -> Array:
            size = studio.project.size_of(key)
            if over is None:
                return store.get(MapKey(key, source), size)
            return np.asarray(cv2.resize(over, (size.width, size.height), interpolation=cv2.INTER_AREA))

        self._set(like_colour(mean_colours(studio.surface, texels), self.last, tolerance) & ~self.hidden)

    def _ask_for_face(self) -> None:
        self.work.said.emit(tr("Click a face first: the others are compared with it."), True)

    def take_saved(self, name: str, how: How = "new") -> None:
        """Select what a named selection holds."""
        studio = self.work.studio
        if studio is None or name not in studio.project.selections:
            return
        self.choose(unpack_faces(studio.project.selections[name], len(self.chosen)), how, whole_units=False)

    # --- hiding -----------------------------------------------------------------------------------------------

    def hide(self) -> None:
        """Put the selected faces out of sight."""
        if self.any:
            self._hide(self.hidden | self.chosen)

    def only(self) -> None:
        """Look at the selected faces alone."""
        if self.any:
            self._hide(~self.chosen)

    def show_all(self) -> None:
        self._hide(np.zeros(len(self.hidden), np.bool_))

    def hide_these(self, faces: Bool, on: bool) -> None:
        self._hide(self.hidden | faces if on else self.hidden & ~faces)

    def _hide(self, hidden: Bool) -> None:
        self.hidden = hidden
        self.chosen = self.chosen & ~hidden
        self.shown_changed.emit()
        self.changed.emit()

    # --- marks ------------------------------------------------------------------------------------------------

    def show_finding(self, finding: Finding | None) -> None:
        """Mark what one sentence of the layout check is about, or everything that worries again."""
        self.finding = finding
        self.changed.emit()

    def show_heat(self, which: str | None) -> None:
        self.heat = which
        self.changed.emit()

    @property
    def checker(self) -> bool:
        return self.heat == "checker" and self.looking.station == "model"

    def show_preview(self, uv: F64 | None) -> None:
        """Show other UVs for a while, without changing anything."""
        self.preview = uv
        self.preview_changed.emit()

    def _follow_decal(self) -> None:
        if self.stretch_shown and self.looking.station == "artwork":
            self.changed.emit()

    def _forget(self) -> None:
        self._tinted = None

    def tint(self) -> Tinted | None:
        """What is coloured over the model and its sheets now."""
        if self._tinted is None:
            self._tinted = (self._tint(),)
        return self._tinted[0]

    def show_stretch(self, on: bool) -> None:
        """Colour the selected decal by how far it is stretched, at the Artwork station."""
        self.stretch_shown = on
        self.changed.emit()

    def _decal_tint(self) -> Tinted | None:
        studio, decal = self.work.studio, self.selection.decal
        if studio is None or decal is None or not self.stretch_shown:
            return None
        layer, place, height = decal
        if not place.on_surface:
            return None
        placed = studio.sources.pose(place, height, triangles_in(studio.project, layer.scope))
        rows = np.flatnonzero(placed.reached).astype(np.int32)
        heat = heat_of_stretch(stretch_of(studio.model, placed))
        colours = np.concatenate([heat.colours[rows], np.full((len(rows), 1), 0.7)], axis=1)
        return Tinted(rows, colours, heat)

    def _tint(self) -> Tinted | None:
        if self.looking.station == "artwork":
            return self._decal_tint()
        studio, measures = self.work.studio, self.layout_watch.measures
        if studio is None or self.looking.station != "model" or len(self.chosen) != studio.model.triangle_count:
            return None
        colours = np.zeros((len(self.chosen), 4))
        heat = None
        if measures is not None and len(measures.area) != len(self.chosen):
            measures = None
        if self.heat in ("stretch", "density") and measures is not None:
            size = max((one.mean for one in self.work.sheet_sizes().values()), default=1.0)
            heat = stretch_heat(measures) if self.heat == "stretch" else density_heat(measures, size)
            colours[:, :3], colours[:, 3] = heat.colours, 0.85 * studio.model.has_uv
        elif self.finding is not None:
            colours[self.finding.triangles] = MARK
        elif measures is not None and self.heat is None:
            for finding in self.layout_watch.findings:
                if finding.worry:
                    colours[finding.triangles] = (*MARK[:3], _FAINT)
        colours[self.chosen] = _CHOSEN
        colours[self.hidden] = 0.0
        rows = np.flatnonzero(colours[:, 3] > 0).astype(np.int32)
        if not len(rows):
            return None
        return Tinted(rows, colours[rows], heat)
