"""The brush in hand: what it paints, with what, onto what."""

from __future__ import annotations

from dataclasses import dataclass, field
from dataclasses import replace as _with
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core import easel, taking
from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.painting.brush import Brush, Pen
from lucky_fern.core.painting.moved import Anchor, Clone
from lucky_fern.core.painting.paint import Paint, Values
from lucky_fern.core.painting.seen import Seen
from lucky_fern.core.painting.steady import Steadying
from lucky_fern.core.painting.stroke import Covered, Place, Stroke
from lucky_fern.core.painting.symmetry import Symmetry, middle_and_facing
from lucky_fern.core.painting.tips import read_tips
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, KeepPaint, free_name
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, KitPaint, Project
from lucky_fern.core.project.kinds import Effect
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import SheetKey, to_texels
from lucky_fern.core.sheets.picking import SurfaceHit, sheet_of, smooth_normal, uv_axes
from lucky_fern.core.sheets.region import Rect
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.words import counted, tr

if TYPE_CHECKING:
    from pathlib import Path


Tool = Literal["brush", "line", "stamp", "clone", "smear", "gradient", "fill", "texels"]
FREEHAND = ("brush", "clone", "smear")
UPRIGHT = np.array([0.0, 0.0, 1.0])


@dataclass
class _Going:
    """A stroke while it is drawn; ``moved`` is its paint where that comes from elsewhere."""

    stroke: Stroke
    layer: int
    began: Project
    away: bool
    flat: bool
    moved: Paint | None = None
    stamped: set[Place] = field(default_factory=set)  # chunks that a stamp has been shown on


