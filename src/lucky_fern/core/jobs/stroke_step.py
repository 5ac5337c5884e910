"""The step ``stroke``: a brush stroke on a brushwork layer or on a layer's mask."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Literal

import msgspec
import numpy as np

from lucky_fern.core import easel
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.places import kept_picture, named
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.model import Model
from lucky_fern.core.painting.brush import Brush, check_brush
from lucky_fern.core.painting.moved import Anchor
from lucky_fern.core.painting.paint import Paint, Values
from lucky_fern.core.painting.stroke import Covered, Stroke
from lucky_fern.core.painting.symmetry import Symmetry
from lucky_fern.core.painting.tips import BUILT_IN
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

_MOST_POINTS = 100_000
_FARTHEST = 100.0  # of the model's diagonal


class StrokeStep(Brush, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A brush stroke through points of the surface."""

    do: str
    layer: str
    points: list[list[float]]
    name: str | None = None
    values: dict[str, str | float] = msgspec.field(default_factory=dict)
    paint: str | None = None
    erase: bool = False
    clone: list[float] | None = None
    smear: float | None = None
    maps: list[str] = msgspec.field(default_factory=lambda: ["colour"])
    mirror: Literal["x", "y", "z"] | None = None
    on: Literal["layer", "mask"] = "layer"


def do_stroke(here: Here, step: StrokeStep) -> str:
    """Do the step; the name of the layer it is about."""
    studio = here.studio
    layer = named(studio, step.layer)
    if not step.points or not all(len(point) in (3, 4) for point in step.points):
        raise CommandError(tr("a stroke needs points: [[x, y, z, pressure], …]"))
    if step.clone is not None and len(step.clone) != 3:
        raise CommandError(tr("'clone' is a point [x, y, z] of the surface to take from"))
    check_points(studio.model, [*step.points, *([step.clone] if step.clone is not None else [])])
    if step.ground != "surface":
        raise CommandError(tr("a job's stroke runs over the surface; leave 'ground' out"))
    own = {name: getattr(step, name) for name in Brush.__struct_fields__ if name != "tip"}
    brush = Brush(**own, tip=_tip(studio, step.tip, here.folder))
    check_brush(brush)
    x, y, z = (float(value) for value in studio.model.bounds.mean(axis=0))
    way = easel.Way(symmetry=Symmetry(step.mirror or "", about=(x, y, z)))
    if step.paint is not None and step.paint not in studio.project.paints:
        known = ", ".join(studio.project.paints) or "none yet; the step 'keep-paint' makes one"
        raise CommandError(tr("there is no paint {paint!r}; there are {known}", paint=step.paint, known=known))
    kept = {} if step.paint is None else studio.project.paints[step.paint].values
    paint: Paint | Values = {**kept, **step.values}
    stroke: Stroke
    if step.smear is not None:
        check_share("smear", step.smear)
        stroke = paint = easel.begin_smear(studio, brush, layer.id, _maps(step.maps), step.smear, way)
    else:
        stroke = easel.begin_stroke(studio, brush, way)
    for point in step.points:
        place = np.array(point[:3])
        stroke.go_to(place, easel.normal_near(studio, place), point[3] if len(point) > 3 else 1.0)
    stroke.end()
    if not stroke.coverage:
        raise CommandError(tr("no point of the surface lies within the radius of the stroke"))
    covered: Stroke | Covered = stroke
    if step.clone is not None:
        source, target = (Anchor(np.array(at), easel.normal_near(studio, np.array(at)))
                          for at in (step.clone, step.points[0][:3]))  # fmt: skip
        paint = clone = easel.begin_clone(studio, stroke, layer.id, _maps(step.maps), source, target)
        covered = clone.limit(Covered(stroke.coverage, stroke.opacity))
    if step.on == "mask":
        easel.paint_on_mask(studio, layer.id, stroke, 0.0 if step.erase else 1.0)
    elif step.erase:
        easel.erase_on_layer(studio, layer.id, stroke)
    else:
        if not paint:
            raise CommandError(tr('a stroke needs \'values\', for example {"colour": "#335577"}'))
        easel.paint_on_layer(studio, layer.id, covered, paint)
    return step.layer


def check_points(model: Model, points: list[list[float]]) -> None:
    """Refuse points that are none, or lie so far from the model that they can only be a mistake (CommandError)."""
    if len(points) > _MOST_POINTS:
        raise CommandError(
            tr("a stroke has up to {MOST_POINTS} points, not {points}", MOST_POINTS=_MOST_POINTS, points=len(points))
        )
    if not all(math.isfinite(value) for point in points for value in point):
        raise CommandError(tr("every number of a stroke's points must be finite"))
    low, high = model.bounds
    reach = _FARTHEST * model.diagonal
    for point in points:
        place = np.array(point[:3])
        if (place < low - reach).any() or (place > high + reach).any():
            raise CommandError(
                tr(
                    "the point {point} lies far from the model; its size is {diagonal:.4g} units",
                    point=point[:3],
                    diagonal=model.diagonal,
                )
            )


def _maps(names: list[str]) -> tuple[str, ...]:
    for name in names:
        if name not in MAPS or MAPS[name].directional:
            raise CommandError(tr("'{name}' is no map that paint can be moved on", name=name))
    return tuple(names)


def _tip(studio: Studio, name: str | None, folder: Path) -> str | None:
    """A tip by its name, or a picture file that becomes one."""
    if name is None or name in BUILT_IN:
        return name
    if not (folder / name).exists():
        raise CommandError(
            tr(
                "there is no tip {name!r}; there are {BUILT_IN}, or the path of a PNG",
                name=name,
                BUILT_IN=", ".join(BUILT_IN),
            )
        )
    return kept_picture(studio, folder, name)
