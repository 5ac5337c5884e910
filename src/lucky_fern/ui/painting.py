"""The brush in hand: what it paints, with what, onto what."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal, cast

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core import easel
from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.painting.fill import fill_alike, fill_faces, fill_outline, shaded
from lucky_fern.core.painting.steady import Steadying
from lucky_fern.core.painting.stroke import Covered, Stroke
from lucky_fern.core.painting.symmetry import Symmetry
from lucky_fern.core.painting.tips import read_tips
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, free_name
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Group, Project
from lucky_fern.core.project.effects import Effect
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.selecting.spread import Unit, whole
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of, smooth_normal, uv_axes

if TYPE_CHECKING:
    from pathlib import Path

    from lucky_fern.ui.desk import Desk

Tool = Literal["brush", "line", "stamp", "fill", "gradient"]
FILLS = ("face", "island", "part", "material", "tile", "selection", "colour", "colour everywhere")


@dataclass
class _Going:
    """A stroke while it is drawn."""

    stroke: Stroke
    layer: int
    began: Project
    away: bool
    flat: bool


class Painting(QObject):
    """Holds the brush and the paint, and puts strokes and fills onto the selected layer or its mask."""

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.tool: Tool = "brush"
        self.on_mask = False
        self.erasing = False
        self.size = 0.02  # the radius, of the model's size
        self.brush = Brush(1.0)  # its radius is worked out from the size
        self.values: dict[str, str | float] = {
            "colour": "#a3542c", "metallic": 0.0, "roughness": 0.6, "height": 0.55, "occlusion": 0.8,
            "emissive": "#ffb45a", "opacity": 1.0,
        }  # fmt: skip
        self.used = {"colour"}
        self.planes = ""
        self.rounds = 1
        self.steadying: Steadying = "off"
        self.steady_strength = 24.0
        self.only_selected = False
        self.fill = "island"
        self.tolerance = 0.08
        self.pressure = 1.0  # of the pen, 1 for a mouse
        self._going: _Going | None = None

    # --- what is set ----------------------------------------------------------------------------------------

    def set(self, **changes: Any) -> None:
        """Change what is held here."""
        for name, value in changes.items():
            setattr(self, name, value)
        self.changed.emit()

    def set_brush(self, **changes: Any) -> None:
        """Change the brush."""
        self.brush = replace(self.brush, **changes)
        self.changed.emit()

    def use(self, name: str, on: bool) -> None:
        """Have the paint give to a map, or not."""
        self.used = self.used | {name} if on else self.used - {name}
        self.changed.emit()

    @property
    def radius(self) -> float:
        """In model units."""
        return self.size * (self.desk.studio.model.diagonal if self.desk.studio is not None else 1.0)

    @property
    def symmetry(self) -> Symmetry | None:
        studio = self.desk.studio
        if studio is None or (not self.planes and self.rounds < 2):
            return None
        x, y, z = (float(value) for value in studio.model.bounds.mean(axis=0))
        return Symmetry(self.planes, self.rounds, "y", (x, y, z))

    def take_tips(self, path: Path) -> None:
        """Put the PNGs of a file, folder or zip into the kit and take the first as tip."""
        studio = self.desk.studio
        if studio is None:
            return
        try:
            names = [studio.keep_picture(data, read_picture(data, name)) for name, data in read_tips(path).items()]
        except LuckyFernError as error:
            self.desk.said.emit(str(error), True)
            return
        self.desk.refresh()
        self.set_brush(tip=names[0])
        self.desk.said.emit(f"{len(names)} tip{'' if len(names) == 1 else 's'} in the kit.", False)

    # --- what is painted on -----------------------------------------------------------------------------------

    def brush_effect(self, effect: Effect, maps: tuple[str, ...], title: str) -> None:
        """An adjustment of what is below, brushed on where it is wanted: its mask is empty and waits for it."""
        desk, studio = self.desk, self.desk.studio
        if studio is None:
            return
        name = free_name(studio.project, title)
        if desk.execute(AddLayer(name, Adjustment(effect), {one: Channel() for one in maps})) and desk.selected:
            easel.painted_mask(studio, desk.selected)
            desk.refresh()
            self.set(on_mask=True, erasing=False, tool="brush")
            desk.said.emit(f"Paint where it is to {title.lower()}; Alt takes away.", False)

    def confine(self, picture: str) -> None:
        """Have a kit picture, laid over the sheet that was pointed at last, confine what is painted on the mask."""
        desk, studio, layer = self.desk, self.desk.studio, self.desk.layer
        hit = desk.last_hit
        if studio is None or layer is None or picture not in studio.project.pictures:
            desk.said.emit("Select the layer whose mask is to be confined.", True)
            return
        key = (None if hit is None else sheet_of(studio.surface, hit)) or studio.surface.keys[0]
        easel.painted_mask(studio, layer.id)
        alpha = studio.sources.picture(studio.project.pictures[picture]).has_alpha
        place = Lay(key.material, key.tile, (0.5, 0.5), 1.0, 1.0)
        shape = PictureShape(picture, place, "alpha" if alpha else "luminance")
        if desk.execute(AddMaskEntry(layer.id, MaskEntry(shape, "confine"))):
            self.set(on_mask=True)
            desk.said.emit("Paint carelessly: light passes bring its strongest parts, more the rest.", False)

    def _target(self) -> int | None:
        """The layer to paint on: the selected one, or a new brushwork layer above it."""
        desk, layer = self.desk, self.desk.layer
        if desk.studio is None:
            return None
        if self.on_mask:
            if layer is None:
                desk.said.emit("Select the layer whose mask you want to paint.", True)
                return None
            return layer.id
        if layer is not None and isinstance(layer.content, Brushwork):
            return layer.id
        if self.erasing:
            desk.said.emit("Select a brushwork layer to take paint away from.", True)
            return None
        name = free_name(desk.studio.project, "Brushwork")
        above = None if layer is None or isinstance(layer.content, Group) else layer.id
        made = AddLayer(name, Brushwork(), {}, above=above) if above is not None else AddLayer(name, Brushwork(), {})
        return desk.selected if desk.execute(made) else None

    def _allowed(self) -> Bool | None:
        faces = self.desk.faces
        allowed = faces.shown
        if self.only_selected and faces.any:
            allowed = faces.chosen if allowed is None else faces.chosen & allowed
        return allowed

    # --- strokes ----------------------------------------------------------------------------------------------

    def begin(self, hit: SurfaceHit, other: bool, radius: float | None = None, angle: float | None = None) -> bool:
        """A stroke begins at a point; ``other`` does the opposite: erases, or hides."""
        studio, layer = self.desk.studio, self._target()
        if studio is None or layer is None:
            return False
        flat = self.brush.ground == "sheet"
        size = radius or self.radius
        material = None
        if flat:
            key = sheet_of(studio.surface, hit)
            if key is None:
                return False
            material = key.material
            size *= self._tiles_a_unit(hit)
        brush = replace(self.brush, radius=size, **({} if angle is None else {"angle": angle}))
        away = self.erasing != other
        try:
            if self.on_mask:
                easel.painted_mask(studio, layer, away)
            easel.bring_to_size(studio, layer)
            stroke = easel.begin_stroke(studio, brush, easel.Way(self._allowed(), self.symmetry, material))
        except LuckyFernError as error:
            self.desk.said.emit(str(error), True)
            return False
        self.desk.end_gesture()
        self._going = _Going(stroke, layer, studio.project, away, flat)
        self.go(hit)
        return True

    def _tiles_a_unit(self, hit: SurfaceHit) -> float:
        """How many tiles a unit of length is at a point of the surface."""
        assert self.desk.studio is not None
        along_u, along_v = uv_axes(self.desk.studio.model, hit.triangle)
        area = float(np.linalg.norm(np.cross(along_u, along_v)))
        return float(area**-0.5) if area > 0 else 1.0

    def go(self, hit: SurfaceHit | None) -> None:
        """The stroke goes on to a point; None is beside the model."""
        going, studio = self._going, self.desk.studio
        if going is None or studio is None:
            return
        if hit is None:
            going.stroke.lift()
        elif going.flat:
            going.stroke.go_to(np.array([*hit.uv, 0.0]), np.array([0.0, 0.0, 1.0]), self.pressure)
        else:
            going.stroke.go_to(hit.position, smooth_normal(studio.model, hit), self.pressure)

    def show(self) -> None:
        """Bring what was drawn so far into view."""
        going = self._going
        fresh = None if going is None else going.stroke.take_fresh()
        if going is not None and fresh is not None and fresh.coverage:
            self._put(going.layer, fresh, going.away, going.began)
            self.desk.composite()

    def end(self) -> None:
        """The stroke is done: one step to undo."""
        going = self._going
        if going is not None:
            going.stroke.end()
            fresh = going.stroke.take_fresh()
            if fresh.coverage:
                self._put(going.layer, fresh, going.away, going.began)
        self._going = None
        self.desk.end_gesture()
        self.desk.refresh()

    def _put(self, layer: int, covered: Stroke | Covered, away: bool, began: Project | None) -> bool:
        studio = self.desk.studio
        if studio is None:
            return False
        try:
            if self.on_mask:
                easel.paint_on_mask(studio, layer, covered, 0.0 if away else 1.0, began)
            elif away:
                easel.erase_on_layer(studio, layer, covered, began)
            else:
                values = {name: self.values[name] for name in self.values if name in self.used}
                if not values:
                    self.desk.said.emit("Choose at least one map that the paint gives to.", True)
                    return False
                easel.paint_on_layer(studio, layer, covered, values, began)
        except LuckyFernError as error:
            self.desk.said.emit(str(error), True)
            return False
        return True

    # --- fills ------------------------------------------------------------------------------------------------

    def fill_at(self, hit: SurfaceHit, other: bool, gradient: SurfaceHit | None = None) -> None:
        """Fill what is under a point, as the fill tool is set; ``gradient`` is where it has run out."""
        studio, store = self.desk.studio, self.desk.store
        if studio is None:
            return
        sources, size_of = studio.sources, studio.project.size_of
        key = sheet_of(studio.surface, hit)
        if gradient is not None:
            coverage = fill_faces(studio.surface, size_of, sources.owners, self._faces(hit, key))
            coverage = shaded(studio.surface, size_of, coverage, hit.position, gradient.position)
        elif self.fill.startswith("colour"):
            if key is None or store is None:
                return
            shown = self.desk.shown_map or "colour"
            u, v = local_uv(hit, key)
            size = size_of(key)
            row, column = min(int((1 - v) * size), size - 1), min(int(u * size), size - 1)
            coverage = fill_alike(
                studio.surface, size_of, sources.owners, lambda one: easel.whole_map(studio, one, shown),
                key, row, column, self.tolerance, self.fill == "colour",
            )  # fmt: skip
        else:
            coverage = fill_faces(studio.surface, size_of, sources.owners, self._faces(hit, key))
        self._fill(Covered(coverage, self.brush.opacity), other)

    def _faces(self, hit: SurfaceHit, key: SheetKey | None) -> Bool:
        studio = self.desk.studio
        assert studio is not None
        model = studio.model
        if self.fill == "selection":
            return self.desk.faces.chosen.copy()
        if self.fill == "tile":
            faces = np.zeros(model.triangle_count, np.bool_)
            for other in studio.surface.keys:
                if key is not None and other.tile == key.tile:
                    faces[studio.surface.placement.triangles[other]] = True
            return faces
        one = np.zeros(model.triangle_count, np.bool_)
        one[hit.triangle] = True
        return whole(model, one, cast(Unit, self.fill))  # the rest of the list are units

    def fill_outline(self, key: SheetKey, outline: F64, other: bool) -> None:
        """Fill an outline (N, 2) drawn in the UV space of a sheet."""
        studio = self.desk.studio
        if studio is not None:
            size = studio.project.size_of(key)
            coverage = fill_outline(studio.surface, key, size, studio.sources.owners, outline)
            self._fill(Covered(coverage, self.brush.opacity), other)

    def _fill(self, covered: Covered, other: bool) -> None:
        studio = self.desk.studio
        if not covered.coverage or studio is None:
            self.desk.said.emit("There is nothing there to fill.", True)
            return
        layer = self._target()
        if layer is None:
            return
        away = self.erasing != other
        if self.on_mask:
            easel.painted_mask(studio, layer, away)
        self.desk.end_gesture()
        self._put(layer, covered, away, None)
        self.desk.end_gesture()
        self.desk.refresh()
