"""Steps of a job about the model itself: selections, its layout, guides, pictures of its materials, model files."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any, Literal

import msgspec
import numpy as np

from lucky_fern.core.arrays import Array, Bool
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError, ExportError
from lucky_fern.core.exporting.model_files import SUFFIXES, model_files
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.exporting.vertex_colours import vertex_colours
from lucky_fern.core.incoming import first_washes
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.cut_step import cut_along
from lucky_fern.core.jobs.places import check_scope
from lucky_fern.core.layout.guide import GuideLook, check_look, draw_guide, guide_svg
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.subdivide import subdivided
from lucky_fern.core.project.commands import SaveSelection
from lucky_fern.core.project.kinds import LAYOUTS, LayoutEdit
from lucky_fern.core.project.numbers import check_finite, check_range
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.selecting.colour import like_colour, mean_colours
from lucky_fern.core.selecting.spread import Unit, facing, grown, like_normal, whole
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

Point = tuple[float, float, float]


class _Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    do: str


class SelectStep(_Step, frozen=True, kw_only=True):
    """``select``: faces under a name. All conditions given must hold; then they are grown and turned over."""

    name: str
    scope: Scope = Scope()
    facing: Point | None = None
    angle: float = 45.0
    point: Point | None = None
    unit: Unit | Literal["smooth", "colour"] | None = None
    map: str = "colour"
    tolerance: float = 0.06
    grow: int = 0
    invert: bool = False


class LayoutStep(_Step, frozen=True, kw_only=True):
    """``layout``: an edit of the UV layout; further keys are those of its ``op``."""

    op: str
    selection: str | None = None
    scope: Scope | None = None
    paint: Literal["surface", "uv"] = "surface"


class TemplateStep(_Step, frozen=True, kw_only=True):
    """``template``: a sheet's layout as PNG or SVG for use elsewhere."""

    sheet: str
    out: str
    size: int = 2048
    line: float = 1.5
    wires: bool = True
    fill: Literal["none", "islands", "parts"] = "parts"
    numbers: bool = True
    transparent: bool = True


class ModelStep(_Step, frozen=True, kw_only=True):
    """``write-model``: the model with its UVs, materials and parts as they are now."""

    out: str
    vertex_colours: bool = False
    subdivide: int = 0


class TexturesStep(_Step, frozen=True, kw_only=True):
    """``textures``: the pictures that the model's materials name become the first washes."""


def do_textures(here: Here, step: TexturesStep) -> str:
    """Pictures beside the model become washes; those that are missing are told."""
    missing = first_washes(here.studio, here.source.parent)
    here.studio.notes += [
        f"{one.file}, which {one.material} names for {one.map}, is not beside the model" for one in missing
    ]
    return "textures"


_MOST_GROWN = 10_000  # rings of faces


def do_layout(here: Here, step: LayoutStep, own: dict[str, Any]) -> str:
    studio = here.studio
    if step.op == "cut-texels":
        notes = cut_along(studio, own, _chosen(studio, step))
        studio.notes += [f"layout {step.op}: {note}" for note in notes]
        return step.op
    try:
        edit: LayoutEdit = LAYOUTS.decode({"op": step.op, **own})
    except ValueError as error:
        words = str(error).replace(" - at `$.", " at `").replace("Object contains unknown field", "unknown key")
        raise CommandError(
            tr("{words} (see docs/jobs.md for the keys of op {op!r})", words=words, op=step.op)
        ) from error
    notes = studio.lay_out(edit, _chosen(studio, step), stay=step.paint == "surface")
    studio.notes += [f"layout {step.op}: {note}" for note in notes]
    return step.op


def _chosen(studio: Studio, step: LayoutStep) -> Bool | None:
    """(T,) the faces that a step is about; None for all."""
    chosen: Bool | None = None
    if step.selection is not None:
        chosen = _saved(studio, step.selection)
    if step.scope is not None:
        inside = faces_of(studio, step.scope)
        chosen = inside if chosen is None else chosen & inside
    return chosen


def _saved(studio: Studio, name: str) -> Bool:
    if name not in studio.project.selections:
        raise CommandError(
            tr(
                "there is no selection {name!r}; there are {value}",
                name=name,
                value=", ".join(studio.project.selections) or "none",
            )
        )
    return unpack_faces(studio.project.selections[name], studio.model.triangle_count)


def faces_of(studio: Studio, scope: Scope) -> Bool:
    """(T,) bool, the faces that a scope names."""
    check_scope(studio, scope)
    model, surface = studio.model, studio.surface
    named = None if scope.selections is None else tuple(studio.project.selections[name] for name in scope.selections)
    chosen = surface.triangles_of((scope.parts, scope.islands, named))
    chosen = np.ones(model.triangle_count, np.bool_) if chosen is None else chosen.copy()
    if scope.materials is not None:
        chosen &= np.isin(model.material, [model.materials.index(name) for name in scope.materials])
    if scope.tiles is not None:
        here = np.zeros(model.triangle_count, np.bool_)
        for key in surface.keys:
            if key.tile in scope.tiles:
                here[surface.placement.triangles[key]] = True
        chosen &= here
    return chosen