class Painting(QObject):
    """Holds the brush and the paint, and puts strokes onto the selected layer or its mask."""

    changed = Signal()

    def __init__(self, work: Work, selection: Selection, looking: Looking, maps: Maps, faces: Faces) -> None:
        super().__init__()
        self.work, self.selection, self.looking, self.maps, self.faces = work, selection, looking, maps, faces
        self.tool: Tool = "brush"
        self.on_mask = False
        self.erasing = False
        self.size = 0.02  # the radius, of the model's size; on the screen, of the view's height
        self.brush = Brush(1.0)  # its radius is worked out from the size
        self.values: dict[str, str | float] = {
            "colour": "#a3542c", "metallic": 0.0, "roughness": 0.6, "height": 0.55, "occlusion": 0.8,
            "emissive": "#ffb45a", "opacity": 1.0,
        }  # fmt: skip
        self.used = {"colour"}
        self.planes = ""
        self.rounds = 1
        self.about: F64 | None = None  # where planes and axis go through; None: the model's middle
        self.normal: F64 | None = None  # of a plane of one's own
        self.steadying: Steadying = "off"
        self.steady_strength = 24.0
        self.only_selected = False
        self.only_seen = False
        self.cornered = False  # whether a stamp is dragged from corner to corner
        self.aligned = True  # whether a clone's source goes on where it was when a new stroke begins
        self.pen = Pen()
        self.source: SurfaceHit | None = None  # what is cloned
        self.picking_tip = False  # whether the next rectangle on a sheet becomes a tip
        self._target: SurfaceHit | None = None  # what the source went with when a stroke first began
        self._seen: tuple[object, Seen] | None = None
        self._going: _Going | None = None

        work.studio_changed.connect(self._forget_source)
        work.layout_changed.connect(self._forget_source)

    def _forget_source(self) -> None:
        """What is cloned lay on a model that is no more, or is laid out otherwise."""
        self.source, self._target = None, None
        self.changed.emit()

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
    def paint(self) -> Values:
        """The values of the maps that the paint gives to."""
        return {name: self.values[name] for name in self.values if name in self.used}

    def keep_paint(self, name: str) -> None:
        """Keep the paint in the kit under a name."""
        if self.work.execute(KeepPaint(name, KitPaint(dict(self.paint)))):
            self.work.said.emit(tr("The paint {strip!r} is in the kit.", strip=name.strip()), False)

    def take_paint(self, name: str) -> None:
        """Take a paint of the kit in hand."""
        project = self.work.project
        if project is not None and name in project.paints:
            kept = project.paints[name].values
            self.values.update(kept)
            self.set(used=set(kept))

    @property
    def radius(self) -> float:
        """In model units; on the screen, at what is looked at."""
        if self.brush.ground == "screen" and self.looking.eye is not None:
            return self.size * 2 * self.looking.eye.half
        return self.size * (self.work.studio.model.diagonal if self.work.studio is not None else 1.0)

    @property
    def symmetry(self) -> Symmetry | None:
        studio = self.work.studio
        if studio is None or (not self.planes and self.rounds < 2 and self.normal is None):
            return None
        about = studio.model.bounds.mean(axis=0) if self.about is None else self.about
        return Symmetry(
            self.planes, self.rounds, "y", _three(about), None if self.normal is None else _three(self.normal)
        )

    def mirror_at_selection(self, facing: bool) -> None:
        """Have planes and axis go through the selected faces' middle; ``facing``: and one plane lie as they do."""
        studio, chosen = self.work.studio, self.faces.chosen
        if studio is None or not chosen.any():
            self.work.said.emit(tr("Select faces at the Model station first."), True)
            return
        about, normal = middle_and_facing(studio.model.corners[chosen])
        if facing and normal is None:
            self.work.warn(tr("These faces look all ways: select some that face one way."))
            return
        self.set(about=about, normal=normal if facing else None)

    def take_tips(self, path: Path) -> None:
        """Put the PNGs of a file, folder or zip into the kit and take the first as tip."""
        try:
            self._keep_tips(read_tips(path))
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)

    def tip_of_sheet(self, key: SheetKey, outline: F64) -> None:
        """Take what lies in a rectangle of a sheet (two corners (2, 2) in its UV space) as tip."""
        studio = self.work.studio
        self.set(picking_tip=False)
        if studio is None:
            return
        size = studio.project.size_of(key)
        ends = np.clip([outline.min(axis=0), outline.max(axis=0)], 0, 1)
        (left, low), (right, high) = np.rint(to_texels(ends, size)).astype(int).tolist()
        rect = Rect(high, low, left, right)
        try:
            data = taking.tip_picture(studio, self.selection.selected, key, rect, self.looking.shown_map or "colour")
            number = 1 + sum(name.startswith("tip ") for name in studio.project.pictures)
            self._keep_tips({f"tip {number}.png": data})
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)

    def _keep_tips(self, found: dict[str, bytes]) -> None:
        studio = self.work.studio
        if studio is None:
            return
        names = [studio.keep_picture(data, read_picture(data, name)) for name, data in found.items()]
        self.work.refresh()
        self.set_brush(tip=names[0])
        self.work.said.emit(tr("{tips} in the kit.", tips=counted(len(names), "tip")), False)

    # --- what is painted on -----------------------------------------------------------------------------------

    def brush_effect(self, effect: Effect, maps: tuple[str, ...], title: str) -> None:
        """An adjustment of what is below, brushed on where it is wanted: its mask is empty and waits for it."""
        studio = self.work.studio
        if studio is None:
            return
        name = free_name(studio.project, title)
        if (
            self.work.execute(AddLayer(name, Adjustment(effect), {one: Channel() for one in maps}))
            and self.selection.selected
        ):
            easel.painted_mask(studio, self.selection.selected)
            self.work.refresh()
            self.set(on_mask=True, erasing=False, tool="brush")
            self.work.said.emit(tr("Paint where it is to {lower}; Alt takes away.", lower=title.lower()), False)

    def confine(self, picture: str) -> None:
        """Have a kit picture, laid over the sheet that was pointed at last, confine what is painted on the mask."""
        studio, layer = self.work.studio, self.selection.layer
        hit = self.looking.last_hit
        if studio is None or layer is None or picture not in studio.project.pictures:
            self.work.said.emit(tr("Select the layer whose mask is to be confined."), True)
            return
        key = (None if hit is None else sheet_of(studio.surface, hit)) or studio.surface.keys[0]
        easel.painted_mask(studio, layer.id)
        pixels = studio.sources.picture(studio.project.pictures[picture]).rgba
        alpha = int(pixels[..., 3].min()) < np.iinfo(pixels.dtype).max  # where it has holes they are what is meant
        # Repeated, it lies over every tile of the material.
        place = Lay(key.material, key.tile, (0.5, 0.5), 1.0, 1.0, repeat=True)
        shape = PictureShape(picture, place, "alpha" if alpha else "luminance")
        if self.work.execute(AddMaskEntry(layer.id, MaskEntry(shape, "confine"))):
            self.set(on_mask=True)
            self.work.said.emit(tr("Paint carelessly: light passes bring its strongest parts, more the rest."), False)

    def target(self) -> int | None:
        """The layer to paint on: the selected one, or a new brushwork layer above it."""
        layer = self.selection.layer
        if self.work.studio is None:
            return None
        moving = self.tool in ("clone", "smear")
        if self.on_mask and not moving:
            if layer is None:
                self.work.said.emit(tr("Select the layer whose mask you want to paint."), True)
                return None
            return layer.id
        if layer is not None and layer.content.painted is not None:
            return layer.id
        if self.erasing and not moving:
            self.work.said.emit(tr("Select a brushwork layer to take paint away from."), True)
            return None
        name = free_name(self.work.studio.project, "Brushwork")
        above = None if layer is None or layer.content.holds_layers else layer.id
        if above is None or moving:  # what is moved lies on top of all that it shows
            return self.selection.selected if self.work.execute(AddLayer(name, Brushwork(), {})) else None
        return self.selection.selected if self.work.execute(AddLayer(name, Brushwork(), {}, above=above)) else None

    def _allowed(self) -> Bool | None:
        faces = self.faces
        allowed = faces.shown
        if self.only_selected and faces.any:
            allowed = faces.chosen if allowed is None else faces.chosen & allowed
        return allowed

    def _seen_from(self, eye: Eye | None) -> Seen | None:
        studio = self.work.studio
        if not self.only_seen or eye is None or studio is None:
            return None
        if self._seen is None or self._seen[0] is not eye:
            self._seen = (eye, Seen(studio.model, eye))
        return self._seen[1]

    # --- strokes ----------------------------------------------------------------------------------------------

    def begin(
        self, hit: SurfaceHit, other: bool, on_sheet: bool = False, radius: float | None = None, **changes: float
    ) -> bool:
        """A stroke begins at a point; ``other`` does the opposite: erases, or hides.

        ``on_sheet`` says that it is drawn on the sheet view, where what is round on the screen is round in UV space;
        ``radius`` in model units and ``changes`` take the place of the brush's own.
        """
        if self.tool == "clone" and self.source is None:
            self.work.said.emit(tr("Ctrl+click what is to be taken first."), True)
            return False
        studio, layer = self.work.studio, self.target()
        if studio is None or layer is None:
            return False
        if self.maps.quiet:
            studio.tidy()
        found = self._brush_at(hit, on_sheet, radius, **changes)
        if found is None:
            return False
        brush, material = found
        eye = self.looking.eye
        away = self.erasing != other
        try:
            way = easel.Way(self._allowed(), self.symmetry, material, eye, self._seen_from(eye))
            going = self._started(brush, layer, way, hit, away, material is not None)
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)
            return False
        self._going = going
        self.go(hit)
        return True

    def _brush_at(
        self, hit: SurfaceHit, on_sheet: bool, radius: float | None, **changes: float
    ) -> tuple[Brush, str | None] | None:
        """The brush a stroke there has, and the material in whose UV space it is round, if so; None beside it."""
        studio = self.work.studio
        assert studio is not None
        size, material = radius or self.radius, None
        own: dict[str, Any] = dict(changes)
        if self.brush.ground == "sheet" or (self.brush.ground == "screen" and on_sheet):
            key = sheet_of(studio.surface, hit)
            if key is None:
                return None
            material, own["ground"] = key.material, "sheet"
            size *= self._tiles_a_unit(hit)
        return replace(self.brush, radius=size, **own), material

    def _started(self, brush: Brush, layer: int, way: easel.Way, hit: SurfaceHit, away: bool, flat: bool) -> _Going:
        studio = self.work.studio
        assert studio is not None
        moving = self.tool in ("clone", "smear")
        if self.on_mask and not moving:
            easel.painted_mask(studio, layer, away)
        easel.bring_to_size(studio, layer)
        maps = tuple(name for name in self.values if name in self.used)
        if self.tool == "smear":
            smear = easel.begin_smear(studio, brush, layer, maps, 1.0, way)
            self.work.end_gesture()
            return _Going(smear, layer, studio.project, away, flat, smear)
        stroke = easel.begin_stroke(studio, brush, way)
        self.work.end_gesture()
        going = _Going(stroke, layer, studio.project, away, flat)
        if self.tool == "clone" and self.source is not None:
            if self._target is None or not self.aligned:
                self._target = hit
            source, target = (self._anchor(one, flat) for one in (self.source, self._target))
            going.moved = easel.begin_clone(studio, stroke, layer, maps, source, target, way.material)
        return going

    def take_from(self, hit: SurfaceHit) -> None:
        """Clone from here from now on."""
        self._target = None
        self.set(source=hit)

    def _anchor(self, hit: SurfaceHit, flat: bool) -> Anchor:
        assert self.work.studio is not None
        if flat:
            return Anchor(np.array([*hit.uv, 0.0]), UPRIGHT)
        return Anchor(hit.position, smooth_normal(self.work.studio.model, hit))

    def _tiles_a_unit(self, hit: SurfaceHit) -> float:
        """How many tiles a unit of length is at a point of the surface."""
        assert self.work.studio is not None
        along_u, along_v = uv_axes(self.work.studio.model, hit.triangle)
        area = float(np.linalg.norm(np.cross(along_u, along_v)))
        return float(area**-0.5) if area > 0 else 1.0

    def go(self, hit: SurfaceHit | None) -> None:
        """The stroke goes on to a point; None is beside the model."""
        going = self._going
        if going is None:
            return
        if hit is None:
            going.stroke.lift()
        else:
            going.stroke.go_to(*self._anchor(hit, going.flat), self.pen)

    def show(self) -> None:
        """Bring what was drawn so far into view."""
        going = self._going
        if going is not None and self._put_fresh(going):
            self.maps.composite()

    def end(self) -> None:
        """The stroke is done: one step to undo."""
        going = self._going
        if going is not None:
            going.stroke.end()
            self._put_fresh(going)
        self._going = None
        self.work.end_gesture()
        self.work.refresh()

    def _put_fresh(self, going: _Going) -> bool:
        fresh = going.stroke.take_fresh()
        if isinstance(going.moved, Clone):
            fresh = going.moved.limit(fresh)
        return bool(fresh.coverage) and self.put(going.layer, fresh, going.away, going.began, going.moved)

    def stamp(self, hit: SurfaceHit, on_sheet: bool, other: bool, radius: float | None, **changes: float) -> bool:
        """Show the tip once as it would be put on; it takes the place of what was shown of this stamp before."""
        before = self._going
        if before is None:
            if not self.begin(hit, other, on_sheet, radius, **changes):
                return False
        else:
            found = self._brush_at(hit, on_sheet, radius, **changes)
            if found is None:
                return False
            self._going = _with(before, stroke=before.stroke.again(found[0]))
            self.go(hit)
        going = self._going
        assert going is not None
        shown = going.stamped
        fresh = going.stroke.take_fresh()
        going.stamped = shown | set(fresh.coverage)
        cleared = {place: going.stroke.bare(place) for place in shown - set(fresh.coverage)}
        covered = Covered({**fresh.coverage, **cleared}, fresh.opacity, fresh.tints)
        if covered.coverage and self.put(going.layer, covered, going.away, going.began):
            self.maps.composite()
        return True

    def put(
        self, layer: int, covered: Stroke | Covered, away: bool, began: Project | None, moved: Paint | None = None
    ) -> bool:
        """Put what is covered onto a layer or its mask, as the brush is set; ``began`` as in :mod:`.core.easel`."""
        studio = self.work.studio
        if studio is None:
            return False
        try:
            if moved is not None:
                easel.paint_on_layer(studio, layer, covered, moved, began)
            elif self.on_mask:
                easel.paint_on_mask(studio, layer, covered, 0.0 if away else 1.0, began)
            elif away:
                easel.erase_on_layer(studio, layer, covered, began)
            elif not self.paint:
                self.work.said.emit(tr("Choose at least one map that the paint gives to."), True)
                return False
            else:
                easel.paint_on_layer(studio, layer, covered, self.paint, began)
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)
            return False
        return True


def _three(vector: F64) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in vector)
    return x, y, z