def do_select(here: Here, step: SelectStep) -> str:
    studio, model = here.studio, here.studio.model
    check_range("grow", step.grow, -_MOST_GROWN, _MOST_GROWN)
    check_range("angle", step.angle, 0, 180, "degrees")
    check_range("tolerance", step.tolerance, 0, 1)
    for vector in (step.facing, step.point):
        if vector is not None:
            check_finite(*vector)
    chosen = faces_of(studio, step.scope)
    if step.facing is not None:
        if not any(step.facing):
            raise CommandError(tr("facing must point somewhere; [0, 0, 0] does not"))
        chosen &= facing(model, np.array(step.facing), step.angle)
    if step.unit is not None and step.point is None:
        raise CommandError(tr("'unit' says how far a selection spreads from a 'point'; give one"))
    if step.point is not None:
        distance = np.linalg.norm(model.corners.mean(axis=1) - np.array(step.point), axis=1)
        at = int(_nearest(studio, np.array(step.point), distance))
        seed = np.zeros(model.triangle_count, np.bool_)
        seed[at] = True
        if step.unit == "smooth":
            chosen &= like_normal(model, seed, step.angle)
        elif step.unit == "colour":
            chosen &= like_colour(_means(studio, step.map), at, step.tolerance)
        else:
            chosen &= whole(model, seed, step.unit or "face")
    if step.grow:
        chosen = grown(model, chosen, step.grow)
    if step.invert:
        chosen = ~chosen
    if not chosen.any():
        raise CommandError(tr("no face fits all of that; nothing would be selected"))
    studio.execute(SaveSelection(step.name, pack_faces(chosen)))
    return step.name


def _nearest(studio: Studio, point: Array, distance: Array) -> int:
    """The face nearest to a point: among those whose middles are near, by the distance to the face itself."""
    model = studio.model
    _, radius = model.balls
    reach = float((distance + radius).min())
    near = np.flatnonzero(distance - radius <= reach)
    best, found = np.inf, int(near[0])
    for row in near.tolist():
        gap = _gap(model.corners[row], point)
        if gap < best:
            best, found = gap, row
    return found


def _gap(corners: Array, point: Array) -> float:
    """The distance of a point from a triangle (3, 3)."""
    a, b, c = corners
    edges, offset = np.stack([b - a, c - a], axis=1), point - a
    weights = np.linalg.lstsq(edges, offset, rcond=None)[0]
    if weights.min() >= 0 and weights.sum() <= 1:
        return float(np.linalg.norm(edges @ weights - offset))
    gaps = []
    for p, q in ((a, b), (b, c), (c, a)):
        share = np.clip((point - p) @ (q - p) / max(float((q - p) @ (q - p)), 1e-300), 0, 1)
        gaps.append(float(np.linalg.norm(p + share * (q - p) - point)))
    return min(gaps)


def _means(studio: Studio, map_name: str) -> Array:
    if map_name not in MAPS:
        raise CommandError(
            tr("there is no map called {map_name!r}; the maps are {MAPS}", map_name=map_name, MAPS=", ".join(MAPS))
        )

    def texels(key: SheetKey) -> Array:
        sheet = studio.surface.sheet(key, studio.project.size_of(key))
        return composite_sheet(studio.sources, studio.project, map_name, sheet, 8)

    return mean_colours(studio.surface, texels)


def do_template(here: Here, step: TemplateStep) -> str:
    studio = here.studio
    keys = {str(key): key for key in studio.surface.keys}
    if step.sheet not in keys:
        raise CommandError(
            tr("there is no sheet {sheet!r}; there are {keys}", sheet=step.sheet, keys=", ".join(keys))
        )
    kind = Path(step.out).suffix.lower()
    if kind not in (".png", ".svg"):
        raise CommandError(tr("a guide is written as .png or .svg, not {out!r}", out=step.out))
    look = GuideLook(step.size, step.line, step.wires, step.fill, step.numbers, step.transparent)
    check_look(look)
    surface, key, path = studio.surface, keys[step.sheet], _target(here.folder, step.out)
    size = studio.project.size_of(key).as_long_as(look.size)

    def write() -> dict[Path, bytes]:
        if kind == ".svg":
            return {path: guide_svg(surface, key, look, size).encode()}
        return {path: encode_png(draw_guide(surface, key, look, size))}

    here.later.append(write)
    return step.out


def _target(folder: Path, out: str) -> Path:
    path = (folder / out).resolve()
    if path.is_dir():
        raise CommandError(tr("{out} is a folder; name a file", out=out))
    return path


def do_model(here: Here, step: ModelStep) -> str:
    studio, path = here.studio, _target(here.folder, step.out)
    if path.suffix.lower() not in SUFFIXES:
        raise CommandError(
            tr("a model is written as {SUFFIXES}, not {out!r}", SUFFIXES=", ".join(SUFFIXES), out=step.out)
        )
    if not 0 <= step.subdivide <= 4:
        raise CommandError(tr("subdivide runs from 0 to 4, not {subdivide}", subdivide=step.subdivide))
    if step.vertex_colours and path.suffix.lower() == ".obj":
        raise CommandError(tr("OBJ carries no colours of points; write .ply or .glb"))
    if studio.model.triangle_count * 4**step.subdivide > 8_000_000:
        raise CommandError(tr("that copy would have more than 8 million triangles; subdivide less"))
    here.later.append(partial(_write_model, studio, studio.project, studio.sources, step, path))
    return step.out


def _write_model(studio: Studio, project: Any, sources: Any, step: ModelStep, path: Path) -> dict[Path, bytes]:
    model = subdivided(sources.surface.model, step.subdivide)
    colours = None
    if step.vertex_colours:
        found = vertex_colours(sources, project, model if step.subdivide else None)
        colours = found.colours
        if found.warning:
            studio.notes.append(f"{path.name}: {found.warning}")
    try:
        return {path.with_name(name): data for name, data in model_files(model, path.name, colours).items()}
    except ExportError as error:
        raise CommandError(str(error)) from error
